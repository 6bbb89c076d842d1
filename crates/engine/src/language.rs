//! The shell language: its commands, and how words become values.

pub(crate) mod expand;
pub(crate) mod glob;
pub(crate) mod planner;
pub(crate) mod shell;
pub(crate) mod unwind;
