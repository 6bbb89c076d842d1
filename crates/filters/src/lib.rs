//! The filters: our own implementations of the utilities that text pipelines are made of, each
//! in a file of its own with its [`Spec`], the one description of its options. A filter sees
//! nothing but its [`stream::StageIo`]; it knows no threads, clocks, files or terminals.

mod amount;
mod arguments;
mod cat;
mod characters;
mod clock;
mod column;
mod comm;
mod csplit;
mod cut;
mod date;
mod digest;
mod echo;
mod escape;
mod expand;
mod expr;
mod fmt;
mod fold;
mod format;
mod grep;
mod guide;
mod head;
mod join;
mod lines;
mod meter;
mod names;
mod nl;
mod numbers;
mod numfmt;
mod od;
mod ordered;
mod paste;
mod printf;
mod registry;
mod rev;
mod seq;
mod shuf;
mod sleep;
mod sort;
mod spec;
mod split;
mod stamp;
mod tabs;
mod tac;
mod tail;
mod tee;
mod test;
mod tr;
mod truth;
mod unexpand;
mod uniq;
mod venn;
mod wc;
mod words;
mod xargs;
mod yes;
mod zero;

pub mod testing;

pub use arguments::{Arguments, Given, Operand, UsageError};
pub use guide::{guide, list};
pub use registry::{ALL, Definition, find};
pub use spec::{Example, Filter, Operands, OptionSpec, Optional, Spec, Style, Verb};
