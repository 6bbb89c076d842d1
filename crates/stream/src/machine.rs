//! The machine but for the contents of files.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

use crate::FileFacts;

/// What one may want to do with a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Permission {
    /// Read it.
    Read,
    /// Write it.
    Write,
    /// Execute or search it.
    Execute,
}

/// The machine but for the contents of files: directories, environment, clock, chance.
///
/// Called on the thread of the stage that asks, from several at the same time. Only
/// [`Machine::pause`] waits, and no longer than it is told; all others answer after one call of the
/// system, which on a slow disk or a network may take as long as that does. Nothing here changes
/// anything but [`Machine::scratch`], whose space has no name. Errors are those of the system.
pub trait Machine: Send + Sync {
    /// The names in a directory, in no order, without `.` and `..`.
    ///
    /// # Errors
    /// Those of opendir(3).
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>>;
    /// What is known of a path, links followed.
    ///
    /// # Errors
    /// Those of stat(2).
    fn facts(&self, path: &Path) -> io::Result<FileFacts>;
    /// What is known of a path itself, be it a link.
    ///
    /// # Errors
    /// Those of lstat(2).
    fn link_facts(&self, path: &Path) -> io::Result<FileFacts>;
    /// True when this process may do that.
    fn permits(&self, path: &Path, permission: Permission) -> bool;
    /// The numbers of the user and the group that count for permissions.
    fn user(&self) -> (u32, u32);
    /// An environment variable.
    fn variable(&self, name: &str) -> Option<OsString>;
    /// All environment variables.
    fn variables(&self) -> Vec<(OsString, OsString)>;
    /// The working directory.
    fn directory(&self) -> PathBuf;
    /// Nanoseconds since 1970 (UTC).
    fn now_ns(&self) -> i128;
    /// Waits. Callers wait in short pieces, so that a run can be cancelled.
    fn pause(&self, duration: Duration);
    /// A number nobody can foretell.
    fn random(&self) -> u64;
    /// Bytes of memory the machine has.
    fn memory_bytes(&self) -> u64;
    /// True when this descriptor of the process is a terminal.
    fn is_terminal(&self, descriptor: u8) -> bool;
    /// Space on disk without a name, gone when it is dropped or the process ends in whatever way.
    ///
    /// # Errors
    /// Where no file can be created in that directory.
    fn scratch(&self, directory: Option<&Path>) -> io::Result<Box<dyn Scratch>>;
}

/// Space on disk for data that does not fit into memory. It belongs to one stage; reading may be
/// done from several threads at the same time. Both methods wait for the disk.
pub trait Scratch: Send + Sync {
    /// Writes after what was written.
    ///
    /// # Errors
    /// Those of write(2): a full disk above all.
    fn append(&mut self, bytes: &[u8]) -> io::Result<()>;
    /// Reads from a place on; gives how many bytes, 0 at the end.
    ///
    /// # Errors
    /// Those of pread(2).
    fn read_at(&self, at: u64, buffer: &mut [u8]) -> io::Result<usize>;
}
