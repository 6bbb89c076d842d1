//! The forms of times, each read from a place in a line.

use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{Offset, TimeZone};
use jiff::{Timestamp, ToSpan, Zoned};

use crate::common::time::seconds_since;

use super::reader::Reader;
use super::reading::{Doubt, Order, Reading};

fn moment(date: Date, time: Time, offset: Option<Offset>, now: &Zoned) -> Option<Timestamp> {
    let zone = offset.map_or_else(|| now.time_zone().clone(), TimeZone::fixed);
    Some(DateTime::from_parts(date, time).to_zoned(zone).ok()?.timestamp())
}

fn date(year: i32, month: i32, day: i32) -> Option<Date> {
    Date::new(year as i16, month as i8, day as i8).ok()
}

pub(super) fn iso(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    let year = reader.digits(4)?;
    let mark = reader.byte(b"-/")?;
    let month = reader.digits(2)?;
    reader.byte(&[mark])?;
    let day = reader.digits(2)?;
    reader.byte(b"T t_")?;
    let time = reader.clock(false)?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, &how.now)
}

pub(super) fn compact(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    let (year, month, day) = (reader.digits(4)?, reader.digits(2)?, reader.digits(2)?);
    reader.byte(b"T")?;
    let (hour, minute, second) = (reader.digits(2)?, reader.digits(2)?, reader.digits(2)?);
    let nanosecond = reader.fraction();
    let time = Time::new(hour as i8, minute as i8, second.min(59) as i8, nanosecond).ok()?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, &how.now)
}

pub(super) fn common_log(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    let day = reader.digits(2)?;
    reader.byte(b"/")?;
    let month = reader.month()?;
    reader.byte(b"/")?;
    let year = reader.digits(4)?;
    reader.byte(b": ")?;
    let time = reader.clock(true)?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, &how.now)
}

/// `Wed, 02 Apr 2031 06:12:04 +0000`, the name of the day as one likes.
pub(super) fn header(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    if reader.weekday().is_some() {
        reader.byte(b",")?;
        reader.byte(b" ")?;
    }
    let day = reader.day()?;
    reader.byte(b" -")?;
    let month = reader.month()?;
    reader.byte(b".");
    reader.byte(b" -")?;
    let year = reader.digits(4)?;
    between_date_and_time(reader)?;
    let time = reader.day_clock()?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, &how.now)
}

/// `Wed Apr  2 06:12:04 UTC 2031`, the zone as one likes.
pub(super) fn ctime(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    reader.weekday()?;
    reader.byte(b" ")?;
    let month = reader.month()?;
    reader.byte(b" ")?;
    let day = reader.day()?;
    reader.byte(b" ")?;
    let time = reader.clock(true)?;
    let offset = reader.zone();
    reader.byte(b" ")?;
    let year = reader.digits(4)?;
    moment(date(year, month, day)?, time, offset, &how.now)
}

/// `Apr  2 06:12:04`, without a year.
pub(super) fn system_log(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    let month = reader.month()?;
    reader.byte(b" ")?;
    let day = reader.day()?;
    reader.byte(b" ")?;
    let time = reader.clock(true)?;
    let latest = how.now.checked_add(1.day()).ok()?.timestamp();
    let year = i32::from(how.now.year());
    // The 29th of February may be several years back.
    (0..8)
        .filter_map(|back| moment(date(year + 1 - back, month, day)?, time, None, &how.now))
        .find(|time| *time <= latest)
}

pub(super) fn since_epoch(reader: &mut Reader<'_>, _how: &Reading) -> Option<Timestamp> {
    reader.byte(b"@")?;
    let rest = &reader.text[reader.at..];
    let length = rest.iter().take_while(|byte| byte.is_ascii_digit() || **byte == b'.').count();
    let length = rest[..length].iter().rposition(u8::is_ascii_digit)? + 1;
    reader.at += length;
    seconds_since(std::str::from_utf8(&rest[..length]).ok()?)
}

