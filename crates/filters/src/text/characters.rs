//! Text as characters: UTF-8, every byte that is no part of a character counting as one.

use unicode_width::UnicodeWidthChar;

/// The first character of `text` and its length in bytes; `None` for a byte that begins none.
/// `text` must not be empty.
#[inline]
pub(crate) fn first(text: &[u8]) -> (Option<char>, usize) {
    let byte = text[0];
    if byte < 0x80 {
        return (Some(char::from(byte)), 1);
    }
    let (character, length) = bstr::decode_utf8(text);
    match character {
        Some(character) => (Some(character), length),
        None => (None, 1),
    }
}

/// The characters of `text` with their bytes.
pub(crate) fn each(text: &[u8]) -> impl Iterator<Item = (Option<char>, &[u8])> {
    let mut rest = text;
    std::iter::from_fn(move || {
        if rest.is_empty() {
            return None;
        }
        let (character, length) = first(rest);
        let (bytes, after) = rest.split_at(length);
        rest = after;
        Some((character, bytes))
    })
}

/// How many bytes at the beginning are printable ASCII, each a character of one column.
#[inline]
pub(crate) fn plain_run(text: &[u8]) -> usize {
    text.iter().position(|byte| !matches!(byte, b' '..=b'~')).unwrap_or(text.len())
}

/// How many characters a text has.
pub(crate) fn count(text: &[u8]) -> usize {
    if text.is_ascii() {
        text.len()
    } else if std::str::from_utf8(text).is_ok() {
        // Each character has one byte that continues from no other.
        text.iter().filter(|byte| !(0x80..0xc0).contains(*byte)).count()
    } else {
        each(text).count()
    }
}

/// The character in upper or lower case; itself where the other case is not one character.
pub(crate) fn in_case(character: char, upper: bool) -> char {
    let one = |mut all: Box<dyn Iterator<Item = char>>| match (all.next(), all.next()) {
        (Some(only), None) => only,
        _ => character,
    };
    if upper {
        one(Box::new(character.to_uppercase()))
    } else {
        one(Box::new(character.to_lowercase()))
    }
}

/// Columns a character takes on a terminal; 1 for what is no character, 0 for control bytes.
#[inline]
pub(crate) fn width(character: Option<char>) -> usize {
    match character {
        Some(' '..='~') | None => 1,
        Some(character) => character.width().unwrap_or(0),
    }
}

/// Columns a text takes.
pub(crate) fn text_width(text: &[u8]) -> usize {
    each(text).map(|(character, _)| width(character)).sum()
}
