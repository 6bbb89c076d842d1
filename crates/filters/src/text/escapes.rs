//! Backslash escapes as `echo -e`, `printf` and `%b` take them.

/// What an escape is.
pub(crate) enum Escape {
    /// These bytes.
    Bytes(Vec<u8>),
    /// `\c`: write nothing more.
    Stop,
}

/// How octal numbers are written.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Octal {
    /// `\NNN`, in a format.
    Bare,
    /// `\0NNN`, in `echo` (and `\NNN` in `%b`, which allows both).
    WithZero,
}

/// Reads the escape behind a backslash; gives it and the bytes used. An unknown escape is
/// itself, with its backslash.
pub(crate) fn read(text: &[u8], octal: Octal) -> (Escape, usize) {
    let Some(&letter) = text.first() else {
        return (Escape::Bytes(b"\\".to_vec()), 0);
    };
    let single = |byte: u8| (Escape::Bytes(vec![byte]), 1);
    match letter {
        b'a' => single(7),
        b'b' => single(8),
        b'e' => single(27),
        b'f' => single(12),
        b'n' => single(b'\n'),
        b'r' => single(b'\r'),
        b't' => single(b'\t'),
        b'v' => single(11),
        b'\\' => single(b'\\'),
        b'c' => (Escape::Stop, 1),
        b'x' => {
            let (value, used) = digits(&text[1..], 16, 2);
            if used == 0 { unknown(text) } else { (Escape::Bytes(vec![value as u8]), 1 + used) }
        }
        b'u' | b'U' => {
            let (value, used) = digits(&text[1..], 16, if letter == b'u' { 4 } else { 8 });
            match char::from_u32(value) {
                Some(character) if used > 0 => {
                    (Escape::Bytes(character.to_string().into_bytes()), 1 + used)
                }
                _ => unknown(text),
            }
        }
        b'0' if octal == Octal::WithZero => {
            let (value, used) = digits(&text[1..], 8, 3);
            (Escape::Bytes(vec![value as u8]), 1 + used)
        }
        b'0'..=b'7' if octal == Octal::Bare => {
            let (value, used) = digits(text, 8, 3);
            (Escape::Bytes(vec![value as u8]), used)
        }
        _ => unknown(text),
    }
}

fn unknown(text: &[u8]) -> (Escape, usize) {
    (Escape::Bytes(vec![b'\\', text[0]]), 1)
}

fn digits(text: &[u8], base: u32, most: usize) -> (u32, usize) {
    let mut value = 0u32;
    let mut used = 0;
    for &byte in text.iter().take(most) {
        let Some(digit) = char::from(byte).to_digit(base) else { break };
        value = value.wrapping_mul(base).wrapping_add(digit);
        used += 1;
    }
    (value, used)
}
