//! Commands in the place of files, for programs of the machine: named pipes that the program opens
//! as it would open files.

use std::ffi::OsStr;
use std::fs::File;
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use rustix::fs::{CWD, FileType, Mode, OFlags, mknodat, open};
use shell::Direction;
use stream::{Block, Files, RunControl, Sink, Source, WriteMode, describe};

use crate::base::threads::start_part_within;
use crate::files::block_source::{read_block, write_block};
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::StagePlan;

/// How long to wait before it is looked again whether the program has opened a pipe.
const PAUSE: Duration = Duration::from_millis(1);

/// Runs a program with named pipes for its substitutions. `files` has the other ends, by the names
/// the arguments have now.
///
/// # Errors
/// Where no pipe can be made; nothing was run then.
pub(crate) fn with_pipes(
    plan: &StagePlan,
    files: &dyn Files,
    control: &RunControl,
    run: impl FnOnce(&StagePlan) -> StageOutcome,
) -> io::Result<StageOutcome> {
    let directory = tempfile::Builder::new().prefix("ylotrope-").tempdir()?;
    let mut renamed = plan.clone();
    // What a redirection opened is no name for the program.
    let named = |name: &[u8]| {
        plan.arguments.iter().any(|argument| memchr::memmem::find(argument, name).is_some())
    };
    let over = RunControl::default();
    std::thread::scope(|scope| {
        // Whatever becomes of the run, what waits for its pipes ends.
        let _over = Cancels(&over);
        for (number, substitution) in plan.substitutions.iter().enumerate() {
            if !named(&substitution.name) {
                continue;
            }
            let path = directory.path().join(number.to_string());
            let mode = Mode::RUSR | Mode::WUSR;
            mknodat(CWD, &path, FileType::Fifo, mode, 0)?;
            rename(&mut renamed, &substitution.name, &path);
            let name = PathBuf::from(OsStr::from_bytes(&substitution.name));
            let over = &over;
            match substitution.direction {
                Direction::Read => {
                    let Ok(source) = files.read(&name) else { continue };
                    // Without it the program would find nothing there: it is not started.
                    let work = move || give(source, &path, over, control);
                    start_part_within(scope, "give", control, work)?;
                }
                Direction::Write => {
                    let Ok(sink) = files.write(&name, WriteMode::Replace) else { continue };
                    let work = move || take(&sink, &path, over, control);
                    start_part_within(scope, "take", control, work)?;
                }
            }
        }
        Ok(run(&renamed))
    })
}

/// Cancels when it is dropped.
struct Cancels<'c>(&'c RunControl);

impl Drop for Cancels<'_> {
    fn drop(&mut self) {
        self.0.cancel();
    }
}

fn rename(plan: &mut StagePlan, name: &[u8], path: &Path) {
    for argument in &mut plan.arguments {
        if let Some(at) = memchr::memmem::find(argument, name) {
            argument.splice(at..at + name.len(), path.as_os_str().as_bytes().iter().copied());
        }
    }
}

/// Writes what a source gives into a pipe once somebody reads it.
fn give(mut source: Box<dyn Source>, path: &Path, over: &RunControl, control: &RunControl) {
    let pipe = loop {
        // Fails as long as nobody has opened it for reading.
        match open(path, OFlags::WRONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty()) {
            Ok(pipe) => break pipe,
            Err(_) if over.is_cancelled() || control.is_cancelled() => return,
            Err(_) => std::thread::sleep(PAUSE),
        }
    };
    // From here on a write waits for the reader, and ends when that has gone.
    if rustix::io::ioctl_fionbio(&pipe, false).is_err() {
        return;
    }
    while let Ok(Some(block)) = source.next_block() {
        if write_block(&pipe, block.bytes()).is_err() {
            return;
        }
    }
}

/// Reads what somebody writes into a pipe, until the last one who does has gone.
fn take(sink: &Arc<dyn Sink>, path: &Path, over: &RunControl, control: &RunControl) {
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let Ok(pipe) = open(path, flags, Mode::empty()) else { return };
    let pipe = File::from(pipe);
    let mut opened = false;
    loop {
        match read_block(&pipe) {
            Ok(Some(block)) => {
                opened = true;
                if sink.write(block).is_err() {
                    return;
                }
            }
            // Nobody writes: not yet, or no more.
            Ok(None) if opened || over.is_cancelled() => return,
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                opened = true;
                std::thread::sleep(PAUSE);
            }
            Err(error) => {
                let line = format!("{}: {}\n", path.display(), describe(&error));
                // What reads this has the message in its data; there is no other place for it.
                let _ = sink.write(Block::new(line.into_bytes()));
                return;
            }
            Ok(None) => std::thread::sleep(PAUSE),
        }
        if control.is_cancelled() {
            return;
        }
    }
}
