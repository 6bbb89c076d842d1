//! Files: read, written, staged, held back, committed.

pub(crate) mod block_source;
pub(crate) mod commit;
pub(crate) mod committing;
pub(crate) mod cut_short;
pub(crate) mod direct;
pub(crate) mod emptied;
pub(crate) mod held_back;
pub(crate) mod identity;
pub(crate) mod machine;
pub(crate) mod overlay;
pub(crate) mod pending;
pub(crate) mod place;
pub(crate) mod plain;
pub(crate) mod real;
pub(crate) mod rights;
pub(crate) mod sample;
pub(crate) mod shell;
pub(crate) mod staged;
pub(crate) mod substituted;
pub(crate) mod temporary;
pub(crate) mod whole;
pub(crate) mod working_directory;

#[cfg(test)]
mod layer_tests;
