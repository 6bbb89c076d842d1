//! `ylotrope columns`, and the examples of the filters' pages.

use std::path::Path;
use std::process::{Command, Output, Stdio};

fn ours(folder: &Path, arguments: &[&str], stdin: &str) -> Output {
    let input = folder.join(".stdin");
    std::fs::write(&input, stdin).unwrap();
    // What does not end by itself fails the test, and does not hold it up.
    Command::new("timeout")
        .args(["30"])
        .arg(assert_cmd::cargo::cargo_bin!("ylotrope"))
        .args(arguments)
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .stdin(Stdio::from(std::fs::File::open(input).unwrap()))
        .output()
        .unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

const ACCOUNTS: &str = "root:x:0:/root\notter:x:1000:/home/otter\ntern:x:1001:/home/tern\n";

#[test]
fn the_columns_of_a_file_are_told() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("accounts"), ACCOUNTS).unwrap();
    let told = ours(folder.path(), &["columns", "accounts"], "");
    insta::assert_snapshot!("columns", text(&told.stdout));
    // From standard input, as CSV and as JSON.
    let csv = text(&ours(folder.path(), &["columns", "--csv"], ACCOUNTS).stdout);
    assert_eq!(csv.lines().count(), 5);
    assert!(csv.contains("3,,whole number,3,3,0,3,,0,1001,4,"), "{csv}");
    let json = ours(folder.path(), &["columns", "--json", "-"], ACCOUNTS);
    let json: serde_json::Value = serde_json::from_slice(&json.stdout).unwrap();
    assert_eq!(json["columns"][2]["largest"], "1001");
    assert_eq!((json["lines"].as_u64(), json["has_heading"].as_bool()), (Some(3), Some(false)));
    // Split as one says.
    let told = ours(folder.path(), &["columns", "--split", "blanks", "accounts"], "");
    assert!(text(&told.stdout).contains("runs of blanks: all lines have 1 field"));
}

#[test]
fn what_is_in_the_data_never_steers_the_terminal() {
    let folder = tempfile::tempdir().unwrap();
    let told = ours(folder.path(), &["columns"], "a \u{1b}[2Jx\nb \u{7}\nc d\n");
    assert!(!told.stdout.contains(&0x1b) && !told.stdout.contains(&7), "{}", text(&told.stdout));
    assert!(text(&told.stdout).contains("$'\\a'"));
}

#[test]
fn a_file_that_is_not_there_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let told = ours(folder.path(), &["columns", "none"], "");
    assert_eq!(told.status.code(), Some(2));
    assert!(
        text(&told.stderr).contains("none: No such file or directory"),
        "{}",
        text(&told.stderr)
    );
    let told = ours(folder.path(), &["columns"], "");
    assert_eq!(
        (told.status.code(), text(&told.stdout)),
        (Some(0), "0 lines, split at single blanks: no lines\n".into())
    );
    let both = ours(folder.path(), &["columns", "--csv", "--json"], "");
    assert_eq!(both.status.code(), Some(2));
}

/// Examples that do not end by themselves, or write more than a test should.
fn is_left_out(line: &str) -> bool {
    ["tail -f", "tail -F", "meter --expect", "sleep "].iter().any(|part| line.contains(part))
}

#[test]
fn every_example_of_a_filter_runs_on_the_demo() {
    let folder = tempfile::tempdir().unwrap();
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/data");
    for file in std::fs::read_dir(demo).unwrap().flatten() {
        std::fs::copy(file.path(), folder.path().join(file.file_name())).unwrap();
    }
    // What earlier steps of the examples would have made.
    let before = "sort spares-upper.txt > upper.sorted; sort spares-lower.txt > lower.sorted; \
                  sha256sum *.txt > SUMS";
    assert!(ours(folder.path(), &["run", "-c", before], "").status.success());
    let log = std::fs::read_to_string(folder.path().join("winch.log")).unwrap();
    let mut wrong = Vec::new();
    let mut tried = 0;
    for definition in filters::all() {
        for example in definition.spec.examples {
            if is_left_out(example.line) {
                continue;
            }
            tried += 1;
            let run = ours(folder.path(), &["run", "-c", example.line], &log);
            // Status 1 is an answer: no line, not true. The meter tells its progress there.
            let speaks = !run.stderr.is_empty() && !example.line.contains("meter");
            if run.status.code().is_none_or(|status| status > 1) || speaks {
                wrong.push(format!("{}: {:?} {}", example.line, run.status, text(&run.stderr)));
            }
        }
    }
    assert!(tried > 80, "{tried}");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
