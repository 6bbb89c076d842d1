//! Patterns by example: from pieces that were marked, patterns that match exactly those.

pub(crate) mod candidates;
pub(crate) mod pieces;
pub(crate) mod suggest;
