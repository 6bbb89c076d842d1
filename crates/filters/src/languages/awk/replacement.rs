//! How `sub`, `gsub` and `gensub` read what is put in the place of matches.

use crate::common::substitution::{Part, Replacement};

/// Reads a replacement (XCU awk, "String Functions"): `&` is the match, `\&` an ampersand, `\\` a
/// backslash; with `groups` also `\0` to `\9`.
pub(super) fn read(text: &[u8], groups: bool) -> Replacement {
    let mut parts = Vec::new();
    let mut literal = Vec::new();
    let mut bytes = text.iter();
    while let Some(&byte) = bytes.next() {
        let group = match (byte, bytes.as_slice().first()) {
            (b'&', _) => 0,
            (b'\\', Some(&digit @ b'0'..=b'9')) if groups => {
                bytes.next();
                usize::from(digit - b'0')
            }
            (b'\\', Some(&next @ (b'&' | b'\\'))) => {
                bytes.next();
                literal.push(next);
                continue;
            }
            _ => {
                literal.push(byte);
                continue;
            }
        };
        if !literal.is_empty() {
            parts.push(Part::Text(std::mem::take(&mut literal)));
        }
        parts.push(Part::Group(group));
    }
    if !literal.is_empty() {
        parts.push(Part::Text(literal));
    }
    Replacement::new(parts)
}
