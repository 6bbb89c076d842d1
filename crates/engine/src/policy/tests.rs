//! What is started, and what is not: by name, link, option and content.

use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

use proptest::prelude::*;

use super::programs::forms;
use super::*;

fn words(line: &str) -> Vec<Vec<u8>> {
    line.split(' ').map(|word| word.as_bytes().to_vec()).collect()
}

/// True when a line is on the list, whether the program is there or not.
fn listed(line: &str) -> bool {
    let words = words(line);
    forms(&words[0])
        .is_some_and(|forms| forms.iter().any(|form| form.takes(&words[1..], Path::new("/"))))
}

#[test]
#[allow(clippy::too_many_lines)] // a table
fn arguments_decide_what_only_looks() {
    for line in [
        "ls -la /etc",
        "ls --sort=size -I *.o",
        "find . -name -delete -type f -print0",
        "find / -xdev ( -size +1M -o -empty ) -printf %p",
        "ip a",
        "ip -br addr show dev eth0",
        "ip route get 192.0.2.1",
        "ss -tulpn state established",
        "systemctl status winch.service",
        "systemctl --no-pager list-units --type=service",
        "journalctl -u winch --since=today -n 50",
        "journalctl -p err _PID=1",
        "hostname",
        "hostname -f",
        "mount",
        "mount -l",
        "ps aux",
        "ps -eo pid,comm --sort=-rss",
        "df -hT /",
        "du -sh /var/log --max-depth=1",
        "stat -c %s /etc/passwd",
        "getent passwd root",
        "dpkg-query -W -f=${Package} bash",
        "dmesg -T --level=err,warn",
        "lsof -nP -i :22",
        "lsof +D /tmp",
        "lsof +d/tmp",
        "uptime",
        "diff -u /etc/passwd /etc/passwd",
    ] {
        assert!(listed(line), "{line}");
    }
    for line in [
        "rm x",
        "find . -delete",
        "find . -exec rm {} ;",
        "find . -fprintf x y",
        "find . -fls x",
        "find . -files0-from x",
        "ip a a 192.0.2.1/24 dev lo",
        "ip addr add 192.0.2.1/24 dev lo",
        "ip l s lo down",
        "ip link set lo up",
        "ip -s netns exec x y",
        "ip -b FILE",
        "ip -batch FILE",
        "ip netns exec x y",
        "systemctl stop winch",
        "systemctl status -H HOST",
        "systemctl -H HOST status",
        "systemctl daemon-reload",
        "gzip f",
        "gzip f -- -t",
        "gzip -S -l f",
        "hostname tarn",
        "hostname --file=X",
        "hostname -F X",
        "mount -a",
        "mount -tTYPE x /y",
        "mount /x",
        "dmesg -c",
        "dmesg -Tc",
        "dmesg --clea",
        "dmesg --clear",
        "dmesg -w",
        "journalctl --rota",
        "journalctl --vacuum-size=1",
        "journalctl --cursor-file=x",
        "journalctl -f",
        "ss --kil",
        "ss -K",
        "ss -tK",
        "ss -D F",
        "ss -F F",
        "blkid -c F",
        "file -C -m F",
        "file -m F",
        "file /dev/zero",
        "diff /dev/zero /dev/zero",
        "zcat /proc/kmsg",
        "date -s 1",
        "lsof -D b",
        "lsof -r 1",
        "lsof +r 1",
        "lsof +r1",
        "lsof +m",
        "lsof +m4",
        "lsof +f",
        "lsof +fg",
        "lsof -p +r",
        "lsof -c +r1",
        "lsof -- +r",
        "ls @x",
        "ls -",
        "diff -5 /etc/passwd /etc/passwd",
        "ps -o +r",
        "ls --colo",
        "ls -Z9",
        "ps --help",
        "du --files0-from=x",
        "lastlog -C -u x",
        "dpkg -i x",
        "dpkg -P x",
        "dpkg-query -W --admindir=/x",
        "getconf -v x y",
        "pgrep --signal KILL x",
        "locale --verbose",
        "lspci -A x",
        "env ls",
        "xargs ls",
        "sh -c ls",
        "df --sync",
        "free -s 1",
        "stat --cached=never x",
    ] {
        assert!(!listed(line), "{line}");
    }
}

