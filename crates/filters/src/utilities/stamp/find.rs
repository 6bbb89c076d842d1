//! Times in lines: ISO 8601 and RFC 3339, RFC 3164 (as in system logs), common log form, RFC 5322
//! (as in mail and web headers), `date` output, and `@` with seconds since 1970.

use std::ops::Range;

use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{Offset, TimeZone};
use jiff::{Timestamp, ToSpan, Zoned};

use crate::common::time::{offset_of, seconds_since};

const MONTHS: [&[u8]; 12] = [
    b"Jan", b"Feb", b"Mar", b"Apr", b"May", b"Jun", b"Jul", b"Aug", b"Sep", b"Oct", b"Nov", b"Dec",
];
const DAYS: [&[u8]; 7] = [b"Mon", b"Tue", b"Wed", b"Thu", b"Fri", b"Sat", b"Sun"];

/// The first time at or behind `from`, and its place. A time without a zone is in that of `now`;
/// one without a year is in the year that puts it at most a day after `now`.
pub(super) fn find(line: &[u8], from: usize, now: &Zoned) -> Option<(Range<usize>, Timestamp)> {
    for at in from..line.len() {
        let byte = line[at];
        let begins = byte.is_ascii_digit() || byte.is_ascii_uppercase() || byte == b'@';
        let inside = at > 0 && line[at - 1].is_ascii_alphanumeric();
        if !begins || inside {
            continue;
        }
        let forms = [iso, compact, common_log, header, ctime, system_log, since_epoch];
        for form in forms {
            let mut reader = Reader { text: &line[at..], at: 0 };
            let Some(time) = form(&mut reader, now) else { continue };
            // A longer number or word is something else.
            if reader.text.get(reader.at).is_some_and(u8::is_ascii_alphanumeric) {
                continue;
            }
            return Some((at..at + reader.at, time));
        }
    }
    None
}

struct Reader<'l> {
    text: &'l [u8],
    at: usize,
}

impl Reader<'_> {
    fn byte(&mut self, wanted: &[u8]) -> Option<u8> {
        let byte = *self.text.get(self.at)?;
        wanted.contains(&byte).then(|| self.at += 1)?;
        Some(byte)
    }

    fn digits(&mut self, count: usize) -> Option<i32> {
        let part = self.text.get(self.at..self.at + count)?;
        if !part.iter().all(u8::is_ascii_digit) {
            return None;
        }
        self.at += count;
        std::str::from_utf8(part).ok()?.parse().ok()
    }

    /// One or two digits, a blank before one.
    fn day(&mut self) -> Option<i32> {
        self.byte(b" ");
        let two = self.digits(2);
        two.or_else(|| self.digits(1))
    }

    fn name(&mut self, names: &[&[u8]]) -> Option<usize> {
        let rest = &self.text[self.at..];
        let found = names.iter().position(|name| rest.starts_with(name))?;
        self.at += names[found].len();
        Some(found)
    }

    /// `06:12:04`, with a fraction; the seconds may be missing where that is said.
    fn clock(&mut self, needs_seconds: bool) -> Option<Time> {
        let hour = self.digits(2)?;
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

    fn fraction(&mut self) -> i32 {
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
    fn zone(&mut self) -> Option<Offset> {
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

fn moment(date: Date, time: Time, offset: Option<Offset>, now: &Zoned) -> Option<Timestamp> {
    let zone = offset.map_or_else(|| now.time_zone().clone(), TimeZone::fixed);
    Some(DateTime::from_parts(date, time).to_zoned(zone).ok()?.timestamp())
}

fn date(year: i32, month: i32, day: i32) -> Option<Date> {
    Date::new(year as i16, month as i8, day as i8).ok()
}

fn iso(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    let year = reader.digits(4)?;
    let mark = reader.byte(b"-/")?;
    let month = reader.digits(2)?;
    reader.byte(&[mark])?;
    let day = reader.digits(2)?;
    reader.byte(b"T t_")?;
    let time = reader.clock(false)?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, now)
}

fn compact(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    let (year, month, day) = (reader.digits(4)?, reader.digits(2)?, reader.digits(2)?);
    reader.byte(b"T")?;
    let (hour, minute, second) = (reader.digits(2)?, reader.digits(2)?, reader.digits(2)?);
    let nanosecond = reader.fraction();
    let time = Time::new(hour as i8, minute as i8, second.min(59) as i8, nanosecond).ok()?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, now)
}

fn common_log(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    let day = reader.digits(2)?;
    reader.byte(b"/")?;
    let month = reader.name(&MONTHS)? as i32 + 1;
    reader.byte(b"/")?;
    let year = reader.digits(4)?;
    reader.byte(b": ")?;
    let time = reader.clock(true)?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, now)
}

