//! The filters: our own implementations of the utilities that text pipelines are made of, each
//! in a file of its own with its [`Spec`], the one description of its options. A filter sees
//! nothing but its [`stream::StageIo`]; it knows no threads, clocks, files or terminals.

mod amount;
mod arguments;
mod cat;
mod cut;
mod echo;
mod escape;
mod format;
mod grep;
mod guide;
mod head;
mod numbers;
mod printf;
mod registry;
mod seq;
mod sort;
mod spec;
mod tail;
mod tr;
mod uniq;
mod wc;
mod words;

pub mod testing;

pub use arguments::{Arguments, Given, Operand, UsageError};
pub use guide::guide;
pub use registry::{ALL, Definition, find};
pub use spec::{Example, Filter, Operands, OptionSpec, Spec, Style, Verb};
