//! How keys compare: as text, numbers, sizes, months, versions, or by chance.

use std::cmp::Ordering;
use std::hash::{BuildHasher, Hasher};

use super::blanks::blanks;

/// A decimal number at the start of a text, after blanks, by its digits.
pub(super) struct Number<'t> {
    negative: bool,
    whole: &'t [u8],
    fraction: &'t [u8],
}

impl<'t> Number<'t> {
    pub(super) fn parse(text: &'t [u8]) -> Self {
        let text = &text[blanks(text)..];
        let (minus, text) = match text.strip_prefix(b"-") {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let digits = |text: &[u8]| text.iter().take_while(|byte| byte.is_ascii_digit()).count();
        let length = digits(text);
        let zeros = text[..length].iter().take_while(|&&byte| byte == b'0').count();
        let whole = &text[zeros..length];
        let mut fraction = match text[length..].strip_prefix(b".") {
            Some(rest) => &rest[..digits(rest)],
            None => &[][..],
        };
        while let Some(shorter) = fraction.strip_suffix(b"0") {
            fraction = shorter;
        }
        Self { negative: minus && !(whole.is_empty() && fraction.is_empty()), whole, fraction }
    }

    fn magnitude(&self, other: &Self) -> Ordering {
        self.whole
            .len()
            .cmp(&other.whole.len())
            .then_with(|| self.whole.cmp(other.whole))
            .then_with(|| self.fraction.cmp(other.fraction))
    }

    /// True where the prefix tells this number from every other.
    pub(super) fn is_exact(&self) -> bool {
        self.whole.len() <= 12 && self.fraction.len() <= 6
    }

    /// Orders as the number does, as far as 12 digits before and 6 behind the point tell.
    pub(super) fn prefix(&self) -> u64 {
        const ABOVE: u64 = (1 << 63) - 1;
        let value = |digits: &[u8]| {
            digits.iter().fold(0u64, |value, &digit| value * 10 + u64::from(digit - b'0'))
        };
        let magnitude = if self.whole.len() > 12 {
            ABOVE
        } else {
            let mut six = [b'0'; 6];
            let length = self.fraction.len().min(6);
            six[..length].copy_from_slice(&self.fraction[..length]);
            value(self.whole) * 1_000_000 + value(&six)
        };
        if self.negative { ABOVE - magnitude } else { (1 << 63) + magnitude }
    }
}

pub(super) fn numeric(one: &[u8], other: &[u8]) -> Ordering {
    let (one, other) = (Number::parse(one), Number::parse(other));
    match (one.negative, other.negative) {
        (false, true) => Ordering::Greater,
        (true, false) => Ordering::Less,
        (false, false) => one.magnitude(&other),
        (true, true) => other.magnitude(&one),
    }
}

/// As floating point: what is no number first, then what is not a number, then by value.
pub(super) fn general(one: &[u8], other: &[u8]) -> Ordering {
    general_value(one).total_cmp(&general_value(other))
}

/// The number at the start as one that orders as it does.
pub(super) fn general_value(text: &[u8]) -> General {
    match floating(text) {
        None => General(0, 0.0),
        Some(value) if value.is_nan() => General(1, 0.0),
        // Zero is zero, whatever its sign.
        Some(value) => General(2, value + 0.0),
    }
}

#[derive(Clone, Copy, PartialEq)]
pub(super) struct General(u8, f64);

impl General {
    fn total_cmp(&self, other: &Self) -> Ordering {
        self.0.cmp(&other.0).then_with(|| self.1.partial_cmp(&other.1).unwrap_or(Ordering::Equal))
    }