/// `Wed, 02 Apr 2031 06:12:04 +0000`, the name of the day as one likes.
fn header(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    if reader.name(&DAYS).is_some() {
        reader.byte(b",")?;
        reader.byte(b" ")?;
    }
    let day = reader.day()?;
    reader.byte(b" -")?;
    let month = reader.name(&MONTHS)? as i32 + 1;
    reader.byte(b" -")?;
    let year = reader.digits(4)?;
    reader.byte(b" ")?;
    let time = reader.clock(false)?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, now)
}

/// `Wed Apr  2 06:12:04 UTC 2031`, the zone as one likes.
fn ctime(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    reader.name(&DAYS)?;
    reader.byte(b" ")?;
    let month = reader.name(&MONTHS)? as i32 + 1;
    reader.byte(b" ")?;
    let day = reader.day()?;
    reader.byte(b" ")?;
    let time = reader.clock(true)?;
    let offset = reader.zone();
    reader.byte(b" ")?;
    let year = reader.digits(4)?;
    moment(date(year, month, day)?, time, offset, now)
}

/// `Apr  2 06:12:04`, without a year.
fn system_log(reader: &mut Reader<'_>, now: &Zoned) -> Option<Timestamp> {
    let month = reader.name(&MONTHS)? as i32 + 1;
    reader.byte(b" ")?;
    let day = reader.day()?;
    reader.byte(b" ")?;
    let time = reader.clock(true)?;
    let latest = now.checked_add(1.day()).ok()?.timestamp();
    let year = i32::from(now.year());
    // The 29th of February may be several years back.
    (0..8)
        .filter_map(|back| moment(date(year + 1 - back, month, day)?, time, None, now))
        .find(|time| *time <= latest)
}

fn since_epoch(reader: &mut Reader<'_>, _now: &Zoned) -> Option<Timestamp> {
    reader.byte(b"@")?;
    let rest = &reader.text[reader.at..];
    let length = rest.iter().take_while(|byte| byte.is_ascii_digit() || **byte == b'.').count();
    let length = rest[..length].iter().rposition(u8::is_ascii_digit)? + 1;
    reader.at += length;
    seconds_since(std::str::from_utf8(&rest[..length]).ok()?)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(line: &str) -> Option<(String, String)> {
        let now = "2031-04-02T12:00:00Z".parse::<Timestamp>().unwrap().to_zoned(TimeZone::UTC);
        let (range, time) = find(line.as_bytes(), 0, &now)?;
        Some((line[range].to_owned(), time.to_string()))
    }

    #[test]
    fn times_of_many_forms_are_found() {
        for (line, part, time) in [
            ("x 2031-04-02T06:12:04Z y", "2031-04-02T06:12:04Z", "2031-04-02T06:12:04Z"),
            ("2031-04-02 06:12:04,250 gate", "2031-04-02 06:12:04,250", "2031-04-02T06:12:04.25Z"),
            (
                "2031-04-02T08:12:04.5+02:00",
                "2031-04-02T08:12:04.5+02:00",
                "2031-04-02T06:12:04.5Z",
            ),
            ("2031-04-02 06:12 x", "2031-04-02 06:12", "2031-04-02T06:12:00Z"),
            ("20310402T061204Z", "20310402T061204Z", "2031-04-02T06:12:04Z"),
            (
                "- [02/Apr/2031:06:12:04 +0000] x",
                "02/Apr/2031:06:12:04 +0000",
                "2031-04-02T06:12:04Z",
            ),
            (
                "Date: Wed, 02 Apr 2031 06:12:04 GMT",
                "Wed, 02 Apr 2031 06:12:04 GMT",
                "2031-04-02T06:12:04Z",
            ),
            (
                "Wed Apr  2 06:12:04 UTC 2031",
                "Wed Apr  2 06:12:04 UTC 2031",
                "2031-04-02T06:12:04Z",
            ),
            ("Apr  2 06:12:04 winch", "Apr  2 06:12:04", "2031-04-02T06:12:04Z"),
            ("Dec 31 23:59:59 winch", "Dec 31 23:59:59", "2030-12-31T23:59:59Z"),
            ("Feb 29 01:00:00 winch", "Feb 29 01:00:00", "2028-02-29T01:00:00Z"),
            ("7:2031-04-02T06:12:04Z x", "2031-04-02T06:12:04Z", "2031-04-02T06:12:04Z"),
            ("at @1.5.", "@1.5", "1970-01-01T00:00:01.5Z"),
        ] {
            assert_eq!(found(line), Some((part.to_owned(), time.to_owned())), "{line}");
        }
    }

    #[test]
    fn what_is_no_time_is_left_alone() {
        for line in [
            "",
            "2031-13-02T06:12:04Z",
            "12031-04-02T06:12:04",
            "gate-03 4711",
            "Apr 2",
            "@",
            "2031-04-02T06:12:04x",
        ] {
            assert_eq!(found(line), None, "{line}");
        }
    }
}
