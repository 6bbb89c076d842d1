//! Why reading, writing and stages fail, and the statuses that they end with.

use std::io;

use thiserror::Error;

/// The status a stage ends with, as a process would: 0 to 255.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ExitStatus(pub u8);

impl ExitStatus {
    /// Success.
    pub const SUCCESS: Self = Self(0);
    /// That of a command that was not started (XCU 2.8.2).
    pub const NOT_STARTED: Self = Self(126);
    /// That of a command that is not there (XCU 2.8.2).
    pub const NOT_FOUND: Self = Self(127);
    /// That of a stage that has failed inside (sysexits: `EX_SOFTWARE`).
    pub const INTERNAL: Self = Self(70);
    /// What a process ended by a closed pipe leaves: 128 + SIGPIPE.
    pub const CLOSED_PIPE: Self = Self(141);
    /// What a process ended by an interrupt leaves: 128 + SIGINT.
    pub const CANCELLED: Self = Self(130);

    /// True for status 0.
    pub fn is_success(self) -> bool {
        self.0 == 0
    }
}

/// Why nothing more could be read.
#[derive(Debug, Error)]
pub enum ReadError {
    /// The run was cancelled.
    #[error("cancelled")]
    Cancelled,
    /// The operating system refused.
    #[error("{}", describe(.0))]
    Io(#[from] io::Error),
}

/// Why nothing more could be written.
#[derive(Debug, Error)]
pub enum WriteError {
    /// The reader has gone away. Normal: the stage ends as by a closed pipe.
    #[error("the reader has closed the stream")]
    Closed,
    /// The run was cancelled.
    #[error("cancelled")]
    Cancelled,
    /// The operating system refused (a full disk, say).
    #[error("{}", describe(.0))]
    Io(#[from] io::Error),
}

/// Why a stage ended before its work was done.
#[derive(Debug, Error)]
pub enum StageError {
    /// Its standard output could not be written.
    #[error(transparent)]
    Write(#[from] WriteError),
    /// The run was cancelled while it was reading.
    #[error("cancelled")]
    Cancelled,
    /// It gave up, with a message for standard error (without the filter's name) and a status.
    #[error("{message}")]
    Failed {
        /// One line for standard error.
        message: String,
        /// The status to end with.
        status: ExitStatus,
    },
}

impl StageError {
    /// A failure with a message and a status.
    pub fn failed(status: u8, message: impl Into<String>) -> Self {
        Self::Failed { message: message.into(), status: ExitStatus(status) }
    }
}

/// The system's own words for an error, without the number that `io::Error` adds.
pub fn describe(error: &io::Error) -> String {
    let text = error.to_string();
    match text.find(" (os error ") {
        Some(at) => text[..at].to_owned(),
        None => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn errors_are_the_words_of_the_system_without_its_number() {
        let missing = || io::Error::from_raw_os_error(2);
        assert_eq!(describe(&missing()), "No such file or directory");
        assert_eq!(describe(&io::Error::other("made up")), "made up");
        assert_eq!(ReadError::from(missing()).to_string(), "No such file or directory");
        assert_eq!(WriteError::from(missing()).to_string(), "No such file or directory");
        assert_eq!(
            StageError::from(WriteError::Closed).to_string(),
            WriteError::Closed.to_string()
        );
        let failed = StageError::failed(3, "no room");
        assert_eq!(failed.to_string(), "no room");
        assert!(matches!(failed, StageError::Failed { status: ExitStatus(3), .. }));
    }

    #[test]
    fn only_0_is_success() {
        assert!(ExitStatus::SUCCESS.is_success() && ExitStatus::default().is_success());
        for status in [1, 2, 126, 127, 130, 141, 255] {
            assert!(!ExitStatus(status).is_success(), "{status}");
        }
    }
}
