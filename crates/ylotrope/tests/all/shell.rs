//! Lines of the shell against the host's own shells: what they write, how they end, what files they
//! leave behind.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Stdio};

/// What a line did.
#[derive(Debug, PartialEq, Eq)]
struct Done {
    out: String,
    status: Option<i32>,
    files: BTreeMap<String, String>,
}

fn seed(directory: &Path) {
    std::fs::create_dir(directory.join("sub")).unwrap();
    for (name, text) in [
        ("a.txt", "alpha\n"),
        ("b.txt", "beta\ngamma\n"),
        ("three.txt", "one\ntwo\nthree\n"),
        ("pairs.txt", "k1 v2\nk2 v1\nk1 v1\nk3 v2\n"),
        ("plain.txt", "no program\n"),
        (".hidden", "h\n"),
        ("sub/inner.txt", "inside\n"),
    ] {
        std::fs::write(directory.join(name), text).unwrap();
    }
}

fn files(directory: &Path, prefix: &str, into: &mut BTreeMap<String, String>) {
    for entry in std::fs::read_dir(directory).unwrap() {
        let entry = entry.unwrap();
        let name = format!("{prefix}{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() {
            files(&entry.path(), &format!("{name}/"), into);
        } else {
            let bytes = std::fs::read(entry.path()).unwrap();
            into.insert(name, String::from_utf8_lossy(&bytes).into_owned());
        }
    }
}

fn run(program: &[&str], line: &str) -> Done {
    let directory = tempfile::tempdir().unwrap();
    seed(directory.path());
    let output = Command::new(program[0])
        .args(&program[1..])
        .args(["-c", line])
        .current_dir(directory.path())
        .env("LC_ALL", "C.UTF-8")
        .env("HOME", "/home/tarn")
        .env_remove("ENV")
        .stdin(Stdio::null())
        .stderr(Stdio::null())
        .output()
        .unwrap();
    let mut left = BTreeMap::new();
    files(directory.path(), "", &mut left);
    Done {
        out: String::from_utf8_lossy(&output.stdout).into_owned(),
        status: output.status.code(),
        files: left,
    }
}

fn ours(line: &str) -> Done {
    run(&[env!("CARGO_BIN_EXE_ylotrope"), "run"], line)
}

/// The lines of a corpus: each begins where the one before is complete.
fn lines(corpus: &str) -> Vec<String> {
    let mut all = Vec::new();
    let mut begun = String::new();
    for line in corpus.lines() {
        if begun.is_empty() && line.starts_with("%%") {
            continue;
        }
        begun.push_str(line);
        begun.push('\n');
        if shell::parse(&begun).is_ok() {
            all.push(std::mem::take(&mut begun));
        }
    }
    assert!(begun.is_empty(), "this is not complete: {begun}");
    all
}

fn is_there(host: &str) -> bool {
    let there = Command::new(host).args(["-c", ":"]).status().is_ok();
    if !there {
        eprintln!("no {host} on this machine");
    }
    there
}

fn compare(corpus: &str, host: &str, least: usize) {
    if !is_there(host) {
        return;
    }
    let all = lines(corpus);
    assert!(all.len() >= least, "{} lines", all.len());
    let mut wrong = String::new();
    for line in &all {
        let (ours, theirs) = (ours(line), run(&[host], line));
        if ours != theirs {
            wrong.push_str(&format!("{line}  ours {ours:?}\n  {host} {theirs:?}\n"));
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn lines_of_the_standard_do_what_sh_does() {
    compare(include_str!("../shell/posix.txt"), "sh", 250);
}

#[test]
fn lines_of_common_practice_do_what_bash_does() {
    compare(include_str!("../shell/bash.txt"), "bash", 35);
}
