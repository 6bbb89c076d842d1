//! What is in a record, or wrong with it.

use std::borrow::Cow;

/// A value in a record.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Value<'r> {
    /// There is none.
    Missing,
    /// Text, without quotes and escapes.
    Text(Cow<'r, [u8]>),
    /// JSON as it was written: a number, an object, a list, `true`, `false`, `null`.
    Json(&'r [u8]),
}

/// Why a record cannot be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Bad {
    pub(super) why: Cow<'static, str>,
    /// The byte in its line where that shows, from 1.
    pub(super) at: Option<usize>,
}

impl Bad {
    pub(super) fn new(why: impl Into<Cow<'static, str>>, at: Option<usize>) -> Self {
        Self { why: why.into(), at }
    }
}
