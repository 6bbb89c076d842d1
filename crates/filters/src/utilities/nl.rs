//! `nl`: puts numbers before lines.

use pattern::{Options, Pattern, Syntax};
use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Given, Operands, OptionId, OptionSpec, Spec, Style, UsageError,
    Verb, example, option, shown,
};
use crate::text::c_format::WIDTH_MAX;
use crate::text::phrases::from_files;

const OPTIONS: &[OptionSpec] = &[
    option(
        'b',
        "body-numbering",
        Some("STYLE"),
        "which body lines get a number: a (all), t (not empty), n (none), pPATTERN",
        true,
    ),
    option(
        'd',
        "section-delimiter",
        Some("CC"),
        "the two characters that mark the parts of a page",
        true,
    ),
    option('f', "footer-numbering", Some("STYLE"), "which footer lines get a number", true),
    option('h', "header-numbering", Some("STYLE"), "which header lines get a number", true),
    option('i', "line-increment", Some("NUM"), "the step from number to number", true),
    option('l', "join-blank-lines", Some("NUM"), "NUM empty lines count as one", true),
    option(
        'n',
        "number-format",
        Some("FORMAT"),
        "ln (left), rn (right), rz (right, with zeros)",
        true,
    ),
    option('p', "no-renumber", None, "do not restart numbering at each section", true),
    option('s', "number-separator", Some("TEXT"), "separator between number and line", true),
    option('v', "starting-line-number", Some("NUM"), "the first number on each page", true),
    option('w', "number-width", Some("NUM"), "columns for the number", true),
];

