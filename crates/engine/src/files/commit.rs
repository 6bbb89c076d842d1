//! Files that a run from the screen writes: apart until all is done, then put in place together, or
//! none of them; and taken back.

pub(crate) mod applied;
pub(crate) mod journal;
mod parts;
pub(crate) mod prepared;
pub(crate) mod recovery;
pub(crate) mod replacement;
pub(crate) mod written;

#[cfg(test)]
mod tests;
