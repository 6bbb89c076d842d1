//! A file that is emptied while somebody has it open: who reads it finds nothing more.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use stream::{Block, FileFacts, ReadError, Source, Tail};

/// Tells a source that its file is empty now.
#[derive(Default)]
pub(crate) struct Emptied(AtomicBool);

impl Emptied {
    /// From now on it is.
    pub(crate) fn set(&self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// A source whose file may be emptied while it is read.
pub(crate) struct Emptiable {
    source: Box<dyn Source>,
    emptied: Arc<Emptied>,
}

impl Emptiable {
    /// `source`, until `emptied` says that its file is empty.
    pub(crate) fn of(source: Box<dyn Source>, emptied: Arc<Emptied>) -> Box<dyn Source> {
        Box::new(Self { source, emptied })
    }

    fn is_empty(&self) -> bool {
        self.emptied.0.load(Ordering::Relaxed)
    }
}

impl Source for Emptiable {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.is_empty() { Ok(None) } else { self.source.next_block() }
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        if self.is_empty() { Ok(false) } else { self.source.seek_last(part) }
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        if self.is_empty() { None } else { self.source.split(parts) }
    }

    fn file_bytes(&self) -> Option<u64> {
        if self.is_empty() { Some(0) } else { self.source.file_bytes() }
    }

    fn facts(&self) -> Option<FileFacts> {
        self.source.facts()
    }

    fn position(&self) -> Option<u64> {
        self.source.position()
    }

    fn rewind(&mut self) -> bool {
        self.source.rewind()
    }

    fn allows_ahead(&self) -> bool {
        self.source.allows_ahead()
    }
}
