//! Whole texts: run for real, dry, on a sample, tried.

pub(crate) mod estimate;
pub(crate) mod fate;
pub(crate) mod figures;
pub(crate) mod full;
pub(crate) mod preview;
pub(crate) mod script;
pub(crate) mod trial;
pub(crate) mod watch;
