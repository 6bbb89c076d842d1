//! `ylotrope run` gives what `sh` gives.

use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::Duration;

use proptest::prelude::*;

fn ours() -> Command {
    Command::new(assert_cmd::cargo::cargo_bin!("ylotrope"))
}

fn feed(command: &mut Command, folder: &Path, stdin: &str) -> Output {
    let mut child = command
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .env("WHO", "night warden")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut input = child.stdin.take().unwrap();
    // A program that does not read its input closes it.
    let _ = input.write_all(stdin.as_bytes());
    drop(input);
    child.wait_with_output().unwrap()
}

/// Runs a line both ways, each in its own copy of the folder; output, status and files agree.
fn agrees(line: &str, arguments: &[&str], stdin: &str) {
    let make = || {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("a.log"), "b refused\na passed\nb refused\n").unwrap();
        std::fs::write(folder.path().join("b.log"), "z\n").unwrap();
        std::fs::write(folder.path().join("my file"), "1\n2\n").unwrap();
        folder
    };
    let (host, own) = (make(), make());
    let expected = feed(Command::new("sh").arg("-c").arg(line).args(arguments), host.path(), stdin);
    let found = feed(ours().args(["run", "-c", line]).args(arguments), own.path(), stdin);
    assert_eq!(
        String::from_utf8_lossy(&found.stdout),
        String::from_utf8_lossy(&expected.stdout),
        "{line}"
    );
    assert_eq!(
        found.status.code(),
        expected.status.code(),
        "{line}: {}",
        String::from_utf8_lossy(&found.stderr)
    );
    let files = |folder: &Path| {
        let mut files: Vec<(String, Vec<u8>)> = std::fs::read_dir(folder)
            .unwrap()
            .flatten()
            .map(|entry| {
                (entry.file_name().into_string().unwrap(), std::fs::read(entry.path()).unwrap())
            })
            .collect();
        files.sort();
        files
    };
    assert_eq!(files(own.path()), files(host.path()), "{line}");
}

#[test]
fn lines_do_what_sh_does() {
    for line in [
        "grep refused a.log | cut -d' ' -f1 | sort | uniq -c",
        "cat *.log | wc -l",
        "cat < a.log > out; cat out >> b.log; sort b.log",
        "cat nope a.log 2> err | head -n 1",
        "cat nope 2>&1 | wc -l",
        "grep zz a.log",
        "grep -q refused a.log",
        "echo \"$WHO\" $WHO '$WHO' \\$WHO",
        "X='a  b'; echo $X \"$X\" ${X}c",
        "echo $1 \"$2\" $# $0 \"$@\" | tr ' ' _",
        "echo $?; false; echo $?",
        "printf '%s\\n' \"$@\"",
        "cat \"my file\" my\\ file 'my file' | wc -l",
        "echo [ab].log ?.log *.nope '*'.log",
        "cat | tr a-z A-Z",
        "sort",
        "sed -n 2p a.log | tr a-z A-Z",
        "seq 3 | sed 's/^/n/' | tail -n 1",
        "true | false",
        "no-such-program 2>/dev/null",
        "echo a # comment\necho b \\\n c",
        "seq 100000 | head -n 2",
        "echo x > ./sub/none",
        "echo one > out 2>&1; echo two >out2 >out3; cat out",
        "A=1 B=$A; echo $A$B",
        "echo ~ | grep -c /",
    ] {
        agrees(line, &["name", "first", "second one"], "in put\nmore\n");
    }
}

#[test]
fn a_script_gets_its_arguments() {
    let folder = tempfile::tempdir().unwrap();
    let script = folder.path().join("s.sh");
    std::fs::write(&script, "#!/bin/sh\n# count\ngrep -c \"$1\" \"$2\"\n").unwrap();
    std::fs::write(folder.path().join("x"), "a\nb\na\n").unwrap();
    let output = feed(ours().arg("run").arg(&script).args(["a", "x"]), folder.path(), "");
    assert_eq!(String::from_utf8_lossy(&output.stdout), "2\n");
    let output = feed(ours().args(["run", "nope.sh"]), folder.path(), "");
    assert_eq!(output.status.code(), Some(127));
}

