//! `numfmt`: turns numbers into sizes such as 1.5K, and back.

use num_bigint::BigInt;
use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::common::options::field_list::{Unit, parse_list};
use crate::spec::{
    Arguments, Definition, Filter, Given, Operands, OptionId, OptionSpec, Spec, Style, UsageError,
    Verb, example, long_option, long_option_maybe, option, shown,
};
use crate::text::characters::text_width;

mod value;

use value::{Round, Scale, Value};

const FROM: OptionId = OptionId::Long("from");
const TO: OptionId = OptionId::Long("to");
const FIELD: OptionId = OptionId::Long("field");
const SUFFIX: OptionId = OptionId::Long("suffix");
const FROM_UNIT: OptionId = OptionId::Long("from-unit");
const TO_UNIT: OptionId = OptionId::Long("to-unit");
const PADDING: OptionId = OptionId::Long("padding");
const ROUND: OptionId = OptionId::Long("round");
const FORMAT: OptionId = OptionId::Long("format");
const HEADER: OptionId = OptionId::Long("header");
const INVALID: OptionId = OptionId::Long("invalid");
const GROUPING: OptionId = OptionId::Long("grouping");

const OPTIONS: &[OptionSpec] = &[
    option('d', "delimiter", Some("CHAR"), "fields end at CHAR instead of at blanks", false),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option(
        "from",
        Some("UNIT"),
        "read sizes: si (K is 1000), iec (K is 1024), iec-i (Ki), auto (both), none",
        false,
    ),
    long_option("to", Some("UNIT"), "write sizes: si, iec, iec-i, none", false),
    long_option("field", Some("LIST"), "the fields to change (default 1)", false),
    long_option(
        "suffix",
        Some("TEXT"),
        "suffix to append to numbers, and to strip from input",
        false,
    ),
    long_option("from-unit", Some("NUM"), "unit of the numbers read", false),
    long_option("to-unit", Some("NUM"), "unit of the numbers written", false),
    long_option(
        "padding",
        Some("NUM"),
        "pad to NUM columns: right-aligned, or left-aligned if negative",
        false,
    ),
    long_option("round", Some("WAY"), "up, down, from-zero, towards-zero or nearest", false),
    long_option("format", Some("FORMAT"), "how numbers are written, with one %f", false),
    long_option_maybe("header", "NUM", "pass the first NUM lines (1) through unchanged"),
    long_option("invalid", Some("WAY"), "invalid numbers: abort, fail, warn or ignore", false),
    long_option(
        "grouping",
        None,
        "group digits as the language does (in C.UTF-8: not at all)",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "numfmt",
    summary: "turns numbers into sizes such as 1.5K, and back",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[number …]",
    style: Style::NegativeNumbers,
    usage_status: 1,
    examples: &[
        example("numfmt --to=iec 123456789", "118M"),
        example(
            "printf 'name size\\nlog 12K\\n' | numfmt --from=si --field=2 --header",
            "the second field in plain digits",
        ),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, PartialEq, Eq)]
enum Invalid {
    Abort,
    Fail,
    Warn,
    Ignore,
}

struct Numfmt {
    numbers: Vec<Vec<u8>>,
    from: Scale,
    to: Scale,
    from_unit: BigInt,
    to_unit: BigInt,
    fields: Vec<std::ops::Range<usize>>,
    delimiter: Option<u8>,
    suffix: Vec<u8>,
    padding: i64,
    round: Round,
    form: Form,
    header: u64,
    invalid: Invalid,
}

/// What `--format` asks for.
#[derive(Default)]
struct Form {
    before: Vec<u8>,
    after: Vec<u8>,
    zeros: usize,
    padding: i64,
    precision: Option<usize>,
}

fn form(text: &[u8]) -> Option<Form> {
    let mut form = Form::default();
    let mut rest = text;
    loop {
        let at = memchr::memchr(b'%', rest)?;
        form.before.extend_from_slice(&rest[..at]);
        rest = &rest[at + 1..];
        if let Some(after) = rest.strip_prefix(b"%") {
            form.before.extend_from_slice(b"%%");
            rest = after;
            continue;
        }
        break;
    }
    let (mut zero, mut left) = (false, false);
    while let Some(&flag @ (b'0' | b'\'' | b'-' | b' ')) = rest.first() {
        zero |= flag == b'0';
        left |= flag == b'-';
        rest = &rest[1..];
    }
    let number = |rest: &mut &[u8]| {
        let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
        let value =
            std::str::from_utf8(&rest[..digits]).ok().and_then(|text| text.parse::<usize>().ok());
        *rest = &rest[digits..];
        value.map(|value| value.min(4096))
    };
    let width = number(&mut rest).unwrap_or(0);
    if zero {
        form.zeros = width;
    } else {
        form.padding = if left { -(width as i64) } else { width as i64 };
    }
    if let Some(after) = rest.strip_prefix(b".") {
        rest = after;
        form.precision = Some(number(&mut rest).unwrap_or(0));
    }
    rest = rest.strip_prefix(b"f")?;
    let mut after = rest;
    while let Some(at) = memchr::memchr(b'%', after) {
        if after.get(at + 1) != Some(&b'%') {
            return None;
        }
        after = &after[at + 2..];
    }
    form.after = rest.to_vec();
    Some(form)
}

fn one_of<T: Copy>(
    given: Option<&Given>,
    names: &[(&str, T)],
    otherwise: T,
    long: &str,
) -> Result<T, UsageError> {
    let Some(given) = given else { return Ok(otherwise) };
    let exact = names.iter().find(|(name, _)| name.as_bytes() == given.value);
    let begun: Vec<_> =
        names.iter().filter(|(name, _)| name.as_bytes().starts_with(&given.value)).collect();
    match (exact, &begun[..]) {
        (Some((_, value)), _) => Ok(*value),
        (None, [(_, value)]) => Ok(*value),
        _ => {
            let message = format!("invalid argument {} for ‘--{long}’", shown(&given.value));
            Err(UsageError::with_hint(&SPEC, Some(given.word), &message))
        }
    }
}

fn unit(arguments: &Arguments, short: OptionId) -> Result<BigInt, UsageError> {
    let Some(given) = arguments.last(short) else { return Ok(BigInt::from(1)) };
    let digits = given.value.iter().take_while(|byte| byte.is_ascii_digit()).count();
    let number: Option<BigInt> =
        std::str::from_utf8(&given.value[..digits]).ok().and_then(|text| text.parse().ok());
    let factor = value::unit_factor(&given.value[digits..]);
    let number = number.or_else(|| (digits == 0).then(|| BigInt::from(1)));
    match (number, factor) {
        (Some(number), Some(factor)) if number > BigInt::ZERO && !given.value.is_empty() => {
            Ok(number * factor)
        }
        _ => {
            let message = format!("invalid unit size: {}", shown(&given.value));
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let scales =
        [("none", Scale::None), ("si", Scale::Si), ("iec", Scale::Iec), ("iec-i", Scale::IecI)];
    let with_auto = [&scales[..], &[("auto", Scale::Auto)]].concat();
    let ways = [
        ("up", Round::Up),
        ("down", Round::Down),
        ("from-zero", Round::FromZero),
        ("towards-zero", Round::TowardsZero),
        ("nearest", Round::Nearest),
    ];
    let invalids = [
        ("abort", Invalid::Abort),
        ("fail", Invalid::Fail),
        ("warn", Invalid::Warn),
        ("ignore", Invalid::Ignore),
    ];
    let fields = match arguments.last(FIELD) {
        None => vec![0..1],
        Some(given) if given.value == b"-" => vec![0..usize::MAX],
        Some(given) => parse_list(&given.value, Unit::Fields)
            .map_err(|message| UsageError::new(&SPEC, Some(given.word), message))?,
    };
    let delimiter = match arguments.last('d').map(|given| (&given.value[..], given.word)) {
        None => None,
        Some((b"", _)) => Some(0),
        Some((&[byte], _)) => Some(byte),
        Some((_, word)) => {
            return Err(UsageError::new(
                &SPEC,
                Some(word),
                "the delimiter must be a single character",
            ));
        }
    };
    let form = match arguments.last(FORMAT) {
        None => Form::default(),
        Some(given) => form(&given.value).ok_or_else(|| {
            let message = format!(
                "invalid format {}, directive must be %[0]['][-][N][.][N]f",
                shown(&given.value)
            );
            UsageError::new(&SPEC, Some(given.word), message)
        })?,
    };
    let padding = match arguments.last(PADDING) {
        None => form.padding,
        Some(given) => {
            match std::str::from_utf8(&given.value).ok().and_then(|text| text.parse::<i64>().ok()) {
                Some(padding) if padding != 0 && padding.abs() <= 1 << 20 => padding,
                _ => {
                    let message = format!("invalid padding value {}", shown(&given.value));
                    return Err(UsageError::new(&SPEC, Some(given.word), message));
                }
            }
        }
    };
    let header = match arguments.last(HEADER) {
        None => 0,
        Some(given) if given.value.is_empty() => 1,
        Some(given) => crate::text::counts::count(&given.value)
            .filter(|number| *number > 0)
            .ok_or_else(|| {
                let message = format!("invalid header value {}", shown(&given.value));
                UsageError::new(&SPEC, Some(given.word), message)
            })?,
    };
    if let (Some(_), Some(given)) = (arguments.last(FORMAT), arguments.last(GROUPING)) {
        return Err(UsageError::new(
            &SPEC,
            Some(given.word),
            "--grouping cannot be combined with --format",
        ));
    }
    let to = one_of(arguments.last(TO), &scales, Scale::None, "to")?;
    if let (true, Some(given)) = (to != Scale::None, arguments.last(GROUPING)) {
        return Err(UsageError::new(
            &SPEC,
            Some(given.word),
            "grouping cannot be combined with --to",
        ));
    }
    let filter = Numfmt {
        numbers: arguments.operand_values(),
        from: one_of(arguments.last(FROM), &with_auto, Scale::None, "from")?,
        to,
        from_unit: unit(arguments, FROM_UNIT)?,
        to_unit: unit(arguments, TO_UNIT)?,
        fields,
        delimiter,
        suffix: arguments.last(SUFFIX).map(|given| given.value.clone()).unwrap_or_default(),
        padding,
        round: one_of(arguments.last(ROUND), &ways, Round::FromZero, "round")?,
        form,
        header,
        invalid: one_of(arguments.last(INVALID), &invalids, Invalid::Abort, "invalid")?,
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let value = |short| {
        arguments.last(short).map(|given| String::from_utf8_lossy(&given.value).into_owned())
    };
    let field = value(FIELD).unwrap_or_else(|| "1".to_owned());
    let mut said = format!("rewrites the numbers in field {field}");
    if let Some(from) = value(FROM) {
        said.push_str(&format!(", read as {from} sizes"));
    }
    if let Some(to) = value(TO) {
        said.push_str(&format!(", written as {to} sizes"));
    }
    said
}

impl Filter for Numfmt {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut valid = true;
        if self.numbers.is_empty() {
            let mut input = io.open_stdin();
            while let Some(lines) = input
                .next_lines()
                .map_err(|error| crate::common::input::line_feed::read_failure(2, b"-", error))?
            {
                let end = lines.bytes.as_ptr_range().end;
                for (id, text) in lines.iter() {
                    // A last line without a newline stays without one.
                    let open = text.as_ptr_range().end == end;
                    let mut line = Vec::new();
                    let fine = if id.line() < self.header {
                        line.extend_from_slice(text);
                        Ok(true)
                    } else {
                        self.line(io, text, &mut line)
                    };
                    if !open && fine.is_ok() {
                        line.push(b'\n');
                    }
                    Self::put(io, fine, &mut valid, &line, Origin::Line(id))?;
                }
            }
        } else {
            for number in std::mem::take(&mut self.numbers) {
                let mut line = Vec::new();
                let fine = self.line(io, &number, &mut line);
                if fine.is_ok() {
                    line.push(b'\n');
                }
                Self::put(io, fine, &mut valid, &line, Origin::None)?;
            }
        }
        let failed = !valid && matches!(self.invalid, Invalid::Fail | Invalid::Abort);
        Ok(ExitStatus(if failed { 2 } else { 0 }))
    }

    fn verb(&self) -> Verb {
        if self.numbers.is_empty() { Verb::Edits } else { Verb::Makes }
    }
}

impl Numfmt {
    fn put(
        io: &mut StageIo<'_>,
        outcome: Result<bool, StageError>,
        valid: &mut bool,
        line: &[u8],
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        match outcome {
            Ok(fine) => *valid &= fine,
            Err(error) => {
                // What stood before the bad number is written.
                io.out().put(line, origin)?;
                return Err(error);
            }
        }
        io.out().put(line, origin)?;
        Ok(())
    }

    /// Rewrites the fields of a line; false when one was no number.
    fn line(
        &self,
        io: &mut StageIo<'_>,
        line: &[u8],
        out: &mut Vec<u8>,
    ) -> Result<bool, StageError> {
        let mut valid = true;
        let mut rest = line;
        for number in 0.. {
            let end = match self.delimiter {
                Some(byte) => memchr::memchr(byte, rest).unwrap_or(rest.len()),
                None => {
                    let blank = |byte: &u8| matches!(byte, b' ' | b'\t');
                    let blanks = rest.iter().take_while(|byte| blank(byte)).count();
                    blanks + rest[blanks..].iter().take_while(|byte| !blank(byte)).count()
                }
            };
            let field = &rest[..end];
            if self.fields.iter().any(|range| range.contains(&number)) {
                valid &= self.field(io, field, number, out)?;
            } else {
                out.extend_from_slice(field);
            }
            if end == rest.len() {
                break;
            }
            out.push(self.delimiter.unwrap_or(b' '));
            rest = &rest[end + 1..];
        }
        Ok(valid)
    }

    fn field(
        &self,
        io: &mut StageIo<'_>,
        field: &[u8],
        number: usize,
        out: &mut Vec<u8>,
    ) -> Result<bool, StageError> {
        let text = match field.strip_suffix(&self.suffix[..]) {
            Some(text) if !self.suffix.is_empty() && !text.is_empty() => text,
            _ => field,
        };
        let blanks = text.iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
        let read = Value::read(&text[blanks..], self.from).and_then(|value| {
            let value = value.in_units(&self.from_unit, &self.to_unit);
            value.write(self.to, self.round, self.form.precision)
        });
        let digits = match read {
            Ok(digits) => digits,
            Err(message) => {
                match self.invalid {
                    Invalid::Abort => return Err(StageError::failed(2, message)),
                    Invalid::Fail | Invalid::Warn => io.message(&message)?,
                    Invalid::Ignore => {}
                }
                out.extend_from_slice(field);
                return Ok(false);
            }
        };
        let mut shown = digits.into_bytes();
        let letters = shown.iter().rev().take_while(|byte| byte.is_ascii_alphabetic()).count();
        if shown.len() - letters < self.form.zeros {
            let at = usize::from(shown.first() == Some(&b'-'));
            let missing = self.form.zeros - (shown.len() - letters);
            shown.splice(at..at, std::iter::repeat_n(b'0', missing));
        }
        shown.extend_from_slice(&self.suffix);
        // Without a width of its own a number takes the columns it had, so that columns stay.
        let aligned = self.padding == 0 && self.delimiter.is_none() && (blanks > 0 || number > 0);
        let width = blanks + text_width(&text[blanks..]);
        let padding = if aligned { width as i64 } else { self.padding };
        let missing = (padding.unsigned_abs() as usize).saturating_sub(text_width(&shown));
        out.extend_from_slice(&self.form.before);
        if padding > 0 {
            out.resize(out.len() + missing, b' ');
        }
        out.extend_from_slice(&shown);
        if padding < 0 {
            out.resize(out.len() + missing, b' ');
        }
        out.extend_from_slice(&self.form.after);
        Ok(true)
    }
}
