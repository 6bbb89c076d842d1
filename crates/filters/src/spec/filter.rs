//! What a filter is once it is built, and what it says of itself.

use std::ops::Range;

use stream::{ExitStatus, StageError, StageIo};

/// What a stage does to its lines, in one word for the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verb {
    /// Lines from nothing.
    Makes,
    /// Drops lines, changes none.
    Keeps,
    /// One line in, one line out.
    Edits,
    /// The same lines in another order.
    Orders,
    /// Several lines in, fewer out.
    Merges,
    /// One line in, several out.
    Splits,
    /// The same lines, to several places.
    Copies,
    /// Starts commands.
    Acts,
    /// The same lines.
    Passes,
    /// Nothing: only its status tells something of the lines.
    Checks,
}

impl Verb {
    /// As shown.
    pub fn word(self) -> &'static str {
        match self {
            Self::Makes => "makes",
            Self::Keeps => "keeps",
            Self::Edits => "edits",
            Self::Orders => "orders",
            Self::Merges => "merges",
            Self::Splits => "splits",
            Self::Copies => "copies",
            Self::Acts => "acts",
            Self::Passes => "passes",
            Self::Checks => "checks",
        }
    }
}

/// What a filter counts in a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Counted {
    /// Fields: the place of each, the first one first.
    Fields(Vec<Range<usize>>),
    /// Characters, from 1.
    Characters,
    /// Bytes, from 1.
    Bytes,
}

/// The lines a stage has read, as they are kept.
pub trait InputLines {
    /// Lines of an input.
    fn count(&self, input: usize) -> u64;

    /// A line of an input, from 0; `None` behind its end.
    fn line(&self, input: usize, number: u64) -> Option<Vec<u8>>;
}

/// A line of the input of which nothing is in the output.
pub struct Dropped<'d> {
    /// Its text, without a newline.
    pub line: &'d [u8],
    /// The input it is in.
    pub input: usize,
    /// Its number in it, from 0.
    pub number: u64,
    /// All that was read.
    pub lines: &'d dyn InputLines,
}

/// A filter ready to run once.
pub trait Filter: Send + Sync {
    /// Reads to the end of the input (or as far as needed), writes, and gives the status.
    ///
    /// The bytes written never depend on how the input was cut into blocks, nor on whether
    /// origins are kept.
    ///
    /// # Errors
    /// When the output cannot be written, the run is cancelled, or the filter gives up.
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError>;

    /// What the filter does to lines.
    fn verb(&self) -> Verb;

    /// True where what it does depends on the data, so that only its result tells.
    fn verb_varies(&self) -> bool {
        false
    }

    /// Why the filter must hold data back, where it holds more than a few lines; `None` for
    /// one that streams.
    fn holds(&self) -> Option<&'static str> {
        None
    }

    /// Bytes the filter holds in memory at most on a machine with this many, where what is more
    /// goes to temporary files.
    fn memory_limit(&self, _machine_bytes: u64) -> Option<u64> {
        None
    }

    /// The parts of an input line that the filter counts, where its arguments count parts of it.
    fn counts(&self, _line: &[u8]) -> Option<Counted> {
        None
    }

    /// Why nothing of the line is written, in words, where the line and its place tell; `None` for
    /// what drops no lines, or where only running it again tells.
    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        None
    }

    /// True where it tells of a watched line while it runs; see [`StageIo::watched`].
    fn tells_fate(&self) -> bool {
        false
    }

    /// The parts of an input line that the filter looks at: what a pattern matched, the fields
    /// it keeps.
    fn marks(&self, _line: &[u8]) -> Vec<Range<usize>> {
        Vec::new()
    }
}
