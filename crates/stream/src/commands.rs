//! Commands that a stage starts.

use crate::WorkingFolder;
use std::sync::Arc;

use crate::{Block, ReadError, RunControl, Sink, Source, WriteError};

/// A command a stage starts: a filter or a program of the machine.
pub struct CommandRequest<'a> {
    /// The command and its arguments; never empty.
    pub words: &'a [Vec<u8>],
    /// Its standard input; nothing when `None`.
    pub input: Option<Box<dyn Source>>,
    /// Its standard output.
    pub out: Arc<dyn Sink>,
    /// Its standard error.
    pub error: Arc<dyn Sink>,
    /// What its variables are, beside those of the process.
    pub environment: Environment,
    /// Where it runs; `None` for where the process is.
    pub directory: Option<WorkingFolder>,
    /// Whether to stop it.
    pub control: &'a RunControl,
}

/// How the variables of a command differ from those of the process.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Environment {
    /// Set for it; the last of a name counts.
    pub set: Vec<(String, Vec<u8>)>,
    /// Variables of the process that it does not get.
    pub unset: Vec<String>,
    /// Not handed to it, but what the shell itself goes by: where commands are looked for.
    pub shell_only: Vec<(String, Vec<u8>)>,
}

impl Environment {
    /// These variables, and nothing else.
    pub fn of(set: Vec<(String, Vec<u8>)>) -> Self {
        Self { set, ..Self::default() }
    }

    /// This with what `inner` sets beyond it.
    #[must_use]
    pub fn with(&self, inner: Self) -> Self {
        let mut all = self.clone();
        all.set.extend(inner.set);
        all.unset.extend(inner.unset);
        all.shell_only.extend(inner.shell_only);
        all
    }
}

/// Which end of a command's streams the stage that starts it holds; see [`Commands::start`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Joined {
    /// The stage reads what the command writes.
    Output,
    /// The stage writes what the command reads.
    Input,
}

/// A command that works beside the stage that started it. Dropping it takes the stage's end away
/// and lets the command end by itself.
pub trait Running {
    /// The next block the command wrote; `None` at its end.
    ///
    /// # Errors
    /// Those of [`Source::next_block`](crate::Source::next_block).
    fn next_block(&mut self) -> Result<Option<Block>, ReadError>;
    /// Gives the command a block to read.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write). [`WriteError::Closed`] once the command reads no more.
    fn feed(&mut self, block: Block) -> Result<(), WriteError>;
    /// Takes the stage's end away, and waits for the end of the command.
    fn finish(self: Box<Self>) -> CommandEnd;
}

/// How a command ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CommandEnd {
    /// By itself, with this status.
    Exited(u8),
    /// By this signal.
    Signalled(u8),
    /// It was never started: there is no such command.
    NotFound,
    /// It was never started for another reason.
    NotStarted,
    /// It was not started because nothing may be changed here; somebody decides later.
    HeldBack,
}

/// The only port from a stage to other commands.
pub trait Commands: Send + Sync {
    /// Runs a command to its end, on this thread or waiting for another; it is ended with the run.
    fn run(&self, request: CommandRequest<'_>) -> CommandEnd;

    /// Starts a command beside the stage, which holds one end of its streams: that end of
    /// `request` is not used.
    ///
    /// # Errors
    /// How the command ended before it began.
    fn start(
        &self,
        request: CommandRequest<'_>,
        joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd>;
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn inner_variables_come_after_outer_ones() {
        let set = |name: &str, value: &[u8]| (name.to_owned(), value.to_vec());
        let outer = Environment {
            set: vec![set("A", b"1")],
            unset: vec!["B".to_owned()],
            shell_only: vec![set("PATH", b"/bin")],
        };
        let both = outer.with(Environment {
            unset: vec!["C".to_owned()],
            ..Environment::of(vec![set("A", b"2"), set("D", b"3")])
        });
        assert_eq!(both.set, [set("A", b"1"), set("A", b"2"), set("D", b"3")]);
        assert_eq!(both.unset, ["B", "C"]);
        assert_eq!(both.shell_only, outer.shell_only);
        assert_eq!(outer.with(Environment::default()), outer);
    }
}
