//! Runs that were watched: what is kept of them, and what held them up.

pub(crate) mod bottleneck;
pub(crate) mod comparison;
pub(crate) mod folders;
pub(crate) mod history;
pub(crate) mod record;
