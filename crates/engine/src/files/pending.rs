//! Files that a pipeline would write: held back, then written all at once.

use std::path::PathBuf;
use std::sync::Arc;

use stream::FileFacts;

use crate::base::figure::{Figure, Known};
use crate::files::commit::applied::Applied;
use crate::files::committing::Unwritten;
use crate::files::identity::Identity;
use crate::kept::lines::Kept;

/// How a file would be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PendingMode {
    /// It does not exist yet.
    New,
    /// Its content would be replaced.
    Replace,
    /// It would be added to.
    Append,
}

/// A file that would be written.
#[derive(Clone)]
pub struct PendingFile {
    /// The file, as the text names it.
    pub path: PathBuf,
    /// The file itself, links followed.
    pub(crate) target: PathBuf,
    /// How it would be written.
    pub mode: PendingMode,
    /// What would be written, of the sample.
    pub kept: Arc<Kept>,
    /// How far that is all that would be written.
    pub(crate) known: Known,
    /// What it was when this was made; `None` where it was not there.
    pub(crate) identity: Option<Identity>,
    /// True where the pipeline that reads it empties it first: its content would be lost.
    pub lost: bool,
    /// What it is now; `None` where it is not there.
    pub facts_now: Option<FileFacts>,
    /// Bytes it has now.
    pub bytes_now: u64,
    /// Lines it has now; `None` for a large file that was not counted.
    pub lines_now: Option<u64>,
}

impl PendingFile {
    /// The same with what a run on all of the data wrote for it, if it is the same file.
    #[must_use]
    pub fn with_all(&self, unwritten: &[Unwritten]) -> Self {
        match unwritten.iter().find(|one| one.path == self.target) {
            Some(one) => Self { kept: one.kept.clone(), known: Known::Exact, ..self.clone() },
            None => self.clone(),
        }
    }

    /// True where this is the file that was written there.
    pub fn is_of(&self, applied: &Applied) -> bool {
        self.target == applied.path
    }

    /// The lines that would be written.
    pub fn lines(&self) -> Figure {
        Figure::new(self.kept.lines(), self.known)
    }

    /// The bytes that would be written.
    pub fn bytes(&self) -> Figure {
        Figure::new(self.kept.bytes(), self.known)
    }

    /// True when the file on disk is no longer the one that was looked at.
    pub fn has_changed(&self) -> bool {
        Identity::now(&self.path).ok() != self.identity
    }
}
