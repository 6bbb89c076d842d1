//! One line through the whole pipeline: what it was made of, what became of it, and where it ended.

pub(crate) mod follow;
pub(crate) mod inner;
pub(crate) mod lines;
pub(crate) mod lost;
pub(crate) mod whereabouts;
pub(crate) mod words;
