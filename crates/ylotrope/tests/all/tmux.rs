//! A terminal for the tests: tmux with a socket of its own.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// How long something that must come may take on a busy machine.
const PATIENCE: Duration = Duration::from_secs(30);

pub(crate) struct Terminal {
    folder: tempfile::TempDir,
    socket: PathBuf,
}

impl Terminal {
    /// The recovery file with `part` in its text, once it is written: that is a moment after the
    /// last key.
    pub(crate) fn recovery_file(&self, part: &str) -> std::path::PathBuf {
        let since = std::time::Instant::now();
        loop {
            let files = std::fs::read_dir(self.path().join("state/ylotrope"));
            let mut paths = files.into_iter().flatten().flatten().map(|entry| entry.path());
            let has = |path: &std::path::PathBuf| {
                path.display().to_string().contains("recovery-")
                    && std::fs::read_to_string(path).is_ok_and(|text| text.contains(part))
            };
            if let Some(path) = paths.find(has) {
                return path;
            }
            assert!(since.elapsed().as_secs() < 30, "no recovery file with {part}");
            std::thread::yield_now();
        }
    }

    /// A shell in a terminal of this size, in an empty folder; our program is `$Y`.
    pub(crate) fn open(columns: u16, rows: u16) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let socket = folder.path().join("socket");
        let terminal = Self { folder, socket };
        let program = assert_cmd::cargo::cargo_bin!("ylotrope");
        let state = terminal.folder.path().join("state");
        terminal.tmux(&[
            "-f", "/dev/null", "new-session", "-d", "-x", &columns.to_string(), "-y", &rows.to_string(),
            "-c", &terminal.path().display().to_string(),
            &format!(
                "env PS1='shell> ' Y='{0}' XDG_STATE_HOME='{1}' XDG_CONFIG_HOME='{1}/config' COLORTERM=truecolor LC_ALL=C.UTF-8 bash --norc --noprofile",
                program.display(), state.display()
            ),
        ]);
        terminal.tmux(&["set-option", "-g", "escape-time", "0"]);
        terminal.wait("shell>");
        terminal
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    pub(crate) fn tmux(&self, arguments: &[&str]) -> String {
        let output =
            Command::new("tmux").arg("-S").arg(&self.socket).args(arguments).output().unwrap();
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    pub(crate) fn screen(&self) -> String {
        self.tmux(&["capture-pane", "-p"])
    }

    /// Presses keys by their tmux names.
    pub(crate) fn press(&self, keys: &[&str]) {
        let mut arguments = vec!["send-keys"];
        arguments.extend(keys);
        self.tmux(&arguments);
    }

    /// Presses Esc and waits until it is understood: with another key right behind it, it would
    /// be the beginning of a key sequence.
    pub(crate) fn escape(&self, until: &str) {
        self.press(&["Escape"]);
        self.wait(until);
    }

    /// Presses a key that begins with Esc, which tmux calls `M-x`.
    pub(crate) fn alt(&self, letter: char) {
        self.press(&[&format!("M-{letter}")]);
    }

    /// Types text as it is.
    pub(crate) fn type_text(&self, text: &str) {
        self.tmux(&["send-keys", "-l", text]);
    }

    /// Pastes text as the terminal does, with brackets.
    pub(crate) fn paste(&self, text: &str) {
        self.tmux(&["set-buffer", text]);
        self.tmux(&["paste-buffer", "-p"]);
    }

    pub(crate) fn resize(&self, columns: u16, rows: u16) {
        self.tmux(&["resize-window", "-x", &columns.to_string(), "-y", &rows.to_string()]);
    }

    /// Waits until the screen is as asked; gives it when it is drawn whole: what is drawn may
    /// arrive in parts.
    pub(crate) fn wait_for(&self, what: &str, is_there: impl Fn(&str) -> bool) -> String {
        let deadline = Instant::now() + PATIENCE;
        loop {
            let screen = self.screen();
            if is_there(&screen) {
                return self.settled(screen);
            }
            assert!(Instant::now() < deadline, "{what} did not come; the screen is:\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// The screen when it no longer changes; as it is where it changes all the time.
    fn settled(&self, mut screen: String) -> String {
        for _ in 0..20 {
            std::thread::sleep(Duration::from_millis(5));
            let next = self.screen();
            if next == screen {
                break;
            }
            screen = next;
        }
        screen
    }

    /// Waits until the text is on the screen.
    pub(crate) fn wait(&self, text: &str) -> String {
        self.wait_for(text, |screen| screen.contains(text))
    }

    /// Waits until the text is no longer on the screen.
    pub(crate) fn wait_gone(&self, text: &str) -> String {
        self.wait_for(&format!("the end of {text}"), |screen| !screen.contains(text))
    }

    /// The settings of the terminal line, as `stty` tells them.
    pub(crate) fn settings(&self) -> String {
        // A new name each time: what an earlier call left on the screen or in the folder must
        // not be taken for this one's answer.
        let number = (0..100).find(|number| !self.path().join(format!("told{number}")).exists());
        let name = format!("told{}", number.unwrap_or(0));
        self.type_text(&format!("clear; stty -a > {name}; echo have {name}"));
        self.press(&["Enter"]);
        let answer = format!("have {name}");
        self.wait_for("stty", |screen| screen.lines().any(|line| line == answer));
        std::fs::read_to_string(self.path().join(name)).unwrap()
    }

    /// Whether the program has put the terminal into its second screen, or shows no cursor.
    pub(crate) fn flags(&self) -> String {
        self.tmux(&[
            "display-message",
            "-p",
            "#{alternate_on} #{cursor_flag} #{mouse_any_flag} #{bracket_paste_flag}",
        ])
    }
}

impl Terminal {
    /// Processes of this program that use this folder: nobody else knows its name.
    fn left(&self) -> Vec<i32> {
        let program = assert_cmd::cargo::cargo_bin!("ylotrope");
        let folder = self.path();
        let all = procfs::process::all_processes().into_iter().flatten().flatten();
        let ours = all.filter(|process| {
            let state = process.environ().unwrap_or_default();
            let state = state.get(std::ffi::OsStr::new("XDG_STATE_HOME"));
            process.exe().is_ok_and(|exe| exe == program)
                && state.is_some_and(|state| Path::new(state).starts_with(folder))
        });
        ours.map(|process| process.pid).collect()
    }
}

impl Drop for Terminal {
    /// Closes the terminal; whatever the program was doing, it ends then.
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
        let since = Instant::now();
        loop {
            let left = self.left();
            if left.is_empty() || std::thread::panicking() {
                return;
            }
            assert!(since.elapsed() < PATIENCE, "left running without a terminal: {left:?}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}
