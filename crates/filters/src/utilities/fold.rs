//! `fold`: breaks long lines.

use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::characters;
use crate::text::phrases::{counted, from_files};

const OPTIONS: &[OptionSpec] = &[
    option('b', "bytes", None, "count bytes, not columns", true),
    option('s', "spaces", None, "break at blanks where possible", true),
    option('w', "width", Some("NUM"), "columns a line may have (default 80)", true),
];

static SPEC: Spec = Spec {
    name: "fold",
    summary: "breaks long lines",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberIs('w'),
    usage_status: 1,
    examples: &[example(
        "fold -s -w 60 wardens.txt",
        "no line longer than 60 columns, broken at blanks",
    )],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Fold {
    files: Vec<Vec<u8>>,
    bytes: bool,
    spaces: bool,
    width: usize,
}

fn width(arguments: &Arguments) -> Result<usize, UsageError> {
    let Some(given) = arguments.last('w') else { return Ok(80) };
    match std::str::from_utf8(&given.value).ok().and_then(|text| text.parse::<u64>().ok()) {
        Some(width) if width > 0 => Ok(usize::try_from(width).unwrap_or(usize::MAX)),
        _ => {
            let message = format!("invalid number of columns: {}", shown(&given.value));
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Fold {
        files: arguments.operand_values(),
        bytes: arguments.has('b'),
        spaces: arguments.has('s'),
        width: width(arguments)?,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let width = width(arguments).unwrap_or(80) as u64;
    let (one, many) = if arguments.has('b') { ("byte", "bytes") } else { ("column", "columns") };
    let at = if arguments.has('s') { ", at blanks where possible" } else { "" };
    let files = from_files(&arguments.operand_values());
    format!("breaks lines{files} longer than {}{at}", counted(width, one, many))
}

impl Filter for Fold {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, _| self.one_input(io, input))?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Splits
    }
}

impl Fold {
    fn one_input(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let traced = io.keeps_origins();
        let mut folded = Vec::new();
        while let Some(lines) = input.next_lines()? {
            folded.clear();
            folded.reserve(lines.bytes.len() + lines.bytes.len() / self.width.max(1));
            let ends_line = lines.bytes.ends_with(b"\n");
            let mut ids: Vec<LineId> = Vec::new();
            for (id, line) in lines.iter() {
                let start = folded.len();
                self.fold(line, &mut folded);
                folded.push(b'\n');
                if traced {
                    let count = memchr::memchr_iter(b'\n', &folded[start..]).count();
                    ids.extend(std::iter::repeat_n(id, count));
                }
            }
            if !ends_line {
                folded.pop();
            }
            if traced {
                let mut rest = &folded[..];
                for id in ids {
                    let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
                    io.out().put(&rest[..end], Origin::Line(id))?;
                    rest = &rest[end..];
                }
            } else {
                io.out().put(&folded, Origin::Line(lines.first))?;
            }
        }
        Ok(())
    }

    fn fold(&self, line: &[u8], folded: &mut Vec<u8>) {
        if self.bytes || characters::plain_run(line) == line.len() {
            // Every byte is a column.
            let mut rest = line;
            while rest.len() > self.width {
                let (piece, _) = rest.split_at(self.width);
                let blank = if self.spaces { memchr::memrchr2(b' ', b'\t', piece) } else { None };
                let (piece, after) = rest.split_at(blank.map_or(piece.len(), |at| at + 1));
                folded.extend_from_slice(piece);
                folded.push(b'\n');
                rest = after;
            }
            return folded.extend_from_slice(rest);
        }
        // Where the line being made begins, and its columns so far.
        let mut start = folded.len();
        let mut column = 0;
        let mut rest = line;
        while !rest.is_empty() {
            let room = self.width.saturating_sub(column).min(rest.len());
            let plain = characters::plain_run(&rest[..room]);
            if plain > 0 {
                folded.extend_from_slice(&rest[..plain]);
                column += plain;
                rest = &rest[plain..];
                continue;
            }
            let (character, length) = characters::first(rest);
            loop {
                let next = column_after(column, rest[0], character);
                if next <= self.width {
                    column = next;
                    break;
                }
                if self.spaces
                    && let Some(at) =
                        folded[start..].iter().rposition(|byte| matches!(byte, b' ' | b'\t'))
                {
                    let end = start + at + 1;
                    let tail = folded.split_off(end);
                    folded.push(b'\n');
                    start = folded.len();
                    folded.extend_from_slice(&tail);
                    column = characters::each(&tail).fold(0, |column, (character, bytes)| {
                        column_after(column, bytes[0], character)
                    });
                    continue;
                }
                if folded.len() == start {
                    column = next;
                    break;
                }
                folded.push(b'\n');
                start = folded.len();
                column = 0;
            }
            folded.extend_from_slice(&rest[..length]);
            rest = &rest[length..];
        }
    }
}

fn column_after(column: usize, byte: u8, character: Option<char>) -> usize {
    match byte {
        8 => column.saturating_sub(1),
        b'\r' => 0,
        b'\t' => column - column % 8 + 8,
        // Other control bytes count as the host counts them.
        0..=0x1f | 0x7f => column + 1,
        _ => column + characters::width(character),
    }
}
