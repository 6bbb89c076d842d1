//! The terminal after everything that can end the screen.

use std::time::{Duration, Instant};

use crate::bench::{replace_text, start_demo};
use crate::tmux::Terminal;

/// The process with the screen, and the one that waits for it.
pub(crate) fn processes(terminal: &Terminal) -> (i32, i32) {
    let deadline = Instant::now() + Duration::from_secs(20);
    loop {
        let shell: i32 =
            terminal.tmux(&["display-message", "-p", "#{pane_pid}"]).trim().parse().unwrap();
        let child = |of: i32| -> Option<i32> {
            let text = std::fs::read_to_string(format!("/proc/{of}/task/{of}/children")).ok()?;
            text.split_whitespace().next()?.parse().ok()
        };
        if let Some(guard) = child(shell)
            && let Some(worker) = child(guard)
        {
            return (worker, guard);
        }
        assert!(Instant::now() < deadline, "no screen");
    }
}

pub(crate) fn kill(process: i32, signal: &str) {
    let status = std::process::Command::new("kill")
        .args([format!("-{signal}"), process.to_string()])
        .status()
        .unwrap();
    assert!(status.success());
}

#[test]
fn whatever_ends_the_screen_gives_the_terminal_back() {
    let terminal = Terminal::open(120, 40);
    let (settings, flags) = (terminal.settings(), terminal.flags());
    for (signal, whom, code) in [
        ("KILL", "screen", 137),
        ("ILL", "screen", 132),
        ("ABRT", "screen", 134),
        ("TERM", "screen", 143),
        ("HUP", "screen", 129),
        ("TERM", "guard", 143),
        ("HUP", "guard", 129),
        ("KILL", "guard", 137),
    ] {
        terminal.type_text("clear; $Y demo; s=$?; echo \"status=$s=\"");
        terminal.press(&["Enter"]);
        terminal.wait("worst-gates.sh");
        terminal.wait("keeps 5 of");
        let (worker, guard) = processes(&terminal);
        kill(if whom == "screen" { worker } else { guard }, signal);
        let killed_guard = (signal, whom) == ("KILL", "guard");
        if !killed_guard {
            terminal.wait(&format!("status={code}="));
        }
        let deadline = Instant::now() + Duration::from_secs(10);
        while std::path::Path::new(&format!("/proc/{worker}")).exists() {
            assert!(Instant::now() < deadline, "the screen works on after {signal} of the {whom}");
            std::thread::sleep(Duration::from_millis(10));
        }
        if killed_guard {
            // The shell may have written on the screen's own page, which is gone with it.
            terminal.type_text("clear; echo \"status=$s=\"");
            terminal.press(&["Enter"]);
            terminal.wait(&format!("status={code}="));
        }
        // A screen without its guard gives the terminal back a little later.
        let same = || terminal.settings() == settings && terminal.flags() == flags;
        assert!((0..20).any(|_| same()), "{signal} of the {whom}: {}", terminal.flags());
    }
    // The text of a screen that was killed comes back.
    start_demo(&terminal);
    replace_text(&terminal, "sort spares-lower.txt | uniq -d");
    terminal.wait("2 uniq -d");
    terminal.recovery_file("uniq -d");
    kill(processes(&terminal).0, "KILL");
    terminal.wait("stopped by signal 9");
    terminal.type_text("clear; $Y");
    terminal.press(&["Enter"]);
    terminal.wait("the text of an interrupted session was kept");
    terminal.press(&["Up"]);
    terminal.wait("uniq -d");
}

#[test]
fn a_stop_from_outside_and_fg_leave_both_in_order() {
    let terminal = Terminal::open(120, 40);
    let (settings, flags) = (terminal.settings(), terminal.flags());
    for (signal, on_guard) in [("TSTP", false), ("TSTP", true), ("STOP", false)] {
        start_demo(&terminal);
        let (worker, guard) = processes(&terminal);
        kill(if on_guard { guard } else { worker }, signal);
        terminal.wait("Stopped");
        assert_eq!(
            (terminal.settings(), terminal.flags()),
            (settings.clone(), flags.clone()),
            "{signal}"
        );
        terminal.type_text("clear; fg");
        terminal.press(&["Enter"]);
        terminal.wait("keeps 5 of");
        // The keys are the screen's again.
        replace_text(&terminal, "echo back again | tr a-z A-Z");
        terminal.wait("BACK AGAIN");
        terminal.press(&["C-q"]);
        terminal.wait("Quit anyway?");
        terminal.press(&["y"]);
        terminal.wait("shell>");
        assert_eq!(
            (terminal.settings(), terminal.flags()),
            (settings.clone(), flags.clone()),
            "{signal}"
        );
    }
}

#[test]
fn leaving_ends_consented_programs_with_all_they_started() {
    let terminal = Terminal::open(120, 40);
    let pids = terminal.path().join("pids");
    start_demo(&terminal);
    let script = format!(
        "(setsid sleep 987 & echo $! >> {0}); sleep 988 & echo $! >> {0}; echo on",
        pids.display()
    );
    replace_text(&terminal, &format!("sh -c {} | cat", shell::quote(&script)));
    terminal.wait("! not started");
    terminal.escape("↑↓ select");
    terminal.press(&["Home", "Down", "y"]);
    terminal.wait("Run this external program?");
    terminal.press(&["o"]);
    let deadline = Instant::now() + Duration::from_secs(20);
    let started = || std::fs::read_to_string(&pids).unwrap_or_default().lines().count() == 2;
    while !started() {
        assert!(Instant::now() < deadline, "not started");
        std::thread::sleep(Duration::from_millis(10));
    }
    terminal.press(&["C-q"]);
    terminal.wait("Quit anyway?");
    terminal.press(&["y"]);
    terminal.wait("shell>");
    let running = || {
        let text =
            std::process::Command::new("pgrep").args(["-f", "^sleep 98[78]$"]).output().unwrap();
        String::from_utf8_lossy(&text.stdout).into_owned()
    };
    while !running().is_empty() {
        assert!(Instant::now() < deadline, "still there: {}", running());
        std::thread::sleep(Duration::from_millis(10));
    }
}