#[test]
fn a_program_is_known_by_the_file_it_is() {
    let decide = |start: &Start| Policy::ListOnly.decide(start, Feed::Nothing);
    let start = |line: &str, set: &[(&str, &str)]| {
        let set = set.iter().map(|(name, value)| ((*name).to_owned(), value.as_bytes().to_vec()));
        Start::new(words(line), None, &Environment::of(set.collect()))
    };
    assert!(matches!(decide(&start("ls", &[])), Decision::Start(_)));
    assert!(matches!(decide(&start("ls", &[("LC_ALL", "C")])), Decision::Start(_)));
    assert!(matches!(decide(&start("no-such-program", &[])), Decision::NotFound));
    for (line, set) in [
        ("/bin/ls", &[][..]),
        ("ls", &[("LD_PRELOAD", "x.so")]),
        ("ls", &[("GCONV_PATH", "/x")]),
        ("ls", &[("ANYTHING", "x")]),
        ("ls", &[("PATH", "/usr/bin:/bin:/x")]),
    ] {
        assert!(matches!(decide(&start(line, set)), Decision::Hold(_)), "{line} {set:?}");
    }
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("ls");
    std::fs::write(&file, "#!/bin/sh\n").unwrap();
    let path = folder.path().display().to_string();
    assert!(matches!(decide(&start("ls", &[("PATH", &path)])), Decision::NotExecutable));
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).unwrap();
    let Decision::Hold(held) = decide(&start("ls", &[("PATH", &path)])) else {
        panic!("another program of the same name");
    };
    assert_eq!(held.program.unwrap().path, std::fs::canonicalize(&file).unwrap());
    let unexported = Environment {
        shell_only: vec![("PATH".to_owned(), path.clone().into_bytes())],
        ..Environment::default()
    };
    let start = Start::new(words("ls"), None, &unexported);
    assert!(matches!(decide(&start), Decision::Hold(_)));
}

#[test]
fn a_consent_covers_the_file_its_arguments_the_folder_the_variables_and_the_input() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("tool");
    let make = |text: &str| {
        std::fs::write(&file, text).unwrap();
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).unwrap();
    };
    make("#!/bin/sh\n");
    let line = format!("{} x", file.display());
    let start = |line: &str, directory: Option<&str>, set: &[(&str, &str)]| {
        let set = set.iter().map(|(name, value)| ((*name).to_owned(), value.as_bytes().to_vec()));
        Start::new(words(line), directory.map(Into::into), &Environment::of(set.collect()))
    };
    let fed = |sum: u8| Feed::Known(Fed::Exactly { sum: [sum; 32], bytes: 1 });
    let plain = start(&line, None, &[]);
    let Decision::Hold(held) = Policy::ListOnly.decide(&plain, fed(1)) else { panic!("held") };
    let consents: Consents = held.consent().into_iter().collect();
    let decides = |start: &Start, feed| Policy::in_preview(&consents).decide(start, feed);
    assert!(matches!(decides(&plain, fed(1)), Decision::Start(_)));
    assert!(matches!(decides(&plain, Feed::Unknown), Decision::Gather));
    for (start, feed) in [
        (plain.clone(), fed(2)),
        (plain.clone(), Feed::Nothing),
        (start(&format!("{line} y"), None, &[]), fed(1)),
        (start(&line, Some("/"), &[]), fed(1)),
        (start(&line, None, &[("NEW", "1")]), fed(1)),
    ] {
        assert!(matches!(decides(&start, feed), Decision::Hold(_)));
    }
    // Another file in its place, even with the same bytes.
    std::fs::remove_file(&file).unwrap();
    make("#!/bin/sh\n");
    assert!(matches!(decides(&plain, fed(1)), Decision::Hold(_)));
    assert!(matches!(Policy::Shown(Arc::new(*held)).decide(&plain, fed(1)), Decision::Hold(_)));
}

