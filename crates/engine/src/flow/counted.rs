//! Counts what is read of files, for a run that is watched.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

use stream::{Arrivals, Block, FileFacts, ReadError, Source, Tail};

/// What was read of files so far, by all stages.
#[derive(Debug, Default)]
pub(crate) struct Sources {
    pub(crate) bytes: AtomicU64,
}

/// A file whose bytes are counted as they are read.
pub(crate) struct CountedSource {
    inner: Box<dyn Source>,
    sources: Arc<Sources>,
}

impl CountedSource {
    /// Counts regular files; of others there is no whole to count towards.
    pub(crate) fn of(inner: Box<dyn Source>, sources: &Arc<Sources>) -> Box<dyn Source> {
        if inner.file_bytes().is_none() {
            return inner;
        }
        Box::new(Self { inner, sources: sources.clone() })
    }
}

impl Source for CountedSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        let block = self.inner.next_block()?;
        if let Some(block) = &block {
            self.sources.bytes.fetch_add(block.len() as u64, Relaxed);
        }
        Ok(block)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        let moved = self.inner.seek_last(part)?;
        if moved {
            // What is passed over is done.
            self.sources.bytes.fetch_add(self.inner.position().unwrap_or(0), Relaxed);
        }
        Ok(moved)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let parts = self.inner.split(parts)?;
        let counted = parts.into_iter().map(|inner| -> Box<dyn Source> {
            Box::new(Self { inner, sources: self.sources.clone() })
        });
        Some(counted.collect())
    }

    fn file_bytes(&self) -> Option<u64> {
        self.inner.file_bytes()
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.inner.arrivals()
    }

    fn allows_ahead(&self) -> bool {
        self.inner.allows_ahead()
    }

    fn facts(&self) -> Option<FileFacts> {
        self.inner.facts()
    }

    fn position(&self) -> Option<u64> {
        self.inner.position()
    }

    fn rewind(&mut self) -> bool {
        self.inner.rewind()
    }

    fn go_to(&mut self, position: u64) -> bool {
        self.inner.go_to(position)
    }
}
