//! Words and numbers for what is shown: each said in one place.

pub(crate) mod fields;
pub(crate) mod held_commands;
pub(crate) mod recovered;
pub(crate) mod units;
pub(crate) mod wiring;
pub(crate) mod words;
