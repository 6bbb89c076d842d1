//! What tells one state of a file from another.

use std::fs::Metadata;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::time::SystemTime;

/// What tells one state of a file from another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Identity {
    device: u64,
    inode: u64,
    /// Length in bytes.
    pub bytes: u64,
    modified: Option<SystemTime>,
}

impl Identity {
    pub(super) fn of(facts: &Metadata) -> Self {
        Self {
            device: facts.dev(),
            inode: facts.ino(),
            bytes: facts.len(),
            modified: facts.modified().ok(),
        }
    }

    /// The file's state now.
    ///
    /// # Errors
    /// Those of stat(2).
    pub fn now(path: &Path) -> io::Result<Self> {
        Ok(Self::of(&std::fs::metadata(path)?))
    }
}
