//! Files that hold their data in another form: compressed.

use thiserror::Error;

use crate::Source;

/// A way to read what a file held before it was compressed.
pub struct Decoding {
    /// What tells it from others.
    pub name: &'static str,
    /// Bytes that are decoded in one go: as long as fewer were given, the place that was reached in the
    /// compressed data says nothing of how many there are. 0 where that is little.
    pub at_once: u64,
    /// A source of the data in what the other one gives. It fails with a [`DecodingError`] inside an
    /// error of the system's kind, after all that could be read.
    pub open: fn(Box<dyn Source>) -> Box<dyn Source>,
}

/// What is wrong with compressed data.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum DecodingFailure {
    /// It begins as something else, whose name is known or not.
    #[error("not {wanted} data{}", .found.map(|found| format!(", but {found}")).unwrap_or_default())]
    OtherForm {
        /// The form that was expected.
        wanted: &'static str,
        /// What it is.
        found: Option<&'static str>,
    },
    /// It ends before its end.
    #[error("unexpected end of file")]
    Truncated,
    /// It was changed after it was made.
    #[error("damaged")]
    Damaged,
    /// More memory is wanted than is given for it.
    #[error("it takes more than {0} MiB of memory to read")]
    Memory(u64),
    /// After the end something else follows, which was skipped.
    #[error("what follows its end is not {0} data and was skipped")]
    Trailing(&'static str),
}

/// Where compressed data could not be read further.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{}", said(self))]
pub struct DecodingError {
    /// What is wrong.
    pub failure: DecodingFailure,
    /// Bytes of the compressed data before the place where that was seen.
    pub at: u64,
    /// Bytes that were read before.
    pub bytes: u64,
    /// Newlines in them.
    pub lines: u64,
}

fn said(error: &DecodingError) -> String {
    let DecodingError { failure, at, bytes, lines } = error;
    match failure {
        DecodingFailure::OtherForm { .. } if *at == 0 => failure.to_string(),
        DecodingFailure::Trailing(_) => format!("{failure}, from byte {at} on"),
        _ => format!("{failure} near byte {at}; {lines} lines ({bytes} bytes) before it were read"),
    }
}

impl DecodingError {
    /// This, where it is what is inside an error of the system's kind.
    pub fn inside(error: &std::io::Error) -> Option<&Self> {
        error.get_ref()?.downcast_ref()
    }
}
