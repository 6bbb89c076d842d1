//! Keys and the order they give.

use std::cmp::Ordering;
use std::ops::Range;

use memchr::memchr;

use super::blanks::blanks;
use super::compare::{
    Number, Reading, by_chance, general, general_value, human, month, numeric, unit, version,
};
use crate::spec::{Arguments, OptionId, Spec, UsageError, shown};
use crate::text::blanks::word;

pub(super) mod numeric_keys;

/// The option `--sort`.
pub(super) const SORT: OptionId = OptionId::Long("sort");

/// How lines compare.
#[derive(Clone)]
pub(super) struct Order {
    keys: Vec<Key>,
    separator: Option<u8>,
    reverse: bool,
    stable: bool,
    pub(super) unique: bool,
    /// True when the only key is the whole line by bytes.
    pub(super) plain: bool,
    /// NUL and newline have changed places in the lines.
    zero: bool,
    /// What chance is made from.
    pub(super) seed: u64,
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

/// As what a key is read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Kind {
    #[default]
    Text,
    Numeric,
    General,
    Human,
    Month,
    Random,
    Version,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct How {
    kind: Kind,
    reading: Reading,
    reverse: bool,
    start_blanks: bool,
    end_blanks: bool,
    /// Two kinds that exclude each other.
    conflict: Option<(Kind, Kind)>,
}

impl How {
    fn is_default(self) -> bool {
        self == Self::default()
    }

    /// Takes an ordering letter in; false for another letter.
    fn take(&mut self, letter: u8) -> bool {
        let kind = match letter {
            b'n' => Kind::Numeric,
            b'g' => Kind::General,
            b'h' => Kind::Human,
            b'M' => Kind::Month,
            b'R' => Kind::Random,
            b'V' => Kind::Version,
            b'd' => {
                self.reading.dictionary = true;
                return true;
            }
            b'i' => {
                self.reading.printing = true;
                return true;
            }
            b'f' => {
                self.reading.fold = true;
                return true;
            }
            b'r' => {
                self.reverse = true;
                return true;
            }
            _ => return false,
        };
        let both = matches!(
            (self.kind, kind),
            (Kind::Random, Kind::Version) | (Kind::Version, Kind::Random)
        );
        if self.kind != Kind::Text && self.kind != kind && !both {
            self.conflict = self.conflict.or(Some((self.kind, kind)));
        }
        self.kind = if both { Kind::Random } else { kind };
        true
    }

    /// What excludes each other, as the one who typed it wrote it.
    fn check(self) -> Result<(), String> {
        let exclusive = !matches!(self.kind, Kind::Text | Kind::Random | Kind::Version);
        let letters = match self.conflict {
            Some((one, other)) => format!("{}{}", one.letter(), other.letter()),
            None if exclusive && self.reading.dictionary => format!("d{}", self.kind.letter()),
            None if exclusive && self.reading.printing => format!("i{}", self.kind.letter()),
            None => return Ok(()),
        };
        Err(format!("options '-{letters}' are incompatible"))
    }
}

impl Kind {
    fn letter(self) -> char {
        match self {
            Self::Text => 'd',
            Self::Numeric => 'n',
            Self::General => 'g',
            Self::Human => 'h',
            Self::Month => 'M',
            Self::Random => 'R',
            Self::Version => 'V',
        }
    }
}

impl Order {
    pub(super) fn new(arguments: &Arguments, spec: &Spec) -> Result<Self, UsageError> {
        let mut global = How {
            start_blanks: arguments.has('b'),
            end_blanks: arguments.has('b'),
            ..How::default()
        };
        for given in &arguments.options {
            let error = |message| UsageError::new(spec, Some(given.word), message);
            let letter = match given.id {
                SORT => sort_word(&given.value).ok_or_else(|| {
                    error(format!("invalid argument {} for ‘--sort’", shown(&given.value)))
                })?,
                id => id.letter().and_then(|letter| u8::try_from(letter).ok()).unwrap_or(0),
            };
            global.take(letter);
        }
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
            let error = |message| UsageError::new(spec, Some(given.word), message);
            let mut key = Key::parse(&given.value).map_err(error)?;
            if key.how.is_default() {
                key.how = global;
            }
            key.how.check().map_err(error)?;
            keys.push(key);
        }
        if keys.is_empty() {
            global.check().map_err(|message| UsageError::new(spec, None, message))?;
            keys.push(Key { how: global, ..Key::default() });
        }
        let zero = arguments.has('z');
        let whole =
            keys[0].start_field == 0 && keys[0].start_character == 0 && keys[0].end_field.is_none();
        let how = keys[0].how;
        let text = how.kind == Kind::Text && how.reading.is_plain();
        let plain = keys.len() == 1 && whole && text && !how.start_blanks && !zero;
        let reverse = if plain { how.reverse } else { global.reverse };
        Ok(Self {
            keys,
            separator,
            reverse,
            stable: arguments.has('s'),
            unique: arguments.has('u'),
            plain,
            zero,
            seed: 0,
        })
    }

