//! Errors of `sort` as it says them; all with status 2.

use stream::{ReadError, StageError};

pub(super) fn read_failed(name: &str, error: ReadError) -> StageError {
    match error {
        ReadError::Cancelled => StageError::Cancelled,
        ReadError::Io(error) => {
            StageError::failed(2, format!("read failed: {name}: {}", stream::describe(&error)))
        }
    }
}

pub(super) fn cannot_read(name: &str, error: &std::io::Error) -> StageError {
    StageError::failed(2, format!("cannot read: {name}: {}", stream::describe(error)))
}