    /// Orders as the value does.
    pub(super) fn prefix(self) -> u64 {
        match self.0 {
            0 => 0,
            1 => 1,
            _ => {
                let value = if self.1 == 0.0 { 0.0 } else { self.1 };
                let bits = value.to_bits();
                let ordered = if bits >> 63 == 1 { !bits } else { bits | 1 << 63 };
                ordered.max(2)
            }
        }
    }
}

/// The longest number at the start, as C reads it.
fn floating(text: &[u8]) -> Option<f64> {
    let blank = |byte: &u8| matches!(byte, b' ' | 9..=13);
    let text = &text[text.iter().take_while(|byte| blank(byte)).count()..];
    let (negative, rest) = match text.first() {
        Some(b'-') => (true, &text[1..]),
        Some(b'+') => (false, &text[1..]),
        _ => (false, text),
    };
    let sign = if negative { -1.0 } else { 1.0 };
    let lower: Vec<u8> = rest.iter().take(8).map(u8::to_ascii_lowercase).collect();
    if lower.starts_with(b"inf") {
        return Some(sign * f64::INFINITY);
    }
    if lower.starts_with(b"nan") {
        return Some(f64::NAN);
    }
    if lower.starts_with(b"0x")
        && lower.get(2).is_some_and(|byte| byte.is_ascii_hexdigit() || *byte == b'.')
    {
        let mut value = 0.0;
        let mut scale = 0i32;
        let mut at = 2;
        let mut point = false;
        while let Some(&byte) = rest.get(at) {
            if byte == b'.' && !point {
                point = true;
            } else if let Some(digit) = char::from(byte).to_digit(16) {
                value = value * 16.0 + f64::from(digit);
                scale -= if point { 4 } else { 0 };
            } else {
                break;
            }
            at += 1;
        }
        if matches!(rest.get(at), Some(b'p' | b'P')) {
            let end = (1..8).rev().find_map(|length| {
                std::str::from_utf8(rest.get(at + 1..at + 1 + length)?).ok()?.parse::<i32>().ok()
            });
            scale += end.unwrap_or(0);
        }
        return Some(sign * value * f64::from(scale).exp2());
    }
    let digits = |from: usize| {
        rest[from.min(rest.len())..].iter().take_while(|byte| byte.is_ascii_digit()).count()
    };
    let whole = digits(0);
    let mut end = whole;
    let mut any = whole;
    if rest.get(end) == Some(&b'.') {
        let fraction = digits(end + 1);
        any += fraction;
        end += 1 + fraction;
    }
    if any == 0 {
        return None;
    }
    if matches!(rest.get(end), Some(b'e' | b'E')) {
        let signed = usize::from(matches!(rest.get(end + 1), Some(b'+' | b'-')));
        let exponent = digits(end + 1 + signed);
        if exponent > 0 {
            end += 1 + signed + exponent;
        }
    }
    std::str::from_utf8(&rest[..end]).ok()?.parse::<f64>().ok().map(|value| sign * value)
}

/// Sizes such as `2K` and `1G`: by sign, then by the letter, then by the number.
pub(super) fn human(one: &[u8], other: &[u8]) -> Ordering {
    unit(one).cmp(&unit(other)).then_with(|| numeric(one, other))
}

/// The rank of the letter behind a number; negative for a negative number.
pub(super) fn unit(text: &[u8]) -> i64 {
    let text = &text[blanks(text)..];
    let (negative, rest) = match text.strip_prefix(b"-") {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let mut end = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
    if rest.get(end) == Some(&b'.') {
        end += 1 + rest[end + 1..].iter().take_while(|byte| byte.is_ascii_digit()).count();
    }
    if !rest[..end].iter().any(|byte| matches!(byte, b'1'..=b'9')) {
        return 0;
    }
    let rank = match rest.get(end) {
        Some(b'K' | b'k') => 1,
        Some(letter) => {
            b"MGTPEZY".iter().position(|other| other == letter).map_or(0, |at| at as i64 + 2)
        }
        None => 0,
    };
    if negative { -rank } else { rank }
}

/// The number of the month a text begins with; 0 for none.
pub(super) fn month(text: &[u8]) -> u8 {
    let text = &text[blanks(text)..];
    let Some(first) = text.get(..3) else { return 0 };
    let names = [
        b"JAN", b"FEB", b"MAR", b"APR", b"MAY", b"JUN", b"JUL", b"AUG", b"SEP", b"OCT", b"NOV",
        b"DEC",
    ];
    names.iter().position(|name| first.eq_ignore_ascii_case(&name[..])).map_or(0, |at| at as u8 + 1)
}

/// Which bytes of text count.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Reading {
    /// Only blanks, letters and digits.
    pub(super) dictionary: bool,
    /// Only what can be printed.
    pub(super) printing: bool,
    /// Lower case as upper case.
    pub(super) fold: bool,
}

impl Reading {
    pub(super) fn bytes(self, text: &[u8]) -> impl Iterator<Item = u8> + '_ {
        let counts = move |byte: &u8| {
            (!self.dictionary || byte.is_ascii_alphanumeric() || matches!(byte, b' ' | b'\t'))
                // What is in a dictionary can be printed.
                && (!self.printing || self.dictionary || matches!(byte, b' '..=b'~'))
        };
        let fold = self.fold;
        text.iter()
            .copied()
            .filter(move |byte| counts(byte))
            .map(move |byte| if fold { byte.to_ascii_uppercase() } else { byte })
    }

