//! Commands in the place of files.

use std::sync::Arc;

use shell::{Direction, List};

/// Pipelines that stand in the place of files.
#[derive(Clone)]
pub(crate) struct Substitution {
    /// The name that stands for it.
    pub(crate) name: Vec<u8>,
    pub(crate) direction: Direction,
    pub(crate) list: Arc<List>,
}
