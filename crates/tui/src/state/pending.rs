//! The state of the Pending view.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;

use engine::{Applied, Figure, HeldCommand, Preview, StartResult};
use insight::Difference;
use parking_lot::Mutex;

/// The state of the Pending view.
#[derive(Default)]
pub(crate) struct PendingView {
    /// The selected row: the files, then the commands.
    pub at: usize,
    /// The first row of the right side.
    pub top: usize,
    /// Files that are not to be written.
    pub left_out: BTreeSet<PathBuf>,
    /// Commands that are not to be started, by their numbers.
    pub commands_out: BTreeSet<usize>,
    /// How the commands of a preview that were started ended.
    pub start_result: BTreeMap<usize, StartResult>,
    /// Commands of this text that were started and are none of its commands any more.
    pub past: Vec<(HeldCommand, StartResult)>,
    /// The preview whose commands these are.
    pub acted_of: Option<u64>,
    /// Commands are being started.
    pub acting: bool,
    /// How many that are, and since when.
    pub batch: Option<(usize, Instant)>,
    /// What would change in the selected file: of which preview and row, once it is compared.
    pub difference: Option<(u64, usize, Arc<Difference>)>,
    /// Files that were written, and what they were before.
    pub(crate) applied: Vec<Arc<Mutex<Applied>>>,
    /// Files of the result that have changed since they were compared, as far as that was looked at.
    pub changed: BTreeSet<PathBuf>,
    /// The text that has written them.
    pub written_by: String,
    /// Files of the result that are just as the same text has written them, from all of the data.
    pub written: BTreeMap<PathBuf, Figure>,
}

/// Which files of a result are just as its text has written them, from all of the data. Asks the system.
pub(crate) fn as_written(
    preview: &Preview,
    applied: &[Arc<Mutex<Applied>>],
) -> BTreeMap<PathBuf, Figure> {
    let mut written = BTreeMap::new();
    for file in &preview.pending {
        let known = applied.iter().map(|one| one.lock()).find(|one| file.is_of(one));
        if let Some(one) = known.filter(|one| one.is_as_left()) {
            written.insert(file.path.clone(), Figure::exact(one.lines));
        }
    }
    written
}
