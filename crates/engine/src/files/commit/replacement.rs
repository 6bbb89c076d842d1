//! A new content for one file, written as those of a run from the screen are.

use std::io;
use std::path::Path;
use std::sync::Arc;

use stream::{FileFacts, Replacement, Sink};

use super::prepared::commit_all;
use super::written::CommittedFile;

/// A new content for one file, put in place when it is said so.
pub(crate) struct CommittedReplacement {
    file: Arc<CommittedFile>,
    sink: Arc<dyn Sink>,
}

impl CommittedReplacement {
    /// Begins to write for `path`.
    ///
    /// # Errors
    /// Where nothing can be written there.
    pub(crate) fn begin(path: &Path) -> io::Result<Box<dyn Replacement>> {
        let file = Arc::new(CommittedFile::begin(path, false)?);
        let sink = Arc::new(file.open(false)?);
        Ok(Box::new(Self { file, sink }))
    }
}

impl Replacement for CommittedReplacement {
    fn sink(&self) -> Arc<dyn Sink> {
        self.sink.clone()
    }

    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        self.file.resemble(other)
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        commit_all(&[self.file]).map(drop).map_err(|failed| failed.error)
    }
}
