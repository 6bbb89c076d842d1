//! What was taken off the Shelf.

use insight::{Deleted, PastLine};

/// What was taken off the Shelf, and can be put back.
pub(crate) enum TakenOff {
    /// A script.
    Script(Deleted),
    /// A line that was evaluated before.
    Past(Box<Forgotten>),
}

/// A line that is no more among those evaluated before.
pub(crate) struct Forgotten {
    /// Its text.
    pub text: String,
    /// What it gave, where that was known.
    pub last: Option<PastLine>,
}
