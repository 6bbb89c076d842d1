//! The arithmetic language (XCU bc): numbers of any precision, variables, arrays, functions. Every
//! line is run as soon as it is complete, so that it serves as a filter.

use stream::{ExitStatus, Input, LineId, Origin, ReadError, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};

mod calculator;
mod lexer;
mod library;
mod number;
mod parser;
mod tree;

use calculator::{Calculator, Outside, Stop};
use lexer::Fault;
use tree::Names;

/// Columns of a line of output (XCU bc, "Operations").
const WIDTH: usize = 70;

const OPTIONS: &[OptionSpec] = &[
    option(
        'l',
        "mathlib",
        None,
        "the functions s c a l e j, and 20 digits after the decimal point",
        true,
    ),
    option('q', "quiet", None, "accepted; there is no greeting", false),
];

static SPEC: Spec = Spec {
    name: "bc",
    summary: "evaluates expressions with any precision",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file]...",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("echo '2^64 - 1' | bc", "every digit of it"),
        example("echo 'scale=3; 22/7' | bc", "three digits after the decimal point"),
        example("echo 'e(1)' | bc -l", "functions of the standard library"),
        example("paste -d+ count-*.txt | bc", "numbers added up line by line"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Bc {
    library: bool,
    files: Vec<Vec<u8>>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Bc { library: arguments.has('l'), files: arguments.operand_values() }))
}

fn explain(arguments: &Arguments) -> String {
    let digits = if arguments.has('l') { ", with 20 digits after the decimal point" } else { "" };
    let from = match arguments.operands.first() {
        Some(_) => {
            let names: Vec<String> = arguments
                .operands
                .iter()
                .map(|operand| String::from_utf8_lossy(&operand.value).into_owned())
                .collect();
            format!("the expressions in {}, then of its input", crate::text::phrases::list(&names))
        }
        None => "each line of expressions".to_owned(),
    };
    format!("evaluates {from}{digits}")
}

/// A text that comes line by line, of which the first part was run.
struct Program {
    input: Input,
    name: String,
    text: Vec<u8>,
    /// Where what is not run yet begins in it.
    start: usize,
    /// The line that begins there.
    first: LineId,
    /// The line in words, from 1.
    line: u64,
    ended: bool,
}

impl Program {
    fn new(input: Input, name: String) -> Self {
        let first = LineId::new(input.number(), 0);
        Self { input, name, text: Vec::new(), start: 0, first, line: 1, ended: false }
    }

    /// What is not run yet.
    fn rest(&self) -> &[u8] {
        &self.text[self.start..]
    }

    /// Reads more of the text. False at its end.
    fn more(&mut self) -> Result<bool, ReadError> {
        match self.input.next_lines()? {
            Some(lines) => {
                self.text.drain(..self.start);
                self.start = 0;
                self.text.extend_from_slice(&lines.bytes);
                Ok(true)
            }
            None => {
                self.ended = true;
                Ok(false)
            }
        }
    }
}

/// What a running program reads with `read`.
struct Rest<'r> {
    /// Lines behind the one that runs.
    text: &'r mut Vec<u8>,
    from: usize,
    control: &'r stream::RunControl,
}

impl Outside for Rest<'_> {
    fn line(&mut self) -> Option<Vec<u8>> {
        let rest = self.text.get(self.from..).filter(|rest| !rest.is_empty())?;
        let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |newline| newline + 1);
        let line: Vec<u8> = self.text.drain(self.from..self.from + end).collect();
        Some(line.strip_suffix(b"\n").unwrap_or(&line).to_vec())
    }

    fn goes_on(&self) -> bool {
        !self.control.is_cancelled()
    }
}

/// True where a text is one of bc, from beginning to end.
pub(crate) fn parses(text: &[u8]) -> bool {
    let mut names = Names::default();
    let mut at = 0;
    while at < text.len() {
        match parser::next_item(&text[at..], &mut names, true) {
            Ok((_, length)) => at += length.max(1),
            Err(_) => return false,
        }
    }
    true
}

