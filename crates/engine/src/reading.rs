//! Programs of the machine that change nothing, by their names and arguments.

/// What makes a program of the list one that may change something.
enum Unless {
    /// It only reads, whatever its arguments are.
    Never,
    /// Any of these words, or a word that begins with one of them and `=`.
    Words(&'static [&'static str]),
    /// Any operand.
    Operands,
    /// Its first operand is none of these.
    NotFirst(&'static [&'static str]),
    /// None of these options is there.
    Without(&'static [&'static str]),
}

use Unless::{Never, NotFirst, Operands, Without, Words};

/// The programs that may run where nothing may be changed.
const READING: [(&str, Unless); 48] = [
    ("arch", Never),
    ("blkid", Never),
    ("cmp", Never),
    ("df", Never),
    ("diff", Words(&["-o", "--output"])),
    (
        "dmesg",
        Words(&[
            "-c",
            "-C",
            "-D",
            "-E",
            "-n",
            "--clear",
            "--read-clear",
            "--console-off",
            "--console-on",
            "--console-level",
        ]),
    ),
    ("dpkg-query", Never),
    ("du", Never),
    (
        "find",
        Words(&[
            "-exec", "-execdir", "-ok", "-okdir", "-delete", "-fprint", "-fprint0", "-fprintf",
            "-fls",
        ]),
    ),
    ("file", Words(&["-C", "--compile"])),
    ("free", Never),
    ("getconf", Never),
    ("getent", Never),
    ("groups", Never),
    ("hostname", Operands),
    ("id", Never),
    (
        "ip",
        NotFirst(&[
            "a", "addr", "address", "l", "link", "r", "route", "n", "neigh", "-br", "-brief", "-4",
            "-6", "-s",
        ]),
    ),
    (
        "journalctl",
        Words(&[
            "--vacuum-size",
            "--vacuum-time",
            "--vacuum-files",
            "--rotate",
            "--flush",
            "--sync",
            "--setup-keys",
            "--update-catalog",
            "--relinquish-var",
            "--smart-relinquish-var",
            "-f",
            "--follow",
        ]),
    ),
    ("last", Never),
    ("lastlog", Words(&["-C", "-S", "--clear", "--set"])),
    ("locale", Never),
    ("ls", Never),
    ("lsblk", Never),
    ("lscpu", Never),
    ("lsmod", Never),
    ("lsof", Words(&["+r", "-r"])),
    ("lspci", Never),
    ("lsusb", Never),
    ("mount", Operands),
    ("nproc", Never),
    ("pgrep", Never),
    ("printenv", Never),
    ("ps", Never),
    ("pwd", Never),
    ("readlink", Never),
    ("realpath", Never),
    ("ss", Words(&["-K", "--kill"])),
    ("stat", Never),
    (
        "systemctl",
        NotFirst(&[
            "status",
            "show",
            "cat",
            "is-active",
            "is-enabled",
            "is-failed",
            "list-units",
            "list-unit-files",
            "list-timers",
            "list-sockets",
            "list-dependencies",
        ]),
    ),
    ("tty", Never),
    ("uname", Never),
    ("uptime", Never),
    ("w", Never),
    ("who", Never),
    ("whoami", Never),
    ("xzcat", Never),
    ("zcat", Never),
    ("gzip", Without(&["-dc", "-cd", "-l", "-t"])),
];

/// True where the program is one that only reads, with these arguments. Only names without a
/// directory are known: a file of the same name elsewhere may be anything.
pub fn only_reads(words: &[Vec<u8>]) -> bool {
    let Some((name, arguments)) = words.split_first() else { return false };
    let Some((_, unless)) = READING.iter().find(|(known, _)| known.as_bytes() == name) else {
        return false;
    };
    let is = |word: &[u8], known: &str| {
        word == known.as_bytes()
            || word.strip_prefix(known.as_bytes()).is_some_and(|rest| {
                rest.first() == Some(&b'=')
                    // An option of one letter may have its value behind it, or stand with others.
                    || known.len() == 2 && known.starts_with('-') && !known.starts_with("--")
            })
    };
    let letters = |word: &[u8], known: &str| {
        let one = known.len() == 2 && known.starts_with('-');
        one && word.starts_with(b"-")
            && !word.starts_with(b"--")
            && word.contains(&known.as_bytes()[1])
    };
    match unless {
        Never => true,
        Words(bad) => !arguments
            .iter()
            .any(|word| bad.iter().any(|known| is(word, known) || letters(word, known))),
        Operands => arguments.iter().all(|word| word.starts_with(b"-")),
        NotFirst(good) => {
            arguments.iter().take(1).all(|word| good.iter().any(|known| known.as_bytes() == word))
                && arguments.iter().skip(1).all(|word| {
                    ![
                        &b"add"[..],
                        b"del",
                        b"delete",
                        b"set",
                        b"change",
                        b"replace",
                        b"flush",
                        b"append",
                    ]
                    .contains(&&word[..])
                })
        }
        Without(needed) => {
            arguments.iter().any(|word| needed.iter().any(|known| known.as_bytes() == word))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn reads(line: &str) -> bool {
        let words: Vec<Vec<u8>> = line.split(' ').map(|word| word.as_bytes().to_vec()).collect();
        only_reads(&words)
    }

    #[test]
    fn arguments_decide_what_only_reads() {
        for line in [
            "ls -l",
            "find . -name x",
            "ip a",
            "ip -br addr",
            "systemctl status winch",
            "gzip -dc x",
            "hostname",
        ] {
            assert!(reads(line), "{line}");
        }
        for line in [
            "rm x",
            "find . -delete",
            "find . -exec rm {} ;",
            "ip addr add 1",
            "ip link set up",
            "systemctl stop winch",
            "gzip x",
            "hostname tarn",
            "./ls",
            "/tmp/ls",
            "mount /x",
            "dmesg -c",
            "dmesg -Tc",
            "journalctl --vacuum-size=1",
            "find . -fprintf x",
        ] {
            assert!(!reads(line), "{line}");
        }
    }
}
