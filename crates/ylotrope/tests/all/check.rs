//! `ylotrope check`: advice as a compiler would say it.

use std::collections::BTreeSet;
use std::io::Write as _;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use serde_json::Value;

/// The demo's files in a folder of their own.
fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for part in ["data", "pipelines"] {
        let from = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(part);
        for file in std::fs::read_dir(from).unwrap() {
            let file = file.unwrap();
            std::fs::copy(file.path(), folder.path().join(file.file_name())).unwrap();
        }
    }
    folder
}

fn check_with(folder: &Path, arguments: &[&str], input: Stdio) -> Output {
    // What does not end by itself fails the test, and does not hold it up.
    Command::new("timeout")
        .arg("60")
        .arg(assert_cmd::cargo::cargo_bin!("ylotrope"))
        .arg("check")
        .args(arguments)
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .stdin(input)
        .output()
        .unwrap()
}

fn check(folder: &Path, arguments: &[&str]) -> Output {
    check_with(folder, arguments, Stdio::null())
}

fn out(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn json(folder: &Path, arguments: &[&str]) -> Value {
    let output = check(folder, &[&["--json"], arguments].concat());
    serde_json::from_slice(&output.stdout).unwrap_or_else(|error| panic!("{error}: {output:?}"))
}

fn ids(told: &Value) -> Vec<&str> {
    told["notes"].as_array().unwrap().iter().map(|note| note["id"].as_str().unwrap()).collect()
}

/// Every pipeline of the demo; the figures that are measured are left out.
#[test]
fn all_scripts_of_the_demo_are_checked() {
    let folder = demo();
    let before: BTreeSet<_> =
        std::fs::read_dir(folder.path()).unwrap().map(|file| file.unwrap().file_name()).collect();
    let mut names: Vec<String> = before.iter().map(|name| name.to_string_lossy().into()).collect();
    names.retain(|name| Path::new(name).extension().is_some_and(|end| end == "sh"));
    assert!(names.len() > 20);
    let mut table = String::new();
    for name in &names {
        let output = check(folder.path(), &[name]);
        let status = output.status.code().unwrap();
        assert!(output.stderr.is_empty(), "{name}: {output:?}");
        let told = out(&output);
        for line in told.lines().filter(|line| line.ends_with(']') && line.contains(".sh:")) {
            // What is only faster depends on the machine.
            let steady = ["late-filter", "grep-and-column", "two-in-one", "simpler-than-awk"];
            if steady.iter().any(|id| line.ends_with(&format!("[{id}]"))) {
                continue;
            }
            let measured = line.find("; the same").map_or(line.len(), |at| at);
            table.push_str(&format!("{}\n", &line[..measured]));
        }
        let warned = told.contains(": warning: ");
        assert_eq!(status, i32::from(warned), "{name}: {told}");
    }
    insta::assert_snapshot!("check-demo", table);
    let after: BTreeSet<_> =
        std::fs::read_dir(folder.path()).unwrap().map(|file| file.unwrap().file_name()).collect();
    assert_eq!(before, after, "nothing is written");
}

#[test]
fn places_statuses_and_fixes_are_those_of_the_text() {
    let folder = demo();
    let script = "#!/bin/sh\n# Käfer\nx=é; grep REFUSED gate.log |\n  sort\n";
    std::fs::write(folder.path().join("mine.sh"), script).unwrap();
    let output = check(folder.path(), &["mine.sh"]);
    assert_eq!(output.status.code(), Some(1));
    let told = out(&output);
    let first = told.lines().next().unwrap();
    assert!(first.starts_with("mine.sh:3:11: warning: no line matches;"), "{told}");
    assert!(first.ends_with("[nothing-matched]"), "{told}");
    assert!(told.contains("x=é; grep -i REFUSED gate.log |"), "{told}");
    let told = json(folder.path(), &["mine.sh"]);
    assert_eq!((told["schema"].as_u64(), told["file"].as_str()), (Some(1), Some("mine.sh")));
    assert_eq!(told["pipelines"], 2);
    let note = &told["notes"][0];
    assert_eq!(note["range"]["start"]["line"], 3);
    assert_eq!(note["range"]["start"]["column"], 11);
    let offset = note["range"]["start"]["offset"].as_u64().unwrap() as usize;
    assert!(script[offset..].starts_with("REFUSED"));
    assert_eq!((note["severity"].as_str(), note["stage"].as_u64()), (Some("warning"), Some(1)));
    // The edits make the changed text.
    let mut text = script.to_owned();
    for edit in note["fix"]["edits"].as_array().unwrap().iter().rev() {
        let at = |end: &str| edit["range"][end]["offset"].as_u64().unwrap() as usize;
        text.replace_range(at("start")..at("end"), edit["text"].as_str().unwrap());
    }
    assert!(text.contains(note["fix"]["changed"].as_str().unwrap()), "{text}");
}

#[test]
fn statuses_say_what_was_found() {
    let folder = demo();
    for (line, status, says) in [
        ("grep refused gate.log | sort", 0, "1 pipeline, nothing to say"),
        ("cat gate.log | grep -c refused", 0, "[needless-cat]"),
        ("grep refused gate.log > station.conf", 0, "hint: replaces 14 lines"),
        ("grep Refused gate.log", 1, "[nothing-matched]"),
        ("grep refused gate.log | awk \"{s += $1} END {print s}\"", 2, "[unquoted-dollar]"),
        ("grep 'refused gate.log", 2, "-c:1:6: error: "),
        ("grep --nonsense x gate.log", 2, "-c:1:6: error: "),
        ("no-such-program-here gate.log", 2, "error: no-such-program-here"),
        ("", 0, "0 pipelines, nothing to say"),
    ] {
        let output = check(folder.path(), &["-c", line]);
        assert_eq!(output.status.code(), Some(status), "{line}: {output:?}");
        assert!(out(&output).contains(says), "{line}: {}", out(&output));
    }
    for arguments in [&["none.sh"][..], &[], &["-c"], &["--sample", "0", "-c", "true"]] {
        assert_eq!(check(folder.path(), arguments).status.code(), Some(2), "{arguments:?}");
    }
}

#[test]
fn one_pipeline_that_cannot_be_run_leaves_the_others() {
    let folder = demo();
    let told =
        json(folder.path(), &["-c", "grep -Q x gate.log; grep Refused gate.log; cut -f9 x y z"]);
    assert_eq!(told["errors"].as_array().unwrap().len(), 1, "{told}");
    assert!(ids(&told).contains(&"nothing-matched"), "{told}");
}

#[test]
fn other_systems_are_spoken_of_on_request() {
    let folder = demo();
    let line = "grep -o refused gate.log | tac | sort --stable -k1,1 &> all.txt";
    let without = json(folder.path(), &["-c", line]);
    assert!(!ids(&without).contains(&"not-posix"), "{without}");
    let told = json(folder.path(), &["--posix", "-c", line]);
    let said: Vec<&str> = told["notes"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|note| note["id"] == "not-posix")
        .map(|note| note["message"].as_str().unwrap())
        .collect();
    for part in ["grep -o is not", "tac is not in POSIX; sed", "sort -s is not", "&> is not"] {
        assert!(said.iter().any(|message| message.contains(part)), "{part}: {said:?}");
    }
    assert!(ids(&told).contains(&"locale-order"));
    let plain = "LC_ALL=C sort station.conf | uniq -c | sed -n 1p";
    let told = json(folder.path(), &["--posix", "-c", plain]);
    assert!(!ids(&told).contains(&"not-posix") && !ids(&told).contains(&"locale-order"), "{told}");
}

#[test]
fn no_program_is_started_and_it_is_said() {
    let folder = demo();
    let mark = folder.path().join("started");
    let line = format!("/bin/touch {} | sort; ./own.sh | uniq -c", mark.display());
    std::fs::write(folder.path().join("own.sh"), "#!/bin/sh\ntouch started\n").unwrap();
    let rights = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(folder.path().join("own.sh"), rights).unwrap();
    let told = json(folder.path(), &["-c", &line]);
    assert!(!mark.exists());
    assert_eq!(told["not_started"].as_array().unwrap().len(), 2, "{told}");
    assert!(
        out(&check(folder.path(), &["-c", &line])).contains("not started, so what comes after")
    );
}

#[test]
fn standard_input_is_used_where_it_is_given() {
    let folder = demo();
    let log = || Stdio::from(std::fs::File::open(folder.path().join("gate.log")).unwrap());
    let output = check_with(folder.path(), &["-c", "grep Refused | sort"], log());
    assert!(out(&output).contains("1 041 lines do in another case"), "{output:?}");
    let output = check_with(folder.path(), &["--sample", "3", "-c", "grep Refused"], log());
    assert!(out(&output).contains("1 line does in another case"), "{output:?}");
    assert!(out(&output).contains("come from a part of the data"), "{output:?}");
    // What comes through a pipe is looked at to its end.
    let (reader, mut writer) = std::io::pipe().unwrap();
    let long = format!("{}Refused\n", "gate open\n".repeat(100_000));
    let writing = std::thread::spawn(move || writer.write_all(long.as_bytes()));
    let output = check_with(folder.path(), &["-c", "grep refused"], Stdio::from(reader));
    writing.join().unwrap().unwrap();
    assert!(out(&output).contains("1 line does in another case"), "{output:?}");
    assert!(!out(&output).contains("a part of the data"), "{output:?}");
    // A pipe that nobody writes to is not waited for without end.
    let (reader, _writer) = std::io::pipe().unwrap();
    let output = check_with(folder.path(), &["-c", "grep Refused"], Stdio::from(reader));
    assert_eq!(output.status.code(), Some(0), "{output:?}");
}

#[test]
fn what_is_in_the_data_never_steers_the_terminal() {
    let folder = demo();
    let line =
        "printf 'a\\033[2Jb\\nc\\033[2J\\n' | xargs -n 1 ls; cut -d, -f2 <<< $'x\\e[2J,\"a,b\"'";
    let output = check(folder.path(), &["-c", line]);
    assert!(!output.stdout.contains(&0x1b), "{}", out(&output));
}
