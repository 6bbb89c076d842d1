//! Between other commands, before a file, and at the prompts of shells.

use std::io::Write;
use std::process::{Command, Stdio};

use crate::tmux::Terminal;

/// Opens the Bench within a line and waits until its text is there.
fn begin(terminal: &Terminal, line: &str, text: &str) {
    terminal.type_text(line);
    terminal.press(&["Enter"]);
    terminal.wait(text);
    terminal.wait("evaluated in");
}

#[test]
fn a_pipe_goes_on_after_a_yes() {
    let terminal = Terminal::open(120, 40);
    begin(&terminal, "seq 1000 | $Y | wc -l; echo ended ${PIPESTATUS[*]}", "cat");
    let screen = terminal.screen();
    assert!(screen.contains("the result is passed on to standard output"), "{screen}");
    terminal.press(&["C-q"]);
    let screen = terminal.wait("pass its result on to standard output?");
    assert!(screen.contains("y run it, pass the result on"), "{screen}");
    // Esc stays.
    terminal.escape("Ctrl-Q quit, passing the result on");
    terminal.type_text(" | grep 7 | sort -rn");
    terminal.wait("sort -rn");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on to standard output?");
    terminal.press(&["y"]);
    let screen = terminal.wait("ended 0 0 0");
    assert!(screen.lines().any(|line| line.trim() == "271"), "{screen}");
    assert_eq!(terminal.flags().trim(), "0 1 0");
}

#[test]
fn all_lines_go_on_where_nothing_was_changed() {
    let terminal = Terminal::open(120, 40);
    begin(&terminal, "seq 1000 | $Y | wc -l; echo ended ${PIPESTATUS[*]}", "cat");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["y"]);
    let screen = terminal.wait("ended 0 0 0");
    assert!(screen.lines().any(|line| line.trim() == "1000"), "{screen}");
}

#[test]
fn nothing_goes_on_after_a_no() {
    let terminal = Terminal::open(120, 40);
    begin(&terminal, "seq 1000 | $Y | wc -l; echo ended ${PIPESTATUS[*]}", "cat");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["n"]);
    let screen = terminal.wait("ended 0 130 0");
    assert!(screen.lines().any(|line| line.trim() == "0"), "{screen}");
}

#[test]
fn a_reader_that_closes_ends_it_as_any_filter() {
    let terminal = Terminal::open(120, 40);
    begin(&terminal, "yes | $Y | head -n 1; echo ended ${PIPESTATUS[*]}", "cat");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["y"]);
    let screen = terminal.wait("ended 141 141 0");
    assert!(screen.lines().any(|line| line.trim() == "y"), "{screen}");
}

#[test]
fn a_text_that_cannot_run_is_not_let_go_on_and_a_status_is_handed_on() {
    let terminal = Terminal::open(120, 40);
    begin(&terminal, "seq 3 | $Y > out; echo ended $? $(cat out)", "cat");
    terminal.type_text(" | grep 'x");
    terminal.wait("outdated");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["y"]);
    terminal.wait_gone("pass its result on");
    terminal.wait("this quote ' has no end");
    terminal.type_text("' ; echo much; exit 7");
    terminal.wait("exit 7");
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["y"]);
    terminal.wait("ended 7 much");
}

/// The numbers of all processes.
fn processes() -> Vec<String> {
    let names = std::fs::read_dir("/proc").unwrap().flatten().map(|entry| entry.file_name());
    let names = names.filter_map(|name| name.into_string().ok());
    names.filter(|name| name.bytes().all(|byte| byte.is_ascii_digit())).collect()
}

#[test]
fn two_gibibytes_go_through_in_little_memory() {
    let terminal = Terminal::open(120, 40);
    begin(
        &terminal,
        "yes 0123456789abcde | head -c 2147483648 | $Y | tee >(wc -c > size) | (sleep 1; cat) | tail -c 3; echo $((40 + 2)) ended",
        "cat",
    );
    terminal.press(&["C-q"]);
    terminal.wait("pass its result on");
    terminal.press(&["y"]);
    // While it works: the process that was the screen, and the one that waits for it.
    let most = std::cell::Cell::new(0_u64);
    let seen = std::cell::RefCell::new(std::collections::BTreeSet::new());
    terminal.wait_for("the end", |screen| {
        for number in processes() {
            let of_test = std::fs::read_to_string(format!("/proc/{number}/environ"))
                .is_ok_and(|all| all.contains(&terminal.path().display().to_string()));
            let ours = std::fs::read_link(format!("/proc/{number}/exe"))
                .is_ok_and(|path| path == assert_cmd::cargo::cargo_bin!("ylotrope"));
            let status = std::fs::read_to_string(format!("/proc/{number}/status"));
            let peak = status.unwrap_or_default().lines().find_map(|line| {
                line.strip_prefix("VmHWM:")?.trim().strip_suffix("kB")?.trim().parse().ok()
            });
            if of_test && ours {
                let peak: u64 = peak.unwrap_or(0);
                seen.borrow_mut().insert(number.clone());
                most.set(most.get().max(peak));
            }
        }
        screen.contains("42 ended")
    });
    terminal.type_text("clear; cat size");
    terminal.press(&["Enter"]);
    terminal.wait_for("all of it", |screen| screen.lines().any(|line| line == "2147483648"));
    assert!(most.get() > 0 && most.get() < 64 << 10, "{} KiB", most.get());
    assert_eq!(seen.borrow().len(), 2, "the screen's process and the one that waits");
}

