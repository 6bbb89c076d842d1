//! Escapes in the texts of a script.

use crate::common::substitution::{Case, Part};
use crate::text::characters;

/// What the escape behind a backslash means in any text: the byte and the escape's length.
/// `None` for those that mean something else or nothing.
fn escape(rest: &[u8]) -> Option<(u8, usize)> {
    let based = |base: u32, most: usize| {
        let digits = rest[1..]
            .iter()
            .take(most)
            .take_while(|byte| char::from(**byte).is_digit(base))
            .count();
        let text = std::str::from_utf8(&rest[1..=digits]).unwrap_or("");
        u32::from_str_radix(text, base).ok().map(|value| (value as u8, 1 + digits))
    };
    match rest.first()? {
        b'a' => Some((7, 1)),
        b'f' => Some((12, 1)),
        b'n' => Some((b'\n', 1)),
        b'r' => Some((b'\r', 1)),
        b't' => Some((b'\t', 1)),
        b'v' => Some((11, 1)),
        b'c' => rest.get(1).map(|byte| (byte.to_ascii_uppercase() ^ 0x40, 2)),
        b'd' => based(10, 3),
        b'o' => based(8, 3),
        b'x' => based(16, 2),
        _ => None,
    }
}

/// The text of a pattern: `\n` and its like become characters, in bracket expressions too, and an
/// escaped delimiter that means nothing else becomes itself.
pub(super) fn pattern_text(text: &[u8], delimiter: u8) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    // Where the characters of an open bracket expression begin.
    let mut bracket: Option<usize> = None;
    while at < text.len() {
        let rest = &text[at..];
        if let Some(begun) = bracket {
            match rest {
                [b']', ..] if at > begun => bracket = None,
                [b'[', mark @ (b':' | b'.' | b'='), inside @ ..] => {
                    let close = [*mark, b']'];
                    if let Some(end) = inside.windows(2).position(|pair| pair == close) {
                        out.extend_from_slice(&rest[..end + 4]);
                        at += end + 4;
                        continue;
                    }
                }
                [b'\\', escaped @ ..] => {
                    if let Some((byte, length)) = escape(escaped)
                        && !matches!(byte, b']' | b'^' | b'-' | b'[')
                    {
                        out.push(byte);
                        at += 1 + length;
                        continue;
                    }
                }
                _ => {}
            }
            out.push(rest[0]);
            at += 1;
            continue;
        }
        match rest {
            [b'\\', next, ..] if *next == delimiter && delimiter != b'n' => {
                // The delimiter itself, without what it may mean in a pattern.
                if b"$*.[]^".contains(next) {
                    out.push(b'\\');
                }
                out.push(*next);
                at += 2;
            }
            [b'\\', escaped @ ..] if !escaped.is_empty() => match escape(escaped) {
                Some((byte, length)) => {
                    if b"$*.[]^\\+?|(){}".contains(&byte) {
                        let plain = b"+?|(){}".contains(&byte);
                        out.extend_from_slice(if plain { b"[" } else { b"\\" });
                        out.push(byte);
                        if plain {
                            out.push(b']');
                        }
                    } else {
                        out.push(byte);
                    }
                    at += 1 + length;
                }
                None => {
                    out.extend_from_slice(&rest[..2]);
                    at += 2;
                }
            },
            [b'[', ..] => {
                out.push(b'[');
                at += 1;
                if text.get(at) == Some(&b'^') {
                    out.push(b'^');
                    at += 1;
                }
                bracket = Some(at);
            }
            [byte, ..] => {
                out.push(*byte);
                at += 1;
            }
            [] => break,
        }
    }
    out
}

/// The parts of a replacement.
pub(super) fn replacement(text: &[u8], delimiter: u8) -> Result<Vec<Part>, (usize, &'static str)> {
    let mut parts = Vec::new();
    let mut literal = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let part = match &text[at..] {
            [b'&', ..] => {
                at += 1;
                Part::Group(0)
            }
            [b'\\', next, ..] => {
                let escaped = &text[at + 1..];
                let start = at;
                at += 2;
                match *next {
                    byte if byte == delimiter && byte != b'&' && !byte.is_ascii_digit() => {
                        literal.push(byte);
                        continue;
                    }
                    digit @ b'0'..=b'9' => Part::Group(usize::from(digit - b'0')),
                    b'U' => Part::Case(Case::Upper),
                    b'L' => Part::Case(Case::Lower),
                    b'u' => Part::Case(Case::UpperNext),
                    b'l' => Part::Case(Case::LowerNext),
                    b'E' => Part::Case(Case::End),
                    b'c' if escaped.len() < 2 => {
                        return Err((start, "a character should follow \\c"));
                    }
                    other => {
                        match escape(escaped) {
                            Some((byte, length)) => {
                                literal.push(byte);
                                at = start + 1 + length;
                            }
                            None => literal.push(other),
                        }
                        continue;
                    }
                }
            }
            [byte, ..] => {
                literal.push(*byte);
                at += 1;
                continue;
            }
            [] => break,
        };
        if !literal.is_empty() {
            parts.push(Part::Text(std::mem::take(&mut literal)));
        }
        parts.push(part);
    }
    if !literal.is_empty() {
        parts.push(Part::Text(literal));
    }
    Ok(parts)
}

/// The characters of one side of `y`; the place of an escape that means nothing there.
pub(super) fn translated(text: &[u8], delimiter: u8) -> Result<Vec<Vec<u8>>, usize> {
    let mut list = Vec::new();
    let mut at = 0;
    while at < text.len() {
        if text[at] == b'\\' {
            let escaped = &text[at + 1..];
            match escaped.first() {
                Some(&byte) if byte == delimiter || byte == b'\\' || byte == b'\n' => {
                    list.push(vec![byte]);
                    at += 2;
                }
                _ => match escape(escaped) {
                    Some((byte, length)) => {
                        list.push(vec![byte]);
                        at += 1 + length;
                    }
                    None => return Err(at),
                },
            }
            continue;
        }
        let (_, length) = characters::first(&text[at..]);
        list.push(text[at..at + length].to_vec());
        at += length;
    }
    Ok(list)
}

/// Adds a text up to the first newline without a backslash; gives how many bytes it took, with
/// that newline. A backslash before any other character goes away.
pub(super) fn free_text(rest: &[u8], out: &mut Vec<u8>) -> usize {
    let mut at = 0;
    while at < rest.len() {
        match &rest[at..] {
            [b'\n', ..] => return at + 1,
            [b'\\'] => at += 1,
            [b'\\', escaped @ ..] => match escape(escaped) {
                Some((byte, length)) => {
                    out.push(byte);
                    at += 1 + length;
                }
                None => {
                    out.push(escaped[0]);
                    at += 2;
                }
            },
            [byte, ..] => {
                out.push(*byte);
                at += 1;
            }
            [] => break,
        }
    }
    at
}

/// Where a replacement refers to what was matched.
pub(super) fn groups(text: &[u8]) -> impl Iterator<Item = std::ops::Range<usize>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        while at < text.len() {
            let start = at;
            match &text[at..] {
                [b'&', ..] => {
                    at += 1;
                    return Some(start..at);
                }
                [b'\\', b'0'..=b'9', ..] => {
                    at += 2;
                    return Some(start..at);
                }
                [b'\\', _, ..] => at += 2,
                _ => at += 1,
            }
        }
        None
    })
}
