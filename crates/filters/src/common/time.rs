//! Points in time: how they are written and read, for `date` and `stamp`.

use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{Offset, TimeZone};
use jiff::{Span, Timestamp, Zoned};
use stream::Files;

use named::DayOfMonth;
pub(crate) use named::{month, weekday};

pub(crate) mod directives;
mod named;

/// The time zone of the stage: the variable `TZ`, or the machine's.
pub(crate) fn zone(files: &dyn Files) -> TimeZone {
    let Some(name) = files.variable("TZ") else { return TimeZone::system() };
    let name = name.to_string_lossy().into_owned();
    let name = name.strip_prefix(':').unwrap_or(&name);
    if name.is_empty() {
        return TimeZone::UTC;
    }
    // An unknown name means UTC, as POSIX leaves it and hosts have it.
    TimeZone::get(name).or_else(|_| TimeZone::posix(name)).unwrap_or(TimeZone::UTC)
}

/// A time the machine's clock may show.
pub(crate) fn at_nanoseconds(nanoseconds: i128) -> Timestamp {
    Timestamp::from_nanosecond(nanoseconds).unwrap_or(Timestamp::UNIX_EPOCH)
}

/// The time now.
pub(crate) fn now(files: &dyn Files) -> Timestamp {
    at_nanoseconds(files.machine().now_ns())
}

/// Reads a point in time as `date -d` takes it: `@SECONDS`, a date, a time, a zone, and relative
/// amounts (`3 days ago`, `+1 hour`, `yesterday`, `next month`), in any order; months and weekdays
/// by name (`3 Jan 2031`, `next monday`), and the clock of twelve hours (`2pm`). Without a date
/// the day is `now`'s; with a date and without a time it is midnight. A weekday is the next one,
/// today included; `next` and `last` leave out today.
pub(crate) fn read(text: &str, now: &Zoned) -> Option<Zoned> {
    let text = text.trim();
    if let Some(seconds) = text.strip_prefix('@') {
        return seconds_since(seconds).map(|time| time.to_zoned(now.time_zone().clone()));
    }
    let mut reader = Reader {
        date: None,
        named: None,
        weekday: None,
        time: None,
        offset: None,
        relative: Span::new(),
    };
    let separated = text.to_ascii_lowercase();
    let words: Vec<&str> = separated.split_whitespace().collect();
    let mut at = 0;
    while at < words.len() {
        at += reader.word(&words[at..])?;
    }
    let given = match (reader.date, reader.named, reader.weekday) {
        (Some(date), ..) => Some(date),
        (None, Some(named), _) => Some(named.date(now.year())?),
        (None, None, Some((ordinal, day))) => Some(weekday_from(now.date(), ordinal, day)?),
        _ => None,
    };
    let date = given.unwrap_or_else(|| now.date());
    let time = match (reader.time, given) {
        (Some(time), ..) => time,
        (None, Some(_)) => Time::midnight(),
        _ => now.time(),
    };
    let zone = match reader.offset {
        Some(offset) => TimeZone::fixed(offset),
        None => now.time_zone().clone(),
    };
    let months =
        i64::from(reader.relative.get_years()) * 12 + i64::from(reader.relative.get_months());
    let date = months_later(date, months)?;
    let rest = reader.relative.years(0).months(0);
    let moment = DateTime::from_parts(date, time).to_zoned(zone).ok()?;
    let moment = moment.checked_add(rest).ok()?;
    Some(moment.with_time_zone(now.time_zone().clone()))
}

/// The weekday `day` (Sunday being 0) counted from a date: 0 for the next one, that date included;
/// 1 for the next one after it, −1 for the one before it.
fn weekday_from(from: Date, ordinal: i64, day: i64) -> Option<Date> {
    let today = i64::from(from.weekday().to_sunday_zero_offset());
    let weeks = ordinal - i64::from(ordinal > 0 && today != day);
    let days = (day - today).rem_euclid(7) + weeks * 7;
    from.checked_add(Span::new().try_days(days).ok()?).ok()
}

/// The date this many months later. A day that month does not have runs over into the next one.
fn months_later(date: Date, months: i64) -> Option<Date> {
    let all = i64::from(date.year()) * 12 + i64::from(date.month()) - 1 + months;
    let first =
        Date::new(all.div_euclid(12).try_into().ok()?, all.rem_euclid(12) as i8 + 1, 1).ok()?;
    first.checked_add(Span::new().days(i64::from(date.day()) - 1)).ok()
}

