//! Two sides beside each other: input and output, old and new.

pub(crate) mod alignment;
pub(crate) mod difference;
pub(crate) mod streams;
pub(crate) mod versions;
