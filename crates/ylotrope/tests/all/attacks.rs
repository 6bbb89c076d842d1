//! Attacks: what starts, what is read by others, what is lost, what hangs, what reaches a terminal raw.

mod ending;
mod losing;
mod rights;
mod starting;

use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

pub(crate) const PROGRAM: &str = env!("CARGO_BIN_EXE_ylotrope");

/// The program in a folder, with a home of its own there.
pub(crate) fn ylotrope(folder: &Path) -> Command {
    let mut command = Command::new(PROGRAM);
    command
        .current_dir(folder)
        .env("XDG_STATE_HOME", folder.join("home/state"))
        .env("XDG_CONFIG_HOME", folder.join("home/config"))
        .env("LC_ALL", "C.UTF-8")
        .stdin(Stdio::null());
    command
}

pub(crate) fn run(folder: &Path, line: &str) -> Output {
    ylotrope(folder).args(["run", "-c", line]).output().unwrap()
}

pub(crate) fn sh(folder: &Path, line: &str) -> Output {
    Command::new("sh").args(["-c", line]).current_dir(folder).stdin(Stdio::null()).output().unwrap()
}

pub(crate) fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// Fails where something takes longer than a hang would be noticed.
pub(crate) fn within(seconds: u64, what: &str, work: impl FnOnce()) {
    let since = Instant::now();
    work();
    assert!(since.elapsed() < Duration::from_secs(seconds), "{what} took {:?}", since.elapsed());
}

pub(crate) fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}
