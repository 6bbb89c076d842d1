//! Keys and the order they give.

use std::cmp::Ordering;
use std::ops::Range;

use memchr::memchr;

use crate::arguments::shown;
use crate::{Arguments, Spec, UsageError};

/// How lines compare.
pub(super) struct Order {
    keys: Vec<Key>,
    separator: Option<u8>,
    reverse: bool,
    stable: bool,
    pub(super) unique: bool,
    /// True when the only key is the whole line by bytes.
    pub(super) plain: bool,
}

#[derive(Clone, Debug, Default)]
struct Key {
    /// From 0.
    start_field: usize,
    start_character: usize,
    /// One past the last field; `None` for the end of the line.
    end_field: Option<usize>,
    /// How many characters of the end field belong to the key; 0 for all.
    end_character: usize,
    how: How,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct How {
    numeric: bool,
    reverse: bool,
    fold: bool,
    start_blanks: bool,
    end_blanks: bool,
}

impl How {
    fn is_default(self) -> bool {
        self == Self::default()
    }
}

impl Order {
    pub(super) fn new(arguments: &Arguments, spec: &Spec) -> Result<Self, UsageError> {
        let global = How {
            numeric: arguments.has('n'),
            reverse: arguments.has('r'),
            fold: arguments.has('f'),
            start_blanks: arguments.has('b'),
            end_blanks: arguments.has('b'),
        };
        let separator = match arguments.last('t') {
            None => None,
            Some(given) => match given.value[..] {
                [] => return Err(UsageError::new(spec, Some(given.word), "empty tab")),
                [byte] => Some(byte),
                [b'\\', b'0'] => Some(0),
                _ => {
                    let message = format!("multi-character tab {}", shown(&given.value));
                    return Err(UsageError::new(spec, Some(given.word), message));
                }
            },
        };
        let mut keys = Vec::new();
        for given in arguments.all('k') {
            let mut key = Key::parse(&given.value)
                .map_err(|message| UsageError::new(spec, Some(given.word), message))?;
            if key.how.is_default() {
                key.how = global;
            }
            keys.push(key);
        }
        if keys.is_empty() {
            keys.push(Key { how: global, ..Key::default() });
        }
        let whole =
            keys[0].start_field == 0 && keys[0].start_character == 0 && keys[0].end_field.is_none();
        let how = keys[0].how;
        let plain = keys.len() == 1 && whole && !how.numeric && !how.fold && !how.start_blanks;
        let reverse = if plain { how.reverse } else { global.reverse };
        Ok(Self {
            keys,
            separator,
            reverse,
            stable: arguments.has('s'),
            unique: arguments.has('u'),
            plain,
        })
    }

    /// True when lines that compare as equal are the same bytes.
    pub(super) fn equal_means_same(&self) -> bool {
        self.plain || !self.stable && !self.unique
    }

    /// The full comparison.
    pub(super) fn compare(&self, one: &[u8], other: &[u8]) -> Ordering {
        if self.plain {
            let order = one.cmp(other);
            return if self.reverse { order.reverse() } else { order };
        }
        for key in &self.keys {
            let left = &one[key.range(one, self.separator)];
            let right = &other[key.range(other, self.separator)];
            let order = if key.how.numeric {
                numeric(left, right)
            } else if key.how.fold {
                left.iter()
                    .map(u8::to_ascii_uppercase)
                    .cmp(right.iter().map(u8::to_ascii_uppercase))
            } else {
                left.cmp(right)
            };
            if order != Ordering::Equal {
                return if key.how.reverse { order.reverse() } else { order };
            }
        }
        if self.stable || self.unique {
            return Ordering::Equal;
        }
        let order = one.cmp(other);
        if self.reverse { order.reverse() } else { order }
    }

    /// True when the keys are equal.
    pub(super) fn same(&self, one: &[u8], other: &[u8]) -> bool {
        self.compare(one, other) == Ordering::Equal
    }

    /// A number that orders as the first key does as far as it goes: a smaller number means
    /// a smaller line, equal numbers mean nothing. All lines share their first `skip` bytes.
    pub(super) fn prefix(&self, line: &[u8], skip: usize) -> u64 {
        let key = &self.keys[0];
        let part = if self.plain { &line[skip..] } else { &line[key.range(line, self.separator)] };
        let number = if key.how.numeric {
            Number::parse(part).prefix()
        } else {
            let mut first = [0u8; 8];
            let length = part.len().min(8);
            first[..length].copy_from_slice(&part[..length]);
            if key.how.fold {
                first.make_ascii_uppercase();
            }
            u64::from_be_bytes(first)
        };
        let reverse = if self.plain { self.reverse } else { key.how.reverse };
        if reverse { !number } else { number }
    }

