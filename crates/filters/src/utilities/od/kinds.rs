//! The ways to show bytes.

use crate::spec::shown;
use crate::text::c_format::shortest;

/// One way to show bytes, and whether the text is behind it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Kind {
    what: What,
    text: bool,
}

#[derive(Clone, Copy, Debug)]
enum What {
    Named,
    Character,
    Signed(usize),
    Unsigned(usize),
    Octal(usize),
    Hexadecimal(usize),
    Float(usize),
}

/// Parses the value of `-t`: several types one after the other.
pub(super) fn parse_types(text: &[u8]) -> Result<Vec<Kind>, String> {
    let mut kinds = Vec::new();
    let mut rest = text;
    while let Some((&letter, after)) = rest.split_first() {
        rest = after;
        let mut size = |letters: &[(u8, usize)], usual: usize, sizes: &[usize], what: &str| {
            if let Some(&first) = rest.first()
                && let Some((_, size)) = letters.iter().find(|(letter, _)| *letter == first)
            {
                rest = &rest[1..];
                return Ok(*size);
            }
            let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
            if digits == 0 {
                return Ok(usual);
            }
            let number =
                std::str::from_utf8(&rest[..digits]).ok().and_then(|text| text.parse().ok());
            rest = &rest[digits..];
            match number {
                Some(number) if sizes.contains(&number) => Ok(number),
                _ => Err(format!(
                    "invalid type string {}; there is no {}-byte {what} type",
                    shown(text),
                    number.map_or_else(|| "so large".to_owned(), |number| number.to_string())
                )),
            }
        };
        let whole = [(b'C', 1), (b'S', 2), (b'I', 4), (b'L', 8)];
        let mut integer = || size(&whole, 4, &[1, 2, 4, 8], "integral");
        let what = match letter {
            b'a' => What::Named,
            b'c' => What::Character,
            b'd' => What::Signed(integer()?),
            b'u' => What::Unsigned(integer()?),
            b'o' => What::Octal(integer()?),
            b'x' => What::Hexadecimal(integer()?),
            b'f' => What::Float(size(&[(b'F', 4), (b'D', 8)], 8, &[4, 8], "floating-point")?),
            _ => {
                let letter = char::from(letter);
                return Err(format!("invalid character '{letter}' in type string {}", shown(text)));
            }
        };
        let with_text = rest.first() == Some(&b'z');
        if with_text {
            rest = &rest[1..];
        }
        kinds.push(Kind { what, text: with_text });
    }
    Ok(kinds)
}

const NAMES: [&str; 33] = [
    "nul", "soh", "stx", "etx", "eot", "enq", "ack", "bel", "bs", "ht", "nl", "vt", "ff", "cr",
    "so", "si", "dle", "dc1", "dc2", "dc3", "dc4", "nak", "syn", "etb", "can", "em", "sub", "esc",
    "fs", "gs", "rs", "us", "sp",
];

impl Kind {
    /// Bytes of a field.
    pub(super) fn size(self) -> usize {
        match self.what {
            What::Named | What::Character => 1,
            What::Signed(size)
            | What::Unsigned(size)
            | What::Octal(size)
            | What::Hexadecimal(size)
            | What::Float(size) => size,
        }
    }

    /// Columns of a field, without the blank before it.
    pub(super) fn width(self) -> usize {
        let by_size = |widths: [usize; 4], size: usize| widths[size.trailing_zeros() as usize];
        match self.what {
            What::Named | What::Character => 3,
            What::Signed(size) => by_size([4, 6, 11, 20], size),
            What::Unsigned(size) => by_size([3, 5, 10, 20], size),
            What::Octal(size) => by_size([3, 6, 11, 22], size),
            What::Hexadecimal(size) => 2 * size,
            What::Float(4) => 15,
            What::Float(_) => 24,
        }
    }

    /// In words, for explanations.
    pub(super) fn in_words(self) -> String {
        let bytes = |size: usize, how: &str| match size {
            1 => format!("each byte {how}"),
            size => format!("{size} bytes at a time {how}"),
        };
        match self.what {
            What::Named => "the names of the characters".to_owned(),
            What::Character => "the characters".to_owned(),
            What::Signed(size) => bytes(size, "as a signed number"),
            What::Unsigned(size) => bytes(size, "as a number"),
            What::Octal(size) => bytes(size, "in octal"),
            What::Hexadecimal(size) => bytes(size, "in hexadecimal"),
            What::Float(size) => bytes(size, "as floating point"),
        }
    }