#[test]
fn what_is_wrong_is_said_with_its_place_and_nothing_runs() {
    let folder = tempfile::tempdir().unwrap();
    for (line, message) in [
        ("echo a > out\necho 'b", "line 2, column 6: this quote ' has no end"),
        ("echo a > out & echo b", "line 1, column 14: & (run in the background) is not supported"),
        (
            "echo a > out; eval x",
            "line 1, column 15: eval (its commands are not known before it runs)",
        ),
        (
            "if true; then echo a > out; echo ${x/y}; fi",
            "line 1, column 34: ${x/y} is not supported",
        ),
    ] {
        let output = feed(ours().args(["run", "-c", line]), folder.path(), "");
        assert_eq!(output.status.code(), Some(2));
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(said.contains(message), "{said}");
        assert!(!folder.path().join("out").exists());
    }
}

#[test]
fn a_closed_output_and_a_full_disk_end_a_run() {
    let mut child = ours()
        .args(["run", "-c", "seq 1 100000000"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    assert_eq!(child.wait().unwrap().code(), Some(141));
    let folder = tempfile::tempdir().unwrap();
    let output = feed(ours().args(["run", "-c", "seq 1 100000 > /dev/full"]), folder.path(), "");
    assert_eq!(output.status.code(), Some(1));
    assert!(
        String::from_utf8_lossy(&output.stderr).contains("write error: No space left on device")
    );
}

#[test]
fn missing_files_folders_and_no_terminal_are_clear_errors() {
    let folder = tempfile::tempdir().unwrap();
    for (arguments, message) in [
        (&["nope"][..], "nope: No such file or directory"),
        (&[".", "."][..], ".: is a folder"),
        (&["."][..], "no terminal to draw on"),
        (&["demo"][..], "no terminal to draw on"),
        (&["--background", "light", "demo"][..], "no terminal to draw on"),
        (&["demo-data", "--size", "many", "x"][..], "--size"),
        (&["--background", "light", "run", "-c", "echo x > new"][..], "--background is for the"),
    ] {
        let mut command = ours();
        command.args(arguments).env("XDG_STATE_HOME", folder.path());
        let output = feed(&mut command, folder.path(), "");
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(said.contains(message), "{said}");
        assert!(!folder.path().join("new").exists());
    }
}

#[test]
fn a_log_holds_plain_text_and_the_pipeline_only_at_the_last_level() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("ylotrope/log");
    let run = |level: &str| {
        let mut command = ours();
        command.args(["--log", level, "run", "-c", "echo secret | tr s S > out"]);
        let output = feed(command.env("XDG_STATE_HOME", folder.path()), folder.path(), "");
        assert!(output.status.success());
        std::fs::read_to_string(&log).unwrap()
    };
    assert_eq!(run("error"), "");
    let debug = run("debug");
    assert!(debug.contains("begun process="), "{debug}");
    assert!(!debug.contains("secret") && !debug.contains('\u{1b}'), "{debug:?}");
    let trace = run("trace");
    assert!(trace.starts_with(&debug), "it is added to");
    // Where it cannot be written nothing is run.
    let file = folder.path().join("out");
    let output = feed(
        ours().args(["--log", "info", "run", "-c", "echo x > new"]).env("XDG_STATE_HOME", file),
        folder.path(),
        "",
    );
    assert_eq!(output.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&output.stderr).contains("the log cannot be written in"));
    assert!(!folder.path().join("new").exists());
}

#[test]
fn demo_data_is_reproducible() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["one", "two"] {
        let output = feed(
            ours().args(["demo-data", "--size", "64K", "--seed", "9", name]),
            folder.path(),
            "",
        );
        assert!(output.status.success());
    }
    let read = |name: &str| std::fs::read(folder.path().join(name)).unwrap();
    assert_eq!(read("one"), read("two"));
    assert!(read("one").len() > 65_000);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(12) })]

    #[test]
    fn generated_pipelines_do_what_sh_does(stages in prop::collection::vec(prop::sample::select(vec![
        "grep a", "grep -v ' '", "cut -d' ' -f1", "sort", "sort -r", "uniq -c", "uniq", "tr ab ba", "head -n 2", "tail -n 2", "wc -l", "cat -n", "cat - b.log",
    ]), 1..5), stdin in "([ab ]{0,4}\n){0,9}") {
        agrees(&stages.join(" | "), &[], &stdin);
    }
}

