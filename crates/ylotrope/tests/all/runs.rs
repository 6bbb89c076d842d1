//! Runs that are watched: progress, ends, figures kept, drawings.

use std::collections::BTreeMap;
use std::io::Read;
use std::os::unix::process::ExitStatusExt;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

use crate::shell::files;
use crate::tmux::Terminal;

fn ours(folder: &Path) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("ylotrope"));
    command
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .env("XDG_STATE_HOME", folder.join("state"))
        .stdin(Stdio::null());
    command
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    ours(folder).args(arguments).output().unwrap()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

fn gate_log(folder: &Path, size: &str) {
    let made = run(folder, &["demo-data", "--size", size, "gate.log"]);
    assert!(made.status.success(), "{}", said(&made));
}

#[test]
fn progress_for_another_program_never_goes_back_and_ends_at_100() {
    let folder = tempfile::tempdir().unwrap();
    gate_log(folder.path(), "4M");
    let line =
        "sed 's/card=[0-9]*//' gate.log | awk '{n[$3]++} END {for (g in n) print g, n[g]}' > out";
    let output = run(folder.path(), &["run", "--progress=percent", "-c", line]);
    assert!(output.status.success());
    let numbers: Vec<u32> = said(&output).lines().map(|line| line.parse().unwrap()).collect();
    assert!(numbers.is_sorted_by(|a, b| a < b), "{numbers:?}");
    assert_eq!(numbers.last(), Some(&100));
    // A run that is ended does not come to 100.
    let output =
        run(folder.path(), &["run", "--progress=percent", "-c", "cat gate.log | false; ("]);
    assert_eq!(output.status.code(), Some(2));
    assert!(!said(&output).contains("100"));
    // Nor does one that is interrupted; and only who asked for numbers gets them.
    let mut command = ours(folder.path());
    command.args(["run", "--progress=percent", "-c", "echo begun; seq 1 100000000000 | grep x"]);
    let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    child.stdout.as_mut().unwrap().read_exact(&mut [0; 6]).unwrap();
    let id = rustix::process::Pid::from_child(&child);
    rustix::process::kill_process(id, rustix::process::Signal::INT).unwrap();
    let output = child.wait_with_output().unwrap();
    assert_eq!(output.status.signal(), Some(2));
    assert_eq!(said(&output), "");
    let output = run(folder.path(), &["run", "--keep", "-c", "true"]);
    assert_eq!((output.status.code(), said(&output).as_str()), (Some(0), ""));
}

#[test]
fn progress_is_told_in_plain_lines_and_summed_up_or_not_at_all() {
    let folder = tempfile::tempdir().unwrap();
    gate_log(folder.path(), "2M");
    let line = "grep refused gate.log | sort | head -n 2";
    let output = run(folder.path(), &["run", "--progress", "-c", line]);
    let text = said(&output);
    assert!(text.starts_with("expected: 2.00 MiB in 1 file · about "), "{text}");
    assert!(text.contains("sort holds up to"), "{text}");
    assert!(text.contains("done: 2.00 MiB (") && text.contains(" 2 lines out"), "{text}");
    assert!(!text.contains('\u{1b}') && !text.contains('\r'), "{text:?}");
    let quiet =
        run(folder.path(), &["run", "--progress", "--stats", "text", "--quiet", "-c", line]);
    assert_eq!((said(&quiet).as_str(), quiet.stdout), ("", output.stdout));
}

