//! A sample as it was taken, and what is known of the whole.

use parking_lot::Mutex;
use std::io;
use std::sync::Arc;
use std::time::SystemTime;

use stream::{Arrivals, Block, Decoding, DecodingError, ReadError, Source, Tail};

use crate::base::limits::Limit;
use crate::files::identity::Identity;
use crate::kept::lines::Kept;

/// Which lines of a source are worked on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Sample {
    /// The first lines.
    First(u64),
    /// The last lines.
    Last(u64),
    /// The first line and then every so-manieth.
    Every(u64),
    /// This many lines at random, in their order; the same seed picks the same lines.
    Random {
        /// How many.
        lines: u64,
        /// The seed.
        seed: u64,
    },
    /// All lines.
    Everything,
    /// The first lines, and then all of them where that is quick: a preview is made of both, one
    /// after the other. A single sample is that of the first lines.
    Quick(u64),
}

impl Sample {
    /// True where it has the first lines of its source, one after the other.
    pub(crate) fn begins(self) -> bool {
        matches!(self, Self::First(_) | Self::Quick(_) | Self::Everything)
    }
}

/// The line numbers of a sample's lines in the whole.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Numbers {
    /// One after the other from this one (from 0).
    From(u64),
    /// These.
    List(Vec<u64>),
    /// The last ones of a whole too large to be counted first: this many.
    FromEnd(u64),
}

/// A sample of one source, and what is known of the whole.
pub struct SampledInput {
    /// The lines.
    pub kept: Arc<Kept>,
    pub(super) numbers: Numbers,
    /// Bytes of the whole, where known; of a compressed file an estimate, see
    /// [`SampledInput::is_estimated`].
    pub whole_bytes: Option<u64>,
    /// Lines of the whole, where known.
    pub(super) whole_lines: Mutex<Option<u64>>,
    /// True when the sample is the whole.
    pub complete: bool,
    /// What cut the sample off before it was as large as asked.
    pub cut: Option<Limit>,
    /// The file's state when it was read; `None` for standard input.
    pub identity: Option<Identity>,
    /// True when the file changed while it was read.
    pub changed: bool,
    /// How the file is read, where it is compressed: the lines are those of what is in it.
    pub(crate) decoding: Option<&'static Decoding>,
    /// Why it could not be read beyond the sample's end.
    pub(super) failure: Option<DecodingError>,
    /// When the lines of the whole came, for standard input.
    pub(crate) arrivals: Option<Arc<dyn Arrivals>>,
}

/// What was read of more, and why not all, where that is an error.
struct Beginning {
    inner: Box<dyn Source>,
    failure: Option<DecodingError>,
}

impl Source for Beginning {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match (self.inner.next_block()?, self.failure.take()) {
            (None, Some(failure)) => Err(ReadError::Io(io::Error::other(failure))),
            (block, failure) => {
                self.failure = failure;
                Ok(block)
            }
        }
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        if self.failure.is_some() { Ok(false) } else { self.inner.seek_last(part) }
    }

    fn file_bytes(&self) -> Option<u64> {
        self.inner.file_bytes()
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.inner.arrivals()
    }

    fn is_part(&self) -> bool {
        true
    }
}

/// When the lines of a sample came.
struct OfSample {
    sampled: Arc<SampledInput>,
    whole: Arc<dyn Arrivals>,
}

impl Arrivals for OfSample {
    fn begun(&self) -> SystemTime {
        self.whole.begun()
    }

    fn of_line(&self, line: u64) -> Option<SystemTime> {
        // Where the end is still to come, lines counted from it have no place yet.
        let number = u64::try_from(self.sampled.number(line)).ok()?;
        self.whole.of_line(number.checked_sub(1)?)
    }
}

impl SampledInput {
    /// When its lines came, where that was noted.
    pub(crate) fn came(self: &Arc<Self>) -> Option<Arc<dyn Arrivals>> {
        let whole = self.arrivals.clone()?;
        Some(Arc::new(OfSample { sampled: self.clone(), whole }))
    }

    /// Reads the sample, and fails after it where the file could not be read further.
    pub(crate) fn source(&self) -> Box<dyn Source> {
        let inner = self.kept.source();
        match self.failure.clone() {
            None if self.complete => inner,
            failure => Box::new(Beginning { inner, failure }),
        }
    }

    /// True where the bytes of the whole are judged by how the sample was compressed.
    pub fn is_estimated(&self) -> bool {
        self.decoding.is_some() && !self.complete
    }

    /// The number (from 1) of line `line` (from 0) of the sample in the whole; negative when
    /// counted from the end.
    pub fn number(&self, line: u64) -> i64 {
        match &self.numbers {
            Numbers::From(start) => (start + line) as i64 + 1,
            Numbers::List(list) => {
                list.get(line as usize).map_or(line as i64 + 1, |&number| number as i64 + 1)
            }
            Numbers::FromEnd(count) => match self.whole_lines() {
                Some(all) => (all.saturating_sub(*count) + line) as i64 + 1,
                None => line as i64 - *count as i64,
            },
        }
    }

    /// Lines of the whole, where known by now.
    pub fn whole_lines(&self) -> Option<u64> {
        *self.whole_lines.lock()
    }

    /// Tells how many lines the whole has.
    pub fn set_whole_lines(&self, lines: u64) {
        *self.whole_lines.lock() = Some(lines);
    }
}
