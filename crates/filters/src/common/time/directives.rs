//! Conversion specifications of `date` and `strftime`, with the flags `- _ 0 ^ #`, a width, and
//! `%N` for fractions of a second.

use jiff::Zoned;
use jiff::civil::Weekday;

const DAYS: [&str; 7] =
    ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"];
const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// A value before flags and width.
enum Value {
    Number {
        value: i64,
        width: usize,
        pad: u8,
    },
    Text(String),
    /// Fractions of a second, padded at the end.
    Fraction(u32),
}

#[derive(Clone, Copy, Default)]
struct Flags {
    pad: Option<u8>,
    upper: bool,
    swap: bool,
    plus: bool,
}

/// Writes `time` by `format`; what is no conversion specification is written as it is.
pub(crate) fn write(time: &Zoned, format: &[u8], out: &mut Vec<u8>) {
    let mut rest = format;
    while let Some(at) = memchr::memchr(b'%', rest) {
        out.extend_from_slice(&rest[..at]);
        let specification = &rest[at..];
        let used = one(time, specification, out);
        rest = &specification[used..];
    }
    out.extend_from_slice(rest);
}

/// One conversion specification; gives its length.
fn one(time: &Zoned, text: &[u8], out: &mut Vec<u8>) -> usize {
    let mut at = 1;
    let mut flags = Flags::default();
    while let Some(&flag) = text.get(at) {
        match flag {
            b'-' | b'_' | b'0' => flags.pad = Some(flag),
            b'^' => flags.upper = true,
            b'#' => flags.swap = true,
            b'+' => {
                flags.plus = true;
                flags.pad = Some(b'0');
            }
            _ => break,
        }
        at += 1;
    }
    let digits = text[at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
    let width = std::str::from_utf8(&text[at..at + digits])
        .ok()
        .and_then(|text| text.parse::<usize>().ok());
    let width = width.map(|width| width.min(4096));
    at += digits;
    if matches!(text.get(at), Some(b'E' | b'O')) {
        at += 1;
    }
    let colons = text[at..].iter().take_while(|byte| **byte == b':').count();
    at += colons;
    let Some(&letter) = text.get(at) else {
        out.extend_from_slice(text);
        return text.len();
    };
    at += 1;
    if colons > 0 && letter != b'z' {
        out.extend_from_slice(&text[..at]);
        return at;
    }
    match value(time, letter, colons, flags.pad) {
        Some(value) => put(&value, letter, flags, width, out),
        None => {
            // As it is, at the right of its width.
            let shown = &text[..at];
            out.resize(out.len() + width.unwrap_or(0).saturating_sub(shown.len()), b' ');
            out.extend_from_slice(shown);
        }
    }
    at
}

fn put(value: &Value, letter: u8, flags: Flags, width: Option<usize>, out: &mut Vec<u8>) {
    match value {
        Value::Number { value, width: usual, pad } => {
            let sign = if *value < 0 {
                "-"
            } else if flags.plus
                && width.is_some_and(|width| width > 4)
                && matches!(letter, b'Y' | b'C' | b'G')
            {
                "+"
            } else {
                ""
            };
            let digits = value.unsigned_abs().to_string();
            let pad = flags.pad.unwrap_or(*pad);
            let width = match (pad, width) {
                (b'-', _) => 0,
                (_, Some(width)) => width,
                (_, None) => *usual,
            };
            let fill = width.saturating_sub(digits.len() + sign.len());
            match pad {
                b'_' => {
                    out.resize(out.len() + fill, b' ');
                    out.extend_from_slice(sign.as_bytes());
                }
                b'-' if width == 0 => out.extend_from_slice(sign.as_bytes()),
                _ => {
                    out.extend_from_slice(sign.as_bytes());
                    out.resize(out.len() + fill, b'0');
                }
            }
            out.extend_from_slice(digits.as_bytes());
        }
        Value::Fraction(nanoseconds) => {
            let nine = format!("{nanoseconds:09}");
            let width = width.filter(|width| *width > 0).unwrap_or(9);
            out.extend_from_slice(&nine.as_bytes()[..width.min(9)]);
            let fill = if flags.pad == Some(b'_') { b' ' } else { b'0' };
            out.resize(out.len() + width.saturating_sub(9), fill);
        }
        Value::Text(text) => {
            let mut text = text.clone();
            if flags.upper {
                text = text.to_uppercase();
            } else if flags.swap {
                text = match letter {
                    b'Z' | b'p' => text.to_lowercase(),
                    _ => text.to_uppercase(),
                };
            }
            let fill = width.unwrap_or(0).saturating_sub(text.chars().count());
            let pad = match flags.pad {
                Some(b'0') => b'0',
                Some(b'-') => 0,
                // Composed numeric forms are filled with zeros, names with blanks.
                _ if matches!(letter, b'z') => b'0',
                _ => b' ',
            };
            if pad != 0 {
                out.resize(out.len() + fill, pad);
            }
            out.extend_from_slice(text.as_bytes());
        }
    }
}

/// Days since the year's first day with weeks that begin on `first`.
fn week(time: &Zoned, first: Weekday) -> i64 {
    let back = match first {
        Weekday::Monday => time.weekday().to_monday_zero_offset(),
        _ => time.weekday().to_sunday_zero_offset(),
    };
    (i64::from(time.day_of_year()) - 1 + 7 - i64::from(back)) / 7
}

fn value(time: &Zoned, letter: u8, colons: usize, pad: Option<u8>) -> Option<Value> {
    let zero = |value: i64, width: usize| Some(Value::Number { value, width, pad: b'0' });
    let blank = |value: i64, width: usize| Some(Value::Number { value, width, pad: b'_' });
    let text = |text: String| Some(Value::Text(text));
    let composed = |format: &str| {
        let mut whole = Vec::new();
        write(time, format.as_bytes(), &mut whole);
        Some(Value::Text(String::from_utf8_lossy(&whole).into_owned()))
    };
    let hour = i64::from(time.hour());
    let twelve = if hour % 12 == 0 { 12 } else { hour % 12 };
    let day = DAYS[time.weekday().to_sunday_zero_offset() as usize];
    let month = MONTHS[time.month() as usize - 1];
    let iso = time.date().iso_week_date();
    let year = i64::from(time.year());
    match letter {
        b'%' => text("%".to_owned()),
        b'n' => text("\n".to_owned()),
        b't' => text("\t".to_owned()),
        b'a' => text(day[..3].to_owned()),
        b'A' => text(day.to_owned()),
        b'b' | b'h' => text(month[..3].to_owned()),
        b'B' => text(month.to_owned()),
        b'c' => composed("%a %b %e %H:%M:%S %Y"),
        b'C' => zero(year.div_euclid(100), 2),
        b'd' => zero(time.day().into(), 2),
        b'D' | b'x' => composed("%m/%d/%y"),
        b'e' => blank(time.day().into(), 2),
        b'F' => {
            let pad = pad
                .filter(|pad| *pad != b'0')
                .map_or("", |pad| if pad == b'-' { "-" } else { "_" });
            composed(&format!("%{pad}Y-%m-%d"))
        }
        b'g' => zero(i64::from(iso.year()).rem_euclid(100), 2),
        b'G' => zero(iso.year().into(), 4),
        b'H' => zero(hour, 2),
        b'I' => zero(twelve, 2),
        b'j' => zero(time.day_of_year().into(), 3),
        b'k' => blank(hour, 2),
        b'l' => blank(twelve, 2),
        b'm' => zero(time.month().into(), 2),
        b'M' => zero(time.minute().into(), 2),
        b'N' => Some(Value::Fraction(time.subsec_nanosecond() as u32)),
        b'p' => text(if hour < 12 { "AM" } else { "PM" }.to_owned()),
        b'P' => text(if hour < 12 { "am" } else { "pm" }.to_owned()),
        b'q' => zero((i64::from(time.month()) - 1) / 3 + 1, 1),
        b'r' => composed("%I:%M:%S %p"),
        b'R' => composed("%H:%M"),
        b's' => zero(time.timestamp().as_nanosecond().div_euclid(1_000_000_000) as i64, 1),
        b'S' => zero(time.second().into(), 2),
        b'T' | b'X' => composed("%H:%M:%S"),
        b'u' => zero(time.weekday().to_monday_one_offset().into(), 1),
        b'U' => zero(week(time, Weekday::Sunday), 2),
        b'V' => zero(iso.week().into(), 2),
        b'w' => zero(time.weekday().to_sunday_zero_offset().into(), 1),
        b'W' => zero(week(time, Weekday::Monday), 2),
        b'y' => zero(year.rem_euclid(100), 2),
        b'Y' => zero(year, 4),
        b'z' => text(offset(time.offset().seconds(), colons)?),
        b'Z' => text(zone_name(time)),
        _ => None,
    }
}

fn offset(seconds: i32, colons: usize) -> Option<String> {
    let sign = if seconds < 0 { '-' } else { '+' };
    let all = seconds.unsigned_abs();
    let (hours, minutes, seconds) = (all / 3600, all / 60 % 60, all % 60);
    Some(match colons {
        0 => format!("{sign}{hours:02}{minutes:02}"),
        1 => format!("{sign}{hours:02}:{minutes:02}"),
        2 => format!("{sign}{hours:02}:{minutes:02}:{seconds:02}"),
        3 if seconds > 0 => format!("{sign}{hours:02}:{minutes:02}:{seconds:02}"),
        3 if minutes > 0 => format!("{sign}{hours:02}:{minutes:02}"),
        3 => format!("{sign}{hours:02}"),
        _ => return None,
    })
}

fn zone_name(time: &Zoned) -> String {
    let zone = time.time_zone();
    let info = zone.to_offset_info(time.timestamp());
    info.abbreviation().to_owned()
}
