//! Nothing hangs, nothing that is only a part says that it is the whole, nothing reaches a terminal raw.

use std::io::Write;
use std::os::unix::process::ExitStatusExt;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use super::{PROGRAM, run, sh, text, within, ylotrope};
use crate::tmux::Terminal;

#[test]
fn a_run_without_memory_for_its_threads_ends() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "x\n").unwrap();
    for kib in (20_000..140_000).step_by(7_500) {
        for line in ["x=$(/bin/ls f)", "seq 100000 | sort | uniq -c > g", "comm <(seq 3) f"] {
            within(30, line, || {
                let limited = format!("ulimit -v {kib}; exec timeout 25 {PROGRAM} run -c '{line}'");
                let output = sh(folder.path(), &limited);
                assert_ne!(output.status.code(), Some(124), "{kib} KiB: {line}");
            });
        }
    }
}

#[test]
fn a_dry_run_that_is_cut_off_says_so() {
    let folder = tempfile::tempdir().unwrap();
    // More than may be held back.
    let dry = |arguments: &[&str]| {
        ylotrope(folder.path()).args(["run", "--dry-run"]).args(arguments).output().unwrap()
    };
    let output = dry(&["-c", "echo a > g; yes > f"]);
    let said = text(&output.stderr);
    assert_eq!(output.status.code(), Some(3), "{said}");
    assert!(said.contains("only a part is known") && said.contains("at least"), "{said}");
    assert!(said.contains("would write at least 2 files"), "{said}");
    let json = dry(&["--json", "-c", "yes > f"]);
    assert_eq!(json.status.code(), Some(3));
    let value: serde_json::Value = serde_json::from_slice(&json.stderr).unwrap();
    assert!(value["part"].is_string());
    assert!(text(&dry(&["-c", "seq 3"]).stderr).contains("nothing would be changed"));
    let whole = dry(&["--no-limit", "-c", "seq 3 > f"]);
    assert_eq!(whole.status.code(), Some(0));
    assert!(!text(&whole.stderr).contains("at least"));
    // Interrupted.
    let mut child = ylotrope(folder.path())
        .args(["run", "--dry-run", "-c", "echo a > g; echo begun; sleep 60; echo b > h"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut begun = [0; 6];
    std::io::Read::read_exact(child.stdout.as_mut().unwrap(), &mut begun).unwrap();
    let pid = child.id().to_string();
    assert!(Command::new("kill").args(["-INT", &pid]).status().unwrap().success());
    let output = child.wait_with_output().unwrap();
    let said = text(&output.stderr);
    let ended = output.status.code() == Some(130) || output.status.signal() == Some(2);
    assert!(
        ended && said.contains("interrupted: only a part is known"),
        "{:?} {said}",
        output.status
    );
    assert!(!folder.path().join("g").exists());
}

#[test]
fn what_only_looks_answers_or_refuses_soon() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    assert!(Command::new("mkfifo").arg(at("pipe")).status().unwrap().success());
    let long = std::fs::File::create(at("long")).unwrap();
    long.set_len(400 << 20).unwrap();
    std::fs::write(at("many.sh"), format!("true{}\n", " && true".repeat(100_000))).unwrap();
    std::fs::write(at("deep.sh"), format!("{}true{}\n", "( ".repeat(50_000), " )".repeat(50_000)))
        .unwrap();
    std::fs::write(at("words.sh"), format!("echo {}\n", "$(".repeat(20_000))).unwrap();
    std::fs::write(at("wide.sh"), format!("cat{}\n", " | cat".repeat(100_000))).unwrap();
    std::fs::write(at("braces.sh"), format!("echo {}\n", "{a,b}".repeat(60))).unwrap();
    for arguments in [
        &["check", "wide.sh"][..],
        &["check", "braces.sh"],
        &["run", "--dry-run", "wide.sh"],
        &["run", "--dry-run", "braces.sh"],
        &["check", "/proc/kmsg"],
        &["columns", "/proc/kmsg"],
        &["run", "-n", "/proc/kmsg"],
        &["check", "pipe"],
        &["check", "/dev/zero"],
        &["check", "long"],
        &["check", "many.sh"],
        &["check", "deep.sh"],
        &["check", "words.sh"],
        &["columns", "pipe"],
        &["columns", "/dev/zero"],
        &["columns", "long"],
        &["run", "-n", "pipe"],
        &["run", "-n", "/dev/zero"],
        &["run", "-n", "long"],
        &["run", "-n", "many.sh"],
        &["run", "-n", "deep.sh"],
        &["run", "-n", "words.sh"],
        &["run", "--dry-run", "pipe"],
        &["run", "--dry-run", "/dev/zero"],
        &["run", "--dry-run", "long"],
        &["run", "--dry-run", "many.sh"],
        &["run", "--dry-run", "deep.sh"],
        &["check", "-c", "cat /dev/zero"],
        &["run", "--dry-run", "-c", "cat pipe"],
    ] {
        within(20, &format!("{arguments:?}"), || {
            // Half a GiB is enough for all of them.
            let output = Command::new("sh")
                .args(["-c", "ulimit -v 1200000; exec timeout 15 \"$0\" \"$@\"", PROGRAM])
                .args(arguments)
                .current_dir(folder.path())
                .stdin(Stdio::null())
                .output()
                .unwrap();
            let code = output.status.code();
            assert!(
                code.is_some_and(|code| code != 124 && code <= 127),
                "{arguments:?}: {code:?} {}",
                text(&output.stderr)
            );
        });
    }
}

#[test]
fn standard_input_is_left_to_whom_the_text_does_not_read_it() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "a b\n").unwrap();
    for (line, left) in [
        ("check -c 'seq 3'", "given\n"),
        ("check -c 'sort f'", "given\n"),
        ("columns f", "given\n"),
        ("check -c 'sort'", ""),
    ] {
        let mut child = Command::new("sh")
            .args(["-c", &format!("{PROGRAM} {line} > /dev/null 2>&1; cat")])
            .current_dir(folder.path())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(b"given\n").unwrap();
        assert_eq!(text(&child.wait_with_output().unwrap().stdout), left, "{line}");
    }
}