/// `March 3, 2031 06:12`, `Mar 3 2031 6:12 PM`, the name of the day before it as one likes.
pub(super) fn american(reader: &mut Reader<'_>, how: &Reading) -> Option<Timestamp> {
    if reader.weekday().is_some() {
        reader.byte(b",");
        reader.byte(b" ")?;
    }
    let month = reader.month()?;
    reader.byte(b".");
    reader.byte(b" ")?;
    let day = reader.day()?;
    reader.byte(b",");
    reader.byte(b" ")?;
    let year = reader.digits(4)?;
    between_date_and_time(reader)?;
    let time = reader.day_clock()?;
    let offset = reader.zone();
    moment(date(year, month, day)?, time, offset, &how.now)
}

/// `03/04/2031 06:12`, `3/4/2031 6:12 PM`, `03-04-2031 06:12`, and `03.04.2031 06:12`, in which the
/// day is first. Else a number over 12 tells which of the two is the day, or what was asked for.
pub(super) fn numbers(
    reader: &mut Reader<'_>,
    how: &Reading,
) -> Option<(Timestamp, Option<Doubt>)> {
    let first = reader.short_number()?;
    let mark = reader.byte(b"/-.")?;
    let second = reader.short_number()?;
    reader.byte(&[mark])?;
    let year = reader.digits(4)?;
    between_date_and_time(reader)?;
    let time = reader.day_clock()?;
    let offset = reader.zone();
    let (day_first, doubt) = match (how.order, mark) {
        (_, b'.') => (true, None),
        _ if first > 12 => (true, None),
        _ if second > 12 => (false, None),
        (Some(order), _) => (order == Order::DayFirst, None),
        _ if first == second => (true, None),
        (None, _) => (false, Some(Doubt::DayOrMonth)),
    };
    let (day, month) = if day_first { (first, second) } else { (second, first) };
    Some((moment(date(year, month, day)?, time, offset, &how.now)?, doubt))
}

/// Digits of seconds since 1970 from 2001 to 2286; thousandths, millionths and billionths of a
/// second have three, six and nine more.
const EPOCH_DIGITS: usize = 10;

/// A number without a mark: seconds since 1970, with a fraction or as whole smaller units.
pub(super) fn bare_epoch(reader: &mut Reader<'_>) -> Option<Timestamp> {
    let digits = reader.digits_ahead();
    let finer = digits.checked_sub(EPOCH_DIGITS)?;
    let text = std::str::from_utf8(&reader.text[reader.at..reader.at + digits]).ok()?;
    if text.starts_with('0') || !matches!(finer, 0 | 3 | 6 | 9) {
        return None;
    }
    let number: i128 = text.parse().ok()?;
    reader.at += digits;
    let fraction = if finer == 0 { i128::from(reader.fraction()) } else { 0 };
    let unit = 10_i128.pow(9 - finer as u32);
    Timestamp::from_nanosecond(number * unit + fraction).ok()
}

/// `[   12.345678]`: seconds since the machine was started, in nanoseconds.
pub(super) fn since_start(reader: &mut Reader<'_>) -> Option<i128> {
    reader.byte(b"[")?;
    while reader.byte(b" ").is_some() {}
    let digits = reader.digits_ahead();
    let text = std::str::from_utf8(&reader.text[reader.at..reader.at + digits]).ok()?;
    let seconds: u32 = text.parse().ok()?;
    reader.at += digits;
    if reader.text.get(reader.at) != Some(&b'.') {
        return None;
    }
    let before = reader.at;
    let nanoseconds = reader.fraction();
    (reader.at > before).then_some(())?;
    reader.byte(b"]")?;
    Some(i128::from(seconds) * 1_000_000_000 + i128::from(nanoseconds))
}

/// What is between a date and a time: a blank, a comma, `T`, or `at`.
fn between_date_and_time(reader: &mut Reader<'_>) -> Option<()> {
    reader.byte(b",");
    if reader.text[reader.at..].starts_with(b" at ") {
        reader.at += 4;
        return Some(());
    }
    reader.byte(b" T").map(drop)
}
