//! The filters: our own implementations of the utilities that text pipelines are made of, each
//! in a file of its own with its [`Spec`], the one description of its options. A filter sees
//! nothing but its [`stream::StageIo`]; it knows no threads, clocks, files or terminals.
//!
//! Rooms, each importing only those above it: `text`, `spec`, `common`, `compression`, then `languages` and
//! `utilities`, then `registry`, `guide` and `testing`.

mod common;
mod compression;
mod guide;
mod languages;
mod registry;
mod spec;
mod text;
mod utilities;

pub mod testing;

pub use compression::Form;
pub use guide::list;
pub use registry::{all, find};
pub use spec::{
    Arguments, Counted, Definition, Dropped, Example, Filter, Given, InputLines, Operand, Operands,
    OptionId, OptionSpec, Optional, Program, Shade, Spec, Style, UsageError, Verb, guide,
};