#[test]
fn patterns_nested_too_deeply_are_refused_everywhere() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "aaa\n").unwrap();
    let stars = format!("a{}", "*".repeat(10_000));
    let plus = format!("a{}", "+".repeat(20_000));
    for line in [
        format!("grep '{stars}' f"),
        format!("grep -E '{plus}' f"),
        format!("grep -P '{plus}' f"),
        format!("sed 's/{stars}/x/' f"),
        format!("sed -E 's/{plus}/x/' f"),
        format!("awk '/{plus}/' f"),
        format!("awk '{{ print match($0, \"{plus}\") }}' f"),
        format!("expr aaa : '{stars}'"),
        format!("csplit f '/{stars}/'"),
        format!("nl -b 'p{stars}' f"),
        format!("tac -r -s '{stars}' f"),
    ] {
        let output = run(folder.path(), &line);
        let said = text(&output.stderr);
        assert!(
            output.status.code().is_some_and(|code| code < 128),
            "{} {:?}",
            &line[..20],
            output.status
        );
        assert!(
            said.contains("nested too deeply"),
            "{}: {}",
            &line[..20],
            said.get(..200).unwrap_or(&said)
        );
    }
}

#[test]
fn nothing_raw_comes_through_messages_names_reports_and_json() {
    let folder = tempfile::tempdir().unwrap();
    let raw = |bytes: &[u8]| bytes.iter().any(|byte| *byte == 0x1b || *byte == 0x7f);
    let escape = "--no\u{1b}]0;X\u{7}a";
    for arguments in [
        &[escape][..],
        &["run", escape],
        &["use", escape],
        &["runs", "show", "\u{1b}[31mx"],
        &["runs", "\u{1b}[31mx"],
        &["guide", "\u{1b}[31mx"],
        &["man", "\u{1b}[31mx"],
        &["check", "\u{1b}[31mx"],
        &["columns", "\u{1b}[31mx"],
        &["export", "\u{1b}[31mx", "--to", "\u{1b}.svg"],
        &["completions", "\u{1b}[31mx"],
        &["\u{1b}[31mx"],
        &["run", "\u{1b}[31mx"],
        &["run", "-c", "cat '\u{1b}[31mx'"],
        &["use", "wc", "\u{1b}[31mx"],
    ] {
        let output = ylotrope(folder.path()).args(arguments).output().unwrap();
        assert!(!output.status.success(), "{arguments:?}");
        assert!(
            !raw(&output.stderr) && !raw(&output.stdout),
            "{arguments:?}: {}",
            text(&output.stderr)
        );
    }
    // Data in documents.
    std::fs::write(folder.path().join("data"), "a\u{7f}\u{9b} \u{1b}[31mx\u{202e}\n").unwrap();
    let json = ylotrope(folder.path()).args(["columns", "--json", "data"]).output().unwrap();
    assert!(!raw(&json.stdout) && !text(&json.stdout).contains(['\u{9b}', '\u{202e}']));
    serde_json::from_slice::<serde_json::Value>(&json.stdout).unwrap();
    let csv = ylotrope(folder.path()).args(["columns", "--csv", "data"]).output().unwrap();
    assert!(text(&csv.stdout).contains("a\u{7f}\u{9b}"), "it holds the bytes");
    let kept = ylotrope(folder.path()).args(["run", "--keep", "-c", "echo '\u{1b}[31mx'"]).output();
    assert!(kept.unwrap().status.success());
    let report = ["export", "--what", "report", "-c", "echo '\u{1b}[31mx'", "--to", "report.md"];
    let made = ylotrope(folder.path()).args(report).output().unwrap();
    assert!(made.status.success(), "{}", text(&made.stderr));
    assert!(!raw(&std::fs::read(folder.path().join("report.md")).unwrap()));
}

