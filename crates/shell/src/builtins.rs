//! What a parser has to know of the commands that a shell runs itself. The grammar names none of them: whoever
//! runs the text says which there are.

use crate::{Span, Word};

/// The commands that a shell runs itself.
pub trait Builtins {
    /// Why a command of this name is not done; `None` for every other name, also for those of programs.
    fn refused(&self, name: &str) -> Option<&'static str>;

    /// Looks at a command with its arguments, as far as their values are known from the text.
    ///
    /// # Errors
    /// What of it is not supported.
    fn check(&self, name: &str, arguments: &[Word]) -> Result<Place, Refusal>;
}

/// Where a command may be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// Everywhere.
    Anywhere,
    /// Not beside other commands of a pipeline: what it changes holds for the whole process.
    Alone,
}

/// What is not supported of a command.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refusal {
    /// What it is, in words.
    pub what: String,
    /// Where it is written; `None`: the name of the command.
    pub span: Option<Span>,
}

impl Refusal {
    /// Something about the command as a whole.
    pub fn of_command(what: impl Into<String>) -> Self {
        Self { what: what.into(), span: None }
    }

    /// Something about one of its arguments.
    pub fn of(word: &Word, what: impl Into<String>) -> Self {
        Self { what: what.into(), span: Some(word.span) }
    }
}

/// No command is the shell's own: only the grammar is looked at.
pub struct NoBuiltins;

impl Builtins for NoBuiltins {
    fn refused(&self, _name: &str) -> Option<&'static str> {
        None
    }

    fn check(&self, _name: &str, _arguments: &[Word]) -> Result<Place, Refusal> {
        Ok(Place::Anywhere)
    }
}
