//! Timestamps before lines and in them. A filter of our own.

use std::time::SystemTime;

use jiff::tz::TimeZone;
use jiff::{Timestamp, Zoned};
use stream::{ExitStatus, Input, InputTrouble, Origin, StageError, StageIo};

use crate::common::time::{self, directives};
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::phrases::{counted, from_files};

mod find;

use find::find;

const OPTIONS: &[OptionSpec] = &[
    option(
        'f',
        "format",
        Some("FORMAT"),
        "how times are written, as strftime does; %3N for thousandths of a second",
        false,
    ),
    option('u', "utc", None, "universal time, not the time zone's", false),
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
    Ok(Stamp {
        mode,
        format: arguments.last('f').map(|given| given.value.clone()),
        utc: arguments.has('u'),
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
        let mut last = start;
        io.each_input(&files, 2, |io, input, _| match self.mode {
            Mode::Ago | Mode::As => self.rewrite(io, input, start, &zone),
            _ => self.before(io, input, start, &mut last, &zone),
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        if !matches!(self.mode, Mode::Ago | Mode::As) {
            return Vec::new();
        }
        let now = Zoned::new(Timestamp::UNIX_EPOCH, TimeZone::UTC);
        let mut found = Vec::new();
        let mut from = 0;
        while let Some((range, _)) = find(line, from, &now) {
            from = range.end;
            found.push(range);
        }
        found
    }
}

impl Stamp {
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
        let duration = (now.as_nanosecond() - since.as_nanosecond()).max(0);
        match &self.format {
            Some(format) => {
                // A duration is the time of day that long after midnight.
                let time = time::at_nanoseconds(duration).to_zoned(TimeZone::UTC);
                directives::write(&time, format, &mut out);
            }
            None => {
                let (seconds, thousandths) =
                    (duration / 1_000_000_000, duration / 1_000_000 % 1000);
                let (hours, minutes) = (seconds / 3600, seconds / 60 % 60);
                out = format!("{hours:02}:{minutes:02}:{:02}.{thousandths:03}", seconds % 60)
                    .into_bytes();
            }
        }
        out
    }

    fn rewrite(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        now: Timestamp,
        zone: &TimeZone,
    ) -> Result<(), InputTrouble> {
        let now = now.to_zoned(zone.clone());
        let mut whole = Vec::new();
        while let Some(lines) = input.next_lines()? {
            whole.clear();
            for (_, line) in lines.iter() {
                let mut from = 0;
                while let Some((range, time)) = find(line, from, &now) {
                    whole.extend_from_slice(&line[from..range.start]);
                    match self.mode {
                        Mode::Ago => whole.extend_from_slice(ago(time, now.timestamp()).as_bytes()),
                        _ => {
                            let time = time.to_zoned(zone.clone());
                            directives::write(
                                &time,
                                self.format.as_deref().unwrap_or(USUAL),
                                &mut whole,
                            );
                        }
                    }
                    from = range.end;
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

/// A time of the machine's clock; `other` where a calendar has no such time.
fn timestamp(time: SystemTime, other: Timestamp) -> Timestamp {
    Timestamp::try_from(time).unwrap_or(other)
}

/// `26 min ago`, `in 3 h`, `now`.
fn ago(time: Timestamp, now: Timestamp) -> String {
    let seconds = now.as_second() - time.as_second();
    let amount = seconds.unsigned_abs();
    let words = match amount {
        0 => return "now".to_owned(),
        1..=59 => format!("{amount} s"),
        60..=3599 => format!("{} min", amount / 60),
        3600..=86_399 => format!("{} h", amount / 3600),
        86_400..=2_678_399 => counted(amount / 86_400, "day", "days"),
        2_678_400..=31_535_999 => counted(amount / 2_629_746, "month", "months"),
        _ => counted(amount / 31_556_952, "year", "years"),
    };
    if seconds > 0 { format!("{words} ago") } else { format!("in {words}") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_of_time_are_in_words() {
        let at = |seconds| Timestamp::from_second(seconds).unwrap();
        let now = at(1_000_000_000);
        assert_eq!(ago(at(1_000_000_000), now), "now");
        assert_eq!(ago(at(999_999_999), now), "1 s ago");
        assert_eq!(ago(at(1_000_000_000 - 26 * 60), now), "26 min ago");
        assert_eq!(ago(at(1_000_000_000 + 3 * 3600), now), "in 3 h");
        assert_eq!(ago(at(1_000_000_000 - 86_400), now), "1 day ago");
        assert_eq!(ago(at(0), now), "31 years ago");
    }
}
