//! Lines of the shell against the host's own shells: what they write, how they end, what files they
//! leave behind.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Stdio};

use proptest::prelude::*;

/// What a line did.
#[derive(Debug, PartialEq, Eq)]
struct Done {
    out: String,
    status: Option<i32>,
    files: BTreeMap<String, String>,
}

pub(crate) fn seed(directory: &Path) {
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

pub(crate) fn files(directory: &Path, prefix: &str, into: &mut BTreeMap<String, String>) {
    for entry in std::fs::read_dir(directory).unwrap() {
        let entry = entry.unwrap();
        let name = format!("{prefix}{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() {
            files(&entry.path(), &format!("{name}/"), into);
        } else {
            // A link that leads nowhere is known by its name.
            let bytes = std::fs::read(entry.path()).unwrap_or_default();
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
        if engine::parse(&begun).is_ok() {
            all.push(std::mem::take(&mut begun));
        }
    }
    assert!(begun.is_empty(), "this is not complete: {begun}");
    all
}

fn compare(corpus: &str, host: &str, least: usize) {
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
fn lines_of_every_day_do_what_sh_does() {
    compare(include_str!("../shell/practice.txt"), "sh", 70);
}

#[test]
fn lines_of_common_practice_do_what_bash_does() {
    compare(include_str!("../shell/bash.txt"), "bash", 35);
}

#[test]
fn lines_of_filters_do_what_those_of_the_machine_do() {
    compare(include_str!("../shell/filters.txt"), "sh", 30);
}

/// Runs a generated line both ways. What messages say is each shell's own.
fn same(line: &str) -> Result<(), TestCaseError> {
    let plain = |text: &str| {
        let is_message = |line: &&str| {
            let line = line.to_lowercase();
            ["descriptor", "nosuch", "error", "input file"].iter().any(|word| line.contains(word))
        };
        text.lines().filter(|line| !is_message(line)).map(|line| format!("{line}\n")).collect()
    };
    let without_messages = |mut done: Done| {
        done.out = plain(&done.out);
        for content in done.files.values_mut() {
            *content = plain(content);
        }
        done
    };
    let (ours, mut theirs) = (without_messages(ours(line)), without_messages(run(&["sh"], line)));
    if ours != theirs {
        // Some shells make an empty word of the separators behind "$@"; the standard has none.
        theirs = without_messages(run(&["bash", "--posix"], line));
    }
    prop_assert_eq!(ours, theirs, "{}", line);
    Ok(())
}

fn value() -> impl Strategy<Value = String> {
    "[ab *?:/\\[\\]!-]{0,8}"
}

fn pieces() -> impl Strategy<Value = String> {
    let pieces = vec![
        "a",
        "'b c'",
        "\"d  e\"",
        "\\ ",
        "\\*",
        "'*'",
        "$x",
        "\"$x\"",
        "${x}",
        "${y:-u v}",
        "\"${y:-u v}\"",
        "${x:+w}",
        "${x%b*}",
        "\"${x##*/}\"",
        "${x#?}",
        "$(printf 'p  q')",
        "\"$(printf 'p  q\\n\\n')\"",
        "$((1+2))",
        "$@",
        "\"$@\"",
        "\"$*\"",
        "$#",
        "''",
        "\"\"",
        ":",
        "/",
        "~",
        "{",
        "}",
        "=",
        "#",
        "\"\\$\\\"\"",
        "`echo r`",
        "*.txt",
        "[ab].txt",
        "?",
        "${#x}",
    ];
    prop::collection::vec(prop::sample::select(pieces), 1..5).prop_map(|parts| parts.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn quoting_and_expansion_of_any_word(
        words in prop::collection::vec(pieces(), 1..4),
        x in value(),
        separators in prop::sample::select(vec!["unset IFS", "IFS=:", "IFS=", "IFS=' :'", "IFS=/a"]),
        arguments in prop::collection::vec("[bc]( [bc*])?", 0..3),
    ) {
        let set: Vec<String> = arguments.iter().map(|one| shell::quote(one)).collect();
        // How several arguments become one value the standard leaves open.
        let one = if words[0].contains("$@") { "" } else { &words[0] };
        let line = format!(
            "x={}; {separators}; set -- {}; printf '<%s>' {}; y=$x{one}; echo \"|$y|\"",
            shell::quote(&x), set.join(" "), words.join(" "),
        );
        same(&line)?;
    }

    #[test]
    fn redirections_are_performed_in_their_order(
        redirections in prop::collection::vec(
            prop::sample::select(vec![
                ">f", ">>f", ">g", "2>f", "2>>g", "2>g", "2>&1", "1>&2", "3>&1", "3>&2", "1>&3", "2>&3", "3>h",
                "2>&-", "<a.txt", "<three.txt", "3<a.txt",
            ]),
            1..6,
        ),
        command in prop::sample::select(vec![
            "{ echo out; echo err >&2; cat; }", "( echo out; echo err >&2 )", "/bin/cat",
            "cat", "if :; then echo out; cat; fi",
        ]),
        piped in any::<bool>(),
    ) {
        let redirections = redirections.join(" ");
        let pipe = if piped { " | tr a-z A-Z" } else { "" };
        same(&format!("{command} {redirections}{pipe}; echo $?; echo more >> f"))?;
    }

    #[test]
    fn lists_end_with_the_status_of_the_shell(
        parts in prop::collection::vec(
            (
                prop::sample::select(vec![
                    "true", "false", "echo a", "! true", "(exit 3)", "{ false; }", "f", "f x", "x=$(false)", "x=1",
                    "if false; then :; fi", "if true; then false; fi", "while false; do :; done",
                    "for i in 1; do false; done", "true | false", "false | true", "case a in b) false;; esac", "grep -q z a.txt",
                    "[ -d sub ]",
                ]),
                prop::sample::select(vec![";", "&&", "||", "\n"]),
            ),
            1..6,
        ),
        exits in any::<bool>(),
    ) {
        let mut line = "f() { [ $# -gt 0 ]; }; ".to_owned();
        if exits {
            line.push_str("set -e; ");
        }
        for (part, connector) in &parts {
            line.push_str(&format!("{part} {connector} "));
        }
        line.push_str("echo end $?");
        same(&line)?;
    }
}