impl Bc {
    /// Runs a text to its end. False when the program said it was over.
    fn run_text(
        calculator: &mut Calculator,
        names: &mut Names,
        program: &mut Program,
        io: &mut StageIo<'_>,
    ) -> Result<bool, StageError> {
        // Where the text is searched for the end of an item again; grows as the item does.
        let mut wanted = 0;
        loop {
            if !program.ended && (program.rest().len() < wanted || program.rest().is_empty()) {
                match program.more() {
                    Ok(true) => continue,
                    Ok(false) => {}
                    Err(error) => {
                        return Err(crate::common::input::line_feed::read_failure(
                            1,
                            program.name.as_bytes(),
                            error,
                        ));
                    }
                }
            }
            if program.rest().is_empty() && program.ended {
                return Ok(true);
            }
            let found = parser::next_item(program.rest(), names, program.ended);
            let (item, length) = match found {
                Ok(found) => found,
                Err(Fault::Incomplete) if program.ended => {
                    let message = "the input ends in the middle of a statement";
                    Self::complain(program, 0, message, io)?;
                    return Ok(true);
                }
                Err(Fault::Incomplete) => {
                    // Twice as much, so that long items take time in proportion to their length.
                    let size = program.rest().len();
                    wanted = if Self::is_closed(program.rest()) { size + 1 } else { 2 * size };
                    match program.more() {
                        Ok(_) => continue,
                        Err(error) => {
                            let name = program.name.clone();
                            return Err(crate::common::input::line_feed::read_failure(
                                1,
                                name.as_bytes(),
                                error,
                            ));
                        }
                    }
                }
                Err(Fault::Wrong { span, message }) => {
                    Self::complain(program, span.start, &message, io)?;
                    // The rest of that line is passed over.
                    let rest = &program.rest()[span.start..];
                    let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
                    Self::pass(program, span.start + end);
                    wanted = 0;
                    continue;
                }
            };
            wanted = 0;
            let lines = memchr::memchr_iter(b'\n', &program.rest()[..length]).count() as u64;
            let (from, to) = (program.first, program.first.plus(lines.saturating_sub(1)));
            if let Some(item) = item {
                let control = io.cancel().clone();
                let from_text = program.start + length;
                let mut rest = Rest { text: &mut program.text, from: from_text, control: &control };
                let outcome = calculator.item(&item, names, &mut rest);
                let out = std::mem::take(&mut calculator.out);
                io.out().put(&out, Origin::Range(from, to))?;
                match outcome {
                    Ok(()) => {}
                    Err(stop) => match *stop {
                        Stop::Halt => return Ok(false),
                        Stop::Cancelled => return Err(StageError::Cancelled),
                        Stop::Fault { span, message } => {
                            Self::complain(program, span.start, &message, io)?;
                        }
                    },
                }
            }
            Self::pass(program, length);
        }
    }

    /// True where all braces are closed: then one more line may do.
    fn is_closed(text: &[u8]) -> bool {
        let count = |byte| memchr::memchr_iter(byte, text).count();
        count(b'{') <= count(b'}')
    }

    fn pass(program: &mut Program, length: usize) {
        let lines = memchr::memchr_iter(b'\n', &program.rest()[..length]).count() as u64;
        program.start += length;
        program.first = program.first.plus(lines);
        program.line += lines;
    }

    fn complain(
        program: &Program,
        at: usize,
        message: &str,
        io: &mut StageIo<'_>,
    ) -> Result<(), StageError> {
        io.note_status(1);
        let before = &program.rest()[..at.min(program.rest().len())];
        let line = program.line + memchr::memchr_iter(b'\n', before).count() as u64;
        let row = memchr::memrchr(b'\n', before).map_or(0, |newline| newline + 1);
        let column = crate::text::characters::count(&before[row..]) + 1;
        io.message(&format!("{}, line {line}, column {column}: {message}", program.name))
    }
}

impl Filter for Bc {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let width = match io.files().variable("BC_LINE_LENGTH") {
            Some(width) => width.to_str().and_then(|width| width.parse().ok()).unwrap_or(WIDTH),
            None => WIDTH,
        };
        let mut calculator = Calculator::new(self.library, width);
        let mut names = Names::default();
        for file in &self.files {
            let shown = String::from_utf8_lossy(file).into_owned();
            match io.open(file) {
                Ok(input) => {
                    let mut program = Program::new(input, shown);
                    if !Self::run_text(&mut calculator, &mut names, &mut program, io)? {
                        return Ok(io.status());
                    }
                }
                Err(error) => {
                    let reason = stream::describe(&error);
                    return Err(StageError::failed(1, format!("{shown}: {reason}")));
                }
            }
        }
        let input = io.open_stdin();
        let mut program = Program::new(input, "standard input".to_owned());
        Self::run_text(&mut calculator, &mut names, &mut program, io)?;
        Ok(io.status())
    }

    fn verb_varies(&self) -> bool {
        true
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}
