//! The operands of a program: files, and assignments between them.

use crate::common::input::records::Records;

/// Which operand is read.
#[derive(Default)]
pub(super) struct MainInput<'w> {
    pub(super) records: Option<Records<'w>>,
    /// The name of what is read.
    pub(super) name: Vec<u8>,
    /// The operand that comes next, from 1.
    pub(super) next: usize,
    pub(super) any_file: bool,
    pub(super) ended: bool,
}

/// `name=value` as an operand.
pub(super) fn assignment(text: &[u8]) -> Option<(&str, &[u8])> {
    let at = memchr::memchr(b'=', text)?;
    let name = std::str::from_utf8(&text[..at]).ok()?;
    let starts = name.starts_with(|first: char| first.is_ascii_alphabetic() || first == '_');
    let word = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
    (starts && word).then_some((name, &text[at + 1..]))
}
