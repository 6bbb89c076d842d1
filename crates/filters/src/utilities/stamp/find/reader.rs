//! The parts times are made of, read from a place in a line. A part that is not there leaves the
//! place as it was where that is said, and ends the form otherwise.

use jiff::civil::Time;
use jiff::tz::Offset;

use crate::common::time::{month, offset_of, weekday};

pub(super) struct Reader<'l> {
    pub(super) text: &'l [u8],
    pub(super) at: usize,
}

/// The letters of September and of Wednesday.
const LONGEST_NAME: usize = 9;

impl Reader<'_> {
    pub(super) fn byte(&mut self, wanted: &[u8]) -> Option<u8> {
        let byte = *self.text.get(self.at)?;
        wanted.contains(&byte).then(|| self.at += 1)?;
        Some(byte)
    }

    pub(super) fn digits(&mut self, count: usize) -> Option<i32> {
        let part = self.text.get(self.at..self.at + count)?;
        if !part.iter().all(u8::is_ascii_digit) {
            return None;
        }
        self.at += count;
        std::str::from_utf8(part).ok()?.parse().ok()
    }

    /// One or two digits, a blank before one.
    pub(super) fn day(&mut self) -> Option<i32> {
        self.byte(b" ");
        let two = self.digits(2);
        two.or_else(|| self.digits(1))
    }

    /// The letters that come next, as `known` understands them: in small letters.
    fn word<T>(&mut self, known: impl FnOnce(&str) -> Option<T>) -> Option<T> {
        let rest = &self.text[self.at..];
        let length = rest.iter().take_while(|byte| byte.is_ascii_alphabetic()).count();
        let mut letters = [0; LONGEST_NAME];
        let letters = letters.get_mut(..length)?;
        letters.copy_from_slice(&rest[..length]);
        letters.make_ascii_lowercase();
        let found = known(std::str::from_utf8(letters).ok()?)?;
        self.at += length;
        Some(found)
    }

    /// A month by its name or the first three letters of it, from 1.
    pub(super) fn month(&mut self) -> Option<i32> {
        self.word(month).map(i32::from)
    }

    /// A day of the week.
    pub(super) fn weekday(&mut self) -> Option<()> {
        self.word(weekday).map(drop)
    }

    /// One or two digits.
    pub(super) fn short_number(&mut self) -> Option<i32> {
        self.digits(2).or_else(|| self.digits(1))
    }

    /// How many digits come next.
    pub(super) fn digits_ahead(&self) -> usize {
        self.text[self.at..].iter().take_while(|byte| byte.is_ascii_digit()).count()
    }

    /// As [`Self::clock`] with one digit for an hour allowed, and of twelve hours where `AM` or
    /// `PM` follows.
    pub(super) fn day_clock(&mut self) -> Option<Time> {
        let digits = self.digits_ahead();
        let time = if digits == 1 {
            let hour = self.digits(1)?;
            self.minutes(hour, false)?
        } else {
            self.clock(false)?
        };
        let start = self.at;
        self.byte(b" ");
        let half = self.word(|word| match word {
            "am" => Some(0),
            "pm" => Some(12),
            _ => None,
        });
        let Some(half) = half else {
            self.at = start;
            return Some(time);
        };
        if !(1..=12).contains(&time.hour()) {
            return None;
        }
        time.with().hour(time.hour() % 12 + half).build().ok()
    }

    /// `06:12:04`, with a fraction; the seconds may be missing where that is said.
    pub(super) fn clock(&mut self, needs_seconds: bool) -> Option<Time> {
        let hour = self.digits(2)?;
        self.minutes(hour, needs_seconds)
    }

    fn minutes(&mut self, hour: i32, needs_seconds: bool) -> Option<Time> {
        self.byte(b":")?;
        let minute = self.digits(2)?;
        let mut second = 0;
        if needs_seconds || self.text.get(self.at) == Some(&b':') {
            self.byte(b":")?;
            second = self.digits(2)?;
        }
        let nanosecond = self.fraction();
        Time::new(hour as i8, minute as i8, second.min(59) as i8, nanosecond).ok()
    }

    pub(super) fn fraction(&mut self) -> i32 {
        let digits = match self.text.get(self.at) {
            Some(b'.' | b',') => {
                self.text[self.at + 1..].iter().take_while(|byte| byte.is_ascii_digit()).count()
            }
            _ => 0,
        };
        if digits == 0 {
            return 0;
        }
        let part = &self.text[self.at + 1..self.at + 1 + digits];
        self.at += 1 + digits;
        let nine = part.iter().chain(b"000000000").take(9);
        nine.fold(0, |value, digit| value * 10 + i32::from(digit - b'0'))
    }

    /// `Z`, `+02:00`, `+0200`, `UTC`, `GMT`, directly or behind a blank.
    pub(super) fn zone(&mut self) -> Option<Offset> {
        let start = self.at;
        self.byte(b" ");
        for name in [&b"Z"[..], b"UTC", b"GMT"] {
            let rest = &self.text[self.at..];
            if rest.starts_with(name)
                && !rest.get(name.len()).is_some_and(u8::is_ascii_alphanumeric)
            {
                self.at += name.len();
                return Some(Offset::UTC);
            }
        }
        for length in [6, 5, 3] {
            let Some(part) = self.text.get(self.at..self.at + length) else { continue };
            let Some(offset) = std::str::from_utf8(part).ok().and_then(offset_of) else { continue };
            self.at += length;
            return Some(offset);
        }
        self.at = start;
        None
    }
}