#[test]
fn runs_are_kept_listed_compared_and_handed_over() {
    let folder = tempfile::tempdir().unwrap();
    gate_log(folder.path(), "1M");
    let at = folder.path();
    let first = "grep refused gate.log | cut -d' ' -f3 | sort | uniq -c";
    let second = "grep passed gate.log | cut -d' ' -f3 | sort | uniq -c | sort -rn";
    for line in [first, second] {
        let output = run(at, &["run", "--keep", "-c", line]);
        assert!(output.status.success() && said(&output).is_empty(), "{}", said(&output));
    }
    let list = String::from_utf8(run(at, &["runs"]).stdout).unwrap();
    let rows: Vec<&str> = list.lines().collect();
    assert!(rows[1].ends_with(second) && rows[2].ends_with(first), "{list}");
    assert!(rows[1].contains("1.00 MiB") && rows[1].contains("done"), "{list}");
    let compared = String::from_utf8(run(at, &["runs", "compare", "2", "1"]).stdout).unwrap();
    assert!(compared.contains("grep refused gate.log  →  grep passed gate.log"), "{compared}");
    assert!(compared.contains("sort -rn (only 2)"), "{compared}");
    let shown = String::from_utf8(run(at, &["runs", "show", "1"]).stdout).unwrap();
    assert!(shown.contains("read gate.log (1.00 MiB)"), "{shown}");
    // Drawings of the text and of the run.
    for (what, file) in [
        ("diagram", "d.svg"),
        ("diagram", "d.pdf"),
        ("wiring", "w.svg"),
        ("funnel", "f.svg"),
        ("throughput", "t.svg"),
        ("throughput", "t.pdf"),
        ("report", "r.md"),
        ("report", "r.html"),
        ("figures", "f.csv"),
        ("figures", "f.json"),
    ] {
        let output = run(at, &["export", "-c", first, "--what", what, "--to", file]);
        assert!(output.status.success(), "{what}: {}", said(&output));
        let bytes = std::fs::read(at.join(file)).unwrap();
        let text = String::from_utf8_lossy(&bytes);
        match file.rsplit_once('.').unwrap().1 {
            "svg" => assert!(text.starts_with("<svg ") && text.contains("grep refused gate.log")),
            "pdf" => assert!(bytes.starts_with(b"%PDF-")),
            "json" => assert!(text.contains("\"command\": \"grep refused gate.log\"")),
            "csv" => assert_eq!(text.lines().count(), 5),
            _ => assert!(text.matches("<svg ").count() == 3 && text.contains("uniq"), "{file}"),
        }
    }
    let output = run(at, &["export", "-c", first, "--what", "diagram", "--to", "d.png"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(said(&output).contains("the name must end in .svg or .pdf"), "{}", said(&output));
    let output = run(at, &["export", "-c", "true", "--what", "throughput", "--to", "t.svg"]);
    assert!(said(&output).contains("no run of this text was kept"), "{}", said(&output));
    assert!(run(at, &["runs", "remove", "1"]).status.success());
    assert_eq!(String::from_utf8(run(at, &["runs"]).stdout).unwrap().lines().count(), 2);
}

fn state(folder: &Path) -> BTreeMap<String, String> {
    let mut state = BTreeMap::new();
    files(folder, "", &mut state);
    state
}

/// A folder with files that a run would write over.
fn prepared() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let lines: String =
        (0..60_000).map(|number| format!("{} word\n", number * 7919 % 60_000)).collect();
    std::fs::write(folder.path().join("in"), lines).unwrap();
    std::fs::write(folder.path().join("out"), "old\n").unwrap();
    std::fs::write(folder.path().join("log"), "before\n").unwrap();
    folder
}

#[test]
fn an_interrupted_run_leaves_every_file_whole() {
    let line = "sort -n in | tee copy | awk '{print > \"part\" ($1 % 3)} {print $1}' | tac > out; \
                sed 's/word/x/' in | sort -o in; cat out >> log; rev in | split -l 20000 - piece-";
    let done = prepared();
    assert!(run(done.path(), &["run", "-c", line]).status.success());
    let complete = state(done.path());
    let mut ended = [0, 0];
    for round in 0..24_u64 {
        let folder = prepared();
        let before = state(folder.path());
        let mut child = ours(folder.path()).args(["run", "-c", line]).spawn().unwrap();
        // Anywhere from the first moment to the end, never the same twice.
        std::thread::sleep(Duration::from_micros(round * round * 900 + round * 311));
        let id = rustix::process::Pid::from_child(&child);
        // It may have ended already.
        let _ = rustix::process::kill_process(id, rustix::process::Signal::INT);
        let status = child.wait().unwrap();
        let after = state(folder.path());
        if status.signal() == Some(2) {
            ended[0] += 1;
            for (name, text) in &after {
                let whole = [before.get(name), complete.get(name)].contains(&Some(text));
                // What is added to a file goes there as it comes.
                let added = name == "log" && complete[name].starts_with(text);
                assert!(whole || added, "round {round}: {name}");
            }
            assert!(before.keys().all(|name| after.contains_key(name)));
        } else {
            ended[1] += 1;
            assert!(status.success(), "{status:?}");
            assert!(after == complete, "round {round}: {:?}", after.keys());
        }
    }
    assert!(ended[0] > 3, "{ended:?}");
}

#[test]
fn an_interrupted_run_has_status_130_for_the_shell() {
    let folder = prepared();
    let before = state(folder.path());
    let program = assert_cmd::cargo::cargo_bin!("ylotrope").display().to_string();
    // The shell that starts it tells the status as a terminal's would.
    let script = format!(
        "'{program}' run -c 'yes | tee copy | cat > out' & sleep 0.3; kill -INT $!; wait $!; echo $?"
    );
    let output = Command::new("bash")
        // Programs in the background of a script would ignore the signal.
        .args(["-m", "-c", &script])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout).trim(), "130");
    assert_eq!(state(folder.path()), before);
}

