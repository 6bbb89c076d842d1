//! Numbers as text and text as numbers.

use crate::text::c_format::{Flags, floating};

/// The number that begins `text` (no blanks, no sign), and its length; 0 and 0 where none does.
pub(super) fn leading_number(text: &[u8]) -> (f64, usize) {
    let mut at = 0;
    let mut value: u64 = 0;
    while let Some(digit) = text.get(at).map(|byte| byte.wrapping_sub(b'0')).filter(|d| *d < 10) {
        value = value.wrapping_mul(10).wrapping_add(u64::from(digit));
        at += 1;
    }
    let whole = at;
    let mut digits = at;
    if text.get(at) == Some(&b'.') {
        let fraction = text[at + 1..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        digits += fraction;
        if digits > 0 {
            at += 1 + fraction;
        }
    }
    if digits == 0 {
        return (0.0, 0);
    }
    if let Some(b'e' | b'E') = text.get(at) {
        let sign = usize::from(matches!(text.get(at + 1), Some(b'+' | b'-')));
        let rest = &text[at + 1 + sign..];
        let power = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
        if power > 0 {
            at += 1 + sign + power;
        }
    }
    // Whole numbers of at most 15 digits are exact.
    if at == whole && whole <= 15 {
        return (value as f64, at);
    }
    let parsed = std::str::from_utf8(&text[..at]).ok().and_then(|text| text.parse().ok());
    (parsed.unwrap_or(0.0), at)
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r' | 11 | 12)
}

/// The number at the start of a text, 0 where there is none.
pub(super) fn to_number(text: &[u8]) -> f64 {
    signed(text).0
}

/// The number and where it ends; 0 at the end of the blanks where there is none.
fn signed(text: &[u8]) -> (f64, usize, bool) {
    let start = text.iter().position(|byte| !is_blank(*byte)).unwrap_or(text.len());
    let sign = match text.get(start) {
        Some(b'-') => Some(true),
        Some(b'+') => Some(false),
        _ => None,
    };
    let at = start + usize::from(sign.is_some());
    let (value, length) = leading_number(&text[at..]);
    (if sign == Some(true) { -value } else { value }, at + length, length > 0)
}

/// The number a text looks like as a whole, blanks around it aside.
pub(super) fn looks_numeric(text: &[u8]) -> Option<f64> {
    // Most texts that are no numbers show it at once.
    if text.first().is_none_or(|byte| *byte > b'9') {
        return None;
    }
    let (value, end, any) = signed(text);
    (any && text[end..].iter().all(|byte| is_blank(*byte))).then_some(value)
}

/// Adds the decimal digits of a whole number.
pub(super) fn push_whole(value: i64, out: &mut Vec<u8>) {
    if (0..10).contains(&value) {
        out.push(b'0' + value as u8);
        return;
    }
    let mut digits = [0; 20];
    let mut at = digits.len();
    let mut rest = value.unsigned_abs();
    while rest > 0 || at == digits.len() {
        at -= 1;
        digits[at] = b'0' + (rest % 10) as u8;
        rest /= 10;
    }
    if value < 0 {
        at -= 1;
        digits[at] = b'-';
    }
    out.extend_from_slice(&digits[at..]);
}

/// Adds a number as text: whole numbers in full, others by `format` (`CONVFMT` or `OFMT`).
pub(super) fn push_number(value: f64, format: &NumberFormat, out: &mut Vec<u8>) {
    let whole = value as i64;
    if whole as f64 == value && whole.unsigned_abs() < 1 << 53 {
        return push_whole(whole, out);
    }
    if value.is_nan() {
        return out.extend_from_slice(if value.is_sign_negative() { b"-nan" } else { b"nan" });
    }
    if value.is_infinite() {
        return out.extend_from_slice(if value < 0.0 { b"-inf" } else { b"inf" });
    }
    if value.fract() == 0.0 {
        return out.extend_from_slice(format!("{value:.0}").as_bytes());
    }
    format.push(value, out);
}

/// `CONVFMT` or `OFMT`, read once.
#[derive(Clone, Debug)]
pub(super) struct NumberFormat {
    before: Vec<u8>,
    flags: Flags,
    conversion: u8,
    after: Vec<u8>,
}

impl NumberFormat {
    /// Reads a format with one conversion of a number. Another text is written as it is.
    pub(super) fn new(format: &[u8]) -> Self {
        let none = Self {
            before: format.to_vec(),
            flags: Flags::default(),
            conversion: 0,
            after: Vec::new(),
        };
        let Some(start) = memchr::memchr(b'%', format) else { return none };
        let mut flags = Flags::default();
        let mut at = start + 1;
        at += flags.read(&format[at..]);
        let number = |at: &mut usize| {
            let digits = format[*at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
            let text = std::str::from_utf8(&format[*at..*at + digits]).unwrap_or("");
            *at += digits;
            text.parse::<usize>().unwrap_or(0).min(1 << 10)
        };
        flags.width = number(&mut at);
        if format.get(at) == Some(&b'.') {
            at += 1;
            flags.precision = Some(number(&mut at));
        }
        let Some(&conversion) = format.get(at) else { return none };
        if !matches!(conversion, b'd' | b'i' | b'e' | b'E' | b'f' | b'F' | b'g' | b'G') {
            return none;
        }
        let (before, after) = (format[..start].to_vec(), format[at + 1..].to_vec());
        Self { before, flags, conversion, after }
    }

    fn push(&self, value: f64, out: &mut Vec<u8>) {
        out.extend_from_slice(&self.before);
        match self.conversion {
            0 => {}
            b'd' | b'i' => {
                out.extend_from_slice(&crate::text::c_format::signed(&self.flags, value as i64));
            }
            conversion => out.extend_from_slice(&floating(&self.flags, value, conversion)),
        }
        out.extend_from_slice(&self.after);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_look_numeric_as_a_whole_only() {
        assert_eq!(looks_numeric(b" +1.5e3 \n"), Some(1500.0));
        assert_eq!(looks_numeric(b".5"), Some(0.5));
        assert_eq!(looks_numeric(b"5."), Some(5.0));
        for text in [&b""[..], b" ", b"1x", b"0x10", b"e5", b".", b"-", b"inf", b"nan", b"1 2"] {
            assert_eq!(looks_numeric(text), None, "{text:?}");
        }
        assert_eq!(to_number(b"  -12abc"), -12.0);
        assert_eq!(to_number(b"1e"), 1.0);
        assert_eq!(to_number(b"12345678901234567890"), 12_345_678_901_234_567_890.0);
    }

    #[test]
    fn numbers_are_written_by_the_format_unless_whole() {
        let show = |value| {
            let mut out = Vec::new();
            push_number(value, &NumberFormat::new(b"%.6g"), &mut out);
            String::from_utf8(out).unwrap()
        };
        assert_eq!(show(-0.0), "0");
        assert_eq!(show(-17.0), "-17");
        assert_eq!(show(3.141_572_653), "3.14157");
        assert_eq!(show(1e6), "1000000");
        assert_eq!(show(2f64.powi(53)), "9007199254740992");
        assert_eq!(show(1e-7), "1e-07");
        assert_eq!(show(f64::NEG_INFINITY), "-inf");
    }
}
