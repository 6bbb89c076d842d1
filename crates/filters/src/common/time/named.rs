//! Dates and times in words: months, weekdays, the clock of twelve hours.

use jiff::civil::{Date, Time};

const MONTHS: [&str; 12] = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
];

const DAYS: [&str; 7] =
    ["sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"];

/// Words that count, without “second”, which is a unit of time.
const ORDINALS: [(&str, i64); 14] = [
    ("last", -1),
    ("this", 0),
    ("next", 1),
    ("first", 1),
    ("third", 3),
    ("fourth", 4),
    ("fifth", 5),
    ("sixth", 6),
    ("seventh", 7),
    ("eighth", 8),
    ("ninth", 9),
    ("tenth", 10),
    ("eleventh", 11),
    ("twelfth", 12),
];

/// The place in a list of a name that is written whole or with its first three letters.
fn place(names: &[&str], word: &str) -> Option<usize> {
    let word = word.trim_end_matches(['.', ',']);
    names.iter().position(|name| *name == word || word.len() == 3 && name.starts_with(word))
}

/// The number of a month, from 1.
pub(crate) fn month(word: &str) -> Option<i8> {
    let word = if word.trim_end_matches(['.', ',']) == "sept" { "sep" } else { word };
    Some(place(&MONTHS, word)? as i8 + 1)
}

/// The number of a weekday, Sunday being 0.
pub(crate) fn weekday(word: &str) -> Option<i64> {
    let whole = match word.trim_end_matches(['.', ',']) {
        "tues" => "tue",
        "wednes" => "wed",
        "thur" | "thurs" => "thu",
        _ => word,
    };
    Some(place(&DAYS, whole)? as i64)
}

/// The number a word counts.
pub(super) fn ordinal(word: &str) -> Option<i64> {
    ORDINALS.iter().find(|(name, _)| *name == word).map(|(_, number)| *number)
}

/// A word of digits only, with a comma after it or not.
pub(super) fn number(word: &str) -> Option<&str> {
    let word = word.strip_suffix(',').unwrap_or(word);
    (!word.is_empty() && word.bytes().all(|byte| byte.is_ascii_digit())).then_some(word)
}

/// A year; two digits are those from 1969 to 2068.
pub(super) fn year(digits: &str) -> Option<i16> {
    let year: i16 = digits.parse().ok()?;
    Some(match (digits.len(), year) {
        (..=2, ..69) => year + 2000,
        (..=2, _) => year + 1900,
        _ => year,
    })
}

/// A day of a month that is named, with its year where that is part of it.
#[derive(Clone, Copy)]
pub(super) struct DayOfMonth {
    month: i8,
    day: i8,
    pub(super) year: Option<i16>,
}

impl DayOfMonth {
    /// `3 jan`, `3 jan 2031`, `jan 3`, `jan 3, 2031`, `3-jan-2031`, `jan-3-2031` at the beginning
    /// of the words, and how many of them it takes. `is_unit` tells what makes the number before it
    /// an amount.
    pub(super) fn read(words: &[&str], is_unit: impl Fn(&str) -> bool) -> Option<(Self, usize)> {
        let dashed: Vec<&str> = words[0].trim_end_matches(',').split('-').collect();
        if let [first, second, last] = dashed[..] {
            let (day, month) = match month(second) {
                Some(month) => (number(first)?, month),
                None => (number(second)?, month(first)?),
            };
            let year = Some(year(number(last)?)?);
            return Some((Self { month, day: day.parse().ok()?, year }, 1));
        }
        let year_at = |at: usize| {
            let digits = words.get(at).and_then(|word| number(word))?;
            let counts = words.get(at + 1).is_some_and(|next| is_unit(next));
            if counts { None } else { year(digits) }
        };
        if let (Some(day), Some(month)) =
            (number(words[0]), words.get(1).and_then(|word| month(word)))
        {
            let year = year_at(2);
            return Some((
                Self { month, day: day.parse().ok()?, year },
                2 + usize::from(year.is_some()),
            ));
        }
        let month = month(words[0])?;
        let day = words.get(1)?;
        let year = if day.ends_with(',') { year_at(2) } else { None };
        let used = 2 + usize::from(year.is_some());
        Some((Self { month, day: number(day)?.parse().ok()?, year }, used))
    }

    /// The date, in this year where none is part of it.
    pub(super) fn date(self, this_year: i16) -> Option<Date> {
        Date::new(self.year.unwrap_or(this_year), self.month, self.day).ok()
    }
}

/// `2pm`, `2:30 pm`, `12:00:15 a.m.` at the beginning of the words, and how many it takes.
pub(super) fn twelve_hours(words: &[&str]) -> Option<(Time, usize)> {
    let word = words[0].trim_end_matches(',');
    let end = word.find(|one: char| !one.is_ascii_digit() && one != ':').unwrap_or(word.len());
    let (clock, attached) = word.split_at(end);
    let (half, used) = match (attached, words.get(1)) {
        ("", Some(next)) => (next.trim_end_matches(','), 2),
        ("", None) => return None,
        (half, _) => (half, 1),
    };
    let after_noon = match half {
        "am" | "a.m." => false,
        "pm" | "p.m." => true,
        _ => return None,
    };
    let mut parts = clock.split(':').map(|part| {
        (!part.is_empty() && part.len() <= 2).then(|| part.parse::<i8>().ok()).flatten()
    });
    let hour = parts.next()??;
    let minute = parts.next().unwrap_or(Some(0))?;
    let second = parts.next().unwrap_or(Some(0))?;
    if parts.next().is_some() || !(1..=12).contains(&hour) {
        return None;
    }
    let hour = hour % 12 + if after_noon { 12 } else { 0 };
    Some((Time::new(hour, minute, second, 0).ok()?, used))
}
