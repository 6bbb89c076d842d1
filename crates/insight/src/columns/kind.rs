//! What a value is: a number, a time, an address, a word.

use std::borrow::Cow;

use super::splitting::name_length;

/// What a value, or all values of a column, are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Kind {
    /// Nothing in it.
    Empty,
    /// One of the words yes, no, true, false, on, off.
    YesNo,
    /// Digits, with a sign or not.
    Whole,
    /// Digits with a decimal point, or with an exponent.
    Decimal,
    /// A number with a suffix of size: `12K`, `3.4MiB`.
    Size,
    /// A day: `2031-04-02`.
    Day,
    /// A time of day: `06:12`, `06:12:00`, with a fraction or not.
    Clock,
    /// A day and a time: `2031-04-02T06:12:00Z`.
    Moment,
    /// A day and a time as web servers write them: `02/Apr/2031:06:12:00`, after `[` or not.
    WebMoment,
    /// An address of IP version 4, with a port or a prefix length or not.
    Ipv4,
    /// An address of IP version 6, with a prefix length or not.
    Ipv6,
    /// A path: it begins with `/`, `./`, `../` or `~/`.
    Path,
    /// No blanks in it.
    Word,
    /// Anything else.
    Text,
}

/// How many kinds there are.
pub(crate) const KINDS: usize = 14;

impl Kind {
    pub(crate) const ALL: [Self; KINDS] = [
        Self::Empty,
        Self::YesNo,
        Self::Whole,
        Self::Decimal,
        Self::Size,
        Self::Day,
        Self::Clock,
        Self::Moment,
        Self::WebMoment,
        Self::Ipv4,
        Self::Ipv6,
        Self::Path,
        Self::Word,
        Self::Text,
    ];

    /// What a value is. Quotes around it do not count.
    pub fn of(value: &[u8]) -> Self {
        let inside = unquoted(value);
        let value = &*inside;
        let Some(&first) = value.first() else { return Self::Empty };
        let found = match first {
            b'0'..=b'9' | b'+' | b'-' | b'.' => number(value).or_else(|| time(value)),
            b'[' => time(&value[1..]),
            _ => None,
        };
        if let Some(found) = found {
            return found;
        }
        if value.iter().any(|byte| matches!(byte, b' ' | b'\t')) {
            return Self::Text;
        }
        match first {
            b'0'..=b'9' if is_ipv4(value) => Self::Ipv4,
            b'0'..=b'9' | b'a'..=b'f' | b'A'..=b'F' | b':' if is_ipv6(value) => Self::Ipv6,
            b'/' | b'.' | b'~'
                if ["/", "./", "../", "~/"].iter().any(|at| value.starts_with(at.as_bytes())) =>
            {
                Self::Path
            }
            b'y' | b'n' | b't' | b'f' | b'o' | b'Y' | b'N' | b'T' | b'F' | b'O'
                if ["yes", "no", "true", "false", "on", "off"]
                    .iter()
                    .any(|word| value.eq_ignore_ascii_case(word.as_bytes())) =>
            {
                Self::YesNo
            }
            _ => Self::Word,
        }
    }

    /// True for numbers and sizes.
    pub fn is_number(self) -> bool {
        matches!(self, Self::Whole | Self::Decimal | Self::Size)
    }

    /// True for days and times.
    pub fn is_time(self) -> bool {
        matches!(self, Self::Day | Self::Clock | Self::Moment | Self::WebMoment)
    }