#[test]
fn commands_within_awk_do_what_they_do_under_sh() {
    for line in [
        r#"awk 'BEGIN { print "b\na" | "sort"; close("sort"); print "done" }'"#,
        r#"awk '{ print $1 | "sort | uniq -c" }' a.log"#,
        r#"awk 'BEGIN { while (("echo a; echo b" | getline x) > 0) print "got", x }'"#,
        r#"awk 'BEGIN { "cat b.log" | getline; print $0; print close("cat b.log") }'"#,
        r#"awk 'BEGIN { print system("exit 3") > 0; r = system("echo out"); print r }'"#,
        r#"awk 'BEGIN { print "one"; system("echo two"); print "three" }'"#,
        r#"awk 'BEGIN { "yes" | getline x; print x }'"#,
        r#"awk 'BEGIN { print "x" | "cat 1>&2; exit 4"; print close("cat 1>&2; exit 4") > 0 }'"#,
        r#"awk 'BEGIN { print ENVIRON["WHO"] }'"#,
        r#"X=5 awk 'BEGIN { print ENVIRON["X"] }'"#,
        r#"awk '{ print > ($1 ".out") }' a.log"#,
        r#"awk '{ print >> "b.log" }' a.log"#,
        r#"awk '{ print $2 > "/dev/stderr" }' a.log 2>&1 | sort"#,
        r"awk 'NR == 1 { exit 7 }' a.log",
        "sed -i s/refused/x/ a.log b.log",
        "sed -n 's/refused/x/w out' a.log",
        "sed -e 's/b/[&]/' -e '$a end' < a.log",
        "echo '2^70' | bc",
        "printf '1\\n2\\n3\\n' | paste -sd+ | bc",
    ] {
        agrees(line, &[], "");
    }
}

