//! `tr`: translates, deletes or squeezes characters.

use bytes::Bytes;
use stream::{
    ExitStatus, Input, LineId, Lines, Origin, ReadError, StageError, StageIo, WriteError,
};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};

mod apply;
mod sets;
mod table;

use apply::{Action, ByteMap};
use sets::Set;
use table::Table;

const OPTIONS: &[OptionSpec] = &[
    option('c', "complement", None, "use all characters that are not in the first set", true),
    option('C', "", None, "as -c", true),
    option('d', "delete", None, "delete the characters of the first set", true),
    option(
        's',
        "squeeze-repeats",
        None,
        "squeeze repeats of a character of the last set into one",
        true,
    ),
    option('t', "truncate-set1", None, "cut the first set to the length of the second", false),
];

static SPEC: Spec = Spec {
    name: "tr",
    summary: "translates, deletes or squeezes characters",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "set [set]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("tr a-z A-Z", "capital letters"),
        example("tr -s ' '", "one space for several"),
        example("tr -d '\\r'", "no carriage returns"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Tr {
    action: Action,
    /// Whole blocks at once where characters are bytes and nothing is dropped.
    fast: Option<ByteMap>,
    /// True where newlines stay newlines and nothing else becomes one, so that lines stay.
    keeps_lines: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let (delete, squeeze) = (arguments.has('d'), arguments.has('s'));
    let complement = arguments.has('c') || arguments.has('C');
    let operands = &arguments.operands;
    let usage = |at: Option<usize>, message: &str| {
        let word = at.and_then(|at| operands.get(at)).map(|operand| operand.word);
        UsageError::new(&SPEC, word, message)
    };
    let wants_two = delete == squeeze;
    match operands.len() {
        0 => return Err(usage(None, "missing operand\nTry 'tr --help' for more information.")),
        1 if wants_two => {
            let why = if delete { "deleting and squeezing needs" } else { "translating needs" };
            return Err(usage(
                Some(0),
                &format!(
                    "missing operand after ‘{}’: {why} two sets",
                    String::from_utf8_lossy(&operands[0].value)
                ),
            ));
        }
        2 if delete && !squeeze => {
            return Err(usage(Some(1), "extra operand: deleting without squeezing needs one set"));
        }
        1 | 2 => {}
        _ => return Err(usage(Some(2), "extra operand")),
    }
    let parse = |at: usize, second: bool| {
        Set::parse(&operands[at].value, second).map_err(|message| usage(Some(at), &message))
    };
    let first = parse(0, false)?;
    let second = if operands.len() == 2 { Some(parse(1, true)?) } else { None };
    let translate = !delete && second.is_some();
    let action = Action::new(
        first,
        second,
        apply::Options { delete, squeeze, complement, translate, truncate: arguments.has('t') },
    )
    .map_err(|message| usage(Some(1), &message))?;
    Ok(Box::new(Tr { fast: action.byte_map(), keeps_lines: action.keeps_lines(), action }))
}

fn explain(arguments: &Arguments) -> String {
    let set = |at: usize| {
        arguments.operands.get(at).map_or(String::new(), |operand| {
            format!("“{}”", String::from_utf8_lossy(&operand.value))
        })
    };
    let not = if arguments.has('c') || arguments.has('C') { "not in " } else { "of " };
    let (delete, squeeze) = (arguments.has('d'), arguments.has('s'));
    match (delete, squeeze, arguments.operands.len()) {
        (true, false, _) => format!("deletes every character {not}{}", set(0)),
        (true, true, _) => format!(
            "deletes every character {not}{} and makes one of repeats of those of {}",
            set(0),
            set(1)
        ),
        (false, true, 1) => format!("makes one of repeats of each character {not}{}", set(0)),
        (_, squeeze, _) => {
            let then = if squeeze { ", then makes one of repeats" } else { "" };
            format!("replaces each character {not}{} by its partner in {}{then}", set(0), set(1))
        }
    }
}

impl Filter for Tr {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut input = io.open_stdin();
        let outcome = match self.fast.take() {
            Some(map) if self.keeps_lines || !io.out().keeps_origins() => {
                run_fast(io, &mut input, &map)
            }
            _ => self.run_characters(io, &mut input),
        };
        match outcome {
            Ok(()) => Ok(io.status()),
            Err(Trouble::Write(error)) => Err(error.into()),
            Err(Trouble::Read(ReadError::Cancelled)) => Err(StageError::Cancelled),
            Err(Trouble::Read(ReadError::Io(error))) => {
                Err(StageError::failed(1, format!("read error: {}", stream::describe(&error))))
            }
        }
    }

    fn verb(&self) -> Verb {
        if self.keeps_lines { Verb::Edits } else { self.action.line_verb() }
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        self.action.changed(line)
    }
}

enum Trouble {
    Read(ReadError),
    Write(WriteError),
}

impl From<ReadError> for Trouble {
    fn from(error: ReadError) -> Self {
        Self::Read(error)
    }
}

impl From<WriteError> for Trouble {
    fn from(error: WriteError) -> Self {
        Self::Write(error)
    }
}

fn run_fast(io: &mut StageIo<'_>, input: &mut Input, map: &ByteMap) -> Result<(), Trouble> {
    while let Some(block) = input.next_block()? {
        let mut bytes = Vec::from(block.bytes);
        map.apply(&mut bytes);
        if map.keeps_newlines() {
            io.out().pass_lines(Lines {
                bytes: bytes.into(),
                first: block.first,
                newlines: block.newlines,
            })?;
        } else {
            io.out().put_owned(bytes, block.first)?;
        }
    }
    Ok(())
}

impl Tr {
    /// Character by character. A character cut in two by a block's end waits for the rest.
    fn run_characters(&mut self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), Trouble> {
        let table = Table::of(&self.action);
        let mut state = apply::State::default();
        let mut out = Vec::new();
        let mut pending: Vec<u8> = Vec::new();
        let mut at_end = false;
        let mut last = LineId::new(0, 0);
        while !at_end {
            let mut block = if let Some(block) = input.next_block()? {
                block
            } else {
                at_end = true;
                Lines { bytes: Bytes::new(), first: last, newlines: 0 }
            };
            last = block.first.plus(block.newlines);
            if !pending.is_empty() {
                // A cut character holds no newline, so the line is still the block's first.
                pending.extend_from_slice(&block.bytes);
                block.bytes = std::mem::take(&mut pending).into();
            }
            let bytes = &block.bytes;
            let usable = if at_end { bytes.len() } else { bytes.len() - sets::cut_tail(bytes) };
            pending = bytes[usable..].to_vec();
            if io.out().keeps_origins() && !self.keeps_lines {
                // Piece by piece, so that every output line knows the lines that made it.
                let mut id = block.first;
                for piece in bytes[..usable].split_inclusive(|&byte| byte == b'\n') {
                    out.clear();
                    table.apply(&self.action, piece, &mut state, &mut out);
                    io.out().put(&out, Origin::Line(id))?;
                    id = id.plus(1);
                }
            } else {
                out.clear();
                table.apply(&self.action, &bytes[..usable], &mut state, &mut out);
                io.out().put(&out, Origin::Sequence(block.first))?;
            }
        }
        Ok(())
    }
}