#[test]
fn a_link_in_a_folder_of_somebody_elses_lets_nothing_start() {
    let folder = tempfile::tempdir().unwrap();
    let own = |name: &str| folder.path().join(name);
    for (name, to) in [("file", "/bin/sh"), ("ls", "/bin/ls"), ("here", "/bin")] {
        std::os::unix::fs::symlink(to, own(name)).unwrap();
    }
    let held = |path: &Path, words: &[&str]| {
        let words: Vec<Vec<u8>> = words.iter().map(|word| word.as_bytes().to_vec()).collect();
        let start = Start::new(words, None, &Environment::default());
        let found = path.join(OsStr::from_bytes(start.name()));
        !is_listed(&start, &found, &Program::of(&found).unwrap())
    };
    // Whatever the link leads to: the folder is not root's alone.
    assert!(held(folder.path(), &["file", "x"]) && held(folder.path(), &["ls"]));
    assert!(held(&own("here"), &["ls"]) && !held(Path::new("/bin"), &["ls"]));
    // A name that leads to a program of another name is not that program, in neither direction.
    assert!(programs::is_meant(b"file", b"file") && programs::is_meant(b"w", b"w.procps"));
    for (called, file) in [("file", "sh"), ("w", "sh"), ("reboot", "systemctl"), ("pkill", "pgrep")]
    {
        assert!(!programs::is_meant(called.as_bytes(), file.as_bytes()), "{called} {file}");
    }
}

/// All names of this machine that are links, whatever they lead to: only those that the list itself names
/// start. Nothing is started here.
#[test]
fn no_name_starts_because_it_is_a_link_to_a_program_of_the_list() {
    let mut links = 0;
    for folder in ["/usr/bin", "/bin", "/usr/sbin", "/sbin", "/usr/local/bin"] {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            if !entry.file_type().is_ok_and(|kind| kind.is_symlink()) {
                continue;
            }
            links += 1;
            let name = entry.file_name();
            let start = Start::new(vec![name.as_bytes().to_vec()], None, &Environment::default());
            let starts =
                matches!(Policy::ListOnly.decide(&start, Feed::Nothing), Decision::Start(_));
            assert!(!starts || programs::forms(name.as_bytes()).is_some(), "{name:?}");
        }
    }
    assert!(links > 0);
}

#[test]
fn a_consent_covers_the_files_that_arguments_name() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("tool.sh"), "echo 1\n").unwrap();
    for line in ["sh tool.sh", "env x=tool.sh"] {
        let start = Start::new(words(line), Some(folder.path().into()), &Environment::default());
        let Decision::Hold(held) = Policy::ListOnly.decide(&start, Feed::Nothing) else {
            panic!("{line}");
        };
        let consents: Consents = held.consent().into_iter().collect();
        let decide = || Policy::in_run(&consents).decide(&start, Feed::Nothing);
        assert!(matches!(decide(), Decision::Start(_)), "{line}");
        std::fs::write(folder.path().join("tool.sh"), format!("echo {line}\n")).unwrap();
        assert!(matches!(decide(), Decision::Hold(_)), "{line}");
        assert!(!held.names_the_same_files(), "{line}");
    }
    // A program that takes data only is asked about once.
    let start =
        Start::new(words("/bin/cat tool.sh"), Some(folder.path().into()), &Environment::default());
    assert!(start.as_held(false).files.is_empty());
}

#[test]
fn programs_that_may_run_their_input_are_asked_about_again() {
    let consents = |words: &[Vec<u8>]| -> Consents {
        let held = HeldCommand::of_words(words).unwrap();
        [Consent { fed: Fed::Exactly { sum: [1; 32], bytes: 1 }, ..held.consent().unwrap() }]
            .into_iter()
            .collect()
    };
    for line in ["sh", "bash -s", "/usr/bin/awk -f -", "xargs rm"] {
        let start = Start::new(words(line), None, &Environment::default());
        if start.is_there() {
            let policy = Policy::in_run(&consents(&words(line)));
            assert!(matches!(policy.decide(&start, Feed::Unknown), Decision::Gather), "{line}");
        }
    }
    let start = Start::new(words("/usr/bin/sort -r"), None, &Environment::default());
    let Decision::Hold(held) = Policy::ListOnly.decide(&start, Feed::Unknown) else {
        panic!("not on the list");
    };
    assert_eq!(held.fed, Fed::Anything);
}

