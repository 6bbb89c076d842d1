//! Counts what is read of files, for a run that is watched.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

use bytes::Bytes;
use stream::{Block, Next, ReadError, Source, SourceLayer, Tail};

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

impl SourceLayer for CountedSource {
    fn inner(&self) -> &dyn Source {
        &*self.inner
    }

    fn inner_mut(&mut self) -> &mut dyn Source {
        &mut *self.inner
    }

    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError> {
        let block = next(&mut *self.inner)?;
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

    fn give_back(&mut self, bytes: Bytes) -> bool {
        let count = bytes.len() as u64;
        let taken = self.inner.give_back(bytes);
        if taken {
            self.sources.bytes.fetch_sub(count, Relaxed);
        }
        taken
    }
}
