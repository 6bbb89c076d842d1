//! awk, sed and bc: programs of every kind against the utilities of this machine, what the
//! standard says where those fall short, and what no program may do.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::process::{Command, Stdio};

use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use stream::testing::FixedFiles;

use crate::host::host_words;
use crate::support::{Cuts, Outcome, WHOLE, run, run_in, words};

mod generated;
mod hostile;
mod lineage;
mod standard;

const AWK: &str = include_str!("../programs/awk.txt");
const SED: &str = include_str!("../programs/sed.txt");
const BC: &str = include_str!("../programs/bc.txt");

/// Scripts of more than one line: the options, then the script.
const SED_LONG: &[&str] = &[
    "-e '1a\\' -e text",
    "'1a\\\none\\\ntwo'",
    "'s/e/&\\\nnew/'",
    "'$!{1,2c foo\n}'",
    "'# comment\np # another\ns/a/b/ # third'",
    "'#n\np'",
    "'# n\np'",
    "'a\\\nhello\\\n  world\\\\n'",
    "'i\\\nmulti\\\nline'",
    "'/x/b end\ns/^/no:/\n:end'",
    "'1!G\nh\n$!d'",
    "'/a/{\n  s/a/A/\n  /b/{\n    s/b/B/\n  }\n}'",
    "':again\ns/aa/a/\nt again'",
    "'$!N\ns/\\n/ + /\nP\nD'",
    "-n 'H\n${\n  g\n  s/\\n/|/g\n  p\n}'",
    "'y/abc/\\n\\\\x/'",
];

pub(crate) const DATA: &str = "a b 3\n\nab aab  10 x\n  leading blanks\nb:a:b\nab\tb\n-5 7.5 b\n\
                               aaa\n10 9\n\n\nlast one a";

fn parts(words: &[Vec<u8>]) -> Vec<&[u8]> {
    words.iter().map(|word| &word[..]).collect()
}

fn host(words: &[Vec<u8>], stdin: &[u8]) -> (Vec<u8>, u8) {
    host_words(words, stdin, tempfile::tempdir().unwrap().path())
}

/// Compares output and whether it succeeded; `exact` compares the status itself.
fn compare(words: &[Vec<u8>], stdin: &str, exact: bool) -> Result<(), String> {
    let (out, status) = host(words, stdin.as_bytes());
    let ours = run(&parts(words), stdin.as_bytes(), WHOLE);
    let shown: Vec<_> = words.iter().map(|word| String::from_utf8_lossy(word)).collect();
    if ours.out != out {
        return Err(format!(
            "{shown:?} on {stdin:?}\n ours: {:?}\n host: {:?}\n error: {}",
            String::from_utf8_lossy(&ours.out),
            String::from_utf8_lossy(&out),
            ours.error
        ));
    }
    let same = if exact { ours.status == status } else { (ours.status == 0) == (status == 0) };
    if same {
        return Ok(());
    }
    Err(format!("{shown:?}: status {} and {status} ({})", ours.status, ours.error))
}

fn all_agree(found: impl Iterator<Item = Result<(), String>>, least: usize) {
    let mut count = 0;
    let mut wrong = Vec::new();
    for outcome in found {
        count += 1;
        wrong.extend(outcome.err());
    }
    assert!(wrong.is_empty(), "{} of {count} differ:\n{}", wrong.len(), wrong.join("\n"));
    assert!(count >= least, "only {count}");
}

#[test]
fn awk_programs_agree() {
    let programs = AWK.lines().map(|program| {
        let words = [b"awk".to_vec(), program.as_bytes().to_vec()];
        compare(&words, DATA, false)
    });
    all_agree(programs, 250);
}

#[test]
fn sed_scripts_agree() {
    let scripts = SED.lines().chain(SED_LONG.iter().copied()).map(|line| {
        let mut words = vec![b"sed".to_vec()];
        words.extend(crate::support::words(line));
        compare(&words, DATA, false)
    });
    all_agree(scripts, 210);
}

#[test]
fn bc_programs_agree() {
    let programs = BC.lines().flat_map(|line| {
        let text = line.replace("\\\\", "\u{1}").replace("\\n", "\n").replace('\u{1}', "\\");
        ["", "-l"].map(|option| {
            let mut words = vec![b"bc".to_vec()];
            words.extend((!option.is_empty()).then(|| option.as_bytes().to_vec()));
            // The host ends with success whatever went wrong; ours says so.
            let ours = run(&parts(&words), format!("{text}\n").as_bytes(), WHOLE);
            let (out, _) = host(&words, format!("{text}\n").as_bytes());
            if ours.out == out {
                return Ok(());
            }
            Err(format!(
                "{option} {text:?}\n ours: {:?}\n host: {:?}\n error: {}",
                String::from_utf8_lossy(&ours.out),
                String::from_utf8_lossy(&out),
                ours.error
            ))
        })
    });
    all_agree(programs, 350);
}

