//! The awk language (XCU awk), with the functions and words in common use beyond the standard.
//!
//! A program is read once ([`parser`]), its names are resolved ([`resolve`]) and it is run from
//! its compiled form ([`runtime`]). Records and fields are cut out of the blocks they came in,
//! fields only as far as they are looked at.

#![allow(clippy::float_cmp)] // the language compares its numbers just so

use std::ops::Range;

use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{
    Arguments, Counted, Definition, Filter, Operands, OptionSpec, Program, Shade, Spec, Style,
    UsageError, Verb, example, option,
};

mod arithmetic;
mod code;
mod input;
mod lexer;
mod operands;
mod parser;
mod record;
mod replacement;
mod resolve;
mod runtime;
mod shared_text;
mod split;
mod stop;
mod streams;
mod summary;
mod text;
mod tree;
mod value;

use code::Code;
use lexer::Token;
use runtime::{Runtime, Watch};
use split::Splitter;
use stop::Stop;
use tree::Fault;

const OPTIONS: &[OptionSpec] = &[
    option('F', "", Some("SEPARATOR"), "the field separator: a character or a pattern", true),
    option('f', "", Some("FILE"), "read the program from a file; may be given several times", true),
    option('v', "", Some("NAME=VALUE"), "set a variable before the program begins", true),
];

static SPEC: Spec = Spec {
    name: "awk",
    summary: "runs a program of patterns and actions on every record",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "program [file | name=value]...",
    style: Style::OptionsFirst,
    usage_status: 2,
    examples: &[
        example("awk '{print $3}' gate.log", "the third column"),
        example("awk '$5 == \"refused\"' gate.log", "lines whose fifth column is that word"),
        example("awk '{n[$3]++} END {for (g in n) print n[g], g}' gate.log", "lines per gate"),
        example("awk -F, 'NR > 1 {sum += $4} END {print sum}' cabins.csv", "a column added up"),
    ],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, build, explain).with_programs(programs);

/// The text of a program, and what is said of places in it.
struct Source {
    text: Vec<u8>,
    /// Which argument it is.
    word: Option<usize>,
    /// Where each file begins in it, with its name.
    files: Vec<(usize, String)>,
}

impl Source {
    /// The place in words: line and column, of a file where there are several.
    fn place(&self, at: usize) -> String {
        let at = at.min(self.text.len());
        let file = self.files.iter().rev().find(|(start, _)| *start <= at);
        let start = file.map_or(0, |(start, _)| *start);
        let before = &self.text[start..at];
        let line = memchr::memchr_iter(b'\n', before).count() + 1;
        let row = memchr::memrchr(b'\n', before).map_or(0, |newline| newline + 1);
        let column = crate::text::characters::count(&before[row..]) + 1;
        let name = file.map(|(_, name)| format!("{name}, ")).unwrap_or_default();
        format!("{name}line {line}, column {column}")
    }

    fn compile(&self, assigned: &[String]) -> Result<Code, Fault> {
        let program = parser::parse(&self.text)?;
        resolve::resolve(&program, assigned)
    }

    fn message(&self, fault: &Fault) -> String {
        format!("{}: {}", self.place(fault.span.start), fault.message)
    }
}

