//! `tail`: keeps the last lines (10 by default).

use std::time::Duration;

use stream::{ExitStatus, StageError, StageIo};

use crate::common::input::nul_lines::where_asked;
use crate::common::options::file_headers::Headers;
use crate::common::options::head_tail_count::Amount;
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, long_option_maybe, option, shown,
};
use crate::text::phrases::from_files;

mod follow;
mod part;

use follow::Follow;
use part::part;

const RETRY: OptionId = OptionId::Long("retry");
const FOLLOW: OptionId = OptionId::Long("follow");

const OPTIONS: &[OptionSpec] = &[
    option('F', "", None, "as -f, and reopens a file that is replaced or reappears", false),
    option('c', "bytes", Some("[+]NUM"), "the last NUM bytes; with + from byte NUM on", true),
    option('f', "", None, "do not stop at the end: write what is appended, until stopped", true),
    option('n', "lines", Some("[+]NUM"), "the last NUM lines; with + from line NUM on", true),
    option('q', "quiet", None, "no headers with file names", false),
    option(
        's',
        "sleep-interval",
        Some("SECONDS"),
        "with -f: check every NUM seconds (default 0.1)",
        false,
    ),
    option('v', "verbose", None, "headers with file names", false),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option("retry", None, "keep trying to open a file that is not there", false),
    long_option_maybe("follow", "HOW", "as -f; name follows whatever file has that name"),
];

static SPEC: Spec = Spec {
    name: "tail",
    summary: "keeps the last lines (10 by default)",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberAndUnit { option: 'n', units: b"lcb", plus: true },
    usage_status: 1,
    examples: &[
        example("tail -n 3 winch.log", "the last three lines"),
        example("tail -n +2 cabins.csv", "everything from the second line on"),
        example(
            "tail -F gate.log | grep refused",
            "refusals as they happen, also when the log is rotated",
        ),
    ],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, build, explain).with_follows(follows);

struct Tail {
    files: Vec<Vec<u8>>,
    amount: Amount,
    headers: Headers,
    follow: Option<Follow>,
}

/// True for arguments with which the filter does not end by itself.
fn follows(arguments: &Arguments) -> bool {
    let files = arguments.operands.iter().any(|operand| operand.value != b"-");
    files && follow(arguments).is_ok_and(|follow| follow.is_some())
}

const INTERVAL: Duration = Duration::from_millis(100);

fn follow(arguments: &Arguments) -> Result<Option<Follow>, UsageError> {
    let mut found: Option<Follow> = None;
    let retry = arguments.has(RETRY) || arguments.has('F');
    for given in &arguments.options {
        let by_name = match (given.id, &given.value[..]) {
            (OptionId::Letter('F'), _) => true,
            (OptionId::Letter('f'), _) | (FOLLOW, b"" | b"descriptor") => false,
            (FOLLOW, b"name") => true,
            (FOLLOW, value) => {
                let message = format!("invalid argument {} for ‘--follow’", shown(value));
                return Err(UsageError::with_hint(&SPEC, Some(given.word), &message));
            }
            _ => continue,
        };
        found = Some(Follow { by_name, retry, interval: INTERVAL });
    }
    if let Some(given) = arguments.last('s') {
        let seconds =
            std::str::from_utf8(&given.value).ok().and_then(|text| text.parse::<f64>().ok());
        let interval = seconds
            .and_then(|seconds| Duration::try_from_secs_f64(seconds).ok())
            .ok_or_else(|| {
                let message = format!("invalid number of seconds: {}", shown(&given.value));
                UsageError::new(&SPEC, Some(given.word), message)
            })?;
        if let Some(follow) = &mut found {
            follow.interval = interval.max(Duration::from_millis(1));
        }
    }
    Ok(found)
}

fn amount(arguments: &Arguments) -> Result<Amount, UsageError> {
    Amount::of(&SPEC, arguments, b'+', b'-')
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let files = arguments.operand_values();
    let headers = Headers::of(arguments, files.len());
    let tail = Tail { amount: amount(arguments)?, headers, files, follow: follow(arguments)? };
    Ok(where_asked(arguments, Box::new(tail)))
}

fn explain(arguments: &Arguments) -> String {
    let Ok(amount) = amount(arguments) else { return String::new() };
    let files = from_files(&arguments.operand_values());
    let each = if arguments.operands.len() > 1 { ", for each file" } else { "" };
    let one = if amount.bytes { "byte" } else { "line" };
    let then = match follow(arguments) {
        Ok(Some(Follow { by_name: true, .. })) => {
            ", then follows whatever file has that name, until stopped"
        }
        Ok(Some(_)) => ", and then what the file gets, until stopped",
        _ => "",
    };
    if amount.other_end {
        format!("keeps everything from {one} {} on{files}{each}{then}", amount.number.max(1))
    } else {
        format!("keeps the last {}{files}{each}{then}", amount.in_words())
    }
}

impl Filter for Tail {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let amount = self.amount;
        if let Some(follow) = self.follow
            && io.files().is_live()
        {
            return follow::run(io, &self.files, amount, self.headers, follow);
        }
        let mut headers = self.headers;
        io.each_input(&self.files, 1, |io, input, name| {
            headers.write(io, name)?;
            part(io, input, amount)
        })?;
        Ok(io.status())
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        let Amount { number, bytes, other_end } = self.amount;
        Some(if other_end {
            format!("before {} {number}", if bytes { "byte" } else { "line" })
        } else {
            format!("not among the last {}", self.amount.in_words())
        })
    }

    fn verb(&self) -> Verb {
        Verb::Keeps
    }

    fn holds(&self) -> Option<&'static str> {
        (!self.amount.other_end).then_some("it needs all input to know the last lines")
    }
}
