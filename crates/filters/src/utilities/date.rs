//! `date`: writes the time.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use jiff::Zoned;
use jiff::tz::TimeZone;
use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::common::time::{self, directives};
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionId, OptionSpec, Spec, Style, UsageError, Verb,
    example, long_option, option, option_attached, shown,
};

const RFC_3339: OptionId = OptionId::Long("rfc-3339");

const OPTIONS: &[OptionSpec] = &[
    option_attached(
        'I',
        "iso-8601",
        "UNIT",
        "as 2031-04-02; UNIT adds hours, minutes, seconds or ns",
    ),
    option('R', "rfc-email", None, "as in mail headers", false),
    option(
        'd',
        "date",
        Some("WHEN"),
        "another time: @SECONDS, 2031-04-02 06:12, yesterday, 3 days ago",
        false,
    ),
    option('r', "reference", Some("FILE"), "when FILE was changed last", false),
    option('s', "set", Some("WHEN"), "not supported: the clock is not set here", false),
    option('u', "utc", None, "universal time, not the time zone's", true),
    long_option(
        "rfc-3339",
        Some("UNIT"),
        "as 2031-04-02 06:12:04+00:00: date, seconds or ns",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "date",
    summary: "writes the time",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[+format]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("date +%F", "the date as 2031-04-02"),
        example("date -u -d @1932876724 '+%F %T'", "a number of seconds since 1970 as a time"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

enum When {
    Now,
    Text(Vec<u8>),
    File(Vec<u8>),
}

struct Date {
    format: Vec<u8>,
    when: When,
    utc: bool,
}

const USUAL: &[u8] = b"%a %b %e %H:%M:%S %Z %Y";

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    if let Some(given) = arguments.last('s') {
        return Err(UsageError::new(&SPEC, Some(given.word), "setting the clock is not supported"));
    }
    let mut formats: Vec<Vec<u8>> = Vec::new();
    for given in &arguments.options {
        let choose = |names: &[(&str, &str)], what: &str| {
            let value = &given.value[..];
            let begun: Vec<_> =
                names.iter().filter(|(name, _)| name.as_bytes().starts_with(value)).collect();
            match begun[..] {
                [(_, format)] => Ok(format.as_bytes().to_vec()),
                _ => {
                    let message = format!("invalid argument {} for ‘{what}’", shown(value));
                    Err(UsageError::with_hint(&SPEC, Some(given.word), &message))
                }
            }
        };
        match given.id {
            OptionId::Letter('I') if given.value.is_empty() => formats.push(b"%Y-%m-%d".to_vec()),
            OptionId::Letter('I') => formats.push(choose(
                &[
                    ("hours", "%Y-%m-%dT%H%:z"),
                    ("minutes", "%Y-%m-%dT%H:%M%:z"),
                    ("date", "%Y-%m-%d"),
                    ("seconds", "%Y-%m-%dT%H:%M:%S%:z"),
                    ("ns", "%Y-%m-%dT%H:%M:%S,%N%:z"),
                ],
                "--iso-8601",
            )?),
            OptionId::Letter('R') => formats.push(b"%a, %d %b %Y %H:%M:%S %z".to_vec()),
            RFC_3339 => formats.push(choose(
                &[
                    ("date", "%Y-%m-%d"),
                    ("seconds", "%Y-%m-%d %H:%M:%S%:z"),
                    ("ns", "%Y-%m-%d %H:%M:%S.%N%:z"),
                ],
                "--rfc-3339",
            )?),
            _ => {}
        }
    }
    for operand in &arguments.operands {
        match operand.value.strip_prefix(b"+") {
            Some(format) => formats.push(format.to_vec()),
            None if formats.is_empty() && arguments.operands.len() == 1 => {
                let message = format!("invalid date {}", shown(&operand.value));
                return Err(UsageError::new(&SPEC, Some(operand.word), message));
            }
            None => {
                let message = format!("extra operand {}", shown(&operand.value));
                return Err(UsageError::with_hint(&SPEC, Some(operand.word), &message));
            }
        }
    }
    if formats.len() > 1 {
        return Err(UsageError::new(&SPEC, None, "multiple output formats specified"));
    }
    let when = match arguments.options.iter().rev().find(|given| given.is_one_of("dr")) {
        None => When::Now,
        Some(given) if given.id == 'r' => When::File(given.value.clone()),
        Some(given) => {
            // What no time can be read from is an error before anything runs.
            let some = Zoned::new(jiff::Timestamp::UNIX_EPOCH, TimeZone::UTC);
            if time::read(&String::from_utf8_lossy(&given.value), &some).is_none() {
                let message = format!("invalid date {}", shown(&given.value));
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
            When::Text(given.value.clone())
        }
    };
    Ok(Box::new(Date {
        format: formats.pop().unwrap_or_else(|| USUAL.to_vec()),
        when,
        utc: arguments.has('u'),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let what = match arguments.options.iter().rev().find(|given| given.is_one_of("dr")) {
        None => "the time now".to_owned(),
        Some(given) if given.id == 'r' => {
            format!("when {} was changed last", String::from_utf8_lossy(&given.value))
        }
        Some(given) => format!("the time “{}”", String::from_utf8_lossy(&given.value)),
    };
    let zone = if arguments.has('u') { ", universal time" } else { "" };
    format!("writes {what}{zone}")
}

impl Filter for Date {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let zone = if self.utc { TimeZone::UTC } else { time::zone(io.files()) };
        let now = time::now(io.files()).to_zoned(zone.clone());
        let time = match &self.when {
            When::Now => now,
            When::Text(text) => time::read(&String::from_utf8_lossy(text), &now)
                .ok_or_else(|| StageError::failed(1, format!("invalid date {}", shown(text))))?,
            When::File(name) => {
                let facts =
                    io.files().facts(Path::new(OsStr::from_bytes(name))).map_err(|error| {
                        let name = String::from_utf8_lossy(name);
                        StageError::failed(1, format!("{name}: {}", stream::describe(&error)))
                    })?;
                time::at_nanoseconds(facts.modified_ns).to_zoned(zone)
            }
        };
        let mut line = Vec::new();
        directives::write(&time, &self.format, &mut line);
        io.out().line(&line, Origin::None)?;
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
