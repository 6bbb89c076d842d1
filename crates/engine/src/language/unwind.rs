//! Why a shell leaves what it runs.

use shell::Span;

/// Why what runs is left.
#[derive(Debug)]
pub(crate) enum Unwind {
    /// This many loops.
    Break(usize),
    /// The round of the loop this many further out.
    Continue(usize),
    /// The function.
    Return,
    /// The shell; the status is known.
    Exit,
    /// Somebody asked to stop.
    Cancelled,
    /// An error that ends the shell.
    Fault(Box<Fault>),
}

/// An error that ends a shell.
#[derive(Debug)]
pub(crate) struct Fault {
    pub(crate) message: String,
    pub(crate) span: Span,
    pub(crate) status: u8,
}

impl Unwind {
    pub(crate) fn fault<T>(message: impl Into<String>, span: Span, status: u8) -> ShellResult<T> {
        Err(Self::Fault(Box::new(Fault { message: message.into(), span, status })))
    }

    /// What is wrong, for an error.
    pub(crate) fn message(&self) -> String {
        match self {
            Self::Fault(fault) => fault.message.clone(),
            other => format!("{other:?}"),
        }
    }
}

pub(crate) type ShellResult<T> = Result<T, Unwind>;