    /// Where the keys are in a line; empty where the whole line is the key.
    pub(super) fn key_ranges(&self, line: &[u8]) -> Vec<Range<usize>> {
        if self.plain {
            return Vec::new();
        }
        self.keys
            .iter()
            .map(|key| key.range(line, self.separator))
            .filter(|range| !range.is_empty())
            .collect()
    }
}

impl Key {
    fn parse(text: &[u8]) -> Result<Self, String> {
        let invalid = |what: &str| format!("{what}: invalid field specification {}", shown(text));
        let mut how = How::default();
        let mut key = Self::default();
        let mut rest = text;
        let field = number(&mut rest).ok_or_else(|| invalid("invalid number at field start"))?;
        if field == 0 {
            return Err(invalid("field number is zero"));
        }
        key.start_field = field - 1;
        if let Some(after) = rest.strip_prefix(b".") {
            rest = after;
            let character = number(&mut rest).ok_or_else(|| invalid("invalid number after ‘.’"))?;
            if character == 0 {
                return Err(invalid("character offset is zero"));
            }
            key.start_character = character - 1;
        }
        rest = letters(rest, &mut how, false)?;
        if let Some(after) = rest.strip_prefix(b",") {
            rest = after;
            let field = number(&mut rest).ok_or_else(|| invalid("invalid number after ‘,’"))?;
            if field == 0 {
                return Err(invalid("field number is zero"));
            }
            key.end_field = Some(field);
            if let Some(after) = rest.strip_prefix(b".") {
                rest = after;
                key.end_character =
                    number(&mut rest).ok_or_else(|| invalid("invalid number after ‘.’"))?;
            }
            rest = letters(rest, &mut how, true)?;
        }
        if !rest.is_empty() {
            return Err(invalid("stray character in field spec"));
        }
        key.how = how;
        Ok(key)
    }

    /// Where the key is in a line.
    fn range(&self, line: &[u8], separator: Option<u8>) -> Range<usize> {
        let mut start = field_start(line, self.start_field, separator);
        if self.how.start_blanks {
            start += blanks(&line[start..]);
        }
        start = (start + self.start_character).min(line.len());
        let end = match self.end_field {
            None => line.len(),
            Some(field) if self.end_character == 0 => field_end(line, field, separator),
            Some(field) => {
                let mut end = field_start(line, field - 1, separator);
                if self.how.end_blanks {
                    end += blanks(&line[end..]);
                }
                (end + self.end_character).min(line.len())
            }
        };
        start..end.max(start)
    }
}

fn number(rest: &mut &[u8]) -> Option<usize> {
    let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
    let text = std::str::from_utf8(&rest[..digits]).ok()?;
    *rest = &rest[digits..];
    if text.is_empty() { None } else { Some(text.parse().unwrap_or(usize::MAX / 2)) }
}

fn letters<'t>(mut rest: &'t [u8], how: &mut How, at_end: bool) -> Result<&'t [u8], String> {
    while let Some(&letter) = rest.first() {
        match letter {
            b'n' => how.numeric = true,
            b'r' => how.reverse = true,
            b'f' => how.fold = true,
            b'b' if at_end => how.end_blanks = true,
            b'b' => how.start_blanks = true,
            b'd' | b'g' | b'h' | b'i' | b'M' | b'R' | b'V' => {
                return Err(format!("the key option {} is not supported yet", char::from(letter)));
            }
            _ => break,
        }
        rest = &rest[1..];
    }
    Ok(rest)
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

fn blanks(text: &[u8]) -> usize {
    text.iter().take_while(|&&byte| is_blank(byte)).count()
}

/// Where field number `field` (from 0) begins: behind a separator, or, without one, at the
/// blanks before the field.
fn field_start(line: &[u8], field: usize, separator: Option<u8>) -> usize {
    let mut at = 0;
    for _ in 0..field {
        if at >= line.len() {
            break;
        }
        match separator {
            Some(byte) => match memchr(byte, &line[at..]) {
                Some(length) => at += length + 1,
                None => return line.len(),
            },
            None => at += field_length(&line[at..]),
        }
    }
    at.min(line.len())
}

/// Where field number `field` (from 1) ends.
fn field_end(line: &[u8], field: usize, separator: Option<u8>) -> usize {
    let start = field_start(line, field - 1, separator);
    match separator {
        Some(byte) => memchr(byte, &line[start..]).map_or(line.len(), |length| start + length),
        None => start + field_length(&line[start..]),
    }
}

fn field_length(text: &[u8]) -> usize {
    let blanks = blanks(text);
    blanks + text[blanks..].iter().take_while(|&&byte| !is_blank(byte)).count()
}

/// A decimal number at the start of a text, after blanks, by its digits.
struct Number<'t> {
    negative: bool,
    whole: &'t [u8],
    fraction: &'t [u8],
}

impl<'t> Number<'t> {
    fn parse(text: &'t [u8]) -> Self {
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

    /// Orders as the number does, as far as 12 digits before and 6 behind the point tell.
    fn prefix(&self) -> u64 {
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

fn numeric(one: &[u8], other: &[u8]) -> Ordering {
    let (one, other) = (Number::parse(one), Number::parse(other));
    match (one.negative, other.negative) {
        (false, true) => Ordering::Greater,
        (true, false) => Ordering::Less,
        (false, false) => one.magnitude(&other),
        (true, true) => other.magnitude(&one),
    }
}

/// A key in words: `field 3 as a number, largest first`.
pub(super) fn in_words(text: &[u8]) -> String {
    let Ok(key) = Key::parse(text) else { return String::from_utf8_lossy(text).into_owned() };
    let from = key.start_field + 1;
    let mut said = match key.end_field {
        Some(end) if end == from => format!("field {from}"),
        Some(end) => format!("fields {from} to {end}"),
        None => format!("everything from field {from} on"),
    };
    if key.start_character > 0 || key.end_character > 0 {
        said.push_str(" (in part)");
    }
    if key.how.numeric {
        said.push_str(" as a number");
    }
    if key.how.fold {
        said.push_str(" without regard to case");
    }
    if key.how.reverse {
        said.push_str(if key.how.numeric { ", largest first" } else { ", in reverse" });
    }
    said
}