    /// Writes the fields of a block that is at most `full` bytes; `pad` columns are spread over
    /// the fields of a full one.
    pub(super) fn write(self, block: &[u8], full: usize, pad: usize, out: &mut Vec<u8>) {
        let size = self.size();
        let fields = full / size;
        let width = self.width() + 1;
        let mut padding = pad;
        let mut bytes = [0u8; 8];
        for (number, field) in block.chunks(size).enumerate() {
            // What is missing of the last field counts as zeros.
            bytes[..size].fill(0);
            bytes[..field.len()].copy_from_slice(field);
            let next = pad * (fields - number - 1) / fields;
            let columns = width + padding - next;
            padding = next;
            self.field(&bytes[..size], columns, out);
        }
        if self.text {
            let missing = (full - block.len()) / size;
            out.resize(out.len() + missing * width + pad * missing / fields, b' ');
            out.extend_from_slice(b"  >");
            out.extend(
                block.iter().map(|byte| if matches!(byte, b' '..=b'~') { *byte } else { b'.' }),
            );
            out.push(b'<');
        }
    }

    #[inline]
    fn field(self, bytes: &[u8], columns: usize, out: &mut Vec<u8>) {
        let value = bytes.iter().rev().fold(0u64, |value, byte| value << 8 | u64::from(*byte));
        match self.what {
            What::Octal(_) => digits(value, 8, self.width(), columns, out),
            What::Hexadecimal(_) => digits(value, 16, self.width(), columns, out),
            What::Unsigned(_) => digits(value, 10, 1, columns, out),
            What::Signed(size) => {
                let shift = 64 - 8 * size as u32;
                let signed = ((value << shift) as i64) >> shift;
                if signed >= 0 {
                    return digits(signed as u64, 10, 1, columns, out);
                }
                let text = signed.to_string();
                right(text.as_bytes(), columns, out);
            }
            What::Float(4) => right(
                shortest(f64::from(f32::from_bits(value as u32)), true).as_bytes(),
                columns,
                out,
            ),
            What::Float(_) => {
                right(shortest(f64::from_bits(value), false).as_bytes(), columns, out);
            }
            What::Named => match bytes[0] & 0x7f {
                127 => right(b"del", columns, out),
                byte @ 0..=32 => right(NAMES[byte as usize].as_bytes(), columns, out),
                byte => right(&[byte], columns, out),
            },
            What::Character => match bytes[0] {
                0 => right(b"\\0", columns, out),
                7 => right(b"\\a", columns, out),
                8 => right(b"\\b", columns, out),
                b'\t' => right(b"\\t", columns, out),
                b'\n' => right(b"\\n", columns, out),
                11 => right(b"\\v", columns, out),
                12 => right(b"\\f", columns, out),
                b'\r' => right(b"\\r", columns, out),
                byte @ b' '..=b'~' => right(&[byte], columns, out),
                byte => digits(u64::from(byte), 8, 3, columns, out),
            },
        }
    }
}

/// Text at the right end of this many columns.
#[inline]
fn right(text: &[u8], columns: usize, out: &mut Vec<u8>) {
    out.resize(out.len() + columns.saturating_sub(text.len()), b' ');
    out.extend_from_slice(text);
}

/// A number with at least `least` digits, at the right end of this many columns.
#[inline]
fn digits(value: u64, radix: u64, least: usize, columns: usize, out: &mut Vec<u8>) {
    let mut text = [b' '; 96];
    let mut at = text.len();
    let mut rest = value;
    let stop = text.len() - least;
    while rest > 0 || at > stop {
        at -= 1;
        text[at] = b"0123456789abcdef"[(rest % radix) as usize];
        rest /= radix;
    }
    if columns <= text.len() {
        out.extend_from_slice(&text[at.min(text.len() - columns)..]);
    } else {
        right(&text[at..], columns, out);
    }
}
