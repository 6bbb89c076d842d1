//! What can be done with exactly this: stages built from a value, a column, a piece of text.

pub(crate) mod access;
pub(crate) mod escape;
pub(crate) mod field;
pub(crate) mod ground;
pub(crate) mod offer;
pub(crate) mod offers;
pub(crate) mod outcome;
