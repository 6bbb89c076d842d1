//! How a stage ended.

use std::io;
use std::path::{Path, PathBuf};

use stream::{ExitStatus, InputName};
use thiserror::Error;

use crate::policy::HeldCommand;

/// A redirection that could not be performed.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum RedirectError {
    /// The file cannot be read.
    #[error("cannot open {}: {reason}", .path.display())]
    Open {
        /// The file, as the redirection names it.
        path: PathBuf,
        /// What kind of error it is.
        kind: io::ErrorKind,
        /// The words of the system.
        reason: String,
    },
    /// The file cannot be written.
    #[error("cannot create {}: {reason}", .path.display())]
    Create {
        /// The file, as the redirection names it.
        path: PathBuf,
        /// What kind of error it is.
        kind: io::ErrorKind,
        /// The words of the system.
        reason: String,
    },
    /// The descriptor that is to be copied is not open.
    #[error("descriptor {0} is not open")]
    NotOpen(u8),
}

impl RedirectError {
    /// True where `path` may not be written with the rights of this process.
    pub fn denies(&self, file: &Path) -> bool {
        matches!(self, Self::Create { path, kind: io::ErrorKind::PermissionDenied, .. } if path == file)
    }
}

/// How a stage ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct StageOutcome {
    pub(crate) status: ExitStatus,
    pub(crate) inputs: Vec<InputName>,
    pub(crate) cancelled: bool,
    pub(crate) closed: bool,
    pub(crate) panicked: bool,
    /// Files the filter wrote itself, not by redirection.
    pub(crate) written: Vec<PathBuf>,
    /// Commands the stage would have started.
    pub(crate) held: Vec<HeldCommand>,
    /// The signal that ended a program.
    pub(crate) signal: Option<u8>,
    /// Why what a program wrote could not be written where it leads.
    pub(crate) write_error: Option<String>,
    /// Why a program could not be given all of its input.
    pub(crate) read_error: Option<String>,
    /// Why a program was never started.
    pub(crate) unstarted: Option<stream::CommandEnd>,
    /// The redirection that could not be performed; the command was then never begun.
    pub(crate) redirect_error: Option<RedirectError>,
    /// What was told of the line that was watched.
    pub(crate) fate: Option<String>,
}

impl StageOutcome {
    pub(crate) fn of(status: ExitStatus) -> Self {
        Self {
            status,
            inputs: Vec::new(),
            cancelled: false,
            closed: false,
            panicked: false,
            written: Vec::new(),
            held: Vec::new(),
            signal: None,
            write_error: None,
            read_error: None,
            unstarted: None,
            redirect_error: None,
            fate: None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_status_alone_says_nothing_of_how_it_came_about() {
        let outcome = StageOutcome::of(ExitStatus(7));
        assert_eq!(outcome.status, ExitStatus(7));
        assert!(!outcome.cancelled && !outcome.closed && !outcome.panicked);
        assert!(outcome.inputs.is_empty() && outcome.written.is_empty() && outcome.held.is_empty());
        assert_eq!((outcome.read_error, outcome.write_error, outcome.signal), (None, None, None));
    }
}
