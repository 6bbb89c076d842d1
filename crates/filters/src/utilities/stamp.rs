//! Timestamps before lines and in them. A filter of our own.

use std::time::SystemTime;

use jiff::tz::TimeZone;
use jiff::{Timestamp, Unit, Zoned};
use stream::{ExitStatus, Input, InputTrouble, Origin, StageError, StageIo};

use crate::common::time::{self, directives};
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::phrases::from_files;

mod find;
mod seen;

use find::{Found, Moment, Order, Reading, find};
use seen::Seen;

const OPTIONS: &[OptionSpec] = &[
    option(
        'f',
        "format",
        Some("FORMAT"),
        "how times are written, as strftime does; %3N for thousandths of a second",
        false,
    ),
    option('u', "utc", None, "universal time, not the time zone's", false),
    option(
        't',
        "times",
        None,
        "elapsed and gap: between the times in the lines, not between their arrivals",
        false,
    ),
    option('d', "day-first", None, "03/04/2031 is the 3rd of April", false),
    option('m', "month-first", None, "03/04/2031 is the 4th of March", false),
    option(
        'e',
        "epoch",
        None,
        "numbers of 10 digits are seconds since 1970, of 13 milliseconds, anywhere in a line",
        false,
    ),
    option(
        'b',
        "boot",
        Some("TIME"),
        "when the machine was started that wrote kernel times such as [12.345]",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "stamp",
    summary: "puts times before lines (now, elapsed, gap) or rewrites times in them (ago, as)",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "mode [file …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example("tail -f winch.log | stamp now -f %T.%3N", "each line with the time it came"),
        example("stamp gap", "each line with the time since the line before it"),
        example("stamp gap -t winch.log | sort -r | head -n 3", "the longest pauses in a log"),
        example("stamp as -f '%d.%m. %H:%M' winch.log", "the times in the log in another form"),
        example("stamp ago winch.log", "how long ago each thing was"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Mode {
    Now,
    Elapsed,
    Gap,
    Ago,
    As,
}

const MODES: [(&str, Mode); 5] = [
    ("now", Mode::Now),
    ("elapsed", Mode::Elapsed),
    ("gap", Mode::Gap),
    ("ago", Mode::Ago),
    ("as", Mode::As),
];

struct Stamp {
    mode: Mode,
    format: Option<Vec<u8>>,
    utc: bool,
    /// The times in the lines count, not when they came.
    times: bool,
    order: Option<Order>,
    epoch: bool,
    boot: Option<String>,
    files: Vec<Vec<u8>>,
}

fn parse(arguments: &Arguments) -> Result<Stamp, UsageError> {
    let Some(operand) = arguments.operands.first() else {
        let message = "which mode? now, elapsed, gap, ago or as";
        return Err(UsageError::with_hint(&SPEC, None, message));
    };
    let begun: Vec<Mode> = MODES
        .iter()
        .filter(|(name, _)| {
            !operand.value.is_empty() && name.as_bytes().starts_with(&operand.value)
        })
        .map(|(_, mode)| *mode)
        .collect();
    let [mode] = begun[..] else {
        let message =
            format!("{} is not a mode: now, elapsed, gap, ago or as", shown(&operand.value));
        return Err(UsageError::with_hint(&SPEC, Some(operand.word), &message));
    };
    if let (Mode::Ago, Some(given)) = (mode, arguments.last('f')) {
        let message = "ago writes words, no format";
        return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
    }
    if let (Mode::Now | Mode::Ago | Mode::As, Some(given)) = (mode, arguments.last('t')) {
        let message =
            "--times is for elapsed and gap; ago and as read the times in the lines anyway";
        return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
    }
    let boot = arguments.last('b').map(|given| {
        let text = String::from_utf8_lossy(&given.value).into_owned();
        let now = Timestamp::UNIX_EPOCH.to_zoned(TimeZone::UTC);
        time::read(&text, &now).map(|_| text).ok_or_else(|| {
            let message = format!("not a time: {}", shown(&given.value));
            UsageError::with_hint(&SPEC, Some(given.word), &message)
        })
    });
    let order = match (arguments.last('d'), arguments.last('m')) {
        (Some(_), Some(given)) => {
            let message = "either --day-first or --month-first";
            return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
        }
        (Some(_), None) => Some(Order::DayFirst),
        (None, Some(_)) => Some(Order::MonthFirst),
        (None, None) => None,
    };
    Ok(Stamp {
        mode,
        format: arguments.last('f').map(|given| given.value.clone()),
        utc: arguments.has('u'),
        times: arguments.has('t'),
        order,
        epoch: arguments.has('e'),
        boot: boot.transpose()?,
        files: arguments.operand_values().split_off(1),
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    parse(arguments).map(|stamp| Box::new(stamp) as Box<dyn Filter>)
}

fn explain(arguments: &Arguments) -> String {
    let Ok(stamp) = parse(arguments) else { return SPEC.summary.to_owned() };
    let files = from_files(&stamp.files);
    let format = match &stamp.format {
        Some(format) => format!(" as {}", String::from_utf8_lossy(format)),
        None => String::new(),
    };
    match stamp.mode {
        Mode::Now => format!("puts the time it came before each line{files}{format}"),
        Mode::Elapsed if stamp.times => {
            format!(
                "puts the time since the first time in the lines{files} before each line{format}"
            )
        }
        Mode::Gap if stamp.times => format!(
            "puts the time between the time in each line{files} and the one before it before each line{format}"
        ),
        Mode::Elapsed => format!("puts the time since the start before each line{files}{format}"),
        Mode::Gap => {
            format!("puts the time since the line before it before each line{files}{format}")
        }
        Mode::Ago => format!("rewrites the times in the lines{files} as how long ago they were"),
        Mode::As => format!("rewrites the times in the lines{files}{format}"),
    }
}

const USUAL: &[u8] = b"%F %T";

impl Filter for Stamp {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let zone = if self.utc { TimeZone::UTC } else { time::zone(io.files()) };
        let files = std::mem::take(&mut self.files);
        let start = time::now(io.files());
        let how = self.reading(start.to_zoned(zone.clone()));
        let mut seen = Seen::default();
        let mut last = start;
        let mut since = Since::default();
        io.each_input(&files, 2, |io, input, _| match self.mode {
            Mode::Ago | Mode::As => self.rewrite(io, input, &how, &mut seen),
            _ if self.times => self.between(io, input, &how, &mut since, &mut seen),
            _ => self.before(io, input, start, &mut last, &zone),
        })?;
        for message in seen.messages(self.times) {
            io.message(&message)?;
        }
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        let every = matches!(self.mode, Mode::Ago | Mode::As);
        if !every && !self.times {
            return Vec::new();
        }
        let how = self.reading(Zoned::new(Timestamp::UNIX_EPOCH, TimeZone::UTC));
        let mut found = Vec::new();
        let mut from = 0;
        while let Some(Found { range, moment, .. }) = find(line, from, &how) {
            from = range.end;
            if !every {
                return vec![range];
            }
            if matches!(moment, Moment::At(_)) {
                found.push(range);
            }
        }
        found
    }
}

/// The days in this many hours, in this many digits as any two times may be apart.
fn days(hours: i128) -> String {
    format!("d{:07} ", hours / 24)
}

impl Stamp {
    fn reading(&self, now: Zoned) -> Reading {
        let boot = self.boot.as_deref().and_then(|text| time::read(text, &now));
        let start = boot.map(|boot| boot.timestamp());
        Reading { order: self.order, epoch: self.epoch, start, ..Reading::plain(now) }
    }

    /// Lines that came together have the same time. Where it was noted when they came they have
    /// that, whenever they are read.
    fn before(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        start: Timestamp,
        last: &mut Timestamp,
        zone: &TimeZone,
    ) -> Result<(), InputTrouble> {
        let arrivals = input.arrivals();
        let start = arrivals.as_ref().map_or(start, |came| timestamp(came.begun(), start));
        if arrivals.is_some() && input.number() == 0 {
            *last = start;
        }
        while let Some(lines) = input.next_lines()? {
            let now = time::now(io.files());
            let mut whole = Vec::with_capacity(lines.bytes.len() * 2);
            // What was made last, and of which times.
            let mut made: Option<(Timestamp, Timestamp, Vec<u8>)> = None;
            for (id, line) in lines.iter() {
                let noted = arrivals.as_ref().and_then(|came| came.of_line(id.line()));
                let came = noted.map_or(now, |noted| timestamp(noted, now));
                let since = if self.mode == Mode::Gap { *last } else { start };
                let (_, _, stamp) = made
                    .take_if(|(of, after, _)| (*of, *after) == (came, since))
                    .unwrap_or_else(|| (came, since, self.stamp(came, since, zone)));
                whole.extend_from_slice(&stamp);
                whole.push(b' ');
                whole.extend_from_slice(line);
                whole.push(b'\n');
                made = Some((came, since, stamp));
                *last = came;
            }
            if !lines.bytes.ends_with(b"\n") {
                whole.pop();
            }
            io.out().put(&whole, Origin::Sequence(lines.first))?;
            // Whoever watches wants to see a line when it comes.
            io.out().flush()?;
        }
        Ok(())
    }

    fn stamp(&self, now: Timestamp, since: Timestamp, zone: &TimeZone) -> Vec<u8> {
        let mut out = Vec::new();
        if !matches!(self.mode, Mode::Elapsed | Mode::Gap) {
            let time = now.to_zoned(zone.clone());
            directives::write(&time, self.format.as_deref().unwrap_or(USUAL), &mut out);
            return out;
        }
        // A clock that is set back must not make times negative.
        self.duration((now.as_nanosecond() - since.as_nanosecond()).max(0), &mut out);
        out
    }

    /// Writes an amount of nanoseconds; one of a time before the other has a sign.
    fn duration(&self, nanoseconds: i128, out: &mut Vec<u8>) {
        if nanoseconds < 0 {
            out.push(b'-');
        }
        let duration = nanoseconds.abs();
        match &self.format {
            Some(format) => {
                // A duration is the time of day that long after midnight.
                let time = time::at_nanoseconds(duration).to_zoned(TimeZone::UTC);
                directives::write(&time, format, out);
            }
            None => {
                let (seconds, thousandths) =
                    (duration / 1_000_000_000, duration / 1_000_000 % 1000);
                let (hours, minutes) = (seconds / 3600, seconds / 60 % 60);
                // As text they are in their order: from a hundred hours on days stand first, after
                // a letter, which comes after all digits.
                let (days, hours) =
                    if hours < 100 { (String::new(), hours) } else { (days(hours), hours % 24) };
                let seconds = seconds % 60;
                let text = format!("{days}{hours:02}:{minutes:02}:{seconds:02}.{thousandths:03}");
                out.extend_from_slice(text.as_bytes());
            }
        }
    }

    /// Puts before each line the time between the first time in it and an earlier one. A line
    /// without a time gets a dash and changes nothing for the next. Nothing is held.
    fn between(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        how: &Reading,
        since: &mut Since,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let mut whole = Vec::new();
        while let Some(lines) = input.next_lines()? {
            whole.clear();
            for (_, line) in lines.iter() {
                match find(line, 0, how) {
                    Some(found) => {
                        seen.note(&found, line);
                        self.duration(since.next(found.moment, self.mode), &mut whole);
                    }
                    None => {
                        seen.without += 1;
                        let none = if self.format.is_some() { "-" } else { NO_TIME };
                        whole.extend_from_slice(none.as_bytes());
                    }
                }
                whole.push(b' ');
                whole.extend_from_slice(line);
                whole.push(b'\n');
            }
            if !lines.bytes.ends_with(b"\n") {
                whole.pop();
            }
            io.out().put(&whole, Origin::Sequence(lines.first))?;
            io.out().flush()?;
        }
        Ok(())
    }

    fn rewrite(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        how: &Reading,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let zone = how.now.time_zone();
        let mut whole = Vec::new();
        while let Some(lines) = input.next_lines()? {
            whole.clear();
            for (_, line) in lines.iter() {
                let mut from = 0;
                while let Some(found) = find(line, from, how) {
                    seen.note(&found, line);
                    let Found { range, moment, .. } = found;
                    whole.extend_from_slice(&line[from..range.start]);
                    from = range.end;
                    let Moment::At(time) = moment else {
                        seen.since_start += 1;
                        whole.extend_from_slice(&line[range]);
                        continue;
                    };
                    let time = time.to_zoned(zone.clone());
                    match self.mode {
                        Mode::Ago => whole.extend_from_slice(ago(&time, &how.now).as_bytes()),
                        _ => {
                            let format = self.format.as_deref().unwrap_or(USUAL);
                            directives::write(&time, format, &mut whole);
                        }
                    }
                }
                whole.extend_from_slice(&line[from..]);
                whole.push(b'\n');
            }
            if !lines.bytes.ends_with(b"\n") {
                whole.pop();
            }
            io.out().put(&whole, Origin::Sequence(lines.first))?;
        }
        Ok(())
    }
}

/// In the place of a time, as wide as one.
const NO_TIME: &str = "           -";

/// The time others are counted from, of each clock: times of a calendar and times since a start
/// cannot be compared.
#[derive(Default)]
struct Since {
    calendar: Option<i128>,
    start: Option<i128>,
}

impl Since {
    /// Nanoseconds from the last time (`gap`) or the first one (`elapsed`) of the same clock; 0
    /// for the first.
    fn next(&mut self, moment: Moment, mode: Mode) -> i128 {
        let (now, since) = match moment {
            Moment::At(time) => (time.as_nanosecond(), &mut self.calendar),
            Moment::SinceStart(time) => (time, &mut self.start),
        };
        let before = *since.get_or_insert(now);
        if mode == Mode::Gap {
            *since = Some(now);
        }
        now - before
    }
}

/// A time of the machine's clock; `other` where a calendar has no such time.
fn timestamp(time: SystemTime, other: Timestamp) -> Timestamp {
    Timestamp::try_from(time).unwrap_or(other)
}

/// `26 min 4 s ago`, `in 3 h`, `1 y 8 mo ago`, `now`: the two largest units of the calendar that
/// are not 0, the second one directly below the first.
fn ago(time: &Zoned, now: &Zoned) -> String {
    let (earlier, later, is_past) =
        if time <= now { (time, now, true) } else { (now, time, false) };
    let span = earlier.until((Unit::Year, later)).unwrap_or_default();
    let amounts = [
        (i64::from(span.get_years()), "y"),
        (i64::from(span.get_months()), "mo"),
        (i64::from(span.get_days()), "d"),
        (i64::from(span.get_hours()), "h"),
        (span.get_minutes(), "min"),
        (span.get_seconds(), "s"),
    ];
    let Some(first) = amounts.iter().position(|(amount, _)| *amount != 0) else {
        return "now".to_owned();
    };
    let units = amounts[first..].iter().take(2).filter(|(amount, _)| *amount != 0);
    let words: Vec<String> = units.map(|(amount, unit)| format!("{amount} {unit}")).collect();
    let words = words.join(" ");
    if is_past { format!("{words} ago") } else { format!("in {words}") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ages_are_in_two_units_of_the_calendar() {
        let zoned = |text: &str| text.parse::<Timestamp>().unwrap().to_zoned(TimeZone::UTC);
        let now = zoned("2031-04-02T06:12:04Z");
        for (time, said) in [
            ("2031-04-02T06:12:04Z", "now"),
            ("2031-04-02T06:12:03.5Z", "now"),
            ("2031-04-02T06:12:03Z", "1 s ago"),
            ("2031-04-02T05:46:00Z", "26 min 4 s ago"),
            ("2031-04-02T03:12:04Z", "3 h ago"),
            ("2031-04-02T09:14:05Z", "in 3 h 2 min"),
            ("2031-04-01T06:11:04Z", "1 d ago"),
            ("2031-03-30T03:12:04Z", "3 d 3 h ago"),
            ("2031-03-02T06:12:04Z", "1 mo ago"),
            ("2029-08-02T06:12:04Z", "1 y 8 mo ago"),
            ("1970-01-01T00:00:00Z", "61 y 3 mo ago"),
        ] {
            assert_eq!(ago(&zoned(time), &now), said, "{time}");
        }
    }
}
