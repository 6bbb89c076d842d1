//! A world, sources and sinks held in memory, for tests of this crate and of those above.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use crate::{Block, FileFacts, Processors, ReadError, Sink, Source, World, WriteError, WriteMode};

/// A source that hands out its data in pieces of a fixed size.
pub struct CutSource {
    data: bytes::Bytes,
    cut: usize,
}

impl CutSource {
    /// `data` in pieces of `cut` bytes (at least 1).
    pub fn new(data: &[u8], cut: usize) -> Self {
        Self { data: bytes::Bytes::copy_from_slice(data), cut: cut.max(1) }
    }
}

impl Source for CutSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.data.is_empty() {
            return Ok(None);
        }
        Ok(Some(Block::new(self.data.split_to(self.cut.min(self.data.len())))))
    }
}

/// A sink that keeps everything it is given.
#[derive(Default)]
pub struct MemorySink(Mutex<Vec<u8>>);

impl MemorySink {
    /// What was written.
    pub fn contents(&self) -> Vec<u8> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

impl Sink for MemorySink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).extend_from_slice(block.bytes());
        Ok(())
    }
}

/// Files in memory, read in pieces of a fixed size; writing is refused.
#[derive(Default)]
pub struct FixedWorld {
    /// The files by name.
    pub files: BTreeMap<PathBuf, Vec<u8>>,
    /// The size of the pieces; 0 for whole files.
    pub cut: usize,
}

impl World for FixedWorld {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        let data = self.files.get(path).ok_or_else(|| io::Error::from_raw_os_error(2))?;
        let cut = if self.cut == 0 { data.len() } else { self.cut };
        Ok(Box::new(CutSource::new(data, cut)))
    }

    fn write(&self, _path: &Path, _mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        Err(io::Error::from_raw_os_error(30))
    }

    fn list(&self, _directory: &Path) -> io::Result<Vec<OsString>> {
        Ok(self.files.keys().map(|path| path.clone().into_os_string()).collect())
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        let data = self.files.get(path).ok_or_else(|| io::Error::from_raw_os_error(2))?;
        Ok(FileFacts { bytes: data.len() as u64, directory: false, regular: true })
    }

    fn variable(&self, _name: &str) -> Option<OsString> {
        None
    }

    fn directory(&self) -> PathBuf {
        PathBuf::from("/")
    }
}

/// One processor: runs the jobs one after the other.
pub struct OneProcessor;

impl Processors for OneProcessor {
    fn count(&self) -> usize {
        1
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        for job in jobs {
            job();
        }
    }
}

/// Several processors in name: the jobs run one after the other, in reverse.
pub struct Processed(pub usize);

impl Processors for Processed {
    fn count(&self) -> usize {
        self.0
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        for job in jobs.into_iter().rev() {
            job();
        }
    }
}
