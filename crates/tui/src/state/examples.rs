//! Examples for a pattern.

use insight::Mark;

/// Examples that were marked.
#[derive(Default)]
pub(crate) struct Examples {
    /// What the pattern must match.
    pub marks: Vec<Mark>,
    /// What it must not match.
    pub nots: Vec<Mark>,
}