    /// In words, as in “whole number”.
    pub fn name(self) -> &'static str {
        match self {
            Self::Empty => "empty",
            Self::YesNo => "yes or no",
            Self::Whole => "whole number",
            Self::Decimal => "decimal number",
            Self::Size => "size with a suffix",
            Self::Day => "day  Y-M-D",
            Self::Clock => "time  h:m:s",
            Self::Moment => "day and time",
            Self::WebMoment => "time  D/Mon/Y:h:m:s",
            Self::Ipv4 => "IPv4 address",
            Self::Ipv6 => "IPv6 address",
            Self::Path => "path",
            Self::Word => "word",
            Self::Text => "text",
        }
    }

    /// The kind that covers both.
    pub(crate) fn with(self, other: Self) -> Self {
        let (one, two) = if self <= other { (self, other) } else { (other, self) };
        match (one, two) {
            (one, two) if one == two => one,
            (Self::Empty, two) => two,
            (Self::Whole, Self::Decimal) => Self::Decimal,
            (Self::Whole | Self::Decimal, Self::Size) => Self::Size,
            (_, Self::Text) => Self::Text,
            _ => Self::Word,
        }
    }
}

/// A value without the quotes around it; doubled ones within are one (RFC 4180).
pub(crate) fn unquoted(value: &[u8]) -> Cow<'_, [u8]> {
    match value {
        [b'"', inside @ .., b'"'] if memchr::memmem::find(inside, b"\"\"").is_some() => {
            Cow::Owned(bstr::ByteSlice::replace(inside, "\"\"", "\""))
        }
        [b'"', inside @ .., b'"'] => Cow::Borrowed(inside),
        _ => Cow::Borrowed(value),
    }
}

/// How many digits a text begins with.
fn digits(text: &[u8]) -> usize {
    text.iter().take_while(|byte| byte.is_ascii_digit()).count()
}

fn number(value: &[u8]) -> Option<Kind> {
    let text = value.strip_prefix(b"-").or(value.strip_prefix(b"+")).unwrap_or(value);
    let whole = digits(text);
    let mut rest = &text[whole..];
    let mut kind = Kind::Whole;
    if let Some(after) = rest.strip_prefix(b".") {
        let fraction = digits(after);
        if fraction == 0 && (whole == 0 || !after.is_empty()) {
            return None;
        }
        kind = Kind::Decimal;
        rest = &after[fraction..];
    } else if whole == 0 {
        return None;
    }
    match rest {
        [] => Some(kind),
        [b'e' | b'E', exponent @ ..] => {
            let digits_of = exponent.strip_prefix(b"-").or(exponent.strip_prefix(b"+"));
            let exponent = digits_of.unwrap_or(exponent);
            (!exponent.is_empty() && digits(exponent) == exponent.len()).then_some(Kind::Decimal)
        }
        suffix => factor(suffix).map(|_| Kind::Size),
    }
}

/// What a suffix of size multiplies by.
fn factor(suffix: &[u8]) -> Option<f64> {
    let power =
        |letter: u8| b"KMGTPE".iter().position(|known| *known == letter.to_ascii_uppercase());
    let (letter, base): (u8, f64) = match suffix {
        [b'B'] => return Some(1.0),
        [letter] => (*letter, 1024.0),
        [letter, b'i', b'B'] => (*letter, 1024.0),
        [letter, b'B'] => (*letter, 1000.0),
        _ => return None,
    };
    power(letter).map(|power| base.powi(power as i32 + 1))
}

/// The shape of digits: `d` for a digit.
fn is_shaped(text: &[u8], shape: &[u8]) -> bool {
    text.len() == shape.len()
        && text.iter().zip(shape).all(|(byte, sign)| match sign {
            b'd' => byte.is_ascii_digit(),
            b'a' => byte.is_ascii_alphabetic(),
            sign => byte == sign,
        })
}

fn time(value: &[u8]) -> Option<Kind> {
    let day = value
        .get(..10)
        .is_some_and(|day| is_shaped(day, b"dddd-dd-dd") || is_shaped(day, b"dddd/dd/dd"));
    if day {
        return match &value[10..] {
            [] => Some(Kind::Day),
            [b'T' | b' ' | b'_', rest @ ..] => is_clock(rest, true).then_some(Kind::Moment),
            _ => None,
        };
    }
    if value.get(..20).is_some_and(|moment| is_shaped(moment, b"dd/aaa/dddd:dd:dd:dd")) {
        return matches!(&value[20..], [] | [b']'] | [b' ', ..]).then_some(Kind::WebMoment);
    }
    is_clock(value, false).then_some(Kind::Clock)
}