#[test]
fn files_keep_their_names_rights_and_what_others_add() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};
    let folder = prepared();
    let at = folder.path();
    std::fs::hard_link(at.join("out"), at.join("second-name")).unwrap();
    std::fs::set_permissions(at.join("log"), std::fs::Permissions::from_mode(0o640)).unwrap();
    let inode = std::fs::metadata(at.join("log")).unwrap().ino();
    let line = "echo new > out; echo more >> log; echo seen | cat; cat log";
    let output = run(at, &["run", "-c", line]);
    assert_eq!(String::from_utf8_lossy(&output.stdout), "seen\nbefore\nmore\n");
    assert_eq!(std::fs::read_to_string(at.join("second-name")).unwrap(), "new\n");
    let log = std::fs::metadata(at.join("log")).unwrap();
    assert_eq!((log.ino(), log.mode() & 0o777), (inode, 0o640));
    // A program that is started sees what was written before it.
    let output = run(
        at,
        &["run", "-c", "echo for-programs > out; sh -c 'cat out; echo its own >> out'; cat out"],
    );
    assert_eq!(String::from_utf8_lossy(&output.stdout), "for-programs\nfor-programs\nits own\n");
}

#[test]
fn four_gibibytes_stream_through_in_little_memory() {
    let folder = tempfile::tempdir().unwrap();
    let line = "yes '2031-04-02 06:12:00 gate-08 card=38519 refused zone=1 and words to fill the line up' \
                | head -c 4G | cat | tee /dev/null | wc -c";
    let mut child =
        ours(folder.path()).args(["run", "-c", line]).stdout(Stdio::piped()).spawn().unwrap();
    let mut peak = 0;
    let since = Instant::now();
    while child.try_wait().unwrap().is_none() {
        let status = std::fs::read_to_string(format!("/proc/{}/status", child.id()));
        let most = status.unwrap_or_default().lines().find_map(|line| {
            line.strip_prefix("VmHWM:")?.trim().strip_suffix(" kB")?.trim().parse::<u64>().ok()
        });
        peak = peak.max(most.unwrap_or(0));
        assert!(since.elapsed() < Duration::from_mins(4), "it takes too long");
        std::thread::sleep(Duration::from_millis(20));
    }
    let output = child.wait_with_output().unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout).trim(), "4294967296");
    assert!(peak > 0 && peak < 100 << 10, "{peak} KiB");
}

/// Processor time of a process and of its children that have ended, in clock ticks.
fn ticks(process: u32) -> u64 {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).unwrap();
    let fields: Vec<&str> = stat.rsplit_once(')').unwrap().1.split_whitespace().collect();
    fields[11..15].iter().map(|field| field.parse::<u64>().unwrap()).sum()
}

