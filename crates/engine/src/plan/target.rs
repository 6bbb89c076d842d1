//! Redirections ready to be performed.

use std::path::PathBuf;

use shell::Span;

/// A redirection ready to be performed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Target {
    /// The descriptor.
    pub descriptor: u8,
    /// Where it goes.
    pub kind: TargetKind,
    /// Where it is in the text.
    pub span: Span,
}

/// Where a redirection goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TargetKind {
    /// Read from this file.
    Read(PathBuf),
    /// Replace this file.
    Replace(PathBuf),
    /// Append to this file.
    Append(PathBuf),
    /// Read from this file, which is made where there is none.
    ReadWrite(PathBuf),
    /// Where this descriptor goes.
    Duplicate(u8),
    /// Nowhere at all.
    Close,
    /// Read from this text.
    Text(Vec<u8>),
}