#[test]
fn without_a_terminal_it_says_what_works() {
    let program = assert_cmd::cargo::cargo_bin!("ylotrope");
    let mut child = Command::new("setsid")
        .args(["--wait"])
        .arg(program)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    // It may have ended before it was fed.
    let _ = child.stdin.take().unwrap().write_all(b"a line\n");
    let output = child.wait_with_output().unwrap();
    assert_eq!(
        String::from_utf8_lossy(&output.stderr),
        "ylotrope: there is no terminal to draw on; “ylotrope run” works without one\n"
    );
    assert_eq!((output.status.code(), &output.stdout[..]), (Some(2), &b""[..]));
}

/// A shell at its prompt, with the binding.
struct Prompt {
    terminal: Terminal,
    /// Clears the line.
    clear: &'static str,
}

impl Prompt {
    fn open(shell: &str) -> Self {
        let terminal = Terminal::open(120, 40);
        let (start, init, clear) = match shell {
            "bash" => {
                ("env PS1='at> ' bash --norc --noprofile", "eval \"$($Y shell-init bash)\"", "C-u")
            }
            "zsh" => (
                "env PS1='at> ' zsh -f",
                "unsetopt PROMPT_SP; eval \"$($Y shell-init zsh)\"",
                "C-u",
            ),
            _ => (
                "env fish_features=no-query-term fish --no-config --init-command 'function fish_prompt; echo -n \"at> \"; end; function fish_right_prompt; end; set -g fish_greeting; set -g fish_autosuggestion_enabled 0'",
                "$Y shell-init fish | source",
                "C-u",
            ),
        };
        terminal.type_text(start);
        terminal.press(&["Enter"]);
        terminal
            .wait_for("the prompt", |screen| screen.lines().any(|line| line.starts_with("at>")));
        terminal.type_text(&format!("{init}; clear"));
        terminal.press(&["Enter"]);
        terminal.wait_for("a clear screen", |screen| {
            screen.trim_end().lines().all(|line| line.trim() == "at>") && screen.contains("at>")
        });
        Self { terminal, clear }
    }

    /// Lines of the prompt are as asked.
    fn shows(&self, text: &str) {
        self.terminal.wait_for(text, |screen| !screen.contains("Ctrl-Q") && screen.contains(text));
    }

    /// Goes into the Bench with the line. A shell that is just taking its terminal back forgets
    /// keys: the key is pressed again while the prompt is there.
    fn go_in(&self) {
        let tries = std::cell::Cell::new(0_u32);
        self.terminal.wait_for("the Bench", |screen| {
            let is_there = screen.contains("Ctrl-Q back to the prompt");
            // Once a second or so: it also takes a moment to open.
            if !is_there && tries.get().is_multiple_of(40) {
                self.terminal.alt('i');
            }
            tries.set(tries.get() + 1);
            is_there
        });
    }

    fn try_out(&self) {
        let terminal = &self.terminal;
        // Half a line goes in.
        terminal.type_text("printf '%s\\n' \"été 'x'\" ü | gr");
        self.go_in();
        terminal.wait("| gr");
        terminal.type_text("ep x");
        terminal.wait("| grep x");
        terminal.press(&["C-q"]);
        terminal.wait("Back to the prompt with this text?");
        terminal.press(&["y"]);
        // It is at the prompt and was not run.
        self.shows("at> printf '%s\\n' \"été 'x'\" ü | grep x");
        let screen = terminal.screen();
        assert!(!screen.lines().any(|line| line.trim() == "été 'x'"), "{screen}");
        // Esc leaves it as it was.
        self.go_in();
        terminal.wait("| grep x");
        terminal.type_text("yz");
        terminal.wait("grep xyz");
        terminal.escape("↑↓ select");
        terminal.escape("Back to the prompt with this text?");
        terminal.press(&["Escape"]);
        self.shows("ü | grep x");
        assert!(!terminal.screen().contains("xyz"));
        // It can be run then. (See `go_in`.)
        terminal.wait_for("its result", |screen| {
            let has_result = screen.lines().any(|line| line.trim() == "été 'x'");
            if !has_result {
                terminal.press(&["Enter"]);
            }
            has_result
        });
        // Several lines are one text.
        self.go_in();
        terminal.paste("for n in 1 2\ndo echo \"no $n\" \\\\\ndone");
        terminal.wait("done");
        terminal.press(&["C-q"]);
        terminal.wait("Back to the prompt with this text?");
        terminal.press(&["y"]);
        self.shows("done");
        let screen = terminal.screen();
        assert!(
            screen.contains("for n in 1 2") && screen.contains("do echo \"no $n\" \\\\"),
            "{screen}"
        );
        terminal.press(&["C-c"]);
        terminal.press(&[self.clear]);
    }
}

#[test]
fn a_line_of_bash_is_edited_in_the_bench() {
    Prompt::open("bash").try_out();
}

#[test]
fn a_line_of_zsh_is_edited_in_the_bench() {
    Prompt::open("zsh").try_out();
}

#[test]
fn a_line_of_fish_is_edited_in_the_bench() {
    Prompt::open("fish").try_out();
}
