//! Standard output and input around the screen: drawn on the controlling terminal where standard output
//! leads elsewhere, and brought back for what comes after.

use std::fs::File;
use std::io::{self, IsTerminal};
use std::os::fd::OwnedFd;

use anyhow::{Context, Result};
use stream::{ReadError, Source};
use tui::Purpose;

/// The controlling terminal of this process (tty(4)).
const TERMINAL: &str = "/dev/tty";

fn terminal() -> io::Result<File> {
    File::options().read(true).write(true).open(TERMINAL)
}

/// True where there is a terminal to draw on.
pub(crate) fn has_terminal() -> bool {
    io::stdout().is_terminal() || terminal().is_ok()
}

/// Standard output while the screen has it.
pub(crate) struct ScreenOutput {
    /// What standard output was, where it was not a terminal.
    before: Option<OwnedFd>,
}

impl ScreenOutput {
    /// Lets standard output lead to the controlling terminal.
    ///
    /// # Errors
    /// Where there is none.
    pub(crate) fn take() -> Result<Self> {
        if io::stdout().is_terminal() {
            return Ok(Self { before: None });
        }
        let terminal = terminal().map_err(|_| tui::TuiError::NoTerminal)?;
        let before = rustix::io::fcntl_dupfd_cloexec(rustix::stdio::stdout(), 3)
            .context("standard output")?;
        rustix::stdio::dup2_stdout(&terminal).context("standard output")?;
        Ok(Self { before: Some(before) })
    }

    /// What the screen is opened for.
    pub(crate) fn purpose(&self) -> Purpose {
        if self.before.is_some() { Purpose::Pipe } else { Purpose::Work }
    }

    /// Brings back what it was.
    ///
    /// # Errors
    /// What the system says; nothing may be written then.
    pub(crate) fn give_back(self) -> Result<()> {
        if let Some(before) = self.before {
            rustix::stdio::dup2_stdout(&before).context("standard output")?;
        }
        Ok(())
    }
}

/// Lets standard input be a pipe that is fed with all of this, on a thread of its own. The thread ends
/// when all is written, or its reader closes.
///
/// # Errors
/// What the system says.
pub(crate) fn feed_standard_input(mut source: Box<dyn Source>) -> io::Result<()> {
    let (reading, writing) = rustix::pipe::pipe_with(rustix::pipe::PipeFlags::CLOEXEC)?;
    rustix::stdio::dup2_stdin(&reading)?;
    drop(reading);
    engine::start_thread("standard input", move || {
        loop {
            match source.next_block() {
                Ok(Some(block)) => {
                    if write_all(&writing, block.bytes()).is_err() {
                        return;
                    }
                }
                Ok(None) | Err(ReadError::Cancelled) => return,
                Err(error) => {
                    crate::say::error(&format!("ylotrope: standard input: {error}"));
                    return;
                }
            }
        }
    })?;
    Ok(())
}

fn write_all(descriptor: &OwnedFd, mut bytes: &[u8]) -> io::Result<()> {
    while !bytes.is_empty() {
        match rustix::io::write(descriptor, bytes) {
            Ok(written) => bytes = &bytes[written..],
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(())
}
