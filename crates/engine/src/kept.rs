//! What streams carried, kept to be looked at.

pub(crate) mod arrivals;
pub(crate) mod lines;
pub(crate) mod sinks;