/// Seconds since 1970 with a fraction.
pub(crate) fn seconds_since(text: &str) -> Option<Timestamp> {
    let (whole, fraction) = text.split_once(['.', ',']).unwrap_or((text, ""));
    let negative = whole.starts_with('-');
    let seconds: i64 = whole.parse().ok()?;
    let mut nanoseconds = 0i128;
    if !fraction.is_empty() {
        if !fraction.bytes().all(|byte| byte.is_ascii_digit()) {
            return None;
        }
        let nine: String = fraction.chars().chain("000000000".chars()).take(9).collect();
        nanoseconds = nine.parse().ok()?;
    }
    let all =
        i128::from(seconds) * 1_000_000_000 + if negative { -nanoseconds } else { nanoseconds };
    Timestamp::from_nanosecond(all).ok()
}

struct Reader {
    date: Option<Date>,
    named: Option<DayOfMonth>,
    /// A weekday, and which of them.
    weekday: Option<(i64, i64)>,
    time: Option<Time>,
    offset: Option<Offset>,
    relative: Span,
}

impl Reader {
    /// Takes one or more words; gives how many.
    fn word(&mut self, words: &[&str]) -> Option<usize> {
        let word = words[0].trim_end_matches(',');
        match word {
            "" => return Some(1),
            "now" => return Some(1),
            "today" => return self.add(0, "day").map(|()| 1),
            "yesterday" => return self.add(-1, "day").map(|()| 1),
            "tomorrow" => return self.add(1, "day").map(|()| 1),
            "ago" => {
                self.relative = self.relative.checked_mul(-1).ok()?;
                return Some(1);
            }
            "z" | "utc" | "gmt" => {
                self.offset = Some(Offset::UTC);
                return Some(1);
            }
            _ => {}
        }
        if let Some(used) = self.in_words(words) {
            return Some(used);
        }
        if let Some((date, time)) = word.split_once('t')
            && let (Some(date), Some((time, offset))) = (date_of(date), time_of(time))
        {
            (self.date, self.time) = (Some(date), Some(time));
            self.offset = offset.or(self.offset);
            return Some(1);
        }
        if let Some(date) = date_of(word) {
            self.date = Some(date);
            return Some(1);
        }
        if let Some((time, offset)) = time_of(word) {
            self.time = Some(time);
            self.offset = offset.or(self.offset);
            return Some(1);
        }
        if self.time.is_some()
            && words.get(1).is_none_or(|next| unit(next).is_none())
            && let Some(offset) = offset_of(word)
        {
            self.offset = Some(offset);
            return Some(1);
        }
        self.relative(words)
    }

    /// A month, a weekday or a time of day in words, or what counts one.
    fn in_words(&mut self, words: &[&str]) -> Option<usize> {
        let next = words.get(1).copied();
        let ordinal = match named::number(words[0]) {
            Some(number) => number.parse().ok(),
            None => named::ordinal(words[0]),
        };
        if let (Some(ordinal), Some(day)) = (ordinal, next.and_then(named::weekday)) {
            self.weekday = Some((ordinal, day));
            return Some(2);
        }
        if let (Some(ordinal), Some(next)) = (named::ordinal(words[0]), next) {
            return self.add(ordinal, next).map(|()| 2);
        }
        if let Some(day) = named::weekday(words[0]) {
            self.weekday = Some((0, day));
            return Some(1);
        }
        if let Some((time, used)) = named::twelve_hours(words) {
            self.time = Some(time);
            return Some(used);
        }
        let is_unit = |word: &str| unit(word).is_some();
        if let Some((named, used)) = DayOfMonth::read(words, is_unit) {
            self.named = Some(named);
            return Some(used);
        }
        // A number alone is the year of a date without one, otherwise hours and minutes.
        let digits = named::number(words[0]).filter(|_| !next.is_some_and(is_unit))?;
        let lacks_year = self.named.as_mut().filter(|named| named.year.is_none());
        if let Some(named) = lacks_year.filter(|_| self.time.is_some() || digits.len() > 2) {
            named.year = Some(named::year(digits)?);
            return Some(1);
        }
        if digits.len() > 4 {
            return None;
        }
        let hour_digits = if digits.len() > 2 { digits.len() - 2 } else { digits.len() };
        let (hour, minute) = digits.split_at(hour_digits);
        let minute = if minute.is_empty() { 0 } else { minute.parse().ok()? };
        self.time = Some(Time::new(hour.parse().ok()?, minute, 0, 0).ok()?);
        Some(1)
    }

