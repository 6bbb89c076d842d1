//! Files and commands a program writes to and reads from.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use stream::{
    BLOCK_SIZE, Block, CommandEnd, CommandRequest, Joined, Running, Sink, StageError, StageIo,
    WriteError, WriteMode, describe,
};

use super::tree::Redirection;
use crate::common::input::records::{Blocks, Records};

enum Out<'w> {
    File(Arc<dyn Sink>),
    Command(Box<dyn Running + 'w>),
    /// A command that was not started here: what it would read goes nowhere.
    HeldBack,
}

struct Writer<'w> {
    out: Out<'w>,
    buffer: Vec<u8>,
    /// Set when the reader has gone: what follows goes nowhere.
    closed: bool,
}

impl Writer<'_> {
    fn flush(&mut self) -> Result<(), WriteError> {
        if self.buffer.is_empty() || self.closed {
            self.buffer.clear();
            return Ok(());
        }
        let block = Block::new(std::mem::take(&mut self.buffer));
        let written = match &mut self.out {
            Out::File(sink) => sink.write(block),
            Out::Command(running) => running.feed(block),
            Out::HeldBack => Ok(()),
        };
        match written {
            // A command that reads no further is no reason to stop.
            Err(WriteError::Closed) => {
                self.closed = true;
                Ok(())
            }
            other => other,
        }
    }
}

