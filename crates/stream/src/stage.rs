//! What a filter has while it runs: inputs, outputs, files, commands, messages.

use std::borrow::Cow;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use crate::{
    Block, Commands, Decoding, ExitStatus, Files, Holding, Input, LineId, Origin, Output,
    Processors, ReadError, RunControl, Sink, Source, StageError, StageMeter, WriteError, describe,
};

/// How long a stage sleeps before it looks again whether it should stop.
const PAUSE_PART: Duration = Duration::from_millis(20);

/// What an input of a stage was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum InputName {
    /// Standard input.
    Standard,
    /// A file, by the name the stage was given.
    File(Vec<u8>),
}

/// What a stage is connected to.
pub struct StagePorts<'a> {
    /// The name messages begin with.
    pub name: String,
    /// Standard input; `None` when it is closed.
    pub stdin: Option<Box<dyn Source>>,
    /// Standard output.
    pub out: Output,
    /// Standard error; `None` when it goes the same way as standard output.
    pub error: Option<Arc<dyn Sink>>,
    /// Files, directories, environment.
    pub files: &'a dyn Files,
    /// Commands it may start.
    pub commands: &'a dyn Commands,
    /// Processors the stage may ask for.
    pub processors: &'a dyn Processors,
    /// Its counters.
    pub meter: &'a StageMeter,
    /// Whether to stop.
    pub control: RunControl,
}

/// All that a running filter sees: its inputs, its output, and the world.
pub struct StageIo<'a> {
    ports: StagePorts<'a>,
    holding: Holding,
    inputs: Vec<InputName>,
    status: u8,
    watched: Option<LineId>,
    fate: Option<String>,
}

impl<'a> StageIo<'a> {
    /// A stage connected to `ports`.
    pub fn new(ports: StagePorts<'a>) -> Self {
        let holding = ports.control.holding();
        Self { ports, holding, inputs: Vec::new(), status: 0, watched: None, fate: None }
    }

    /// The same with a line of the input of which the stage tells why it writes nothing of it.
    #[must_use]
    pub fn watching(self, line: LineId) -> Self {
        Self { watched: Some(line), ..self }
    }

    /// The line that is watched, in a run that is only made for that.
    pub fn watched(&self) -> Option<LineId> {
        self.watched
    }

    /// Tells why nothing is written of the watched line; the last one counts.
    pub fn tell_fate(&mut self, fate: String) {
        self.fate = Some(fate);
    }

    /// What was told of the watched line.
    pub fn take_fate(&mut self) -> Option<String> {
        self.fate.take()
    }

    /// Standard output.
    #[inline]
    pub fn out(&mut self) -> &mut Output {
        &mut self.ports.out
    }

    /// True when this run keeps origins; see [`Output::keeps_origins`].
    pub fn keeps_origins(&self) -> bool {
        self.ports.out.keeps_origins()
    }