struct Awk {
    /// `None` where the program comes from files, which are read when it runs.
    code: Option<Code>,
    source: Source,
    files: Vec<Vec<u8>>,
    separator: Option<Vec<u8>>,
    /// `-v` assignments, in order.
    set: Vec<(String, Vec<u8>)>,
    operands: Vec<Vec<u8>>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let files: Vec<Vec<u8>> = arguments.all('f').map(|given| given.value.clone()).collect();
    let mut operands = arguments.operands.iter();
    let mut source = Source { text: Vec::new(), word: None, files: Vec::new() };
    if files.is_empty() {
        let Some(program) = operands.next() else {
            return Err(UsageError::with_hint(&SPEC, None, "missing operand: a program"));
        };
        source.text.clone_from(&program.value);
        source.word = Some(program.word);
    }
    let mut set = Vec::new();
    for given in arguments.all('v') {
        match operands::assignment(&given.value) {
            Some((name, value)) => set.push((name.to_owned(), value.to_vec())),
            None => {
                let message = format!(
                    "“{}” sets no variable: NAME=VALUE does",
                    String::from_utf8_lossy(&given.value)
                );
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
        }
    }
    let separator = arguments.last('F').map(|given| given.value.clone());
    if let Some(given) = arguments.last('F')
        && let Err(error) = Splitter::new(&unescaped(&given.value), false)
    {
        return Err(UsageError::new(&SPEC, Some(given.word), error.to_string()));
    }
    let operands: Vec<Vec<u8>> = operands.map(|operand| operand.value.clone()).collect();
    let mut awk = Awk { code: None, source, files, separator, set, operands };
    if awk.files.is_empty() {
        match awk.source.compile(&awk.assigned()) {
            Ok(code) => awk.code = Some(code),
            Err(fault) => {
                let mut error = UsageError::new(&SPEC, awk.source.word, awk.source.message(&fault));
                error.part = Some(shown_part(&fault.span, awk.source.text.len()));
                return Err(error);
            }
        }
    }
    Ok(Box::new(awk))
}

/// The part to underline: at the end of a text its last byte.
fn shown_part(span: &Range<usize>, length: usize) -> Range<usize> {
    if span.start < length { span.clone() } else { length.saturating_sub(1)..length }
}

/// The program among the arguments, where no file holds it.
fn programs(arguments: &Arguments) -> Vec<Program> {
    let text = arguments.operands.first().filter(|_| !arguments.has('f'));
    let program = text.map(|text| Program { word: text.word, shades: shades(&text.value) });
    program.into_iter().collect()
}

/// The parts of a program text, as far as it is understood.
fn shades(text: &[u8]) -> Vec<(Range<usize>, Shade)> {
    let mut lexer = lexer::Lexer::new(text);
    let mut shades = Vec::new();
    let (mut behind, mut after_operand, mut dollar) = (0, false, None);
    while let Ok((token, span)) = lexer.next() {
        let gap = &text[behind..span.start];
        for (line, part) in split_lines(gap, behind) {
            if let Some(at) = memchr::memchr(b'#', part) {
                shades.push((line + at..line + part.len(), Shade::Comment));
            }
        }
        let mut span = span;
        match &token {
            Token::End => break,
            Token::Symbol("/" | "/=") if !after_operand => match lexer.pattern(span.start) {
                Ok((_, whole)) => {
                    shades.push((whole.clone(), Shade::Pattern));
                    span = whole;
                }
                Err(_) => break,
            },
            Token::Text(_) => shades.push((span.clone(), Shade::Text)),
            Token::Keyword(_) | Token::Builtin(_) => shades.push((span.clone(), Shade::Word)),
            Token::Number(_) | Token::Name(_) => {
                if let Some(start) = dollar {
                    shades.push((start..span.end, Shade::Field));
                }
            }
            _ => {}
        }
        dollar = matches!(token, Token::Symbol("$")).then_some(span.start);
        after_operand = matches!(
            token,
            Token::Number(_) | Token::Text(_) | Token::Name(_) | Token::Symbol(")" | "]" | "$")
        );
        behind = span.end;
    }
    shades
}

/// The lines of a part of a text, with where they begin in it.
fn split_lines(part: &[u8], start: usize) -> impl Iterator<Item = (usize, &[u8])> {
    let mut at = start;
    part.split(|byte| *byte == b'\n').map(move |line| {
        let begins = at;
        at += line.len() + 1;
        (begins, line)
    })
}

fn unescaped(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    if let value::Value::Input(value) = input::outside_value(text) {
        out.extend_from_slice(&value);
    }
    out
}

fn explain(arguments: &Arguments) -> String {
    let separator = match arguments.last('F') {
        Some(given) => {
            format!("splits records at “{}”; ", String::from_utf8_lossy(&given.value))
        }
        None => String::new(),
    };
    if let Some(file) = arguments.last('f') {
        let name = String::from_utf8_lossy(&file.value);
        return format!("{separator}runs the program in {name} on every record");
    }
    let text = arguments.operands.first().map_or(&b""[..], |operand| &operand.value);
    let program = parser::parse(text).unwrap_or_default();
    format!("{separator}{}", summary::summary(&program))
}

impl Awk {
    /// The variables that get values from outside.
    fn assigned(&self) -> Vec<String> {
        let operands = self.operands.iter().filter_map(|operand| operands::assignment(operand));
        let set = self.set.iter().map(|(name, _)| name.clone());
        set.chain(operands.map(|(name, _)| name.to_owned())).collect()
    }

    /// How lines are cut into fields, where that stays the same and every line is a record.
    fn splitter(&self) -> Option<Splitter> {
        let code = self.code.as_ref()?;
        let sets = |name: &str| self.set.iter().any(|(set, _)| set == name);
        let later = self.operands.iter().filter_map(|operand| operands::assignment(operand));
        if sets("RS") || later.into_iter().any(|(name, _)| name == "FS" || name == "RS") {
            return None;
        }
        let text = if code.separators_named > 0 {
            code.separator()?.to_vec()
        } else {
            let set = self.set.iter().rev().find(|(name, _)| name == "FS");
            let given = set.map(|(_, value)| value).or(self.separator.as_ref());
            given.map_or(b" ".to_vec(), |value| unescaped(value))
        };
        Splitter::new(&text, false).ok()
    }