/// The next command does not wait for input that only the one before it was given.
#[test]
fn a_program_that_has_ended_is_not_fed_any_more() {
    let mut child = ours()
        .args(["run", "-c", "{ echo a; cat; } | { /usr/bin/head -n 1; echo done; cat; }"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let out = BufReader::new(child.stdout.take().unwrap());
    let (sender, lines) = std::sync::mpsc::channel();
    let reading = std::thread::spawn(move || {
        out.lines().for_each(|line| sender.send(line.unwrap()).unwrap());
    });
    let next = || lines.recv_timeout(Duration::from_secs(20)).expect("a line");
    assert_eq!((next().as_str(), next().as_str()), ("a", "done"));
    let mut input = child.stdin.take().unwrap();
    input.write_all(b"b\n").unwrap();
    drop(input);
    assert_eq!(next(), "b");
    reading.join().unwrap();
    assert!(child.wait().unwrap().success());
}

/// A script that loops without end is stopped as any program is.
#[test]
fn endless_programs_are_interrupted() {
    use std::io::Read;
    for line in [
        &["sed", "-u", "p;:a;ba"][..],
        &["awk", "{ print; fflush(); while (1) n++ }"],
        &["awk", "function f() { f2() } function f2() { while (1) ; } { print; fflush(); f() }"],
        &["bc"],
    ] {
        let mut child = ours()
            .arg("use")
            .args(line)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut input = child.stdin.take().unwrap();
        input.write_all(b"1\nwhile (1) x = x + 1\n").unwrap();
        if line[0] == "bc" {
            drop(input);
        } else {
            // Its first line says that it runs.
            let mut byte = [0];
            child.stdout.as_mut().unwrap().read_exact(&mut byte).unwrap();
        }
        let process = child.id().to_string();
        // Started in the background of a script it ignores the signal until it watches for it.
        let status = loop {
            assert!(Command::new("kill").args(["-INT", &process]).status().unwrap().success());
            std::thread::sleep(std::time::Duration::from_millis(50));
            if let Some(status) = child.try_wait().unwrap() {
                break status;
            }
        };
        assert_eq!(std::os::unix::process::ExitStatusExt::signal(&status), Some(2), "{line:?}");
    }
}

#[test]
fn statistics_count_what_every_command_did() {
    let folder = tempfile::tempdir().unwrap();
    let line =
        "seq 1000 | grep 1 | wc -l; for i in 1 2 3; do seq $i | cat; done > out; grep \"a,b\" out";
    let run =
        |form: &str| feed(ours().args(["run", "--stats", form, "-c", line]), folder.path(), "");
    let output = run("json");
    assert_eq!(output.status.code(), Some(1));
    assert_eq!(String::from_utf8_lossy(&output.stdout), "272\n");
    let told: serde_json::Value = serde_json::from_slice(&output.stderr).unwrap();
    let rows: Vec<String> = told["commands"]
        .as_array()
        .unwrap()
        .iter()
        .map(|command| {
            format!(
                "{}: {}x {} {} {}",
                command["command"].as_str().unwrap(),
                command["runs"],
                command["lines_in"],
                command["lines_out"],
                command["status"],
            )
        })
        .collect();
    assert_eq!(
        rows,
        [
            "seq 1000: 1x 0 1000 0",
            "grep 1: 1x 1000 272 0",
            "wc -l: 1x 272 1 0",
            "seq $i: 3x 0 6 0",
            "cat: 3x 6 6 0",
            "grep \"a,b\" out: 1x 6 0 1",
        ]
    );
    let text = String::from_utf8(run("text").stderr).unwrap();
    assert!(text.contains("1000          272") && text.contains(" s in all\n"), "{text}");
    let csv = String::from_utf8(run("csv").stderr).unwrap();
    assert_eq!(csv.lines().count(), 7);
    assert!(csv.contains("\"grep \"\"a,b\"\" out\",filter,1,1,6,0,12,0,"), "{csv}");
}

#[test]
fn widths_and_precisions_have_a_limit_and_a_message() {
    let folder = tempfile::tempdir().unwrap();
    for line in [
        "echo a | nl -w 70000",
        "printf '%.*f' 100000000 1",
        "printf '%*d' 100000000 1",
        "printf '%100000d' 1",
        "seq -f %.1000000000f 1",
        "seq -f %1000000000f 1",
        "awk 'BEGIN { printf \"%*d\", 100000000, 1 }'",
        "awk 'BEGIN { printf \"%.99999999f\", 1 }'",
    ] {
        let output = feed(ours().args(["run", "-c", line]), folder.path(), "");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(said.contains("65535") || said.contains("too large"), "{line}: {said}");
        assert!(matches!(output.status.code(), Some(1 | 2)), "{line}: {:?}", output.status);
    }
}

#[test]
fn names_and_data_in_messages_never_steer_the_terminal() {
    let folder = tempfile::tempdir().unwrap();
    let name = "bad\u{1b}[31mname\r";
    std::fs::write(folder.path().join("two"), format!("b{name}\na{name}\n")).unwrap();
    let at = folder.path().join(name).display().to_string();
    let state = folder.path().join("state");
    let run = |arguments: &[&str]| {
        let mut command = ours();
        feed(command.args(arguments).env("XDG_STATE_HOME", &state), folder.path(), "")
    };
    for arguments in [
        &[
            "run",
            "-c",
            "cat \"$1\"; \"$1\"; cat < \"$1\"; cd \"$1\"; echo x > \"$1/x\"",
            "sh",
            name,
        ][..],
        &[
            "run",
            "-c",
            "join two two; sort -c two; grep x \"$1\"; wc \"$1\"; sed -n p \"$1\"",
            "sh",
            name,
        ],
        &["run", name],
        &["run", &at],
        &["use", "cat", name],
        &["use", name],
        &["guide", name],
        &["run", "--stats", "text", "-c", "cat \"$1\"", "sh", name],
        &["run", "--progress", "-c", "cat \"$1\"", "sh", name],
        &["run", "--keep", "-c", "echo 'bad\u{1b}[31m'", "sh", name],
        &["runs"],
        &["runs", "show", name],
        &["export", "-c", "echo a", "--what", "diagram", "--to", name],
        &["run", "--dry-run", "-c", "touch \"$1\"; echo a > \"$1\"", "sh", name],
        &[name],
    ] {
        let output = run(arguments);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!said.contains(['\u{1b}', '\r']), "{arguments:?}: {said:?}");
        if arguments[0] == "runs" {
            assert!(!String::from_utf8_lossy(&output.stdout).contains('\u{1b}'), "{arguments:?}");
        }
    }
    let said = run(&["run", "-c", "cat \"$1\"", "sh", name]).stderr;
    let said = String::from_utf8(said).unwrap();
    assert_eq!(said, "cat: bad$'\\033'[31mname$'\\r': No such file or directory\n");
}