/// A name on a terminal, from a filter alone.
#[test]
fn names_on_a_terminal_are_shown_as_marks() {
    let terminal = Terminal::open(100, 20);
    std::fs::write(terminal.path().join("n\u{1b}[7mraw"), "a\n").unwrap();
    std::fs::write(terminal.path().join("other"), "a\n").unwrap();
    for line in ["$Y use wc n*", "$Y use head n* other", "$Y use grep -H a n*", "$Y use cksum n*"] {
        terminal.type_text(&format!("clear; {line}"));
        terminal.press(&["Enter"]);
        terminal.wait("\\033");
    }
    assert!(!terminal.tmux(&["capture-pane", "-p", "-e"]).contains("\u{1b}[7m"));
}

/// Whichever of both processes is killed, or the terminal is closed: what a program has started that the user let
/// through ends too.
#[test]
fn what_was_let_through_ends_with_the_screen() {
    use crate::ends::{kill, processes};
    type End = fn(&Terminal);
    let ends: [(&str, End); 3] = [
        ("the one that waits", |terminal| kill(processes(terminal).1, "KILL")),
        ("the one with the screen", |terminal| kill(processes(terminal).0, "KILL")),
        ("the terminal", |terminal| {
            terminal.tmux(&["kill-server"]);
        }),
    ];
    for (what, end) in ends {
        let terminal = Terminal::open(120, 30);
        let ticks = terminal.path().join("ticks");
        let script = "setsid sh -c 'while :; do echo t >> ticks; sleep 0.05; done' & sleep 100";
        let tool = terminal.path().join("tool");
        std::fs::write(&tool, format!("#!/bin/sh\n{script}\n")).unwrap();
        assert!(Command::new("chmod").arg("755").arg(&tool).status().unwrap().success());
        terminal.type_text("$Y --line './tool | cat'");
        terminal.press(&["Enter"]);
        terminal.wait("evaluated in");
        terminal.escape("↑↓ select");
        terminal.press(&["Up"]);
        terminal.wait("waiting for your consent");
        terminal.press(&["y"]);
        terminal.wait("for this session");
        terminal.press(&["s"]);
        let since = Instant::now();
        while !ticks.exists() {
            assert!(since.elapsed() < Duration::from_secs(20), "{}", terminal.screen());
            std::thread::yield_now();
        }
        end(&terminal);
        // It has ended when it ticks no more.
        let length = || std::fs::metadata(&ticks).unwrap().len();
        let (mut last, mut changed) = (length(), Instant::now());
        while changed.elapsed() < Duration::from_millis(1500) {
            assert!(since.elapsed() < Duration::from_mins(1), "it goes on after {what}");
            if length() != last {
                (last, changed) = (length(), Instant::now());
            }
            std::thread::yield_now();
        }
    }
}

/// Each thread of the screen is refused in turn: it ends with an error and the terminal given back, or works
/// without, or is there and says that nothing can be run.
#[test]
fn a_screen_without_one_of_its_threads_ends_or_works() {
    let terminal = Terminal::open(100, 24);
    let at = |name: &str| terminal.path().join(name);
    std::fs::copy(PROGRAM, at("program")).unwrap();
    // Limits of processes are those of a user who has no others.
    let prepared = Command::new("chown").args(["-R", "23117"]).arg(terminal.path()).status();
    assert!(prepared.unwrap().success(), "the limit is for another user, and root sets it");
    let (mut refused, mut worked) = (0, 0);
    for threads in 1..14 {
        terminal.type_text(&format!(
            "clear; setpriv --reuid 23117 --clear-groups prlimit --nproc={threads} ./program --line 'seq 3 | tac'; echo {threads}=$?"
        ));
        let ended = |status: u8| format!("{threads}={status}");
        terminal.press(&["Enter"]);
        let since = Instant::now();
        loop {
            assert!(since.elapsed() < Duration::from_secs(30), "{threads}: {}", terminal.screen());
            let screen = terminal.screen();
            let said = screen.contains("starts no more threads");
            if said || screen.contains("evaluated in") {
                worked += 1;
                terminal.escape("↑↓ select");
                terminal.press(&["q"]);
                terminal.wait(&ended(0));
                break;
            }
            if screen.contains(&ended(2)) {
                assert!(screen.contains("Resource temporarily unavailable"), "{screen}");
                refused += 1;
                break;
            }
            std::thread::yield_now();
        }
        assert!(terminal.flags().starts_with("0 1 0"), "{threads}: {}", terminal.flags());
    }
    assert!(refused > 3 && worked > 1, "{refused} {worked}");
}