/// Scripts with files, and what is in those afterwards.
#[test]
fn sed_files_agree() {
    let files: &[(&str, &str)] = &[("one", "a\nb\nc"), ("other", "d a\n"), ("s", "s/a/X/\n$!p")];
    for line in [
        "sed p one other",
        "sed -n $p one other",
        "sed -s -n $p one other",
        "sed -n $= one other",
        "sed -s -n $= one other",
        "sed -n F one other",
        "sed p nothing one",
        "sed -f s one",
        "sed -n -f s one",
        "sed -f s -e p one",
        "sed 'r one' other",
        "sed '1r nothing' one",
        "sed '$r other' one",
        "sed 'R other' one",
        "sed 'w new' one",
        "sed -n '/b/w new' one",
        "sed 's/a/Y/w new' one other",
        "sed 'W new' one",
        "sed -i s/a/Z/ one other",
        "sed -i.old s/a/Z/ one",
        "sed -i 2q one",
        "sed -i '1d' one other",
        "sed -i -n 1p one other",
        "sed -s 'N;s/\\n/-/' one other",
        "sed 'N;s/\\n/-/' one other",
        "sed '$!d' one other",
        "sed -s '$!d' one other",
        "sed -i '$a end' one",
        "sed -i 'w new' one",
        "sed -ibak-* y/abc/ABC/ one",
        "sed 'a x' one other",
    ] {
        let words = words(line);
        let folder = tempfile::tempdir().unwrap();
        let mut world = FixedFiles::default();
        for (name, data) in files {
            std::fs::write(folder.path().join(name), data).unwrap();
            world.files.insert(PathBuf::from(name), data.as_bytes().to_vec());
        }
        let Ok(theirs) = Command::new("sed")
            .args(words[1..].iter().map(|word| String::from_utf8(word.clone()).unwrap()))
            .current_dir(folder.path())
            .stdin(Stdio::null())
            .output()
        else {
            return;
        };
        let ours = run_in(&world, &parts(&words), b"", WHOLE);
        assert_eq!(
            String::from_utf8_lossy(&ours.out),
            String::from_utf8_lossy(&theirs.stdout),
            "{line} ({})",
            ours.error
        );
        assert_eq!(Some(i32::from(ours.status)), theirs.status.code(), "{line} ({})", ours.error);
        let mut left = BTreeMap::new();
        for entry in std::fs::read_dir(folder.path()).unwrap() {
            let path = entry.unwrap().path();
            left.insert(PathBuf::from(path.file_name().unwrap()), std::fs::read(path).unwrap());
        }
        let mut ours = world.files.clone();
        let written = world.written.lock();
        ours.extend(written.iter().map(|(name, sink)| (name.clone(), sink.contents())));
        assert_eq!(ours, left, "files after {line}");
    }
}

/// How the data is cut never shows, nor whether origins are kept.
#[test]
fn programs_do_not_depend_on_cuts() {
    let sed = SED.lines().chain(SED_LONG.iter().copied()).map(|line| {
        let mut all = vec![b"sed".to_vec()];
        all.extend(words(line));
        all
    });
    let awk = AWK.lines().map(|program| vec![b"awk".to_vec(), program.as_bytes().to_vec()]);
    for words in awk.chain(sed) {
        let words = parts(&words);
        let whole = run(&words, DATA.as_bytes(), WHOLE);
        for (input, output, origins) in
            [(1, 1 << 16, false), (1, 1, true), (3, 5, false), (7, 2, true), (1 << 20, 64, true)]
        {
            let cut = run(&words, DATA.as_bytes(), Cuts { input, output, origins });
            let about = || {
                format!(
                    "{:?} cut {input}",
                    words.iter().map(|w| String::from_utf8_lossy(w)).collect::<Vec<_>>()
                )
            };
            assert_eq!(
                String::from_utf8_lossy(&cut.out),
                String::from_utf8_lossy(&whole.out),
                "{}",
                about()
            );
            assert_eq!(cut.status, whole.status, "{}", about());
        }
    }
    for line in BC.lines() {
        let text = format!("{}\n", line.replace("\\n", "\n"));
        let whole = run(&[b"bc", b"-l"], text.as_bytes(), WHOLE);
        let cut =
            run(&[b"bc", b"-l"], text.as_bytes(), Cuts { input: 1, output: 1, origins: true });
        assert_eq!(
            String::from_utf8_lossy(&cut.out),
            String::from_utf8_lossy(&whole.out),
            "{line}"
        );
        assert_eq!(cut.error, whole.error, "{line}");
    }
}

fn out(outcome: &Outcome) -> String {
    String::from_utf8_lossy(&outcome.out).into_owned()
}

fn awk(program: &str, stdin: &str) -> String {
    let outcome = run(&[b"awk", program.as_bytes()], stdin.as_bytes(), WHOLE);
    if outcome.error.is_empty() {
        out(&outcome)
    } else {
        format!("{}! {}", out(&outcome), outcome.error)
    }
}
