//! What is to run, as data.

pub(crate) mod commands_in_words;
pub(crate) mod error;
pub(crate) mod outcome;
pub(crate) mod pipeline;
pub(crate) mod substitution;
pub(crate) mod target;
pub(crate) mod variables;
