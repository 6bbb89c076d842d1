//! Time, limits, threads: what all else is on.

pub(crate) mod background;
pub(crate) mod clock;
pub(crate) mod figure;
pub(crate) mod jobs;
pub(crate) mod limits;
pub(crate) mod sinks;
pub(crate) mod threads;
pub(crate) mod worker;
