use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::{Block, ReadError, WriteError};

/// Something blocks come from: a file, a link, a sample.
pub trait Source: Send {
    /// The next block, never empty; `None` at the end, again and again.
    fn next_block(&mut self) -> Result<Option<Block>, ReadError>;

    /// Moves forward to the last part of a seekable source. False when that cannot be done
    /// here, or anything was read already; the source is then unmoved and must be read through.
    fn seek_last(&mut self, _part: Tail) -> Result<bool, ReadError> {
        Ok(false)
    }

    /// Cuts what is left into at most `parts` sources that can be read at the same time and make
    /// up the whole in order; lines may be cut too. `None` where that cannot be done; nothing
    /// may be read from a source that was cut.
    fn split(&mut self, _parts: usize) -> Option<Vec<Box<dyn Source>>> {
        None
    }

    /// The length of a regular file that is read from its beginning.
    fn file_bytes(&self) -> Option<u64> {
        None
    }
}

/// The last part of a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tail {
    /// The last lines; an unterminated last line counts as one.
    Lines(u64),
    /// The last bytes.
    Bytes(u64),
}

/// Something blocks go to: a link, a file, a kept result. Shared, because standard error may go
/// to the same place.
pub trait Sink: Send + Sync {
    /// Takes one block; waits while there is no room for it.
    fn write(&self, block: Block) -> Result<(), WriteError>;
}

/// How a file is opened for writing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WriteMode {
    /// Created, or emptied first: `>`.
    Replace,
    /// Created, or added to: `>>`.
    Append,
}

/// What is known of a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FileFacts {
    /// Length in bytes.
    pub bytes: u64,
    /// A directory.
    pub directory: bool,
    /// A regular file.
    pub regular: bool,
}

/// The only door from a stage to files, environment and directories.
pub trait World: Send + Sync {
    /// Opens a file for reading.
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>>;
    /// Opens a file for writing.
    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>>;
    /// The names in a directory, in no order, without `.` and `..`.
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>>;
    /// What is known of a path.
    fn facts(&self, path: &Path) -> io::Result<FileFacts>;
    /// An environment variable.
    fn variable(&self, name: &str) -> Option<OsString>;
    /// The working directory.
    fn directory(&self) -> PathBuf;
}

/// Processors a stage may ask for.
pub trait Processors: Send + Sync {
    /// How many can usefully work at once; at least 1.
    fn count(&self) -> usize;
    /// Runs all jobs, some at the same time, and returns when the last has ended.
    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>);
}
