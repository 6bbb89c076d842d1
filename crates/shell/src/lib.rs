//! Shell text (POSIX.1-2017, Shell Command Language): parsed into a syntax tree whose every node
//! knows its place in the text, printed back, and quoted. No expansion, no input or output.
//!
//! What is understood: the whole grammar of the standard but for commands in the background, and
//! from common practice `|&`, `&>`, `&>>`, `<<<`, `$'…'`, `<( … )`, `>( … )`, `[[ … ]]`, braces and
//! `time`. Everything else is refused at its place; nothing is passed over. DESIGN.md says why.

pub mod arithmetic;
mod builtins;
mod edit;
mod parser;
mod print;
mod tree;

use thiserror::Error;

pub use builtins::{Builtins, NoBuiltins, Place, Refusal};
pub use edit::{OFF_MARK, stage_off_text};
pub use parser::parse;
pub use print::{is_reserved, print, print_command, print_item, print_word, quote, quote_bytes};
pub use tree::{
    Arm, Assignment, Command, Compound, Connector, Direction, Document, Expansion, Item, List,
    Operation, Otherwise, Parameter, Part, Pipeline, Redirection, RedirectionKind, Script,
    Sequence, Span, Test, TimeForm, Uses, Word,
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
    /// A quote or a compound command without its end.
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
    /// Nothing after `&&` or `||`.
    #[error("a command is missing after {0}")]
    MissingAfter(String),
    /// Something that must stand here.
    #[error("{0} is missing here")]
    Missing(&'static str),
    /// A here-document without the line that ends it.
    #[error("this here-document is not followed by a line {0:?}")]
    UnterminatedDocument(String),
    /// A token that cannot stand here.
    #[error("{0} is not allowed here")]
    Unexpected(String),
    /// A descriptor that is none.
    #[error("{0} is not a descriptor from 0 to 9")]
    BadDescriptor(String),
    /// Part of the shell language, but not of what Ylotrope runs.
    #[error("{0} is not supported")]
    Unsupported(String),
}
