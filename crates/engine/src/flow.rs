//! How blocks go from one place to the next, and how that is measured.

pub(crate) mod chain;
pub(crate) mod counted;
pub(crate) mod descriptors;
pub(crate) mod link;
pub(crate) mod metered;
pub(crate) mod origins;
pub(crate) mod read_ahead;
