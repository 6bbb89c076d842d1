//! What is written of an input.

/// What is written of lines, or of whole files.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Listing {
    Lines,
    Count,
    Matches,
    FilesWith,
    FilesWithout,
    Nothing,
}

/// What is done with binary files.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Binary {
    /// It is said that they match.
    Said,
    /// They are text.
    AsText,
    /// They match nothing.
    PassedOver,
}