/// A time of day, with a fraction and (where `zoned`) a zone or not.
fn is_clock(value: &[u8], zoned: bool) -> bool {
    let seconds = value.get(..8).is_some_and(|clock| is_shaped(clock, b"dd:dd:dd"));
    let mut rest = if seconds {
        &value[8..]
    } else if value.get(..5).is_some_and(|clock| is_shaped(clock, b"dd:dd")) {
        &value[5..]
    } else {
        return false;
    };
    if seconds && let [b'.' | b',', fraction @ ..] = rest {
        let length = digits(fraction);
        if length == 0 {
            return false;
        }
        rest = &fraction[length..];
    }
    match rest {
        [] => true,
        [b'Z'] => zoned,
        [b'+' | b'-', zone @ ..] => {
            zoned && [&b"dd:dd"[..], b"dddd", b"dd"].iter().any(|shape| is_shaped(zone, shape))
        }
        _ => false,
    }
}

fn is_ipv4(value: &[u8]) -> bool {
    let end = value.iter().position(|byte| matches!(byte, b':' | b'/')).unwrap_or(value.len());
    let (address, rest) = value.split_at(end);
    let rest_fits = rest.is_empty() || rest.len() > 1 && digits(&rest[1..]) == rest.len() - 1;
    let is_part = |part: &[u8]| {
        (1..=3).contains(&part.len())
            && digits(part) == part.len()
            && std::str::from_utf8(part).is_ok_and(|part| part.parse::<u8>().is_ok())
    };
    rest_fits
        && address.split(|byte| *byte == b'.').count() == 4
        && address.split(|byte| *byte == b'.').all(is_part)
}

fn is_ipv6(value: &[u8]) -> bool {
    if memchr::memchr_iter(b':', value).count() < 2 {
        return false;
    }
    let address = value.split(|byte| matches!(byte, b'/' | b'%')).next().unwrap_or_default();
    std::str::from_utf8(address).is_ok_and(|text| text.parse::<std::net::Ipv6Addr>().is_ok())
}

/// What a number, a size or a time amounts to, so that two of the same kind can be compared.
/// `None` for what is none, and for times, which are compared as text unless web servers' own.
pub(crate) fn amount(value: &[u8], kind: Kind) -> Option<f64> {
    if kind == Kind::Whole && value.len() < 16 && value.iter().all(u8::is_ascii_digit) {
        let digit = |sum: u64, byte: &u8| sum * 10 + u64::from(byte - b'0');
        return Some(value.iter().fold(0, digit) as f64);
    }
    if !kind.is_number() && !matches!(kind, Kind::WebMoment | Kind::Ipv4) {
        return None;
    }
    let value = unquoted(value);
    let text = std::str::from_utf8(&value).ok()?;
    match kind {
        Kind::Whole | Kind::Decimal => text.parse().ok(),
        Kind::Ipv4 => {
            // The address, and after it the port or the length of the prefix.
            let (address, rest) = match text.find([':', '/']) {
                Some(at) => (&text[..at], text[at + 1..].parse::<f64>().ok()? + 1.0),
                None => (text, 0.0),
            };
            let address: std::net::Ipv4Addr = address.parse().ok()?;
            Some(f64::from(u32::from(address)) * 131_072.0 + rest.min(131_071.0))
        }
        Kind::Size => {
            let end =
                text.find(|sign: char| !sign.is_ascii_digit() && !matches!(sign, '.' | '+' | '-'));
            let (number, suffix) = text.split_at(end?);
            Some(number.parse::<f64>().ok()? * factor(suffix.as_bytes())?)
        }
        Kind::WebMoment => {
            let text = text.trim_start_matches('[');
            let month = [
                "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec",
            ]
            .iter()
            .position(|name| text.get(3..6) == Some(*name))?;
            let part = |from: usize, to: usize| text.get(from..to)?.parse::<f64>().ok();
            let days = (part(7, 11)? * 12.0 + month as f64) * 31.0 + part(0, 2)?;
            Some(((days * 24.0 + part(12, 14)?) * 60.0 + part(15, 17)?) * 60.0 + part(18, 20)?)
        }
        _ => None,
    }
}

