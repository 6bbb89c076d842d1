//! The run on everything, as it is shown.

/// Figures on screen are refreshed this often.
const LOOK_NS: u128 = 95_000_000;

use engine::Estimate;
use engine::FullRun;
use engine::Kept;
use engine::Snapshot;
use insight::History;
use insight::RunEnd;
use insight::RunRecord;
use insight::SourceRecord;
use insight::WrittenRecord;
use jiff::Timestamp;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;
/// The run on everything that continues, or the last one.
pub(crate) struct Running {
    /// The run.
    pub run: FullRun,
    /// Its text.
    pub text: String,
    /// When it began.
    pub began: Timestamp,
    /// Its figures when they were looked at last.
    pub snapshot: Snapshot,
    /// How they went on.
    pub history: History,
    /// How it ended; `None` while it continues.
    pub end: Option<RunEnd>,
    /// The status it ended with.
    pub status: u8,
    pub(crate) sources: Vec<SourceRecord>,
    /// The files it has written.
    pub written: Vec<WrittenRecord>,
    pub(crate) seen: Instant,
}

/// What the Throughput view shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Shows {
    /// The figures of every command.
    #[default]
    Figures,
    /// What the last command wrote to standard output, or what was written for a file.
    Output,
}

/// The state of the Throughput view.
#[derive(Default)]
pub(crate) struct ThroughputView {
    /// The command selected.
    pub at: usize,
    /// What is shown.
    pub shows: Shows,
    /// Which of what was written is shown, by its number.
    pub part: usize,
    /// The first line of the output on screen.
    pub top: u64,
    /// What a run would take: of which text.
    pub estimate: Option<Estimate>,
}

impl Running {
    /// Looks at the run; true when it continues.
    pub(crate) fn look(&mut self) -> bool {
        if self.end.is_some() || self.seen.elapsed().as_nanos() < LOOK_NS {
            return false;
        }
        self.seen = Instant::now();
        self.snapshot = self.run.watch.snapshot();
        self.history.push(&self.snapshot);
        true
    }

    /// What it has written and can be looked at: standard output, and files that were not written,
    /// by their names.
    pub(crate) fn parts(&self) -> Vec<(Option<PathBuf>, Arc<Kept>)> {
        let unwritten = self.run.unwritten.lock();
        let files = unwritten.iter().map(|one| (Some(one.path.clone()), one.kept.clone()));
        let output = (None, self.run.output.clone());
        let shown = self.run.output.bytes() > 0 || unwritten.is_empty();
        shown.then_some(output).into_iter().chain(files).collect()
    }

    /// The run as it is kept and drawn.
    pub(crate) fn record(&self, script: Option<&Path>) -> RunRecord {
        let mut record = RunRecord::of(&self.text, self.began, &self.snapshot, &self.history);
        record.script = script.map(Path::to_owned);
        record.status = self.status;
        record.end = self.end.clone().unwrap_or_default();
        record.sources.clone_from(&self.sources);
        record.written.clone_from(&self.written);
        record.with_output(&self.run.output)
    }
}