    /// The order of lines whose keys are equal: the whole lines.
    pub(super) fn last_resort(&self) -> Self {
        Self {
            keys: vec![Key {
                how: How { reverse: self.reverse, ..How::default() },
                ..Key::default()
            }],
            separator: None,
            reverse: self.reverse,
            stable: false,
            unique: false,
            plain: true,
            zero: false,
            seed: 0,
        }
    }

    /// The order by all keys, by those from the second on, and so on to the last.
    pub(super) fn tails(&self) -> Vec<Self> {
        let tail = |from: usize| Self { keys: self.keys[from..].to_vec(), ..self.clone() };
        (0..self.keys.len()).map(tail).collect()
    }

    /// True where lines with equal keys keep their order.
    pub(super) fn keeps_equal(&self) -> bool {
        self.stable || self.unique
    }

    /// True where the order is by chance, and so needs a seed.
    pub(super) fn is_random(&self) -> bool {
        self.keys.iter().any(|key| key.how.kind == Kind::Random)
    }

    /// True when lines that compare as equal are the same bytes.
    pub(super) fn equal_means_same(&self) -> bool {
        self.plain || !self.stable && !self.unique && !self.zero
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
            let order = self.compare_keys(key.how, left, right);
            if order != Ordering::Equal {
                return if key.how.reverse { order.reverse() } else { order };
            }
        }
        if self.stable || self.unique {
            return Ordering::Equal;
        }
        let order = self.compare_text(one, other);
        if self.reverse { order.reverse() } else { order }
    }

    fn compare_keys(&self, how: How, left: &[u8], right: &[u8]) -> Ordering {
        match how.kind {
            Kind::Text if how.reading.is_plain() => self.compare_text(left, right),
            Kind::Text => how.reading.bytes(left).cmp(how.reading.bytes(right)),
            Kind::Numeric => numeric(left, right),
            Kind::General => general(left, right),
            Kind::Human => human(left, right),
            Kind::Month => month(left).cmp(&month(right)),
            Kind::Version if how.reading.is_plain() => version(left, right),
            Kind::Version => {
                let read = |text| how.reading.bytes(text).collect::<Vec<u8>>();
                version(&read(left), &read(right))
            }
            Kind::Random => {
                let value = |text| by_chance(self.seed, how.reading, text);
                value(left).cmp(&value(right)).then_with(|| {
                    // Different keys with the same hash are told apart.
                    how.reading.bytes(left).cmp(how.reading.bytes(right))
                })
            }
        }
    }

    fn compare_text(&self, one: &[u8], other: &[u8]) -> Ordering {
        if !self.zero {
            return one.cmp(other);
        }
        let back = |byte: &u8| if *byte == 0 { b'\n' } else { *byte };
        one.iter().map(back).cmp(other.iter().map(back))
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
        let number = match key.how.kind {
            Kind::Numeric => Number::parse(part).prefix(),
            Kind::General => general_value(part).prefix(),
            Kind::Month => u64::from(month(part)),
            Kind::Human => (unit(part) + 16) as u64,
            Kind::Random => by_chance(self.seed, key.how.reading, part),
            Kind::Version => 0,
            Kind::Text => {
                let mut first = [0u8; 8];
                if key.how.reading.is_plain() {
                    let length = part.len().min(8);
                    first[..length].copy_from_slice(&part[..length]);
                } else {
                    for (place, byte) in first.iter_mut().zip(key.how.reading.bytes(part)) {
                        *place = byte;
                    }
                }
                // Where NUL means a newline the numbers would say something else.
                if self.zero { 0 } else { u64::from_be_bytes(first) }
            }
        };
        let reverse = if self.plain { self.reverse } else { key.how.reverse };
        if reverse { !number } else { number }
    }

    /// The fields of a line, where keys count them. Without a separator the blanks before a field
    /// belong to it.
    pub(super) fn fields(&self, line: &[u8]) -> Option<Vec<Range<usize>>> {
        if self.plain {
            return None;
        }
        let mut fields = Vec::new();
        let mut start = 0;
        while start < line.len() {
            let length = match self.separator {
                Some(byte) => memchr(byte, &line[start..]).unwrap_or(line.len() - start),
                None => field_length(&line[start..]),
            };
            fields.push(start..start + length);
            start += length + usize::from(self.separator.is_some());
        }
        Some(fields)
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
        rest = letters(rest, &mut how, false);
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
            rest = letters(rest, &mut how, true);
        }
        if !rest.is_empty() {
            return Err(invalid("stray character in field spec"));
        }
        key.how = how;
        Ok(key)
    }

    /// Where the key is in a line.
    fn range(&self, line: &[u8], separator: Option<u8>) -> Range<usize> {
        let first = field_start(line, self.start_field, separator);
        let mut start = first;
        if self.how.start_blanks {
            start += blanks(&line[start..]);
        }
        start = (start + self.start_character).min(line.len());
        let end = match self.end_field {
            None => line.len(),
            Some(field) if self.end_character == 0 && field > self.start_field => {
                first + field_end(&line[first..], field - self.start_field, separator)
            }
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

fn letters<'t>(mut rest: &'t [u8], how: &mut How, at_end: bool) -> &'t [u8] {
    while let Some(&letter) = rest.first() {
        match letter {
            b'b' if at_end => how.end_blanks = true,
            b'b' => how.start_blanks = true,
            letter => {
                if !how.take(letter) {
                    break;
                }
            }
        }
        rest = &rest[1..];
    }
    rest
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
    blanks + word::<b' '>(&text[blanks..])
}

/// The letter of a `--sort` word.
fn sort_word(word: &[u8]) -> Option<u8> {
    let words: [(&[u8], u8); 6] = [
        (b"general-numeric", b'g'),
        (b"human-numeric", b'h'),
        (b"month", b'M'),
        (b"numeric", b'n'),
        (b"random", b'R'),
        (b"version", b'V'),
    ];
    let mut begun = words.iter().filter(|(name, _)| !word.is_empty() && name.starts_with(word));
    match (begun.next(), begun.next()) {
        (Some((_, letter)), None) => Some(*letter),
        _ => None,
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
    said.push_str(match key.how.kind {
        Kind::Text => "",
        Kind::Numeric => " as a number",
        Kind::General => " as floating point",
        Kind::Human => " as a size",
        Kind::Month => " as a month",
        Kind::Random => " by chance",
        Kind::Version => " as a version",
    });
    if key.how.reading.fold {
        said.push_str(" without regard to case");
    }
    if key.how.reverse {
        said.push_str(if key.how.kind == Kind::Text { ", in reverse" } else { ", largest first" });
    }
    said
}
