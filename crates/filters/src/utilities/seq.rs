//! `seq`: writes a sequence of numbers, one per line.

use stream::{BLOCK_SIZE, ExitStatus, LineId, Lines, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::c_format::{Flags, WIDTH_MAX, floating};

const OPTIONS: &[OptionSpec] = &[
    option('f', "format", Some("FORMAT"), "write numbers by a printf form such as %05.1f", false),
    option('s', "separator", Some("TEXT"), "put TEXT between numbers instead of a newline", false),
    option('w', "equal-width", None, "pad with zeros to equal width", false),
];

static SPEC: Spec = Spec {
    name: "seq",
    summary: "writes a sequence of numbers, one per line",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[first [step]] last",
    style: Style::NegativeNumbers,
    usage_status: 1,
    examples: &[example("seq 5", "1 to 5"), example("seq 10 -2 0", "10, 8, … 0")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// A decimal number: `digits` divided by ten to the power of `decimals`.
#[derive(Clone, Copy)]
struct Decimal {
    digits: i128,
    decimals: u32,
    /// As many digits before the point as written, for `-w`.
    negative: bool,
}

struct Seq {
    first: i128,
    step: i128,
    last: i128,
    decimals: u32,
    width: usize,
    separator: Vec<u8>,
    format: Option<Format>,
}

struct Format {
    before: Vec<u8>,
    after: Vec<u8>,
    flags: Flags,
    letter: u8,
}

fn decimal(text: &[u8]) -> Option<Decimal> {
    let text = std::str::from_utf8(text).ok()?.trim_start();
    let (negative, body) = match text.strip_prefix('-') {
        Some(body) => (true, body),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    if let Some(body) = body.strip_prefix("0x").or_else(|| body.strip_prefix("0X")) {
        let (digits, decimals) = hexadecimal(body)?;
        return Some(Decimal {
            digits: if negative { -digits } else { digits },
            decimals,
            negative,
        });
    }
    let (mut digits, fraction, exponent) = parts(body, ['e', 'E'], 10, 34)?;
    let mut decimals = fraction.checked_sub(exponent)?;
    while decimals < 0 && digits != 0 {
        digits = digits.checked_mul(10)?;
        decimals += 1;
    }
    let decimals = u32::try_from(decimals.max(0)).ok().filter(|&decimals| decimals <= 30)?;
    Some(Decimal { digits: if negative { -digits } else { digits }, decimals, negative })
}

/// All digits of a number of at most `most`, how many of them come after its point, and the
/// exponent after one of `marks`.
fn parts(body: &str, marks: [char; 2], radix: u32, most: usize) -> Option<(i128, i32, i32)> {
    let (mantissa, exponent) = match body.split_once(marks) {
        Some((mantissa, exponent)) => (mantissa, exponent.parse().ok()?),
        None => (body, 0),
    };
    let (whole, fraction) = mantissa.split_once('.').unwrap_or((mantissa, ""));
    let all = format!("{whole}{fraction}");
    if all.is_empty() || all.len() > most || !all.chars().all(|digit| digit.is_digit(radix)) {
        return None;
    }
    let digits = i128::from_str_radix(&all, radix).ok()?;
    Some((digits, i32::try_from(fraction.len()).ok()?, exponent))
}

/// A hexadecimal number without its prefix, as the language C writes it (`1f`, `1.8p-1`): decimal
/// digits, and how many of them come after the point.
fn hexadecimal(body: &str) -> Option<(i128, u32)> {
    // More digits would not fit when they are scaled.
    let (mut digits, fraction, exponent) = parts(body, ['p', 'P'], 16, 24)?;
    let mut exponent = exponent.checked_sub(fraction * 4)?;
    while exponent < 0 && digits % 2 == 0 && digits != 0 {
        (digits, exponent) = (digits / 2, exponent + 1);
    }
    if digits == 0 {
        return Some((0, 0));
    }
    let decimals = if exponent < 0 { exponent.unsigned_abs() } else { 0 };
    if decimals > 30 {
        return None;
    }
    // A half is five tenths.
    let factor: i128 = if exponent < 0 { 5 } else { 2 };
    Some((digits.checked_mul(factor.checked_pow(exponent.unsigned_abs())?)?, decimals))
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let operands = &arguments.operands;
    let hint = "Try 'seq --help' for more information.";
    if operands.is_empty() {
        return Err(UsageError::new(&SPEC, None, format!("missing operand\n{hint}")));
    }
    if let Some(extra) = operands.get(3) {
        let message = format!("extra operand {}\n{hint}", shown(&extra.value));
        return Err(UsageError::new(&SPEC, Some(extra.word), message));
    }
    let mut numbers = Vec::new();
    for operand in operands {
        numbers.push(decimal(&operand.value).ok_or_else(|| {
            let message =
                format!("invalid floating point argument: {}\n{hint}", shown(&operand.value));
            UsageError::new(&SPEC, Some(operand.word), message)
        })?);
    }
    let one = Decimal { digits: 1, decimals: 0, negative: false };
    let (first, step, last) = match numbers[..] {
        [last] => (one, one, last),
        [first, last] => (first, one, last),
        _ => (numbers[0], numbers[1], numbers[2]),
    };
    if step.digits == 0 {
        let message =
            format!("invalid Zero increment value: {}\n{hint}", shown(&operands[1].value));
        return Err(UsageError::new(&SPEC, Some(operands[1].word), message));
    }
    let decimals = first.decimals.max(step.decimals);
    let scale = decimals.max(last.decimals);
    let scaled = |number: Decimal| {
        number
            .digits
            .checked_mul(10i128.pow(scale - number.decimals))
            .ok_or_else(|| UsageError::new(&SPEC, None, "these numbers have too many digits"))
    };
    let format = match arguments.last('f') {
        None => None,
        Some(given) => {
            if arguments.has('w') {
                let message =
                    "format string may not be specified when printing equal width strings";
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
            let format = parse_format(&given.value)
                .map_err(|message| UsageError::new(&SPEC, Some(given.word), message))?;
            Some(format)
        }
    };
    let seq = Seq {
        first: scaled(first)?,
        step: scaled(step)?,
        last: scaled(last)?,
        decimals,
        width: 0,
        separator: arguments.last('s').map_or(b"\n".to_vec(), |given| given.value.clone()),
        format,
    };
    let width = if arguments.has('w') { seq.equal_width(first, last, scale) } else { 0 };
    // The last number may have more decimals than are written; only first and step decide.
    Ok(Box::new(Seq { width, ..seq }.rescaled(scale)))
}

impl Seq {
    fn equal_width(&self, first: Decimal, last: Decimal, scale: u32) -> usize {
        let unit = 10u128.pow(scale);
        let shown = |value: i128, negative: bool| {
            (value.unsigned_abs() / unit).to_string().len() + usize::from(negative || value < 0)
        };
        let whole = shown(self.first, first.negative).max(shown(self.last, last.negative));
        whole + if self.decimals > 0 { self.decimals as usize + 1 } else { 0 }
    }

    /// With all numbers in units of the written precision where that loses nothing.
    fn rescaled(mut self, scale: u32) -> Self {
        let surplus = 10i128.pow(scale - self.decimals);
        self.first /= surplus;
        self.step /= surplus;
        // Towards the first number, so that the end is not overrun.
        self.last = if self.step > 0 {
            self.last.div_euclid(surplus)
        } else {
            -((-self.last).div_euclid(surplus))
        };
        self
    }

    fn write(&self, value: i128, text: &mut Vec<u8>) {
        if let Some(format) = &self.format {
            let number = value as f64 / 10f64.powi(self.decimals as i32);
            text.extend_from_slice(&format.before);
            text.extend_from_slice(&floating(&format.flags, number, format.letter));
            text.extend_from_slice(&format.after);
            return;
        }
        let unit = 10u128.pow(self.decimals);
        let magnitude = value.unsigned_abs();
        let mut body = (magnitude / unit).to_string();
        if self.decimals > 0 {
            body = format!("{body}.{:0width$}", magnitude % unit, width = self.decimals as usize);
        }
        let sign = if value < 0 { "-" } else { "" };
        let flags = Flags { width: self.width, ..Flags::default() };
        text.extend_from_slice(&crate::text::c_format::pad(&flags, sign, &body, true));
    }
}

fn parse_format(text: &[u8]) -> Result<Format, String> {
    let all = String::from_utf8_lossy(text).into_owned();
    let mut before = Vec::new();
    let mut at = 0;
    loop {
        match (text.get(at), text.get(at + 1)) {
            (None, _) => return Err(format!("format ‘{all}’ has no % directive")),
            (Some(b'%'), Some(b'%')) => {
                before.push(b'%');
                at += 2;
            }
            (Some(b'%'), _) => break,
            (Some(&byte), _) => {
                before.push(byte);
                at += 1;
            }
        }
    }
    at += 1;
    let mut flags = Flags::default();
    at += flags.read(&text[at..]);
    let number = |at: &mut usize| {
        let start = *at;
        while text.get(*at).is_some_and(u8::is_ascii_digit) {
            *at += 1;
        }
        let digits = String::from_utf8_lossy(&text[start..*at]);
        if digits.is_empty() { 0 } else { digits.parse::<usize>().unwrap_or(usize::MAX) }
    };
    flags.width = number(&mut at);
    if text.get(at) == Some(&b'.') {
        at += 1;
        flags.precision = Some(number(&mut at));
    }
    if flags.width.max(flags.precision.unwrap_or(0)) > WIDTH_MAX {
        return Err(format!("format ‘{all}’ has a number above {WIDTH_MAX}"));
    }
    let Some(&letter @ (b'e' | b'E' | b'f' | b'F' | b'g' | b'G')) = text.get(at) else {
        return Err(format!(
            "format ‘{all}’ has unknown %{} directive",
            text.get(at).map_or(String::new(), |&byte| char::from(byte).to_string())
        ));
    };
    let mut after = Vec::new();
    let mut rest = text[at + 1..].iter().peekable();
    while let Some(&byte) = rest.next() {
        if byte == b'%' && rest.next() != Some(&b'%') {
            return Err(format!("format ‘{all}’ has too many % directives"));
        }
        after.push(byte);
    }
    Ok(Format { before, after, flags, letter })
}

fn explain(arguments: &Arguments) -> String {
    let text = |at: usize| String::from_utf8_lossy(&arguments.operands[at].value).into_owned();
    match arguments.operands.len() {
        1 => format!("makes the numbers from 1 to {}", text(0)),
        2 => format!("makes the numbers from {} to {}", text(0), text(1)),
        3 => format!("makes the numbers from {} to {} in steps of {}", text(0), text(2), text(1)),
        _ => String::new(),
    }
}

/// Text is handed on when so much is gathered.
const GATHERED: usize = 16 << 10;

/// Numbers written in digits up to here are counted up in place.
const IN_PLACE_MAX: i128 = 10_i128.pow(14);

/// A number in digits and what is behind it.
struct Counter {
    text: [u8; 16],
    digits: usize,
    length: usize,
}

impl Counter {
    fn new(first: i128, separator: u8) -> Self {
        let digits = first.to_string();
        let mut text = [separator; 16];
        text[..digits.len()].copy_from_slice(digits.as_bytes());
        Self { text, digits: digits.len(), length: digits.len() + 1 }
    }

    #[inline]
    fn add(&mut self, number: u64) {
        let mut carry = number;
        for digit in self.text[..self.digits].iter_mut().rev() {
            let sum = u64::from(*digit - b'0') + carry;
            *digit = b'0' + (sum % 10) as u8;
            carry = sum / 10;
            if carry == 0 {
                return;
            }
        }
        while carry > 0 {
            self.text.copy_within(..self.length, 1);
            self.text[0] = b'0' + (carry % 10) as u8;
            carry /= 10;
            self.digits += 1;
            self.length += 1;
        }
    }
}

impl Seq {
    /// Upwards from zero or above, a number below [`IN_PLACE_MAX`] a line: each is made of the
    /// digits of the one before.
    fn count_up(&self, io: &mut StageIo<'_>, separator: u8, step: u64) -> Result<(), StageError> {
        // Blocks of lines are handed on as they are, with the number of lines, which is known.
        let whole = separator == b'\n' && !io.keeps_origins() && !io.out().is_eager();
        let gathered = match (whole, io.out().is_eager()) {
            (true, _) => BLOCK_SIZE,
            (_, true) => 1,
            _ => GATHERED,
        };
        let count = (self.last - self.first) / i128::from(step);
        let mut counter = Counter::new(self.first, separator);
        let mut text = Vec::with_capacity(GATHERED + 64);
        let mut lines = 0;
        for _ in 0..count {
            // Sixteen bytes at once are copied faster than as many as there are.
            let end = text.len() + counter.length;
            text.extend_from_slice(&counter.text);
            text.truncate(end);
            lines += 1;
            if end >= gathered {
                if whole {
                    let next = Vec::with_capacity(BLOCK_SIZE + 64);
                    let bytes = std::mem::replace(&mut text, next).into();
                    io.out().pass_lines(Lines {
                        bytes,
                        first: LineId::new(0, 0),
                        newlines: lines,
                    })?;
                } else {
                    io.out().put(&text, Origin::None)?;
                    text.clear();
                }
                lines = 0;
            }
            counter.add(step);
        }
        text.extend_from_slice(&counter.text[..counter.digits]);
        text.push(b'\n');
        Ok(io.out().put(&text, Origin::None)?)
    }
}

impl Filter for Seq {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let plain = self.format.is_none() && self.decimals == 0 && self.width == 0;
        if plain
            && (0..=self.last).contains(&self.first)
            && self.last < IN_PLACE_MAX
            && let [separator] = self.separator[..]
            && let Ok(step @ 1..=1_000_000) = u64::try_from(self.step)
        {
            self.count_up(io, separator, step)?;
            return Ok(ExitStatus::SUCCESS);
        }
        let gathered = if io.out().is_eager() { 1 } else { GATHERED };
        let mut text = Vec::new();
        let mut digits = itoa::Buffer::new();
        let whole = self.format.is_none() && self.decimals == 0;
        let mut value = self.first;
        let mut any = false;
        while if self.step > 0 { value <= self.last } else { value >= self.last } {
            if any {
                text.extend_from_slice(&self.separator);
                if text.len() >= gathered {
                    io.out().put(&text, Origin::None)?;
                    text.clear();
                }
            }
            any = true;
            if whole {
                // Small numbers are written several times faster.
                let body = match u64::try_from(value.unsigned_abs()) {
                    Ok(small) => digits.format(small),
                    Err(_) => digits.format(value.unsigned_abs()),
                };
                if value < 0 {
                    text.push(b'-');
                }
                let width = self.width.saturating_sub(usize::from(value < 0));
                text.resize(text.len() + width.saturating_sub(body.len()), b'0');
                text.extend_from_slice(body.as_bytes());
            } else {
                self.write(value, &mut text);
            }
            let Some(next) = value.checked_add(self.step) else { break };
            value = next;
        }
        if any {
            text.push(b'\n');
            io.out().put(&text, Origin::None)?;
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