    pub(super) fn is_plain(self) -> bool {
        self == Self::default()
    }
}

/// By a hash with a seed: equal keys together, all others by chance.
pub(super) fn by_chance(seed: u64, reading: Reading, text: &[u8]) -> u64 {
    let mut hasher = foldhash::quality::FixedState::with_seed(seed).build_hasher();
    if reading.is_plain() {
        hasher.write(text);
    } else {
        let read: Vec<u8> = reading.bytes(text).collect();
        hasher.write(&read);
    }
    hasher.finish()
}

/// Versions: digits as numbers, `~` before everything, endings such as `.tar.gz` last.
pub(super) fn version(one: &[u8], other: &[u8]) -> Ordering {
    match (one, other) {
        (b"", b"") => return Ordering::Equal,
        (b"", _) => return Ordering::Less,
        (_, b"") => return Ordering::Greater,
        _ => {}
    }
    // Names that begin with a dot come first, `.` and `..` before the others.
    let rank = |text: &[u8]| match text {
        b"." => 0,
        b".." => 1,
        [b'.', ..] => 2,
        _ => 3,
    };
    let order = rank(one).cmp(&rank(other));
    if order != Ordering::Equal || rank(one) < 2 {
        return order;
    }
    let (one_stem, other_stem) = (stem(one), stem(other));
    let order = version_parts(one_stem, other_stem);
    if order != Ordering::Equal || one_stem.len() == one.len() && other_stem.len() == other.len() {
        return order;
    }
    version_parts(one, other)
}

/// A name without its endings.
fn stem(name: &[u8]) -> &[u8] {
    if memchr::memchr(b'.', name).is_none() {
        return name;
    }
    let mut length = 0;
    let mut at = 0;
    while at < name.len() {
        at += 1;
        length = at;
        while at + 1 < name.len()
            && name[at] == b'.'
            && (name[at + 1].is_ascii_alphabetic() || name[at + 1] == b'~')
        {
            at += 2;
            while at < name.len() && (name[at].is_ascii_alphanumeric() || name[at] == b'~') {
                at += 1;
            }
        }
    }
    &name[..length]
}

fn version_parts(one: &[u8], other: &[u8]) -> Ordering {
    let rank = |text: &[u8], at: usize| match text.get(at) {
        None => -1,
        Some(byte) if byte.is_ascii_digit() => 0,
        Some(byte) if byte.is_ascii_alphabetic() => i32::from(*byte),
        Some(b'~') => -2,
        Some(byte) => i32::from(*byte) + 256,
    };
    let digit = |text: &[u8], at: usize| text.get(at).is_some_and(u8::is_ascii_digit);
    // What both begin with decides nothing, but for a number that continues.
    let mut same = one.iter().zip(other).take_while(|(one, other)| one == other).count();
    while same > 0 && one[same - 1].is_ascii_digit() {
        same -= 1;
    }
    let (mut i, mut j) = (same, same);
    while i < one.len() || j < other.len() {
        while i < one.len() && !digit(one, i) || j < other.len() && !digit(other, j) {
            let order = rank(one, i).cmp(&rank(other, j));
            if order != Ordering::Equal {
                return order;
            }
            i += 1;
            j += 1;
        }
        while one.get(i) == Some(&b'0') {
            i += 1;
        }
        while other.get(j) == Some(&b'0') {
            j += 1;
        }
        let mut first = Ordering::Equal;
        while digit(one, i) && digit(other, j) {
            first = first.then(one[i].cmp(&other[j]));
            i += 1;
            j += 1;
        }
        if digit(one, i) {
            return Ordering::Greater;
        }
        if digit(other, j) {
            return Ordering::Less;
        }
        if first != Ordering::Equal {
            return first;
        }
    }
    Ordering::Equal
}
