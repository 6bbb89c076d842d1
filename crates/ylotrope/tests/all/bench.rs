//! The real interface in a real terminal.

use crate::tmux::Terminal;

pub(crate) fn start_demo(terminal: &Terminal) {
    terminal.type_text("$Y demo");
    terminal.press(&["Enter"]);
    terminal.wait("evaluated in");
}

pub(crate) fn replace_text(terminal: &Terminal, text: &str) {
    terminal.press(&["C-e", "C-u"]);
    terminal.paste(text);
}

#[test]
fn from_the_demo_to_a_written_file_and_back() {
    let terminal = Terminal::open(160, 50);
    let before = terminal.settings();
    start_demo(&terminal);
    let screen = terminal.wait("not written yet");
    assert!(screen.contains("gate.log") && screen.contains("keeps 5 of"), "{screen}");

    replace_text(
        &terminal,
        "grep refused gate.log | cut -d' ' -f3 | sort | uniq -c | sort -rn | head -n 3 > top.txt",
    );
    let screen = terminal.wait("keeps 3 of");
    assert!(screen.contains("new file, 3 lines, not written yet"), "{screen}");

    // Over the stages, and into the lens.
    terminal.escape("↑↓ select");
    terminal.press(&["Home", "Down"]);
    terminal.wait("through 1");
    terminal.press(&["Right"]);
    terminal.wait("splits every line at each single space and keeps field 3");
    terminal.press(&["Tab", "End"]);
    terminal.press(&["/"]);
    terminal.type_text("gate-17");
    terminal.press(&["Enter"]);
    terminal.wait("“gate-17” in row");
    terminal.escape("↑↓ select");

    // Off and on.
    terminal.press(&["x"]);
    terminal.wait("# off: cut -d' ' -f3");
    terminal.press(&["x"]);
    terminal.wait_gone("# off:");

    // Insert, move, delete, undo.
    terminal.press(&["n"]);
    terminal.wait("new stage 3");
    terminal.type_text("tr a-z A-Z");
    terminal.press(&["Enter"]);
    terminal.wait("GATE-");
    terminal.press(&["]"]);
    terminal.wait("| sort | tr a-z A-Z |");
    terminal.press(&["d"]);
    terminal.wait_gone("tr a-z A-Z |");
    terminal.press(&["u"]);
    terminal.wait("| sort | tr a-z A-Z |");
    terminal.press(&["u", "u"]);
    terminal.wait("-f3 | sort | uniq");

    // Write the file, then take it back.
    let written = terminal.path().join("state/ylotrope/demo/top.txt");
    terminal.wait("evaluated in");
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: top.txt, 3 lines");
    let content = std::fs::read_to_string(&written).unwrap();
    assert!(content.lines().count() == 3 && content.contains("gate-"), "{content}");
    terminal.press(&["Z"]);
    terminal.wait("1 file is as before");
    assert!(!written.exists());

    // Leaving asks; the terminal is as it was.
    terminal.press(&["q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
    assert!(terminal.flags().starts_with("0 1"), "{}", terminal.flags());
    assert_eq!(terminal.settings(), before);
}

#[test]
fn the_same_way_in_a_small_terminal() {
    let terminal = Terminal::open(80, 24);
    let before = terminal.settings();
    start_demo(&terminal);
    replace_text(&terminal, "grep refused gate.log | cut -d' ' -f3 | sort > small.txt");
    terminal.wait("↧ small.txt");
    terminal.wait("new: 1 041 lines");
    let screen = terminal.wait("3 sort");
    assert!(screen.contains("1 grep refuse"), "{screen}");

    terminal.escape("↑↓ select");
    terminal.press(&["Home", "Down"]);
    terminal.wait("out of 1");
    terminal.press(&["Right"]);
    terminal.wait("splits every line at each single space");
    terminal.press(&["/"]);
    terminal.wait("search the lens for");
    terminal.type_text("gate-17");
    terminal.press(&["Enter"]);
    terminal.wait("“gate-17” in row");

    terminal.press(&["x"]);
    terminal.wait("# off: cut -d' ' -f3");
    terminal.press(&["u"]);
    terminal.wait_gone("# off:");

    let written = terminal.path().join("state/ylotrope/demo/small.txt");
    terminal.wait_gone("stale");
    terminal.wait("evaluated in");
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: small.txt");
    assert!(std::fs::read_to_string(&written).unwrap().contains("gate-21\n"));
    terminal.press(&["Z"]);
    terminal.wait("1 file is as before");
    assert!(!written.exists());

    terminal.press(&["q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
    assert!(terminal.flags().starts_with("0 1"), "{}", terminal.flags());
    assert_eq!(terminal.settings(), before);
}

#[test]
fn a_small_terminal_an_error_and_a_resize() {
    let terminal = Terminal::open(80, 24);
    start_demo(&terminal);
    replace_text(&terminal, "cut -d' ' -f3 gate.log | sort | uniq -c");
    terminal.wait("3 uniq -c");
    terminal.type_text(" | head -n 'x");
    let screen = terminal.wait("this quote ' has no end");
    assert!(screen.contains("3 uniq -c"), "the old result stays:\n{screen}");
    terminal.press(&["BSpace", "BSpace"]);
    terminal.type_text("2");
    terminal.wait("4 head -n 2");
    terminal.escape("↑↓ select");
    terminal.press(&["Left"]);
    terminal.wait("out of 3");
    terminal.press(&["o"]);
    terminal.wait("into 3");
    terminal.resize(160, 50);
    terminal.wait("keeps 2 of");
    terminal.resize(30, 9);
    terminal.resize(80, 24);
    terminal.wait("4 head -n 2");
}

#[test]
fn suspended_and_brought_back_whole() {
    let terminal = Terminal::open(100, 30);
    let before = terminal.settings();
    start_demo(&terminal);
    terminal.press(&["C-z"]);
    terminal.wait("Stopped");
    assert!(terminal.flags().starts_with("0 1"));
    assert_eq!(terminal.settings(), before);
    terminal.type_text("fg");
    terminal.press(&["Enter"]);
    terminal.wait("evaluated in");
    terminal.type_text("x");
    terminal.wait("changed");
    terminal.press(&["C-q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
}

#[test]
fn signals_leave_the_terminal_in_order_and_the_text_survives() {
    for signal in ["TERM", "HUP"] {
        let terminal = Terminal::open(100, 30);
        let before = terminal.settings();
        start_demo(&terminal);
        replace_text(&terminal, "sort spares-upper.txt | uniq -di");
        terminal.wait("2 uniq -di");
        let recovery = terminal.recovery_file("uniq -di");
        let name = recovery.file_stem().unwrap().to_str().unwrap().to_owned();
        let process = name.strip_prefix("recovery-").unwrap();
        assert!(
            std::process::Command::new("kill")
                .args(["-s", signal, process])
                .status()
                .unwrap()
                .success()
        );
        terminal.wait("shell>");
        assert!(terminal.flags().starts_with("0 1"));
        assert_eq!(terminal.settings(), before);
        // The next session has the text among the earlier lines.
        terminal.type_text("clear; $Y demo");
        terminal.press(&["Enter"]);
        terminal.wait("the text of an interrupted session was kept");
        terminal.press(&["Up", "Up"]);
        terminal.wait("sort spares-upper.txt | uniq -di");
    }
}

#[test]
fn data_from_standard_input_saving_and_opening() {
    let terminal = Terminal::open(120, 40);
    terminal.type_text("seq 1 30 | $Y");
    terminal.press(&["Enter"]);
    terminal.wait("standard input");
    terminal.wait("all of it");
    terminal.press(&["C-e"]);
    terminal.type_text(" | grep 7");
    terminal.wait("keeps 3 of 30");
    terminal.press(&["C-s"]);
    terminal.wait("save as a script");
    terminal.press(&["C-u"]);
    terminal.type_text("sevens.sh");
    terminal.press(&["Enter"]);
    terminal.wait("saved as sevens.sh");
    let script = std::fs::read_to_string(terminal.path().join("sevens.sh")).unwrap();
    assert_eq!(script, "#!/bin/sh\ncat | grep 7\n");
    terminal.press(&["C-q"]);
    terminal.wait_gone("standard input");
    terminal.type_text("seq 40 | sh sevens.sh | tail -n 1; $Y sevens.sh");
    terminal.press(&["Enter"]);
    terminal.wait("cat | grep 7");
}

#[test]
fn completion_history_sample_and_awkward_bytes() {
    let terminal = Terminal::open(140, 45);
    start_demo(&terminal);
    replace_text(&terminal, "");
    terminal.press(&["C-u", "BSpace", "C-u"]);
    terminal.wait("type a pipeline");
    terminal.type_text("uni");
    terminal.press(&["Tab"]);
    terminal.type_text("-");
    terminal.press(&["Tab"]);
    terminal.wait("put the number of repeats before each line");
    terminal.escape("Esc to the river");
    terminal.press(&["C-u"]);
    terminal.type_text("cat awk");
    terminal.press(&["Tab", "Enter"]);
    let screen = terminal.wait("broken \\xFF\\xC3 bytes");
    assert!(screen.contains("red ^[[31mescape"), "{screen}");
    // Enter went on to the result.
    terminal.wait("Tab river");
    terminal.press(&["e", "C-u"]);
    terminal.type_text("cat gate.log");
    terminal.wait("8 871 lines");
    terminal.wait("all of it");
    terminal.press(&["Up"]);
    terminal.wait("broken \\xFF");
    terminal.press(&["Down"]);
    terminal.wait("all of it");
    terminal.escape("↑↓ select");
    terminal.press(&["s", "Down", "Down", "Down"]);
    terminal.type_text("1000");
    terminal.press(&["Enter"]);
    terminal.wait("every 1 000th of 8 871 lines");
    terminal.press(&["s", "Down", "Down", "Enter"]);
    terminal.wait("all of it");
    terminal.press(&["?"]);
    terminal.wait("Keys go to one of three areas.");
}

#[test]
fn a_panic_leaves_the_terminal_in_order_and_the_text_survives() {
    let terminal = Terminal::open(100, 30);
    let before = terminal.settings();
    terminal.type_text("export YLOTROPE_TEST_PANIC=1 RUST_BACKTRACE=0; $Y demo");
    terminal.press(&["Enter"]);
    terminal.wait("evaluated in");
    replace_text(&terminal, "sort spares-lower.txt | uniq -d");
    terminal.wait("2 uniq -d");
    // Another thread's panic is its own affair: nothing is printed, the Bench continues.
    terminal.press(&["F11"]);
    terminal.type_text("u");
    let screen = terminal.wait("uniq -du");
    assert!(!screen.contains("as asked"), "{screen}");
    terminal.press(&["F12"]);
    terminal.wait("the screen's thread, as asked");
    terminal.wait_for("a new prompt", |screen| screen.trim_end().ends_with("shell>"));
    assert!(terminal.flags().starts_with("0 1"));
    assert_eq!(terminal.settings(), before);
    terminal.type_text("clear; $Y demo");
    terminal.press(&["Enter"]);
    terminal.wait("the text of an interrupted session was kept");
    terminal.press(&["Up", "Up"]);
    terminal.wait("uniq -du");
}

#[test]
fn a_followed_file_moves_the_river_until_it_is_stopped() {
    use std::io::Write;

    let terminal = Terminal::open(120, 40);
    let log = terminal.path().join("live.log");
    std::fs::write(&log, "one\ntwo\n").unwrap();
    let append = |text: &str| {
        let mut file = std::fs::OpenOptions::new().append(true).open(&log).unwrap();
        file.write_all(text.as_bytes()).unwrap();
    };
    std::fs::write(
        terminal.path().join("live.sh"),
        "tail -F live.log | grep -v noise | tr a-z A-Z\n",
    )
    .unwrap();
    terminal.type_text("$Y live.sh");
    terminal.press(&["Enter"]);
    terminal.wait("following · 2 lines so far");
    append("noise\nthree\n");
    let screen = terminal.wait("following · 4 lines so far");
    // More may come at any time: of what follows a file nothing is known to be all.
    assert!(screen.contains("keeps ≥ 3"), "{screen}");
    terminal.wait("THREE");
    // Rotated: the new file continues where the old one ended.
    std::fs::rename(&log, terminal.path().join("live.log.1")).unwrap();
    std::fs::write(&log, "four\n").unwrap();
    terminal.wait("FOUR");
    terminal.escape("↑↓ select");
    terminal.press(&["Escape"]);
    terminal.wait("no longer followed");
    terminal.wait_gone("Esc stops");
    append("five\n");
    terminal.press(&["Home"]);
    let screen = terminal.wait("followed until stopped");
    assert!(!screen.contains("FIVE"), "{screen}");
    terminal.press(&["q"]);
    terminal.wait_gone("followed until stopped");
}

#[test]
fn a_meter_draws_its_progress_on_a_terminal() {
    let terminal = Terminal::open(100, 20);
    terminal.type_text(
        "yes 0123456789 | head -c 400000000 | $Y use meter --expect 400000000 | wc -c; echo over",
    );
    terminal.press(&["Enter"]);
    terminal.wait_for("progress or its end", |screen| {
        screen.contains(" % ") && screen.contains("/s") || screen.contains("400000000\n")
    });
    let screen = terminal.wait_for("the end", |screen| screen.contains("\nover"));
    assert!(screen.contains("381.5 MiB  ") && screen.contains("400000000"), "{screen}");
}

#[test]
fn a_program_is_edited_and_its_errors_are_underlined() {
    let terminal = Terminal::open(160, 50);
    start_demo(&terminal);
    replace_text(
        &terminal,
        "awk '/refused/ {n[$3]++} END {for (g in n) print n[g], g}' gate.log | sort -rn",
    );
    terminal.wait("merges 8 871 → 14");
    terminal.escape("↑↓ select");
    terminal.press(&["Left"]);
    terminal.wait("program");
    terminal.press(&["p"]);
    terminal.wait("awk program of stage 1");
    // A slip is shown at its place, in the text and in the editor; the last result stays.
    terminal.type_text("NR >> ");
    let screen = terminal.wait("column 4");
    assert!(screen.contains("outdated"), "{screen}");
    assert!(
        screen.lines().any(|line| line.contains('^') && line.contains("awk: line 1")),
        "{screen}"
    );
    // It is put right, in two lines; everything is evaluated at once.
    terminal.press(&["BSpace", "BSpace"]);
    terminal.type_text(" 10 && ");
    terminal.press(&["Enter"]);
    let screen = terminal.wait("evaluated in");
    assert!(screen.contains("merges 8 871 → 14"), "{screen}");
    terminal.escape("↑↓ select");
    terminal.wait("awk 'NR > 10 &&");
    terminal.press(&["u"]);
    terminal.wait("awk '/refused/ {n[$3]++}");
    // A stage without a program says so.
    terminal.press(&["Right", "p"]);
    terminal.wait("awk program of stage 1");
}

#[test]
fn descriptors_are_followed_redirection_by_redirection() {
    let terminal = Terminal::open(160, 50);
    start_demo(&terminal);
    replace_text(&terminal, "cat gate.log nope 2>&1 >out.txt | wc -l");
    terminal.wait("not written yet");
    terminal.escape("↑↓ select");
    terminal.press(&["Home", "W"]);
    let screen = terminal.wait("in the order the shell performs it");
    for line in [
        "2 now goes where 1 goes: the pipe to 2",
        "0 ◂ the terminal   1 ▸ the pipe to 2   2 ▸ the pipe to 2",
        "out.txt is emptied; from here on 1 writes to it",
        "0 ◂ the terminal   1 ▸ out.txt, replaced   2 ▸ the pipe to 2",
    ] {
        assert!(screen.contains(line), "{line} in {screen}");
    }
    terminal.press(&["Down"]);
    terminal.wait("stage 2 has no redirections");
    terminal.escape("Tab lens");
    // The other order, from the text, without leaving it.
    replace_text_from_river(&terminal, "cat gate.log nope >out.txt 2>&1 | wc -l");
    terminal.press(&["C-a", "F3"]);
    terminal.wait("2 now goes where 1 goes: out.txt, replaced");
    terminal.press(&["C-q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
}

fn replace_text_from_river(terminal: &Terminal, text: &str) {
    terminal.press(&["e"]);
    terminal.wait("Esc to the river");
    replace_text(terminal, text);
}

#[test]
fn what_is_held_back_is_seen_chosen_written_and_taken_back() {
    let terminal = Terminal::open(160, 50);
    start_demo(&terminal);
    let demo = terminal.path().join("state/ylotrope/demo");
    let conf = std::fs::read_to_string(demo.join("station.conf")).unwrap();
    replace_text(
        &terminal,
        "head -n 2 gate.log > one.txt; sort -o station.conf station.conf; echo x | tee two.txt | cat",
    );
    terminal.wait("not written yet");
    terminal.escape("↑↓ select");
    terminal.press(&["P"]);
    let screen = terminal.wait("3 files would be written");
    assert!(screen.contains("new, 2 lines") && screen.contains("14 → 14 lines"), "{screen}");
    // The difference of a file that would be replaced.
    terminal.press(&["Down"]);
    terminal.wait("is replaced");
    terminal.wait(" − ");
    // All but the first.
    terminal.press(&["Home", "x"]);
    terminal.wait("left out");
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: ");
    assert!(!demo.join("one.txt").exists());
    assert_eq!(std::fs::read_to_string(demo.join("two.txt")).unwrap(), "x\n");
    assert_ne!(std::fs::read_to_string(demo.join("station.conf")).unwrap(), conf);
    terminal.press(&["Z"]);
    terminal.wait("2 files are as before");
    assert!(!demo.join("two.txt").exists());
    assert_eq!(std::fs::read_to_string(demo.join("station.conf")).unwrap(), conf);
    // A file that changes behind our back is not written over unseen.
    terminal.wait("3 files would be written");
    std::fs::write(demo.join("station.conf"), "changed\n").unwrap();
    terminal.press(&["w"]);
    terminal.wait("changed since it was read");
    terminal.press(&["n"]);
    // Commands of their own are started from here, one after the other.
    let line =
        "printf '%s\\n' 'made here' nodir/x other | xargs -d '\\n' -n 1 touch; echo x > three.txt";
    replace_text_from_river(&terminal, line);
    let screen = terminal.wait("3 commands would be run");
    assert!(screen.contains("touch 'made here'"), "{screen}");
    terminal.escape("↑↓ select");
    terminal.press(&["End", "x"]);
    terminal.wait("left out");
    terminal.press(&["x", "r"]);
    terminal.wait("Run 3 commands now");
    terminal.press(&["s"]);
    terminal.wait("1 succeeded, 1 failed, 1 not run");
    assert!(demo.join("made here").exists() && !demo.join("other").exists());
    terminal.press(&["Up"]);
    terminal.wait("No such file or directory");
    // Those that are left, the others no second time.
    std::fs::create_dir(demo.join("nodir")).unwrap();
    std::fs::remove_file(demo.join("made here")).unwrap();
    terminal.press(&["r"]);
    terminal.wait("Run 2 commands now");
    terminal.press(&["g"]);
    terminal.wait("3 succeeded");
    assert!(demo.join("nodir/x").exists() && demo.join("other").exists());
    assert!(!demo.join("made here").exists());
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: three.txt");
    terminal.press(&["C-q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
}

#[test]
fn a_program_is_started_once_for_the_session_or_always() {
    let terminal = Terminal::open(160, 50);
    let leave = |terminal: &Terminal| {
        terminal.press(&["C-q"]);
        terminal.wait("Quit anyway?");
        terminal.press(&["y"]);
        terminal.wait("shell>");
    };
    let ticks = terminal.path().join("ticks");
    let count = || std::fs::read_to_string(&ticks).unwrap_or_default().lines().count();
    let line = format!("sh -c 'echo t >> {0}; seq 5' | tail -n 2", ticks.display());
    start_demo(&terminal);
    replace_text(&terminal, &line);
    terminal.wait("! not started");
    assert_eq!(count(), 0);
    terminal.escape("↑↓ select");
    terminal.press(&["Home", "Down"]);
    terminal.wait("waiting for your consent");
    terminal.press(&["y"]);
    terminal.wait("Run this external program?");
    terminal.press(&["n"]);
    terminal.wait_gone("Run this external program?");
    // Once: later stages are changed without starting it again.
    terminal.press(&["y"]);
    terminal.wait("Run this external program?");
    terminal.press(&["o"]);
    terminal.wait("ago, R starts it again");
    assert_eq!(count(), 1);
    replace_text_from_river(&terminal, &line.replace("-n 2", "-n 1"));
    terminal.wait("keeps 1 of 5");
    assert_eq!(count(), 1);
    terminal.escape("↑↓ select");
    terminal.press(&["R"]);
    terminal.wait("! not started");
    // Always: also in the next session.
    terminal.press(&["Home", "Down", "y"]);
    terminal.wait("Run this external program?");
    terminal.press(&["a"]);
    terminal.wait("kept in the configuration");
    terminal.wait("keeps 1 of 5");
    assert_eq!(count(), 2);
    leave(&terminal);
    let config = terminal.path().join("state/config/ylotrope/config.toml");
    assert!(std::fs::read_to_string(config).unwrap().contains("command = \"sh -c"));
    terminal.type_text("clear");
    terminal.press(&["Enter"]);
    start_demo(&terminal);
    replace_text(&terminal, &line);
    terminal.wait("keeps 2 of 5");
    assert_eq!(count(), 3);
    leave(&terminal);
}

#[test]
fn what_others_changed_is_not_taken_back_and_what_was_started_is_told() {
    let terminal = Terminal::open(160, 50);
    let demo = terminal.path().join("state/ylotrope/demo");
    start_demo(&terminal);
    replace_text(&terminal, "echo ours > note.txt");
    terminal.wait("not written yet");
    terminal.escape("↑↓ select");
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: note.txt");
    std::fs::write(demo.join("note.txt"), "ours\ntheirs\n").unwrap();
    terminal.press(&["Z"]);
    let screen = terminal.wait("was changed by others since it was written");
    assert!(screen.contains("+ theirs") && screen.contains("  ours"), "{screen}");
    assert_eq!(std::fs::read(demo.join("note.txt")).unwrap(), b"ours\ntheirs\n");
    terminal.escape("e edit text");
    std::fs::write(demo.join("note.txt"), "ours\n").unwrap();
    // Commands that take away what they were made from are told with how they ended.
    std::fs::create_dir(demo.join("old")).unwrap();
    for name in ["a", "b"] {
        std::fs::write(demo.join("old").join(name), "x").unwrap();
    }
    replace_text_from_river(&terminal, "find old -type f | sort | xargs -n 1 rm");
    terminal.wait("Pending 2");
    terminal.escape("↑↓ select");
    terminal.press(&["P"]);
    terminal.wait("2 commands would be run");
    terminal.press(&["r"]);
    let screen = terminal.wait("Run 2 commands");
    assert!(screen.contains("/bin/rm · in folder"), "{screen}");
    terminal.press(&["s"]);
    terminal.wait("2 succeeded");
    let screen = terminal.wait("run before, and no longer part");
    assert!(screen.contains("rm old/a") && screen.contains("status 0"), "{screen}");
    assert_eq!(std::fs::read_dir(demo.join("old")).unwrap().count(), 0);
}

#[test]
fn text_streams_and_lines_go_to_the_clipboard() {
    let terminal = Terminal::open(120, 40);
    terminal.tmux(&["set-option", "-s", "set-clipboard", "on"]);
    let holds = |expected: &str| {
        let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
        loop {
            let buffer = terminal.tmux(&["show-buffer"]);
            if buffer == expected {
                return;
            }
            assert!(std::time::Instant::now() < deadline, "{buffer:?}");
        }
    };
    start_demo(&terminal);
    replace_text(&terminal, "seq 3 | tr 123 abc");
    terminal.wait("edits all");
    terminal.escape("↑↓ select");
    terminal.press(&["C"]);
    terminal.wait("the command text copied");
    holds("seq 3 | tr 123 abc");
    terminal.press(&["End", "c"]);
    terminal.wait("what stage 2 writes copied (6 B)");
    holds("a\nb\nc\n");
    terminal.press(&["Tab", "Down", "c"]);
    terminal.wait("the line copied");
    holds("b");
    terminal.press(&["C-q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
}
