//! Where the Bench keeps what outlives it.

use std::path::PathBuf;
use std::sync::Arc;

use insight::{KeptRun, PastLog, Runs};

use crate::state::shelf::TakenOff;
use crate::state::versions::{Candidate, Versions};
use crate::storage::config::Config;
use crate::storage::recovery::Recovery;
use crate::storage::store::Store;

/// Files and folders of Ylotrope itself.
pub(crate) struct KeptState {
    /// Where history and recovery live; `None` for nowhere.
    pub(crate) store: Option<Store>,
    /// What keeps the text for the case that the session breaks off.
    pub(crate) recovery: Option<Recovery>,
    /// Where runs are kept; `None` for nowhere.
    pub(crate) runs: Option<Runs>,
    /// The kept runs, while they are known.
    pub(crate) kept_runs: Option<Arc<Vec<KeptRun>>>,
    /// The configuration; `None` for none.
    pub(crate) config: Option<Config>,
    /// The history file of the user's shell, where there is one.
    pub(crate) shell_history: Option<PathBuf>,
    /// Lines that were evaluated before, with their figures; `None` for nowhere.
    pub(crate) past: Option<PastLog>,
    /// The pipeline of the Shelf that was marked to be compared with another one.
    pub(crate) marked: Option<Candidate>,
    /// What was taken off the Shelf in this session, the last one last.
    pub(crate) taken_off: Vec<TakenOff>,
    /// The versions of this session's text.
    pub(crate) versions: Versions,
    /// Folders the Shelf looks into.
    pub(crate) shelves: Vec<PathBuf>,
}