/// All that is open, by name.
#[derive(Default)]
pub(super) struct Streams<'w> {
    writers: Vec<(Redirection, Vec<u8>, Writer<'w>)>,
    by_name: HashMap<(Redirection, Vec<u8>), usize>,
    /// The one used last: programs mostly write to the same place again.
    last: usize,
    readers: Vec<(bool, Vec<u8>, Records<'w>)>,
    /// Commands that were not started because nothing may be changed here.
    held_back: usize,
}

/// The status `close` and `system` give.
pub(super) fn status_of(end: CommandEnd) -> f64 {
    match end {
        CommandEnd::Exited(status) => f64::from(status),
        CommandEnd::Signalled(signal) => f64::from(signal) + 256.0,
        CommandEnd::NotFound => 127.0,
        CommandEnd::NotStarted => 126.0,
        CommandEnd::HeldBack => 0.0,
    }
}

pub(super) fn shell_line(text: &[u8]) -> [Vec<u8>; 3] {
    [b"sh".to_vec(), b"-c".to_vec(), text.to_vec()]
}

impl<'w> Streams<'w> {
    /// Writes to a file or command, which is opened when it is not open yet.
    pub(super) fn write(
        &mut self,
        io: &mut StageIo<'w>,
        how: Redirection,
        name: &[u8],
        bytes: &[u8],
    ) -> Result<(), StageError> {
        let known = self
            .writers
            .get(self.last)
            .is_some_and(|(kind, known, _)| *kind == how && known == name);
        if !known {
            self.last = match self.by_name.get(&(how, name.to_vec())) {
                Some(at) => *at,
                None => self.open(io, how, name)?,
            };
        }
        let (_, name, writer) = &mut self.writers[self.last];
        writer.buffer.extend_from_slice(bytes);
        if writer.buffer.len() >= BLOCK_SIZE {
            writer.flush().map_err(|error| write_failure(name, error))?;
        }
        Ok(())
    }

    /// True where nothing of that name is open for writing.
    pub(super) fn is_new(&self, how: Redirection, name: &[u8]) -> bool {
        let last = self.writers.get(self.last);
        !last.is_some_and(|(kind, known, _)| *kind == how && known == name)
            && !self.by_name.contains_key(&(how, name.to_vec()))
    }

    fn open(
        &mut self,
        io: &mut StageIo<'w>,
        how: Redirection,
        name: &[u8],
    ) -> Result<usize, StageError> {
        let out =
            if how == Redirection::Pipe {
                match self.start(io, name, Joined::Input)? {
                    Ok(running) => Out::Command(running),
                    Err(CommandEnd::HeldBack) => {
                        self.held_back += 1;
                        Out::HeldBack
                    }
                    Err(_) => {
                        let shown = String::from_utf8_lossy(name);
                        return Err(StageError::failed(2, format!("cannot start “{shown}”")));
                    }
                }
            } else if name == b"/dev/stderr" {
                Out::File(io.error_sink()?)
            } else {
                let mode =
                    if how == Redirection::File { WriteMode::Replace } else { WriteMode::Append };
                let sink = io.files().write(Path::new(OsStr::from_bytes(name)), mode);
                Out::File(sink.map_err(|error| {
                    crate::common::input::line_feed::open_failure(2, name, &error)
                })?)
            };
        let writer = Writer { out, buffer: Vec::new(), closed: false };
        self.writers.push((how, name.to_vec(), writer));
        self.by_name.insert((how, name.to_vec()), self.writers.len() - 1);
        Ok(self.writers.len() - 1)
    }

    fn start(
        &mut self,
        io: &mut StageIo<'w>,
        text: &[u8],
        joined: Joined,
    ) -> Result<Result<Box<dyn Running + 'w>, CommandEnd>, StageError> {
        self.flush()?;
        let out = io.out().side(None)?;
        let error = io.error_sink()?;
        let words = shell_line(text);
        let control = io.cancel().clone();
        let job = CommandRequest {
            words: &words,
            input: None,
            out,
            error,
            environment: stream::Environment::default(),
            directory: None,
            control: &control,
        };
        Ok(io.commands().start(job, joined))
    }

    /// The reader of a file (`command` false) or of a command; `None` where it cannot be opened.
    pub(super) fn reader(
        &mut self,
        io: &mut StageIo<'w>,
        command: bool,
        name: &[u8],
    ) -> Result<Option<&mut Records<'w>>, StageError> {
        let known =
            |(kind, known, _): &(bool, Vec<u8>, Records<'w>)| *kind == command && known == name;
        let at = match self.readers.iter().position(known) {
            Some(at) => at,
            None => {
                let blocks = if command {
                    match self.start(io, name, Joined::Output)? {
                        Ok(running) => Blocks::Command(running),
                        Err(end) => {
                            self.held_back += usize::from(end == CommandEnd::HeldBack);
                            return Ok(None);
                        }
                    }
                } else {
                    let name = if name == b"/dev/stdin" { b"-" } else { name };
                    match io.open(name) {
                        Ok(input) => Blocks::Input(input),
                        Err(_) => return Ok(None),
                    }
                };
                let eager = io.out().is_eager();
                self.readers.push((command, name.to_vec(), Records::new(blocks, eager)));
                self.readers.len() - 1
            }
        };
        Ok(self.readers.get_mut(at).map(|(.., records)| records))
    }

    /// Closes all that has this name; gives the status of the last, -1 where nothing was open.
    pub(super) fn close(&mut self, name: &[u8]) -> Result<f64, StageError> {
        let mut status = -1.0;
        while let Some(at) = self.readers.iter().position(|(_, known, _)| known == name) {
            let (.., records) = self.readers.swap_remove(at);
            status = match records.blocks {
                Blocks::Command(running) => status_of(running.finish()),
                Blocks::Input(_) => 0.0,
            };
        }
        while let Some(at) = self.writers.iter().position(|(_, known, _)| known == name) {
            let (_, name, writer) = self.writers.swap_remove(at);
            status = finish(&name, writer)?;
            self.by_name = (self.writers.iter().enumerate())
                .map(|(at, (how, name, _))| ((*how, name.clone()), at))
                .collect();
        }
        Ok(status)
    }

    /// Hands on what was written to one, or all; false where there is no such.
    pub(super) fn flush_one(&mut self, name: &[u8]) -> Result<bool, StageError> {
        let mut any = false;
        for (_, known, writer) in &mut self.writers {
            if known == name {
                any = true;
                writer.flush().map_err(|error| write_failure(known, error))?;
            }
        }
        Ok(any)
    }

    /// Hands on all that was written.
    pub(super) fn flush(&mut self) -> Result<(), StageError> {
        for (_, name, writer) in &mut self.writers {
            writer.flush().map_err(|error| write_failure(name, error))?;
        }
        Ok(())
    }

    /// Closes everything, in the order in which it was opened; gives how many commands were not
    /// started.
    pub(super) fn finish(&mut self) -> Result<usize, StageError> {
        self.flush()?;
        let mut failed = Ok(());
        for (_, name, writer) in self.writers.drain(..) {
            let ended = finish(&name, writer);
            if failed.is_ok() {
                failed = ended.map(|_| ());
            }
        }
        self.by_name.clear();
        for (.., records) in self.readers.drain(..) {
            if let Blocks::Command(running) = records.blocks {
                running.finish();
            }
        }
        failed.map(|()| self.held_back)
    }

    pub(super) fn note_held_back(&mut self) {
        self.held_back += 1;
    }
}

fn finish(name: &[u8], mut writer: Writer<'_>) -> Result<f64, StageError> {
    writer.flush().map_err(|error| write_failure(name, error))?;
    Ok(match writer.out {
        Out::Command(running) => status_of(running.finish()),
        Out::File(sink) => {
            let placed = sink.put_in_place();
            placed.map_err(|error| write_failure(name, WriteError::Io(error)))?;
            0.0
        }
        Out::HeldBack => 0.0,
    })
}

fn write_failure(name: &[u8], error: WriteError) -> StageError {
    match error {
        WriteError::Cancelled => StageError::Cancelled,
        WriteError::Io(error) => {
            let name = String::from_utf8_lossy(name);
            StageError::failed(2, format!("{name}: write error: {}", describe(&error)))
        }
        closed @ WriteError::Closed => closed.into(),
    }
}