/// The options that the help of an external program names.
fn known_options(name: &str) -> Vec<String> {
    let start = Start::new(words(name), None, &Environment::default());
    let Found::At(file) = start.find() else { return Vec::new() };
    let output = std::process::Command::new(file).arg("--help").output();
    let Ok(output) = output else { return Vec::new() };
    let text = String::from_utf8_lossy(&output.stdout) + String::from_utf8_lossy(&output.stderr);
    let is_option = |word: &&str| word.starts_with('-') && word.len() > 1;
    let letters =
        |character: char| !(character.is_ascii_alphanumeric() || "-_".contains(character));
    text.split([' ', ',', '\n', '\t', '|', '[', ']', '<', '(', ')'])
        .filter(is_option)
        .map(|word| word.split(letters).next().unwrap_or_default().to_owned())
        .filter(|word| word.len() > 1)
        .collect()
}

/// True for a word that the forms of a program name as it is, or that consists of their letters.
fn is_named(forms: &[arguments::Form], word: &str) -> bool {
    forms.iter().any(|form| {
        let letters = word.strip_prefix('-').is_some_and(|letters| {
            !letters.is_empty() && letters.chars().all(|letter| form.flags.contains(letter))
        });
        let words =
            form.exact.iter().chain(form.before).chain(form.verbs.iter().copied().flatten());
        let short = |name: &str| name.len() == 2 && word.starts_with(name);
        letters
            || words.clone().any(|known| *known == word)
            || form.valued.iter().any(|(name, _)| {
                *name == word || word.starts_with(&format!("{name}=")) || short(name)
            })
    })
}

#[test]
fn options_that_are_not_on_the_list_are_held_wherever_they_stand() {
    let mut tried = 0;
    for name in listed_programs() {
        let forms = forms(name.as_bytes()).unwrap();
        for option in known_options(name) {
            // Abbreviations of long options too.
            let cuts = option.strip_prefix("--").map_or(0, str::len);
            let words = (0..cuts.max(1)).map(|cut| &option[..option.len() - cut]);
            for word in words.filter(|word| !is_named(forms, word) && *word != "--") {
                for line in [
                    format!("{name} {word}"),
                    format!("{name} x {word}"),
                    format!("{name} {word} x"),
                ] {
                    // What takes any word as a value takes this one.
                    let words = super::tests::words(&line);
                    let taken = forms.iter().any(|form| form.takes(&words[1..], Path::new("/")));
                    assert!(!taken, "{line}");
                    tried += 1;
                }
            }
        }
    }
    assert!(tried > 500, "{tried}");
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(3000) })]

    #[test]
    fn generated_options_are_held(
        at in any::<prop::sample::Index>(),
        option in "-{1,2}[a-zA-Z][a-zA-Z0-9-]{0,12}(=[a-z/]{0,5})?",
        before in prop::collection::vec(prop::sample::select(vec!["x", "/etc/passwd", "-", "5"]), 0..2),
        after in prop::collection::vec(prop::sample::select(vec!["x", "/etc/passwd", "5", "--"]), 0..2),
    ) {
        let names: Vec<&str> = listed_programs().collect();
        let name = names[at.index(names.len())];
        let forms = forms(name.as_bytes()).unwrap();
        prop_assume!(!is_named(forms, &option));
        let mut all: Vec<Vec<u8>> = before.iter().map(|word| word.as_bytes().to_vec()).collect();
        all.push(option.clone().into_bytes());
        all.extend(after.iter().map(|word| word.as_bytes().to_vec()));
        let taken = forms.iter().any(|form| form.takes(&all, Path::new("/")));
        prop_assert!(!taken, "{name} {option}");
    }
}