/// How many bytes a `name=` takes that a value begins with; 0 without one.
pub(crate) fn label_length(value: &[u8]) -> usize {
    let length = name_length(value);
    if length > 0 && value.get(length) == Some(&b'=') { length + 1 } else { 0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_what_they_look_like() {
        for (value, kind) in [
            ("", Kind::Empty),
            ("\"\"", Kind::Empty),
            ("12", Kind::Whole),
            ("-7", Kind::Whole),
            ("\"12\"", Kind::Whole),
            ("3.40", Kind::Decimal),
            (".5", Kind::Decimal),
            ("5.", Kind::Decimal),
            ("1e9", Kind::Decimal),
            ("12K", Kind::Size),
            ("3.4MiB", Kind::Size),
            ("9kB", Kind::Size),
            ("2031-04-02", Kind::Day),
            ("2031/04/02", Kind::Day),
            ("06:12:00", Kind::Clock),
            ("06:12", Kind::Clock),
            ("06:12:00,120", Kind::Clock),
            ("2031-04-02T06:12:00Z", Kind::Moment),
            ("2031-04-02 06:12:00.5+01:00", Kind::Moment),
            ("[02/Apr/2031:06:12:00", Kind::WebMoment),
            ("02/Apr/2031:06:12:00 +0000", Kind::WebMoment),
            ("192.0.2.7", Kind::Ipv4),
            ("192.0.2.7:8080", Kind::Ipv4),
            ("192.0.2.0/24", Kind::Ipv4),
            ("192.0.2.300", Kind::Word),
            ("2001:db8::1", Kind::Ipv6),
            ("::1", Kind::Ipv6),
            ("2001:db8::/32", Kind::Ipv6),
            ("/var/log", Kind::Path),
            ("./x", Kind::Path),
            ("~/x", Kind::Path),
            ("yes", Kind::YesNo),
            ("FALSE", Kind::YesNo),
            ("gate-01", Kind::Word),
            ("-", Kind::Word),
            ("+", Kind::Word),
            (".", Kind::Word),
            ("1.2.3", Kind::Word),
            ("12 kg", Kind::Text),
            ("two words", Kind::Text),
            ("12Q", Kind::Word),
            ("2031-04-0x", Kind::Word),
        ] {
            assert_eq!(Kind::of(value.as_bytes()), kind, "{value}");
        }
        for (at, kind) in Kind::ALL.iter().enumerate() {
            assert_eq!(*kind as usize, at);
        }
    }

    #[test]
    fn amounts_are_compared_across_suffixes_and_months() {
        let amount = |value: &str| amount(value.as_bytes(), Kind::of(value.as_bytes()));
        assert_eq!(amount("-2.5"), Some(-2.5));
        assert!(amount("900K") < amount("1M") && amount("1MB") < amount("1MiB"));
        assert!(amount("[30/Apr/2031:06:12:00") < amount("[01/May/2031:00:00:00"));
        assert!(amount("[30/Dec/2030:06:12:00") < amount("[01/Jan/2031:00:00:00"));
        assert_eq!(amount("word"), None);
    }

    #[test]
    fn kinds_are_widened_as_little_as_needed() {
        assert_eq!(Kind::Whole.with(Kind::Decimal), Kind::Decimal);
        assert_eq!(Kind::Size.with(Kind::Whole), Kind::Size);
        assert_eq!(Kind::Empty.with(Kind::Path), Kind::Path);
        assert_eq!(Kind::Path.with(Kind::Whole), Kind::Word);
        assert_eq!(Kind::Text.with(Kind::Word), Kind::Text);
        assert_eq!((label_length(b"card=7"), label_length(b"=7"), label_length(b"7=7")), (5, 0, 0));
    }
}
