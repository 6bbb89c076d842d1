//! Shell text (POSIX.1-2017, Shell Command Language): parsed into a syntax tree whose every node
//! knows its place in the text, printed back, and quoted. No expansion, no input or output.
//!
//! What is understood: lists of pipelines of simple commands, all quoting, comments, line
//! continuation, redirections of descriptors 0 to 2, parameters, patterns for file names.
//! Everything else of the shell grammar is refused at its place; nothing is passed over.

mod edit;
mod parser;
mod print;
mod tree;

use thiserror::Error;

pub use edit::{OFF_MARK, stage_off_text};
pub use parser::parse;
pub use print::{print, quote};
pub use tree::{
    Assignment, Command, Parameter, Part, Pipeline, Redirection, RedirectionKind, Script, Span,
    Word,
};

/// Shell text that cannot be used, and where the trouble is.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{kind}")]
pub struct ShellError {
    /// What is wrong.
    pub kind: ShellErrorKind,
    /// The bytes of the text that are meant.
    pub span: Span,
}

/// What can be wrong with shell text.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum ShellErrorKind {
    /// A quote without its end.
    #[error("this {0} has no end")]
    Unterminated(&'static str),
    /// An operator where a command must stand.
    #[error("a command is missing before {0}")]
    MissingBefore(String),
    /// Nothing after `|`.
    #[error("a command is missing after |")]
    MissingAfterPipe,
    /// A redirection without a file name.
    #[error("a file name is missing after {0}")]
    MissingTarget(String),
    /// A token that cannot stand here.
    #[error("{0} cannot stand here")]
    Unexpected(String),
    /// A descriptor that is none.
    #[error("{0} is no descriptor from 0 to 2")]
    BadDescriptor(String),
    /// Part of the shell language, but not of what Ylotrope runs yet.
    #[error("{0} is not supported yet")]
    Unsupported(String),
}
