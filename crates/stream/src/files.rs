//! Files as a stage sees them.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::{Decoding, FileFacts, Machine, Sink, Source};

/// How a file is opened for writing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WriteMode {
    /// Created, or emptied first: `>`.
    Replace,
    /// Created, or added to: `>>`.
    Append,
}

/// A file being written that takes its place only when it is complete. One thread calls; its
/// methods may wait for the disk.
pub trait Replacement: Send {
    /// Where to write.
    fn sink(&self) -> Arc<dyn Sink>;
    /// Gives the new file the rights and the time of the last change of another one.
    ///
    /// # Errors
    /// Those of chmod(2).
    fn resemble(&self, _other: &FileFacts) -> io::Result<()> {
        Ok(())
    }
    /// Puts the new file in the place of the old one. Without this call the old one stays.
    ///
    /// # Errors
    /// Those of rename(2) and of writing what is left; the old file then stays.
    fn commit(self: Box<Self>) -> io::Result<()>;
}

/// The only port from a stage to files, directories and environment.
///
/// Its methods are called on the thread of whoever reads or writes; opening a named pipe may wait
/// for the other end, as long as the run is not ended. Errors are those of the system.
pub trait Files: Send + Sync {
    /// Opens a file for reading.
    ///
    /// # Errors
    /// Those of open(2).
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>>;
    /// Opens a compressed file for reading what was in it; where a sample of files is read, it is one
    /// of that.
    ///
    /// # Errors
    /// Those of [`Files::read`]; what is wrong with the data comes from the source.
    fn read_decoded(&self, path: &Path, decoding: &'static Decoding)
    -> io::Result<Box<dyn Source>>;
    /// Opens a file for writing.
    ///
    /// # Errors
    /// Those of open(2); what a run holds back has none before its end.
    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>>;
    /// Begins to replace a file.
    ///
    /// # Errors
    /// Where no file can be created next to it.
    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>>;
    /// Removes a file that was written before.
    ///
    /// # Errors
    /// Those of unlink(2).
    fn remove(&self, path: &Path) -> io::Result<()>;
    /// Removes a file that another one has taken the place of: what was compressed. Where nothing
    /// may be removed that was not written before, this is refused.
    ///
    /// # Errors
    /// Those of unlink(2); [`io::ErrorKind::Unsupported`] where it is refused.
    fn remove_original(&self, path: &Path) -> io::Result<()>;
    /// True where [`Files::remove_original`] is not refused.
    fn may_remove_original(&self) -> bool;
    /// True where files are followed as they grow; else what there is now is all. No answer is
    /// right by default: a preview that follows would not end.
    fn is_live(&self) -> bool;
    /// Sets the rights that new files do not get, where files are made for real.
    fn set_file_mask(&self, mask: u32);
    /// Everything but contents.
    fn machine(&self) -> &dyn Machine;

    /// See [`Machine::list`].
    ///
    /// # Errors
    /// Those of [`Machine::list`].
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        self.machine().list(directory)
    }
    /// See [`Machine::facts`].
    ///
    /// # Errors
    /// Those of [`Machine::facts`].
    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.machine().facts(path)
    }
    /// See [`Machine::variable`].
    fn variable(&self, name: &str) -> Option<OsString> {
        self.machine().variable(name)
    }
    /// See [`Machine::variables`].
    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.machine().variables()
    }
    /// See [`Machine::directory`].
    fn directory(&self) -> PathBuf {
        self.machine().directory()
    }
}