#[test]
fn a_run_in_the_bench_is_held_ended_and_compared() {
    let terminal = Terminal::open(160, 50);
    let at = terminal.path();
    gate_log(at, "1M");
    std::fs::write(at.join("out.txt"), "old\n").unwrap();
    // One that runs until it is stopped.
    terminal.type_text("$Y");
    terminal.press(&["Enter"]);
    terminal.wait("type to search");
    terminal.escape("Esc to the river");
    terminal.paste("seq 100000000000 | grep 77 | tee copy.txt | wc -l > out.txt");
    terminal.escape("↑↓ select");
    terminal.press(&["r"]);
    terminal.wait("Run this on all of the data now?");
    terminal.press(&["y"]);
    terminal.wait("slowest");
    let screen = terminal.wait("link ");
    assert!(screen.contains("running") && screen.contains("average"), "{screen}");
    // The preview stays usable beside it.
    terminal.press(&["Escape"]);
    terminal.wait("running on everything: ");
    terminal.press(&["T"]);
    terminal.wait("x stop the run");
    terminal.press(&["p"]);
    terminal.wait("p continue");
    let pid: u32 = terminal.tmux(&["display-message", "-p", "#{pane_pid}"]).trim().parse().unwrap();
    let children = std::fs::read_to_string(format!("/proc/{pid}/task/{pid}/children"));
    if let Some(child) = children.ok().and_then(|all| all.split_whitespace().next()?.parse().ok()) {
        // What is in the middle of a block comes to its end; then a second passes without work.
        let since = Instant::now();
        loop {
            let before = ticks(child);
            std::thread::sleep(Duration::from_secs(1));
            if ticks(child) - before <= 5 {
                break;
            }
            assert!(since.elapsed() < Duration::from_secs(30), "a paused run works");
        }
    }
    terminal.press(&["p"]);
    terminal.wait("p pause");
    terminal.press(&["x"]);
    terminal.wait("no files were written");
    terminal.wait("cancelled");
    assert_eq!(std::fs::read(at.join("out.txt")).unwrap(), b"old\n");
    assert!(!at.join("copy.txt").exists());
    // Two that come to their end.
    for (text, lines) in [
        ("grep refused gate.log | cut -d' ' -f3 | sort | uniq -c", "15 lines"),
        ("grep refused gate.log | cut -d' ' -f3 | sort -u > out.txt", "written: out.txt, 15 lines"),
    ] {
        terminal.press(&["e"]);
        terminal.wait("Tab complete");
        terminal.press(&["C-e", "C-u"]);
        terminal.paste(text);
        terminal.wait("sort");
        terminal.press(&["Escape"]);
        terminal.wait("r run all");
        terminal.press(&["r"]);
        terminal.wait("gate.log (1.00 MiB)");
        terminal.press(&["y"]);
        // The Bench before it may show as many lines.
        terminal.wait_for("the end of the run", |screen| {
            screen.contains(lines) && screen.contains("100.0 %")
        });
    }
    assert_eq!(std::fs::read_to_string(at.join("out.txt")).unwrap().lines().count(), 15);
    // Its output is there to be read; the first of the two had some.
    terminal.press(&["K"]);
    let screen = terminal.wait("3 runs kept");
    assert!(screen.contains("cancelled"), "{screen}");
    // The two newest are side by side before the keys, too: each is waited for.
    let selected = |screen: &str, number: usize| {
        let mut rows = screen.lines().filter(|line| line.contains("refused gate.log |"));
        rows.nth(number).is_some_and(|row| row.starts_with("▌ 2"))
    };
    terminal.press(&["Down"]);
    terminal.wait_for("the second run", |screen| selected(screen, 2));
    terminal.press(&["m", "Up"]);
    let screen = terminal
        .wait_for("the first run", |screen| selected(screen, 1) && screen.contains("only in 1"));
    assert!(screen.contains("sort  →  sort -u"), "{screen}");
    assert!(screen.contains("lines out 1") && screen.contains("at work 1"), "{screen}");
    // A drawing of the run, from a key.
    terminal.press(&["T"]);
    terminal.wait("100.0 %");
    terminal.press(&["X"]);
    terminal.wait("export");
    terminal.type_text("throughput");
    terminal.press(&["Enter"]);
    terminal.wait("write it to");
    terminal.press(&["Enter"]);
    terminal.wait("written: pipeline-throughput.svg");
    let svg = std::fs::read_to_string(at.join("pipeline-throughput.svg")).unwrap();
    assert!(svg.contains("grep refused gate.log") && svg.contains("lines a second"));
    terminal.press(&["Z"]);
    terminal.wait("1 file is as before");
    assert_eq!(std::fs::read(at.join("out.txt")).unwrap(), b"old\n");
}

