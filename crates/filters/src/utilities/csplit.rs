//! `csplit`: splits a file at matching lines or line numbers.

use std::collections::VecDeque;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use bytes::Bytes;
use pattern::{Options, Pattern, Syntax};
use stream::{Block, ExitStatus, Input, Origin, StageError, StageIo, WriteError, WriteMode};

use crate::common::input::line_feed::{open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operand, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option, shown,
};
use crate::text::c_format::{Flags, signed, unsigned};

const SUPPRESS: OptionId = OptionId::Long("suppress-matched");

const OPTIONS: &[OptionSpec] = &[
    option(
        'b',
        "suffix-format",
        Some("FORMAT"),
        "the number in the names as printf writes it, instead of %02d",
        false,
    ),
    option('f', "prefix", Some("PREFIX"), "what names begin with (default xx)", true),
    option('k', "keep-files", None, "keep the files when something goes wrong", true),
    option('n', "digits", Some("NUM"), "digits in the names (default 2)", true),
    option('q', "silent", None, "the same as -s", false),
    option('s', "quiet", None, "do not write the sizes of the files", true),
    option('z', "elide-empty-files", None, "no empty files", false),
    long_option("suppress-matched", None, "drop the lines where the file is cut", false),
];

static SPEC: Spec = Spec {
    name: "csplit",
    summary: "splits a file at matching lines or line numbers",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "file place …",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("csplit -z wardens.txt '/^warden/' '{*}'", "one file for each record"),
        example("csplit winch.log 10", "the first 9 lines, and the rest"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// Where is cut, and how often.
struct Cut {
    place: Place,
    /// The operand, for messages.
    text: String,
    /// How many times more.
    repeats: Repeats,
}

enum Place {
    Line(u64),
    Match {
        pattern: Box<Pattern>,
        offset: i64,
        /// The lines before it are left out.
        skipped: bool,
    },
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Repeats {
    Times(u64),
    ToEnd,
}

struct Csplit {
    file: Vec<u8>,
    cuts: Vec<Cut>,
    prefix: Vec<u8>,
    suffix: Suffix,
    keep: bool,
    quiet: bool,
    elide: bool,
    suppress: bool,
    warnings: Vec<String>,
}

/// How numbers are written in names.
struct Suffix {
    before: Vec<u8>,
    flags: Flags,
    conversion: u8,
    after: Vec<u8>,
}

impl Suffix {
    fn digits(width: usize) -> Self {
        let flags = Flags { zero: true, width, ..Flags::default() };
        Self { before: Vec::new(), flags, conversion: b'd', after: Vec::new() }
    }

    fn parse(text: &[u8]) -> Result<Self, String> {
        let Some(at) = text.iter().position(|byte| *byte == b'%') else {
            return Err("missing % conversion specification in suffix".to_owned());
        };
        let mut flags = Flags::default();
        let mut rest = &text[at + 1..];
        let used = flags.read(rest);
        rest = &rest[used..];
        let number = |rest: &mut &[u8]| {
            let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
            let value = std::str::from_utf8(&rest[..digits])
                .ok()
                .and_then(|text| text.parse::<usize>().ok());
            *rest = &rest[digits..];
            value
        };
        flags.width = number(&mut rest).unwrap_or(0).min(4096);
        if let Some(after) = rest.strip_prefix(b".") {
            rest = after;
            flags.precision = Some(number(&mut rest).unwrap_or(0).min(4096));
        }
        let Some((&conversion, after)) = rest.split_first() else {
            return Err("missing conversion specifier in suffix".to_owned());
        };
        if !b"diouxX".contains(&conversion) {
            return Err(format!(
                "invalid conversion specifier in suffix: {}",
                char::from(conversion)
            ));
        }
        if after.contains(&b'%') {
            return Err("too many % conversion specifications in suffix".to_owned());
        }
        Ok(Self { before: text[..at].to_vec(), flags, conversion, after: after.to_vec() })
    }

    fn name(&self, prefix: &[u8], number: u64) -> Vec<u8> {
        let digits = match self.conversion {
            b'd' | b'i' => signed(&self.flags, number as i64),
            conversion => unsigned(&self.flags, number, conversion),
        };
        [prefix, &self.before, &digits, &self.after].concat()
    }
}

fn place(operand: &Operand) -> Result<Place, UsageError> {
    let text = &operand.value;
    let error = |message: String| UsageError::new(&SPEC, Some(operand.word), message);
    match text.first() {
        Some(&mark @ (b'/' | b'%')) => {
            let Some(end) = text.iter().rposition(|byte| *byte == mark).filter(|end| *end > 0)
            else {
                let message = format!(
                    "{}: closing delimiter '{}' missing",
                    String::from_utf8_lossy(text),
                    char::from(mark)
                );
                return Err(error(message));
            };
            let compiled = Pattern::new(&[&text[1..end]], Syntax::Basic, Options::default())
                .map_err(|pattern| {
                    let mut usage = error(format!(
                        "{}: invalid regular expression: {pattern}",
                        String::from_utf8_lossy(text)
                    ));
                    usage.part = Some(1 + pattern.span.start..1 + pattern.span.end);
                    usage
                })?;
            let offset = match &text[end + 1..] {
                b"" => 0,
                rest => {
                    let digits = rest.strip_prefix(b"+").unwrap_or(rest);
                    let number =
                        std::str::from_utf8(digits).ok().and_then(|text| text.parse().ok());
                    number.ok_or_else(|| {
                        error(format!(
                            "{}: integer expected after delimiter",
                            String::from_utf8_lossy(text)
                        ))
                    })?
                }
            };
            Ok(Place::Match { pattern: Box::new(compiled), offset, skipped: mark == b'%' })
        }
        _ => match std::str::from_utf8(text).ok().and_then(|text| text.parse().ok()) {
            Some(0) => Err(error(format!(
                "{}: line number must be greater than zero",
                String::from_utf8_lossy(text)
            ))),
            Some(number) => Ok(Place::Line(number)),
            None => Err(error(format!("{}: invalid pattern", shown(text)))),
        },
    }
}

fn repeats(operand: &Operand) -> Option<Result<Repeats, UsageError>> {
    let inside = operand.value.strip_prefix(b"{")?;
    let Some(inside) = inside.strip_suffix(b"}") else {
        let message = format!(
            "{}: '}}' is required in repeat count",
            String::from_utf8_lossy(&operand.value)
        );
        return Some(Err(UsageError::new(&SPEC, Some(operand.word), message)));
    };
    if inside == b"*" {
        return Some(Ok(Repeats::ToEnd));
    }
    Some(match std::str::from_utf8(inside).ok().and_then(|text| text.parse().ok()) {
        Some(number) => Ok(Repeats::Times(number)),
        None => {
            let message = format!(
                "{}: integer required between '{{' and '}}'",
                String::from_utf8_lossy(&operand.value)
            );
            Err(UsageError::new(&SPEC, Some(operand.word), message))
        }
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 2)?;
    let mut cuts: Vec<Cut> = Vec::new();
    let mut warnings = Vec::new();
    let mut operands = arguments.operands[1..].iter().peekable();
    let mut last_line = 0;
    while let Some(operand) = operands.next() {
        let place = place(operand)?;
        if let Place::Line(number) = place {
            if number < last_line {
                let message = format!(
                    "line number ‘{number}’ is smaller than preceding line number, {last_line}"
                );
                return Err(UsageError::new(&SPEC, Some(operand.word), message));
            }
            if number == last_line {
                warnings.push(format!(
                    "warning: line number ‘{number}’ is the same as preceding line number"
                ));
            }
            last_line = number;
        }
        let repeats = match operands.peek().and_then(|next| repeats(next)) {
            None => Repeats::Times(0),
            Some(repeats) => {
                operands.next();
                repeats?
            }
        };
        cuts.push(Cut {
            place,
            text: String::from_utf8_lossy(&operand.value).into_owned(),
            repeats,
        });
    }
    let digits = arguments.number(&SPEC, 'n', "invalid number")?.unwrap_or(2).min(1024) as usize;
    let suffix = match arguments.last('b') {
        None => Suffix::digits(digits),
        Some(given) => Suffix::parse(&given.value)
            .map_err(|message| UsageError::new(&SPEC, Some(given.word), message))?,
    };
    Ok(Box::new(Csplit {
        file: arguments.operands[0].value.clone(),
        cuts,
        prefix: arguments.last('f').map_or_else(|| b"xx".to_vec(), |given| given.value.clone()),
        suffix,
        keep: arguments.has('k'),
        quiet: arguments.has('s') || arguments.has('q'),
        elide: arguments.has('z'),
        suppress: arguments.has(SUPPRESS),
        warnings,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let values = arguments.operand_values();
    let file =
        values.first().map(|file| String::from_utf8_lossy(file).into_owned()).unwrap_or_default();
    let places: Vec<String> =
        values.iter().skip(1).map(|place| String::from_utf8_lossy(place).into_owned()).collect();
    format!("cuts {file} into files at {}", places.join(" "))
}

/// The lines not yet written, each with its newline.
struct Lines {
    input: Input,
    name: Vec<u8>,
    held: VecDeque<Bytes>,
    /// The number of the first line held, from 1.
    first: u64,
    at_end: bool,
}

impl Lines {
    /// Reads on until line `number` is held; false where there is none.
    fn reach(&mut self, number: u64) -> Result<bool, StageError> {
        while self.first + self.held.len() as u64 <= number && !self.at_end {
            match self.input.next_lines().map_err(|error| read_failure(1, &self.name, error))? {
                None => self.at_end = true,
                Some(lines) => {
                    let mut rest = lines.bytes;
                    while !rest.is_empty() {
                        let end = memchr::memchr(b'\n', &rest).map_or(rest.len(), |at| at + 1);
                        self.held.push_back(rest.split_to(end));
                    }
                }
            }
        }
        Ok(number < self.first + self.held.len() as u64)
    }

    fn line(&self, number: u64) -> &[u8] {
        self.held.get((number - self.first) as usize).map_or(&b""[..], |line| line)
    }

    fn take(&mut self) -> Result<Option<Bytes>, StageError> {
        if !self.reach(self.first)? {
            return Ok(None);
        }
        self.first += 1;
        Ok(self.held.pop_front())
    }
}

/// The file being written. Its lines are gathered and go out in blocks.
#[derive(Default)]
struct Open {
    name: Vec<u8>,
    gathered: Vec<u8>,
    bytes: u64,
    sink: Option<std::sync::Arc<dyn stream::Sink>>,
}

/// What goes wrong at a place: the message, once everything is tidied up.
enum Stop {
    Failed(StageError),
    /// The input ended where it may: nothing more is to be done.
    Over,
}

impl From<StageError> for Stop {
    fn from(error: StageError) -> Self {
        Self::Failed(error)
    }
}

impl Filter for Csplit {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        for warning in std::mem::take(&mut self.warnings) {
            io.message(&warning)?;
        }
        let name = self.file.clone();
        let input = io.open(&name).map_err(|error| open_failure(1, &name, &error))?;
        let mut work = Work {
            csplit: self,
            lines: Lines { input, name, held: VecDeque::new(), first: 1, at_end: false },
            current: 0,
            made: Vec::new(),
            number: 0,
            open: Open::default(),
        };
        match work.all(io) {
            Ok(()) | Err(Stop::Over) => Ok(ExitStatus::SUCCESS),
            Err(Stop::Failed(error)) => {
                if !work.csplit.keep {
                    for name in &work.made {
                        // It may be gone already.
                        let _ = io.files().remove(Path::new(OsStr::from_bytes(name)));
                    }
                }
                Err(error)
            }
        }
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        Some("it goes into one of the files, not to the output".to_owned())
    }

    fn verb(&self) -> Verb {
        Verb::Acts
    }
}

struct Work<'c> {
    csplit: &'c Csplit,
    lines: Lines,
    /// The line looked at last.
    current: u64,
    made: Vec<Vec<u8>>,
    number: u64,
    open: Open,
}

impl Work<'_> {
    fn all(&mut self, io: &mut StageIo<'_>) -> Result<(), Stop> {
        let csplit = self.csplit;
        for cut in &csplit.cuts {
            let mut repetition = 0;
            loop {
                let more = match cut.repeats {
                    Repeats::Times(times) => repetition <= times,
                    Repeats::ToEnd => true,
                };
                if !more {
                    break;
                }
                io.check_cancel()?;
                match &cut.place {
                    Place::Line(number) => {
                        // As the host has it: to the end only as long as there are lines.
                        if cut.repeats == Repeats::ToEnd
                            && repetition > 0
                            && !self.lines.reach(self.lines.first)?
                        {
                            break;
                        }
                        self.at_line(io, cut, number.saturating_mul(repetition + 1), repetition)?;
                    }
                    Place::Match { pattern, offset, skipped } => {
                        self.at_match(io, cut, pattern, *offset, *skipped, repetition)?;
                    }
                }
                repetition += 1;
            }
        }
        self.create(io)?;
        self.rest(io)?;
        self.close(io)?;
        Ok(())
    }

    fn create(&mut self, io: &StageIo<'_>) -> Result<(), StageError> {
        let name = self.csplit.suffix.name(&self.csplit.prefix, self.number);
        let path = Path::new(OsStr::from_bytes(&name));
        let sink = io
            .files()
            .write(path, WriteMode::Replace)
            .map_err(|error| open_failure(1, &name, &error))?;
        self.made.push(name.clone());
        self.open = Open { name, gathered: Vec::new(), bytes: 0, sink: Some(sink) };
        Ok(())
    }

    fn save(&mut self, line: &[u8]) -> Result<(), StageError> {
        self.open.bytes += line.len() as u64;
        self.open.gathered.extend_from_slice(line);
        if self.open.gathered.len() >= stream::BLOCK_SIZE { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> Result<(), StageError> {
        let gathered = std::mem::take(&mut self.open.gathered);
        let Some(sink) = self.open.sink.as_ref().filter(|_| !gathered.is_empty()) else {
            return Ok(());
        };
        sink.write(Block::new(gathered)).map_err(|error| match error {
            WriteError::Io(error) => open_failure(1, &self.open.name, &error),
            other => other.into(),
        })
    }

    fn close(&mut self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        self.flush()?;
        self.open.sink = None;
        if self.open.bytes == 0 && self.csplit.elide {
            let path = Path::new(OsStr::from_bytes(&self.open.name));
            io.files().remove(path).map_err(|error| open_failure(1, &self.open.name, &error))?;
            self.made.pop();
            return Ok(());
        }
        self.number += 1;
        if !self.csplit.quiet {
            io.out().line(self.open.bytes.to_string().as_bytes(), Origin::None)?;
        }
        Ok(())
    }

    fn rest(&mut self, io: &StageIo<'_>) -> Result<(), StageError> {
        while let Some(line) = self.lines.take()? {
            self.save(&line)?;
            io.check_cancel()?;
        }
        Ok(())
    }

    fn fail(
        &mut self,
        io: &mut StageIo<'_>,
        cut: &Cut,
        what: &str,
        repetition: u64,
        saves: bool,
    ) -> Stop {
        let tidied = match (saves, self.open.sink.is_some()) {
            (true, _) => self.rest(io).and_then(|()| self.close(io)),
            (false, true) => self.close(io),
            (false, false) => Ok(()),
        };
        if let Err(error) = tidied {
            return error.into();
        }
        let on =
            if repetition > 0 { format!(" on repetition {repetition}") } else { String::new() };
        Stop::Failed(StageError::failed(1, format!("‘{}’: {what}{on}", cut.text)))
    }

    fn at_line(
        &mut self,
        io: &mut StageIo<'_>,
        cut: &Cut,
        number: u64,
        repetition: u64,
    ) -> Result<(), Stop> {
        self.create(io)?;
        let out_of_range = "line number out of range";
        while self.lines.first < number {
            match self.lines.take()? {
                Some(line) => self.save(&line)?,
                None => return Err(self.fail(io, cut, out_of_range, repetition, true)),
            }
        }
        let nothing_left = !self.lines.reach(self.lines.first)?;
        if nothing_left && !self.csplit.suppress {
            return Err(self.fail(io, cut, out_of_range, repetition, true));
        }
        self.close(io)?;
        if self.csplit.suppress {
            self.lines.take()?;
        }
        self.current = self.current.max(self.lines.first.saturating_sub(1));
        Ok(())
    }

    fn at_match(
        &mut self,
        io: &mut StageIo<'_>,
        cut: &Cut,
        pattern: &Pattern,
        offset: i64,
        skipped: bool,
        repetition: u64,
    ) -> Result<(), Stop> {
        if !skipped {
            self.create(io)?;
        }
        self.current = self.current.max(self.lines.first - 1);
        loop {
            self.current += 1;
            if !self.lines.reach(self.current)? {
                if cut.repeats == Repeats::ToEnd {
                    if !skipped {
                        self.rest(io)?;
                        self.close(io)?;
                    }
                    return Err(Stop::Over);
                }
                return Err(self.fail(io, cut, "match not found", repetition, !skipped));
            }
            let line = self.lines.line(self.current);
            let line = line.strip_suffix(b"\n").unwrap_or(line);
            let matches =
                pattern.is_match(line).map_err(|error| StageError::failed(1, error.to_string()))?;
            if matches {
                break;
            }
            // Without a negative offset nothing before this line can be wanted any more.
            if offset >= 0
                && self.lines.first == self.current
                && let Some(line) = self.lines.take()?
                && !skipped
            {
                self.save(&line)?;
            }
        }
        let place = self.current.saturating_add_signed(offset);
        let out_of_range = "line number out of range";
        if place < self.lines.first || offset < 0 && self.current < offset.unsigned_abs() {
            return Err(self.fail(io, cut, out_of_range, 0, false));
        }
        while self.lines.first < place {
            match self.lines.take()? {
                Some(line) if !skipped => self.save(&line)?,
                Some(_) => {}
                None => return Err(self.fail(io, cut, out_of_range, 0, false)),
            }
        }
        if !skipped {
            self.close(io)?;
        }
        if offset > 0 {
            self.current = place;
        }
        if self.csplit.suppress {
            self.lines.take()?;
        }
        Ok(())
    }
}
