//! How a stage ended.

use std::path::PathBuf;

use stream::{ExitStatus, InputName};

use crate::policy::HeldCommand;

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
        }
    }
}