#[test]
fn progress_on_a_terminal_is_one_line_that_goes_away() {
    let terminal = Terminal::open(100, 20);
    gate_log(terminal.path(), "64M");
    terminal.type_text("$Y run --progress -c \"sed 's/[0-9]/x/g' gate.log | sort | uniq -c | sort -rn | head -n 1\"");
    terminal.press(&["Enter"]);
    terminal.wait(" of 64.0 MiB ");
    let screen = terminal.wait("done: 64.0 MiB");
    assert!(!screen.contains(" of 64.0 MiB "), "{screen}");
    assert!(screen.contains("slowest: "), "{screen}");
}

#[test]
fn leaving_while_a_run_goes_on_ends_it_and_leaves_nothing() {
    let terminal = Terminal::open(100, 30);
    let before = terminal.path().join("before");
    std::fs::create_dir(&before).unwrap();
    terminal.type_text("cd before; $Y");
    terminal.press(&["Enter"]);
    terminal.wait("type to search");
    terminal.escape("Esc to the river");
    terminal.paste("yes | tee a | cat > b");
    terminal.escape("↑↓ select");
    terminal.press(&["r"]);
    terminal.wait("Run this on all of the data now?");
    terminal.press(&["y"]);
    terminal.wait("running");
    terminal.wait("slowest");
    terminal.press(&["q"]);
    // The line itself is kept among the earlier ones.
    terminal.wait("A run is in progress.");
    terminal.press(&["y"]);
    terminal.wait_gone("Throughput");
    terminal.wait("shell>");
    // The terminal is given back before the run has ended its files.
    let left = || std::fs::read_dir(&before).unwrap().count();
    terminal.wait_for("the end of the files", |_| left() == 0);
    assert_eq!(left(), 0);
}

#[test]
fn one_filter_alone_writes_its_files() {
    let folder = prepared();
    let at = folder.path();
    for arguments in [
        &["use", "sort", "-n", "-o", "in", "in"][..],
        &["use", "sed", "-i", "s/old/new/", "out"],
        &["use", "split", "-l", "30000", "in", "part-"],
    ] {
        let output = run(at, arguments);
        assert!(output.status.success(), "{}", said(&output));
    }
    assert!(std::fs::read_to_string(at.join("in")).unwrap().starts_with("0 word\n1 word\n"));
    assert_eq!(std::fs::read_to_string(at.join("out")).unwrap(), "new\n");
    assert!(at.join("part-ab").exists());
    assert_eq!(state(at).len(), 5);
}

#[test]
fn what_follows_a_file_writes_as_it_goes() {
    let folder = prepared();
    let mut child = ours(folder.path())
        .args(["run", "-c", "tail -n +1 -f log | sed s/before/seen/ >> out"])
        .spawn()
        .unwrap();
    let since = Instant::now();
    while std::fs::read_to_string(folder.path().join("out")).unwrap() != "old\nseen\n" {
        assert!(since.elapsed() < Duration::from_secs(30), "it never comes");
        std::thread::sleep(Duration::from_millis(10));
    }
    let id = rustix::process::Pid::from_child(&child);
    rustix::process::kill_process(id, rustix::process::Signal::INT).unwrap();
    assert_eq!(child.wait().unwrap().signal(), Some(2));
    assert_eq!(std::fs::read_to_string(folder.path().join("out")).unwrap(), "old\nseen\n");
}

/// Only a screen needs a process that waits for it: what a run starts is the child of whom was
/// asked to run it.
#[test]
fn a_run_is_the_process_that_was_started() {
    let folder = tempfile::tempdir().unwrap();
    let line = "/bin/sh -c 'echo $PPID'";
    let mut command = ours(folder.path());
    let child = command.args(["run", "-c", line]).stdout(Stdio::piped()).spawn().unwrap();
    let id = child.id();
    let output = child.wait_with_output().unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout).trim(), id.to_string());

    let terminal = Terminal::open(100, 20);
    std::fs::write(terminal.path().join("s.sh"), line).unwrap();
    // The shell names the one it started in the background.
    terminal.type_text("clear; $Y run s.sh & wait; echo \"last=$!=\"");
    terminal.press(&["Enter"]);
    terminal.wait_for("the two are one", |screen| {
        let last = screen.lines().find_map(|line| line.strip_prefix("last=")?.strip_suffix('='));
        last.is_some_and(|last| screen.lines().any(|line| line.trim() == last))
    });
}