static SPEC: Spec = Spec {
    name: "nl",
    summary: "puts numbers before lines",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("nl winch.log", "numbers before all lines that are not empty"),
        example("nl -ba -w3 -s': ' station.conf", "before every line, three columns wide"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

enum Numbered {
    All,
    NotEmpty,
    None,
    Matching(Box<Pattern>),
}

struct Nl {
    files: Vec<Vec<u8>>,
    /// For header, body and footer.
    styles: [Numbered; 3],
    marks: [Vec<u8>; 3],
    increment: i64,
    joined: u64,
    format: Format,
    renumber: bool,
    separator: Vec<u8>,
    start: i64,
    width: usize,
}

#[derive(Clone, Copy)]
enum Format {
    Left,
    Right,
    Zeros,
}

fn style(given: Option<&Given>, otherwise: Numbered) -> Result<Numbered, UsageError> {
    let Some(given) = given else { return Ok(otherwise) };
    match &given.value[..] {
        b"a" => Ok(Numbered::All),
        b"t" => Ok(Numbered::NotEmpty),
        b"n" => Ok(Numbered::None),
        [b'p', text @ ..] => match Pattern::new(&[text], Syntax::Basic, Options::default()) {
            Ok(pattern) => Ok(Numbered::Matching(Box::new(pattern))),
            Err(error) => Err(UsageError::new(&SPEC, Some(given.word), error.to_string())),
        },
        value => {
            let part = match given.id {
                OptionId::Letter('b') => "body",
                OptionId::Letter('h') => "header",
                _ => "footer",
            };
            let message = format!("invalid {part} numbering style: {}", shown(value));
            Err(UsageError::with_hint(&SPEC, Some(given.word), &message))
        }
    }
}

fn signed(arguments: &Arguments, short: char, what: &str) -> Result<Option<i64>, UsageError> {
    let Some(given) = arguments.last(short) else { return Ok(None) };
    match std::str::from_utf8(&given.value).ok().and_then(|text| text.trim_start().parse().ok()) {
        Some(number) => Ok(Some(number)),
        None => {
            let message = format!("{what}: {}", shown(&given.value));
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn at_least_one(
    number: Option<i64>,
    spelled: &Arguments,
    short: char,
    what: &str,
) -> Result<Option<u64>, UsageError> {
    match number {
        Some(number) if number < 1 => {
            let given = spelled.last(short);
            let value = given.map_or(&b""[..], |given| &given.value);
            Err(UsageError::new(
                &SPEC,
                given.map(|given| given.word),
                format!("{what}: {}", shown(value)),
            ))
        }
        number => Ok(number.map(|number| number as u64)),
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let mut mark = b"\\:".to_vec();
    if let Some(given) = arguments.last('d') {
        match given.value.len() {
            1 => mark[0] = given.value[0],
            _ => mark.clone_from(&given.value),
        }
    }
    let format = match arguments.last('n').map(|given| (&given.value[..], given)) {
        None | Some((b"rn", _)) => Format::Right,
        Some((b"ln", _)) => Format::Left,
        Some((b"rz", _)) => Format::Zeros,
        Some((value, given)) => {
            let message = format!("invalid line numbering format: {}", shown(value));
            return Err(UsageError::with_hint(&SPEC, Some(given.word), &message));
        }
    };
    let joined = "invalid line number of blank lines";
    let width = "invalid line number field width";
    Ok(Box::new(Nl {
        files: arguments.operand_values(),
        styles: [
            style(arguments.last('h'), Numbered::None)?,
            style(arguments.last('b'), Numbered::NotEmpty)?,
            style(arguments.last('f'), Numbered::None)?,
        ],
        marks: [mark.repeat(3), mark.repeat(2), mark],
        increment: signed(arguments, 'i', "invalid line number increment")?.unwrap_or(1),
        joined: at_least_one(signed(arguments, 'l', joined)?, arguments, 'l', joined)?.unwrap_or(1),
        format,
        renumber: !arguments.has('p'),
        separator: arguments.last('s').map_or_else(|| b"\t".to_vec(), |given| given.value.clone()),
        start: signed(arguments, 'v', "invalid starting line number")?.unwrap_or(1),
        width: {
            let given = at_least_one(signed(arguments, 'w', width)?, arguments, 'w', width)?;
            let columns = given.unwrap_or(6);
            if columns > WIDTH_MAX as u64 {
                let message = format!("{width}: at most {WIDTH_MAX} are possible");
                let word = arguments.last('w').map(|given| given.word);
                return Err(UsageError::with_hint(&SPEC, word, &message));
            }
            columns as usize
        },
    }))
}

fn explain(arguments: &Arguments) -> String {
    let which = match arguments.last('b').map(|given| &given.value[..]) {
        Some(b"a") => "every line",
        Some(b"n") => "no line",
        Some([b'p', ..]) => "the lines that match a pattern",
        _ => "every line that is not empty",
    };
    format!("puts numbers before {which}{}", from_files(&arguments.operand_values()))
}

impl Filter for Nl {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let mut number = Some(self.start);
        let mut section = 1;
        let mut empty = 0;
        let blank = vec![b' '; self.width + self.separator.len()];
        let mut whole = Vec::new();
        io.each_input(&files, 1, |io, input, _| {
            while let Some(lines) = input.next_lines()? {
                whole.clear();
                for (_, line) in lines.iter() {
                    if let Some(next) =
                        self.marks.iter().position(|mark| line == mark && !line.is_empty())
                    {
                        section = next;
                        if self.renumber {
                            number = Some(self.start);
                        }
                        whole.push(b'\n');
                        continue;
                    }
                    let counts = match &self.styles[section] {
                        Numbered::All if self.joined > 1 && line.is_empty() => {
                            empty += 1;
                            let counts = empty == self.joined;
                            if counts {
                                empty = 0;
                            }
                            counts
                        }
                        Numbered::All => {
                            empty = 0;
                            true
                        }
                        Numbered::NotEmpty => !line.is_empty(),
                        Numbered::None => false,
                        Numbered::Matching(pattern) => pattern
                            .is_match(line)
                            .map_err(|error| StageError::failed(1, error.to_string()))?,
                    };
                    if counts {
                        let Some(now) = number else {
                            return Err(StageError::failed(1, "line number overflow").into());
                        };
                        self.write_number(now, &mut whole);
                        number = now.checked_add(self.increment);
                    } else {
                        whole.extend_from_slice(&blank);
                    }
                    whole.extend_from_slice(line);
                    whole.push(b'\n');
                }
                io.out().put(&whole, Origin::Sequence(lines.first))?;
            }
            Ok(())
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}

impl Nl {
    fn write_number(&self, number: i64, whole: &mut Vec<u8>) {
        use std::io::Write;
        let width = self.width;
        // Writing to memory cannot fail.
        let _ = match self.format {
            Format::Left => write!(whole, "{number:<width$}"),
            Format::Right => write!(whole, "{number:>width$}"),
            Format::Zeros => write!(whole, "{number:0>width$}"),
        };
        if matches!(self.format, Format::Zeros) && number < 0 {
            let at = whole.len() - width.max(number.to_string().len());
            whole.truncate(at);
            let _ = write!(whole, "{number:0width$}");
        }
        whole.extend_from_slice(&self.separator);
    }
}
