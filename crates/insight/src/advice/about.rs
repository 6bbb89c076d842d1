//! A kind of note as it is listed.

use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof};

/// A kind of note as it is listed: when it is said, and a line it is said of.
pub struct About {
    /// Which.
    pub kind: NoteKind,
    /// What it rests on.
    pub basis: Basis,
    /// When it is said.
    pub when: &'static str,
    /// A line over the demo it is said of, with the first lines of `data` where it reads that.
    pub example: &'static str,
    /// What a trial of its change has to show.
    pub proof: Proof,
    /// It searches the data again, and is looked for after all others.
    pub(super) searches: bool,
    /// Finds it.
    pub(super) find: fn(&Look<'_>) -> Vec<Note>,
}
