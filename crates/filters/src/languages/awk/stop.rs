//! Why an evaluation ends early.

use stream::StageError;

/// Why an evaluation did not go on.
pub(super) enum Stop {
    Stage(StageError),
    /// An error of the program, at a place in its text.
    Fault {
        at: usize,
        message: String,
    },
    Next,
    NextFile,
    Exit,
}

impl<E: Into<StageError>> From<E> for Box<Stop> {
    fn from(error: E) -> Self {
        Box::new(Stop::Stage(error.into()))
    }
}

pub(super) type Eval<T> = Result<T, Box<Stop>>;

pub(super) fn fault<T>(at: usize, message: impl Into<String>) -> Eval<T> {
    Err(Box::new(Stop::Fault { at, message: message.into() }))
}