    /// Files, directories, environment.
    pub fn files(&self) -> &'a dyn Files {
        self.ports.files
    }

    /// Commands the stage may start.
    pub fn commands(&self) -> &'a dyn Commands {
        self.ports.commands
    }

    /// Processors the stage may ask for.
    pub fn processors(&self) -> &'a dyn Processors {
        self.ports.processors
    }

    /// The inputs opened so far, by their numbers.
    pub fn inputs(&self) -> &[InputName] {
        &self.inputs
    }

    /// An error once the run is cancelled; for loops that neither read nor write.
    ///
    /// # Errors
    /// [`StageError::Cancelled`] once the run is cancelled.
    pub fn check_cancel(&self) -> Result<(), StageError> {
        if self.ports.control.is_cancelled() { Err(StageError::Cancelled) } else { Ok(()) }
    }

    /// An error for a value that has more bytes than one may have here, so that a program that
    /// doubles a text is ended before the machine is.
    ///
    /// # Errors
    /// A failure with status 2 that names both sizes.
    #[inline]
    pub fn check_value(&self, bytes: usize) -> Result<(), StageError> {
        /// Nobody limits values below this.
        const ALWAYS: usize = 1 << 20;
        if bytes > ALWAYS && bytes as u64 > self.ports.control.value_limit() {
            let limit = self.ports.control.value_limit() >> 20;
            return Err(StageError::failed(
                2,
                format!("a value of {} MiB; at most {limit} MiB are possible here", bytes >> 20),
            ));
        }
        Ok(())
    }

    /// Waits, unless the run is cancelled or the reader has gone.
    ///
    /// # Errors
    /// [`StageError::Cancelled`] once the run is cancelled, a closed pipe once the reader has gone.
    pub fn pause(&self, duration: Duration) -> Result<(), StageError> {
        let mut left = duration;
        loop {
            self.check_cancel()?;
            if left.is_zero() {
                return Ok(());
            }
            let part = left.min(PAUSE_PART);
            let machine = self.ports.files.machine();
            let before = machine.now_ns();
            machine.pause(part);
            // Nothing is done meanwhile: that is waiting, as for a pipe.
            let waited = u64::try_from(machine.now_ns() - before).unwrap_or(0);
            self.ports.meter.add_reading(waited);
            left -= part;
            if self.ports.out.is_closed() {
                return Err(WriteError::Closed.into());
            }
        }
    }

    /// Where messages go; the output where both are the same.
    ///
    /// # Errors
    /// Where what was written before cannot go out first.
    pub fn error_sink(&mut self) -> Result<Arc<dyn Sink>, StageError> {
        match &self.ports.error {
            Some(sink) => Ok(sink.clone()),
            None => Ok(self.ports.out.side(None)?),
        }
    }

    /// The flag that asks this stage to stop.
    pub fn cancel(&self) -> &RunControl {
        &self.ports.control
    }

    /// A name that is part of the output: on a terminal what would steer that is shown as marks,
    /// anywhere else it is the name.
    pub fn shown_name<'n>(&self, name: &'n [u8]) -> Cow<'n, [u8]> {
        if !self.ports.out.is_terminal() {
            return Cow::Borrowed(name);
        }
        crate::shown_on_terminal(name)
    }

    /// States how many bytes of data the stage holds.
    pub fn holds(&self, bytes: u64) {
        self.ports.meter.set_held(bytes);
        self.holding.set(bytes);
    }

    /// The status noted by [`StageIo::note_status`] so far.
    pub fn status(&self) -> ExitStatus {
        ExitStatus(self.status)
    }

    /// Notes that the stage will end with at least this status.
    pub fn note_status(&mut self, status: u8) {
        self.status = self.status.max(status);
    }

    /// Takes standard input away, for a stage within this one.
    pub fn take_stdin(&mut self) -> Option<Box<dyn Source>> {
        self.inputs.push(InputName::Standard);
        self.ports.stdin.take()
    }

    /// The name messages begin with.
    pub fn name(&self) -> &str {
        &self.ports.name
    }

    /// Opens standard input. A second opening finds it at its end.
    pub fn open_stdin(&mut self) -> Input {
        let number = self.inputs.len();
        self.inputs.push(InputName::Standard);
        self.ports.meter.note_standard_input(number);
        Input::new(self.ports.stdin.take().unwrap_or_else(|| Box::new(crate::end::AtEnd)), number)
    }

    /// Opens an operand: `-` is standard input, anything else a file.
    ///
    /// # Errors
    /// Those of [`Files::read`](crate::Files::read).
    pub fn open(&mut self, operand: &[u8]) -> std::io::Result<Input> {
        if operand == b"-" {
            return Ok(self.open_stdin());
        }
        let source = self.ports.files.read(Path::new(OsStr::from_bytes(operand)))?;
        let number = self.inputs.len();
        self.inputs.push(InputName::File(operand.to_vec()));
        Ok(Input::new(source, number))
    }

    /// The first bytes of a file, at most `bytes` of them. It is no input of the stage yet; a pipe loses
    /// what is looked at.
    ///
    /// # Errors
    /// Those of [`Files::read`](crate::Files::read) and of its source.
    pub fn look(&self, operand: &[u8], bytes: usize) -> Result<Vec<u8>, ReadError> {
        let source = self.ports.files.read(Path::new(OsStr::from_bytes(operand)))?;
        Ok(Input::new(source, 0).peek(bytes)?.to_vec())
    }

    /// Opens an operand that is compressed, to read what was in it; `-` is standard input.
    ///
    /// # Errors
    /// Those of [`Files::read_decoded`](crate::Files::read_decoded).
    pub fn open_decoded(
        &mut self,
        operand: &[u8],
        decoding: &'static Decoding,
    ) -> std::io::Result<Input> {
        if operand == b"-" {
            let mut input = self.open_stdin();
            input.wrap(decoding.open);
            return Ok(input);
        }
        let path = Path::new(OsStr::from_bytes(operand));
        let source = self.ports.files.read_decoded(path, decoding)?;
        let number = self.inputs.len();
        self.inputs.push(InputName::File(operand.to_vec()));
        Ok(Input::new(source, number))
    }

    /// Writes one message line to standard error, after the stage's name. What the stage wrote
    /// before goes out first where both end in the same place.
    ///
    /// # Errors
    /// Where standard error cannot be written.
    pub fn message(&mut self, text: &str) -> Result<(), StageError> {
        let line = format!("{}: {}\n", self.ports.name, crate::visible(text));
        match &self.ports.error {
            None => {
                self.ports.out.put(line.as_bytes(), Origin::None)?;
                self.ports.out.flush()?;
            }
            Some(sink) => {
                // A standard error that cannot be written has nobody to be told.
                let _ = sink.write(Block::new(line.into_bytes()));
            }
        }
        Ok(())
    }

    /// Reads each operand in turn (standard input when there is none) with `each`. One that
    /// cannot be opened or read is reported as `NAME: file: reason`, the status is noted, and
    /// the next is taken.
    ///
    /// # Errors
    /// Those of `each` but for read errors, and where a message cannot be written.
    pub fn each_input(
        &mut self,
        operands: &[Vec<u8>],
        failure_status: u8,
        mut each: impl FnMut(&mut Self, &mut Input, &[u8]) -> Result<(), InputTrouble>,
    ) -> Result<(), StageError> {
        let standard = [b"-".to_vec()];
        let operands = if operands.is_empty() { &standard[..] } else { operands };
        for operand in operands {
            let trouble = match self.open(operand) {
                Err(error) => Some(describe(&error)),
                Ok(mut input) => match each(self, &mut input, operand) {
                    Ok(()) => None,
                    Err(InputTrouble::Read(ReadError::Io(error))) => Some(describe(&error)),
                    Err(InputTrouble::Read(ReadError::Cancelled)) => {
                        return Err(StageError::Cancelled);
                    }
                    Err(InputTrouble::Stage(error)) => return Err(error),
                },
            };
            if let Some(reason) = trouble {
                self.note_status(failure_status);
                let name = String::from_utf8_lossy(operand).into_owned();
                self.message(&format!("{name}: {reason}"))?;
            }
        }
        Ok(())
    }
}

/// What went wrong while one of several inputs was read: the input itself, which is reported
/// and passed over, or the stage.
#[derive(Debug)]
pub enum InputTrouble {
    /// The input could not be read further.
    Read(ReadError),
    /// The stage cannot go on.
    Stage(StageError),
}

impl From<ReadError> for InputTrouble {
    fn from(error: ReadError) -> Self {
        Self::Read(error)
    }
}

impl From<StageError> for InputTrouble {
    fn from(error: StageError) -> Self {
        Self::Stage(error)
    }
}

impl From<crate::WriteError> for InputTrouble {
    fn from(error: crate::WriteError) -> Self {
        Self::Stage(error.into())
    }
}

#[cfg(test)]
mod tests;
