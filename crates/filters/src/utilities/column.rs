//! `column`: aligns fields as a table, or puts short lines into columns.

use bytes::Bytes;
use stream::{ExitStatus, LineId, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::characters::text_width;
use crate::text::phrases::{from_files, named};

const OPTIONS: &[OptionSpec] = &[
    option('L', "keep-empty-lines", None, "keep empty lines", false),
    option('N', "table-columns", Some("NAMES"), "headings, separated by commas (with -t)", false),
    option(
        'R',
        "table-right",
        Some("COLUMNS"),
        "align these columns to the right: numbers or names (with -t)",
        false,
    ),
    option(
        'c',
        "output-width",
        Some("NUM"),
        "columns of the screen (default 80; not with -t)",
        false,
    ),
    option('d', "table-noheadings", None, "do not print the headings", false),
    option(
        'o',
        "output-separator",
        Some("TEXT"),
        "put TEXT between columns, not two spaces (with -t)",
        false,
    ),
    option(
        's',
        "separator",
        Some("CHARS"),
        "fields end at any of CHARS instead of at runs of blanks (with -t)",
        false,
    ),
    option('t', "table", None, "one table: fields aligned", false),
    option('x', "fillrows", None, "fill rows before columns (without -t)", false),
];

static SPEC: Spec = Spec {
    name: "column",
    summary: "aligns fields as a table, or puts short lines into columns",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("column -t -s, cabins.csv", "comma fields as a table"),
        example(
            "column -t -s, -o' | ' -R 3 cabins.csv",
            "the third column to the right, bars between",
        ),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Column {
    files: Vec<Vec<u8>>,
    table: bool,
    keeps_empty: bool,
    separators: Option<Vec<u8>>,
    between: Vec<u8>,
    names: Vec<Vec<u8>>,
    headings: bool,
    /// Columns, from 0, to align to the right.
    right: Vec<usize>,
    width: usize,
    rows_first: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let table = arguments.has('t');
    for (short, long) in [('N', "table-columns"), ('R', "table-right"), ('d', "table-noheadings")] {
        if let (false, Some(given)) = (table, arguments.last(short)) {
            let message = format!("option --table required for --{long}");
            return Err(UsageError::new(&SPEC, Some(given.word), message));
        }
    }
    let commas = |short| {
        let given = arguments.last(short);
        given.map_or_else(Vec::new, |given| {
            given.value.split(|byte| *byte == b',').map(<[u8]>::to_vec).collect()
        })
    };
    let names: Vec<Vec<u8>> = commas('N');
    let mut right = Vec::new();
    for part in commas('R') {
        let number = std::str::from_utf8(&part).ok().and_then(|text| text.parse::<usize>().ok());
        let column = match number {
            Some(number) if number > 0 => Some(number - 1),
            _ => names.iter().position(|name| *name == part),
        };
        let Some(column) = column else {
            let message = format!("undefined column name {}", shown(&part));
            return Err(UsageError::new(
                &SPEC,
                arguments.last('R').map(|given| given.word),
                message,
            ));
        };
        right.push(column);
    }
    Ok(Box::new(Column {
        files: arguments.operand_values(),
        table,
        keeps_empty: arguments.has('L'),
        separators: arguments.last('s').map(|given| given.value.clone()),
        between: arguments.last('o').map_or_else(|| b"  ".to_vec(), |given| given.value.clone()),
        headings: !names.is_empty() && !arguments.has('d'),
        names,
        right,
        width: arguments.number(&SPEC, 'c', "invalid columns argument")?.unwrap_or(80) as usize,
        rows_first: arguments.has('x'),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    if !arguments.has('t') {
        return format!("puts the lines{files} into columns side by side");
    }
    match arguments.last('s') {
        None => format!("aligns the words of the lines{files} as a table"),
        Some(given) => format!(
            "aligns the fields of the lines{files}, ended by {}, as a table",
            named(&given.value)
        ),
    }
}

impl Filter for Column {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let mut held: Vec<(Bytes, LineId)> = Vec::new();
        let mut bytes = 0;
        io.each_input(&files, 1, |io, input, _| {
            while let Some(lines) = input.next_lines()? {
                for (id, line) in lines.iter() {
                    let empty = line.iter().all(|byte| matches!(byte, b' ' | 9..=13));
                    if empty && !self.keeps_empty {
                        continue;
                    }
                    let start = line.as_ptr() as usize - lines.bytes.as_ptr() as usize;
                    held.push((lines.bytes.slice(start..start + line.len()), id));
                }
                bytes += lines.bytes.len() as u64;
                io.holds(bytes);
            }
            Ok(())
        })?;
        if self.table {
            self.write_table(io, &held)?;
        } else {
            self.fill(io, &held)?;
        }
        io.holds(0);
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        if self.table { Verb::Edits } else { Verb::Merges }
    }

    fn holds(&self) -> Option<&'static str> {
        Some("the widest field may be in the last line")
    }
}

impl Column {
    fn cells<'l>(&self, line: &'l [u8]) -> Vec<&'l [u8]> {
        match &self.separators {
            None => {
                let words = line.split(|byte| matches!(byte, b' ' | b'\t'));
                words.filter(|word| !word.is_empty()).collect()
            }
            Some(separators) => line.split(|byte| separators.contains(byte)).collect(),
        }
    }

    /// Memory: the input.
    fn write_table(
        &self,
        io: &mut StageIo<'_>,
        held: &[(Bytes, LineId)],
    ) -> Result<(), StageError> {
        let mut widths: Vec<usize> = self
            .names
            .iter()
            .map(|name| if self.headings { text_width(name) } else { 0 })
            .collect();
        for (line, _) in held {
            for (number, cell) in self.cells(line).into_iter().enumerate() {
                if number == widths.len() {
                    widths.push(0);
                }
                widths[number] = widths[number].max(text_width(cell));
            }
        }
        let mut whole = Vec::new();
        if self.headings && !held.is_empty() {
            let names: Vec<&[u8]> = self.names.iter().map(|name| &name[..]).collect();
            self.write_row(&names, &widths, &mut whole);
            io.out().line(&whole, Origin::None)?;
        }
        for (number, (line, id)) in held.iter().enumerate() {
            if number.is_multiple_of(1 << 12) {
                io.check_cancel()?;
            }
            whole.clear();
            self.write_row(&self.cells(line), &widths, &mut whole);
            io.out().line(&whole, Origin::Line(*id))?;
        }
        Ok(())
    }

    fn write_row(&self, cells: &[&[u8]], widths: &[usize], whole: &mut Vec<u8>) {
        for (number, width) in widths.iter().enumerate() {
            if number > 0 {
                whole.extend_from_slice(&self.between);
            }
            let cell = cells.get(number).copied().unwrap_or_default();
            let padding = width - text_width(cell).min(*width);
            let right = self.right.contains(&number);
            if right {
                whole.resize(whole.len() + padding, b' ');
            }
            whole.extend_from_slice(cell);
            if !right && number + 1 < widths.len() {
                whole.resize(whole.len() + padding, b' ');
            }
        }
    }

    /// Lines side by side, tabs between.
    fn fill(&self, io: &mut StageIo<'_>, held: &[(Bytes, LineId)]) -> Result<(), StageError> {
        let widest = held.iter().map(|(line, _)| text_width(line)).max().unwrap_or(0);
        let column = (widest + 8) & !7;
        if widest >= self.width || column >= self.width {
            for (line, id) in held {
                io.out().line(line, Origin::Line(*id))?;
            }
            return Ok(());
        }
        let across = (self.width / column).max(1);
        let rows = held.len().div_ceil(across);
        for row in 0..rows {
            let numbers: Vec<usize> = if self.rows_first {
                (row * across..((row + 1) * across).min(held.len())).collect()
            } else {
                (row..held.len()).step_by(rows).collect()
            };
            let (mut whole, mut ids) = (Vec::new(), Vec::new());
            let (mut at, mut end) = (0, column);
            for (place, number) in numbers.iter().enumerate() {
                let (line, id) = &held[*number];
                whole.extend_from_slice(line);
                ids.push(*id);
                at += text_width(line);
                if place + 1 < numbers.len() {
                    while (at + 8) & !7 <= end {
                        whole.push(b'\t');
                        at = (at + 8) & !7;
                    }
                    end += column;
                }
            }
            io.out().line(&whole, Origin::List(&ids))?;
        }
        Ok(())
    }
}