    /// `3 days`, `+3days`, `- 2 hours`, `day`.
    fn relative(&mut self, words: &[&str]) -> Option<usize> {
        let (mut sign, mut rest) = (1, words[0]);
        let mut used = 1;
        if let Some(after) = rest.strip_prefix(['+', '-']) {
            sign = if rest.starts_with('-') { -1 } else { 1 };
            rest = after;
            if rest.is_empty() {
                rest = words.get(1)?;
                used = 2;
            }
        }
        let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
        let amount: i64 = if digits == 0 { 1 } else { rest[..digits].parse().ok()? };
        let name = if rest[digits..].is_empty() {
            used += 1;
            words.get(used - 1)?
        } else {
            &rest[digits..]
        };
        self.add(sign * amount, name)?;
        Some(used)
    }

    fn add(&mut self, amount: i64, name: &str) -> Option<()> {
        let (unit, factor) = unit(name)?;
        let amount = amount.checked_mul(factor)?;
        let span = Span::new();
        let span = match unit {
            jiff::Unit::Year => span.try_years(amount),
            jiff::Unit::Month => span.try_months(amount),
            jiff::Unit::Week => span.try_weeks(amount),
            jiff::Unit::Day => span.try_days(amount),
            jiff::Unit::Hour => span.try_hours(amount),
            jiff::Unit::Minute => span.try_minutes(amount),
            _ => span.try_seconds(amount),
        }
        .ok()?;
        // Units are kept apart, so that a month stays a month.
        let sum = |one: i64, other: i64| one.checked_add(other);
        let old = self.relative;
        self.relative = Span::new()
            .try_years(sum(old.get_years().into(), span.get_years().into())?)
            .ok()?
            .try_months(sum(old.get_months().into(), span.get_months().into())?)
            .ok()?
            .try_weeks(sum(old.get_weeks().into(), span.get_weeks().into())?)
            .ok()?
            .try_days(sum(old.get_days().into(), span.get_days().into())?)
            .ok()?
            .try_hours(sum(old.get_hours().into(), span.get_hours().into())?)
            .ok()?
            .try_minutes(sum(old.get_minutes(), span.get_minutes())?)
            .ok()?
            .try_seconds(sum(old.get_seconds(), span.get_seconds())?)
            .ok()?;
        Some(())
    }
}

fn unit(name: &str) -> Option<(jiff::Unit, i64)> {
    Some(match name.strip_suffix('s').filter(|name| !name.is_empty()).unwrap_or(name) {
        "year" => (jiff::Unit::Year, 1),
        "month" => (jiff::Unit::Month, 1),
        "fortnight" => (jiff::Unit::Week, 2),
        "week" => (jiff::Unit::Week, 1),
        "day" => (jiff::Unit::Day, 1),
        "hour" => (jiff::Unit::Hour, 1),
        "minute" | "min" => (jiff::Unit::Minute, 1),
        "second" | "sec" => (jiff::Unit::Second, 1),
        _ => return None,
    })
}

fn date_of(text: &str) -> Option<Date> {
    let number = |part: &str| {
        (!part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit()))
            .then(|| part.parse::<i16>().ok())?
    };
    let parts: Vec<&str> = text.split('-').collect();
    if let [year, month, day] = parts[..] {
        return Date::new(number(year)?, number(month)? as i8, number(day)? as i8).ok();
    }
    let parts: Vec<&str> = text.split('/').collect();
    if let [month, day, year] = parts[..] {
        return Date::new(number(year)?, number(month)? as i8, number(day)? as i8).ok();
    }
    if text.len() == 8 && text.bytes().all(|byte| byte.is_ascii_digit()) {
        return Date::new(
            number(&text[..4])?,
            number(&text[4..6])? as i8,
            number(&text[6..])? as i8,
        )
        .ok();
    }
    None
}

/// `HH:MM`, `HH:MM:SS`, with a fraction, with a zone behind.
fn time_of(text: &str) -> Option<(Time, Option<Offset>)> {
    let end =
        text.find(|character: char| !character.is_ascii_digit() && !":.,".contains(character));
    let (clock, zone) = text.split_at(end.unwrap_or(text.len()));
    let mut parts = clock.split(':');
    let number = |part: &str| (part.len() <= 2).then(|| part.parse::<i8>().ok())?;
    let hour = number(parts.next()?)?;
    let minute = number(parts.next()?)?;
    let (second, nanosecond) = match parts.next() {
        None => (0, 0),
        Some(seconds) => {
            let (whole, fraction) = seconds.split_once(['.', ',']).unwrap_or((seconds, ""));
            let nine: String = fraction.chars().chain("000000000".chars()).take(9).collect();
            (number(whole)?, nine.parse().ok()?)
        }
    };
    if parts.next().is_some() {
        return None;
    }
    let offset = if zone.is_empty() { None } else { Some(offset_of(zone)?) };
    Some((Time::new(hour, minute, second, nanosecond).ok()?, offset))
}

