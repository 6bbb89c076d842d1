//! Two versions of the text side by side.

use std::sync::Arc;

use engine::Preview;
use insight::{StagePair, StreamDifference};

use crate::state::trials::Trials;
use crate::state::versions::Candidate;

/// Two versions, evaluated on the same data.
pub(crate) struct Compared {
    /// The one that is compared with.
    pub left: Arc<Preview>,
    /// The selected one.
    pub right: Arc<Preview>,
    /// Their stages.
    pub pairs: Vec<StagePair>,
    /// What differs in the result, once that is known.
    pub difference: Option<StreamDifference>,
}

/// What is known of the comparison.
pub(crate) enum Known {
    /// The versions are being evaluated.
    Evaluating,
    /// One of them cannot be run, and why.
    Failed(String),
    /// There is one.
    Made(Box<Compared>),
}

/// News of a comparison in the background.
pub(crate) enum VersionsNews {
    /// The stages are compared.
    Made(Box<Compared>),
    /// This many bytes of the results are compared, of this many.
    Progress(u64, u64),
    /// What differs in the results.
    Difference(Box<StreamDifference>),
    /// One of them cannot be run.
    Failed(String),
}

/// Versions side by side.
pub(crate) struct VersionsView {
    /// What can be chosen, the text as it is now first.
    pub all: Vec<Candidate>,
    /// The selected one.
    pub at: usize,
    /// The one it is compared with.
    pub with: usize,
    /// What is known.
    pub known: Known,
    /// Bytes of the results that were compared, of how many.
    pub progress: (u64, u64),
    /// The first row of the difference that is shown.
    pub top: usize,
    /// The comparison that runs; it ends with this.
    pub trials: Trials,
}
