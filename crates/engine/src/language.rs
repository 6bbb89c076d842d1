//! The shell language: its commands, and how words become values.

pub(crate) mod builtin_table;
pub(crate) mod expansion;
pub(crate) mod glob;
pub(crate) mod interpreter;
pub(crate) mod planner;
pub(crate) mod run_text;
pub(crate) mod shell;
pub(crate) mod unwind;