    fn read_files(&mut self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        for name in &self.files {
            let shown = String::from_utf8_lossy(name).into_owned();
            self.source.files.push((self.source.text.len(), shown));
            let opened = io.open(name);
            let mut input = opened
                .map_err(|error| crate::common::input::line_feed::open_failure(2, name, &error))?;
            loop {
                match input.next_block() {
                    Ok(Some(block)) => self.source.text.extend_from_slice(&block.bytes),
                    Ok(None) => break,
                    Err(error) => {
                        return Err(crate::common::input::line_feed::read_failure(2, name, error));
                    }
                }
            }
            // The end of a file ends what is there.
            if !self.source.text.ends_with(b"\n") {
                self.source.text.push(b'\n');
            }
        }
        Ok(())
    }

    fn run_code(&self, code: &Code, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let watched = io.watched();
        let mut runtime = Runtime::new(code, io, &self.operands);
        runtime.watch = watched.map(|line| Watch::new(line, &self.source.text));
        let mut outcome = self.prepare(&mut runtime);
        if outcome.is_ok() {
            outcome = runtime.program();
        }
        runtime.tell_fate(&outcome);
        let (status, nr) = (runtime.status, runtime.specials.nr);
        let failure = match outcome {
            Ok(()) => None,
            Err(stop) => match *stop {
                Stop::Stage(error) => Some(error),
                Stop::Fault { at, message } => {
                    let place = match at {
                        usize::MAX => String::new(),
                        at => format!("{}: ", self.source.place(at)),
                    };
                    let record = if nr > 0.0 { format!(" (record {nr})") } else { String::new() };
                    Some(StageError::failed(2, format!("{place}{message}{record}")))
                }
                Stop::Exit | Stop::Next | Stop::NextFile => None,
            },
        };
        let closes = matches!(failure, None | Some(StageError::Failed { .. }));
        let held_back = if closes { runtime.finish() } else { Ok(0) };
        match (failure, held_back) {
            (Some(failure), _) => Err(failure),
            (None, Err(error)) => Err(error),
            (None, Ok(0)) => Ok(ExitStatus(status)),
            (None, Ok(number)) => {
                io.message(&format!(
                    "{} held back: not started before the pipeline is run for real",
                    crate::text::phrases::counted(number as u64, "command", "commands")
                ))?;
                Ok(ExitStatus(status))
            }
        }
    }

    fn prepare(&self, runtime: &mut Runtime<'_, '_>) -> Result<(), Box<Stop>> {
        if let Some(separator) = &self.separator {
            runtime.assign_outside("FS", separator)?;
        }
        for (name, value) in &self.set {
            runtime.assign_outside(name, value)?;
        }
        Ok(())
    }
}

impl Filter for Awk {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        if let Some(code) = &self.code {
            return self.run_code(code, io);
        }
        self.read_files(io)?;
        let code = self
            .source
            .compile(&self.assigned())
            .map_err(|fault| StageError::failed(2, self.source.message(&fault)))?;
        self.run_code(&code, io)
    }

    fn verb_varies(&self) -> bool {
        true
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        let Some(code) = &self.code else { return Vec::new() };
        let mut marks: Vec<Range<usize>> = Vec::new();
        for pattern in &code.patterns {
            marks.extend(pattern.find_all(line).map_while(Result::ok));
        }
        if let Some(splitter) = self.splitter() {
            let fields = splitter.places(line);
            let read = code.columns.iter().filter_map(|column| column.checked_sub(1));
            marks.extend(read.filter_map(|field| fields.get(field).cloned()));
        }
        marks.sort_by_key(|range| (range.start, range.end));
        marks
    }

    fn counts(&self, line: &[u8]) -> Option<Counted> {
        self.splitter().map(|splitter| Counted::Fields(splitter.places(line)))
    }

    fn tells_fate(&self) -> bool {
        true
    }

    fn verb(&self) -> Verb {
        match &self.code {
            Some(code) if code.rules.is_empty() && code.end.is_empty() => Verb::Makes,
            Some(code) if code.rules.iter().all(|rule| rule.body.is_none()) => Verb::Keeps,
            _ => Verb::Edits,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_a_part_know_where_they_begin() {
        let lines: Vec<(usize, &[u8])> = split_lines(b"ab\n\ncde", 10).collect();
        assert_eq!(lines, [(10, &b"ab"[..]), (13, b""), (14, b"cde")]);
        assert_eq!(split_lines(b"", 3).collect::<Vec<_>>(), [(3, &b""[..])]);
    }
}
