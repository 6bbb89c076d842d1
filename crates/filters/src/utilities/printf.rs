//! `printf`: writes its arguments in a given format, repeating it until all arguments are used.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example, shown,
};
use crate::text::c_format::{Flags, WIDTH_MAX, floating, pad, signed, unsigned};
use crate::text::escapes::{Escape, Octal, read};
use crate::text::shell_word::shell_word;

static SPEC: Spec = Spec {
    name: "printf",
    summary: "writes its arguments in a given format, repeating it until all arguments are used",
    options: &[],
    operands: Operands::Values,
    operand_names: "format [value …]",
    style: Style::Own,
    usage_status: 1,
    examples: &[
        example("printf '%s\\n' gate-03 gate-17", "each argument on a line"),
        example("printf '%-10s %5.1f\\n' upper 3.14159", "columns"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Printf {
    pieces: Vec<Piece>,
    values: Vec<Vec<u8>>,
}

enum Piece {
    Text(Vec<u8>),
    Stop,
    Conversion { flags: Flags, width_given: bool, precision_given: bool, letter: u8 },
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let mut operands = arguments.operands.iter().peekable();
    if operands.peek().is_some_and(|operand| operand.value == b"--") {
        operands.next();
    }
    let Some(format) = operands.next() else {
        return Err(UsageError::new(&SPEC, None, "a format is missing"));
    };
    let pieces = parse(&format.value)
        .map_err(|message| UsageError::new(&SPEC, Some(format.word), message))?;
    Ok(Box::new(Printf { pieces, values: operands.map(|operand| operand.value.clone()).collect() }))
}

fn explain(arguments: &Arguments) -> String {
    let format =
        arguments.operands.first().map(|operand| shown(&operand.value)).unwrap_or_default();
    let values = arguments.operands.len().saturating_sub(1) as u64;
    format!(
        "makes text of {} in the form {format}",
        crate::text::phrases::counted(values, "value", "values")
    )
}

fn parse(format: &[u8]) -> Result<Vec<Piece>, String> {
    let mut pieces = Vec::new();
    let mut text = Vec::new();
    let mut at = 0;
    while at < format.len() {
        match format[at] {
            b'\\' => {
                let (escape, used) = read(&format[at + 1..], Octal::Bare);
                at += 1 + used;
                match escape {
                    Escape::Bytes(bytes) => text.extend_from_slice(&bytes),
                    Escape::Stop => {
                        pieces.push(Piece::Text(std::mem::take(&mut text)));
                        pieces.push(Piece::Stop);
                    }
                }
            }
            b'%' if format.get(at + 1) == Some(&b'%') => {
                text.push(b'%');
                at += 2;
            }
            b'%' => {
                pieces.push(Piece::Text(std::mem::take(&mut text)));
                let (piece, end) = conversion(format, at)?;
                pieces.push(piece);
                at = end;
            }
            byte => {
                text.push(byte);
                at += 1;
            }
        }
    }
    pieces.push(Piece::Text(text));
    Ok(pieces)
}

fn conversion(format: &[u8], start: usize) -> Result<(Piece, usize), String> {
    let mut at = start + 1;
    let mut flags = Flags::default();
    at += flags.read(&format[at..]);
    let number = |at: &mut usize| -> Result<usize, String> {
        let digits = format[*at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        let text = String::from_utf8_lossy(&format[*at..*at + digits]).into_owned();
        *at += digits;
        match text.parse().unwrap_or(if text.is_empty() { 0 } else { usize::MAX }) {
            number if number <= WIDTH_MAX => Ok(number),
            _ => Err(format!("{text}: at most {WIDTH_MAX} are possible")),
        }
    };
    let mut width_given = false;
    if format.get(at) == Some(&b'*') {
        width_given = true;
        at += 1;
    } else {
        flags.width = number(&mut at)?;
    }
    let mut precision_given = false;
    if format.get(at) == Some(&b'.') {
        at += 1;
        if format.get(at) == Some(&b'*') {
            precision_given = true;
            at += 1;
        } else {
            flags.precision = Some(number(&mut at)?);
        }
    }
    let all = String::from_utf8_lossy(&format[start..(at + 1).min(format.len())]).into_owned();
    match format.get(at) {
        // It takes no flags, no width, no precision.
        Some(&letter @ b'q') if at == start + 1 => Ok((
            Piece::Conversion { flags, width_given: false, precision_given: false, letter },
            at + 1,
        )),
        Some(&letter)
            if b"diouxXeEfFgGcsb".contains(&letter)
                && makes_sense(&flags, precision_given, letter) =>
        {
            Ok((Piece::Conversion { flags, width_given, precision_given, letter }, at + 1))
        }
        _ => Err(format!("{all}: invalid conversion specification")),
    }
}

/// Flags that mean nothing for a conversion are refused, as the host does.
fn makes_sense(flags: &Flags, precision_given: bool, letter: u8) -> bool {
    let precise = precision_given || flags.precision.is_some();
    !(flags.alternate && b"cdisu".contains(&letter)
        || flags.zero && b"cs".contains(&letter)
        || flags.group && b"ceEosxX".contains(&letter)
        || precise && letter == b'c')
}

/// A width or a precision that is possible.
fn bounded(number: u64) -> Result<usize, StageError> {
    match usize::try_from(number) {
        Ok(number) if number <= WIDTH_MAX => Ok(number),
        _ => Err(StageError::failed(1, format!("{number}: at most {WIDTH_MAX} are possible"))),
    }
}

impl Filter for Printf {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let values = std::mem::take(&mut self.values);
        let mut values = values.iter();
        loop {
            let before = values.len();
            for piece in &self.pieces {
                match piece {
                    Piece::Text(text) => io.out().put(text, Origin::None)?,
                    Piece::Stop => return Ok(io.status()),
                    Piece::Conversion { flags, width_given, precision_given, letter } => {
                        let mut flags = *flags;
                        if *width_given {
                            let width = integer(io, values.next())?;
                            flags.left |= width < 0;
                            flags.width = bounded(width.unsigned_abs())?;
                        }
                        if *precision_given {
                            let precision = integer(io, values.next())?;
                            // A negative one counts as none.
                            let given = u64::try_from(precision).ok();
                            flags.precision = given.map(bounded).transpose()?;
                        }
                        if !convert(io, &flags, *letter, values.next())? {
                            return Ok(io.status());
                        }
                    }
                }
            }
            if values.len() == 0 {
                return Ok(io.status());
            }
            if values.len() == before {
                let next = values.next().map(|value| shown(value)).unwrap_or_default();
                io.message(&format!("warning: ignoring excess arguments, starting with {next}"))?;
                return Ok(io.status());
            }
        }
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}

/// Writes one value; false when it asked to stop (`\c` in `%b`).
fn convert(
    io: &mut StageIo<'_>,
    flags: &Flags,
    letter: u8,
    value: Option<&Vec<u8>>,
) -> Result<bool, StageError> {
    let text = match letter {
        b'd' | b'i' => signed(flags, integer(io, value)?),
        b'o' | b'u' | b'x' | b'X' => unsigned(flags, unsigned_integer(io, value)?, letter),
        // Nothing is the NUL character.
        b'c' => match value.and_then(|value| value.first()) {
            Some(&byte) => padded_bytes(flags, &[byte]),
            None => padded_bytes(flags, &[0]),
        },
        b's' => {
            let value = value.map_or(&b""[..], |value| &value[..]);
            let length = flags.precision.map_or(value.len(), |most| most.min(value.len()));
            padded_bytes(flags, &value[..length])
        }
        b'q' => value.map(|value| shell_word(value)).unwrap_or_default(),
        b'b' => {
            let (bytes, go_on) = unescaped(value.map_or(&b""[..], |value| &value[..]));
            let length = flags.precision.map_or(bytes.len(), |most| most.min(bytes.len()));
            io.out().put(&padded_bytes(flags, &bytes[..length]), Origin::None)?;
            return Ok(go_on);
        }
        _ => floating(flags, number(io, value)?, letter),
    };
    io.out().put(&text, Origin::None)?;
    Ok(true)
}

fn padded_bytes(flags: &Flags, bytes: &[u8]) -> Vec<u8> {
    let fill = flags.width.saturating_sub(bytes.len());
    let space = pad(&Flags { width: fill, ..Flags::default() }, "", "", false);
    if flags.left { [bytes, &space].concat() } else { [&space[..], bytes].concat() }
}

fn unescaped(text: &[u8]) -> (Vec<u8>, bool) {
    let mut bytes = Vec::new();
    let mut at = 0;
    while at < text.len() {
        if text[at] != b'\\' {
            bytes.push(text[at]);
            at += 1;
            continue;
        }
        let rest = &text[at + 1..];
        let octal = if rest.first() == Some(&b'0') { Octal::WithZero } else { Octal::Bare };
        let (escape, used) = read(rest, octal);
        at += 1 + used;
        match escape {
            Escape::Bytes(more) => bytes.extend_from_slice(&more),
            Escape::Stop => return (bytes, false),
        }
    }
    (bytes, true)
}

/// The text of a numeric value split into sign and the rest; `'x` is the character's number.
fn complain(io: &mut StageIo<'_>, value: &[u8], what: &str) -> Result<(), StageError> {
    io.note_status(1);
    io.message(&format!("{}: {what}", shown(value)))
}

fn character_number(value: &[u8]) -> Option<i64> {
    let rest = value.strip_prefix(b"'").or_else(|| value.strip_prefix(b"\""))?;
    let character = String::from_utf8_lossy(rest).chars().next();
    Some(character.map_or(0, |character| i64::from(u32::from(character))))
}

/// Digits at the start of `text`, in the base their prefix names.
fn digits(text: &str) -> (Option<u64>, usize) {
    let lower = text.to_ascii_lowercase();
    let (base, skip) =
        if lower.starts_with("0x") && lower[2..].starts_with(|c: char| c.is_ascii_hexdigit()) {
            (16, 2)
        } else if lower.starts_with('0') {
            (8, 0)
        } else {
            (10, 0)
        };
    let length = lower[skip..].chars().take_while(|c| c.is_digit(base)).count();
    (u64::from_str_radix(&lower[skip..skip + length], base).ok(), skip + length)
}

fn whole(io: &mut StageIo<'_>, value: &[u8]) -> Result<(bool, u64), StageError> {
    let text = String::from_utf8_lossy(value).into_owned();
    let trimmed = text.trim_start();
    let (negative, rest) = match trimmed.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, trimmed.strip_prefix('+').unwrap_or(trimmed)),
    };
    if value.is_empty() {
        return Ok((false, 0));
    }
    if !rest.starts_with(|c: char| c.is_ascii_digit()) {
        complain(io, value, "expected a numeric value")?;
        return Ok((false, 0));
    }
    let (number, used) = digits(rest);
    let Some(number) = number else {
        complain(io, value, "Numerical result out of range")?;
        return Ok((negative, u64::MAX));
    };
    if used < rest.len() {
        complain(io, value, "value not completely converted")?;
    }
    Ok((negative, number))
}

fn integer(io: &mut StageIo<'_>, value: Option<&Vec<u8>>) -> Result<i64, StageError> {
    let Some(value) = value else { return Ok(0) };
    if let Some(number) = character_number(value) {
        return Ok(number);
    }
    let (negative, magnitude) = whole(io, value)?;
    let signed = i128::from(magnitude) * if negative { -1 } else { 1 };
    if let Ok(number) = i64::try_from(signed) {
        return Ok(number);
    }
    if magnitude != u64::MAX {
        complain(io, value, "Numerical result out of range")?;
    }
    Ok(if negative { i64::MIN } else { i64::MAX })
}

fn unsigned_integer(io: &mut StageIo<'_>, value: Option<&Vec<u8>>) -> Result<u64, StageError> {
    let Some(value) = value else { return Ok(0) };
    if let Some(number) = character_number(value) {
        return Ok(number as u64);
    }
    let (negative, magnitude) = whole(io, value)?;
    Ok(if negative && magnitude != u64::MAX { magnitude.wrapping_neg() } else { magnitude })
}

fn number(io: &mut StageIo<'_>, value: Option<&Vec<u8>>) -> Result<f64, StageError> {
    let Some(value) = value else { return Ok(0.0) };
    if let Some(number) = character_number(value) {
        return Ok(number as f64);
    }
    let text = String::from_utf8_lossy(value).into_owned();
    let trimmed = text.trim_start();
    if value.is_empty() {
        return Ok(0.0);
    }
    if trimmed.trim_start_matches(['+', '-']).to_ascii_lowercase().starts_with("0x") {
        let (negative, magnitude) = whole(io, value)?;
        return Ok(if negative { -(magnitude as f64) } else { magnitude as f64 });
    }
    // The longest beginning that is a number.
    let longest = (1..=trimmed.len())
        .rev()
        .filter(|&end| trimmed.is_char_boundary(end))
        .find_map(|end| trimmed[..end].parse::<f64>().ok().map(|number| (number, end)));
    if let Some((number, end)) = longest {
        if end < trimmed.len() {
            complain(io, value, "value not completely converted")?;
        }
        Ok(number)
    } else {
        complain(io, value, "expected a numeric value")?;
        Ok(0.0)
    }
}