/// `Z`, `+0200`, `+02:00`, `-05`.
pub(crate) fn offset_of(text: &str) -> Option<Offset> {
    if matches!(text, "z" | "Z" | "utc" | "gmt") {
        return Some(Offset::UTC);
    }
    let sign = match text.bytes().next()? {
        b'+' => 1,
        b'-' => -1,
        _ => return None,
    };
    let digits: String = text[1..].chars().filter(|character| *character != ':').collect();
    if !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let (hours, minutes): (i32, i32) = match digits.len() {
        1 | 2 => (digits.parse().ok()?, 0),
        4 => (digits[..2].parse().ok()?, digits[2..].parse().ok()?),
        _ => return None,
    };
    Offset::from_seconds(sign * (hours * 3600 + minutes * 60)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> String {
        let now = "2031-04-02T06:12:04Z".parse::<Timestamp>().unwrap().to_zoned(TimeZone::UTC);
        read(text, &now).map_or_else(|| "none".to_owned(), |time| time.timestamp().to_string())
    }

    #[test]
    fn points_in_time_are_read() {
        assert_eq!(at("@0"), "1970-01-01T00:00:00Z");
        assert_eq!(at("@1.5"), "1970-01-01T00:00:01.5Z");
        assert_eq!(at("2031-03-01"), "2031-03-01T00:00:00Z");
        assert_eq!(at("2031-03-01 10:30"), "2031-03-01T10:30:00Z");
        assert_eq!(at("2031-03-01T10:30:00+02:00"), "2031-03-01T08:30:00Z");
        assert_eq!(at("2031-03-01 10:30 -0500"), "2031-03-01T15:30:00Z");
        assert_eq!(at("yesterday"), "2031-04-01T06:12:04Z");
        assert_eq!(at("3 days ago"), "2031-03-30T06:12:04Z");
        assert_eq!(at("2031-01-31 + 1 day"), "2031-02-01T00:00:00Z");
        assert_eq!(at("2031-01-31 1 month"), "2031-03-03T00:00:00Z");
        assert_eq!(at("next month"), "2031-05-02T06:12:04Z");
        assert_eq!(at("10:30"), "2031-04-02T10:30:00Z");
        assert_eq!(at("+2 hours 30 minutes"), "2031-04-02T08:42:04Z");
        // It is a Wednesday.
        for (text, date) in [
            ("3 Jan 2031", "2031-01-03T00:00:00Z"),
            ("Jan 3 2031 14:00", "2031-01-03T14:00:00Z"),
            ("January 3, 2032", "2032-01-03T00:00:00Z"),
            ("jan 3", "2031-01-03T00:00:00Z"),
            ("3-Jan-31", "2031-01-03T00:00:00Z"),
            ("sept-5-2030", "2030-09-05T00:00:00Z"),
            ("3 jan 70 2 days", "1970-01-05T00:00:00Z"),
            ("3 jan 2 days", "2031-01-05T00:00:00Z"),
            ("Wed Apr  2 06:12:04 UTC 2031", "2031-04-02T06:12:04Z"),
            ("Wed, 02 Apr 2031 06:12:04 +0200", "2031-04-02T04:12:04Z"),
            ("wednesday", "2031-04-02T00:00:00Z"),
            ("this wed", "2031-04-02T00:00:00Z"),
            ("next wednesday", "2031-04-09T00:00:00Z"),
            ("last wednesday", "2031-03-26T00:00:00Z"),
            ("next monday", "2031-04-07T00:00:00Z"),
            ("last monday", "2031-03-31T00:00:00Z"),
            ("third monday 14:00", "2031-04-21T14:00:00Z"),
            ("2 monday", "2031-04-14T00:00:00Z"),
            ("sat + 1 day", "2031-04-06T00:00:00Z"),
            ("3 days ago 14:00", "2031-03-30T14:00:00Z"),
            ("this week", "2031-04-02T06:12:04Z"),
            ("tomorrow 2pm", "2031-04-03T14:00:00Z"),
            ("2:30 p.m.", "2031-04-02T14:30:00Z"),
            ("12am", "2031-04-02T00:00:00Z"),
            ("12:05 pm", "2031-04-02T12:05:00Z"),
            ("1400", "2031-04-02T14:00:00Z"),
            ("930", "2031-04-02T09:30:00Z"),
            ("9", "2031-04-02T09:00:00Z"),
            ("31 feb", "none"),
            ("13pm", "none"),
            ("0am", "none"),
            ("noon", "none"),
            ("jan 2031", "none"),
            ("2400", "none"),
            ("third", "none"),
        ] {
            assert_eq!(at(text), date, "{text}");
        }
        assert_eq!(at("nonsense"), "none");
        assert_eq!(at("2031-13-01"), "none");
    }
}
