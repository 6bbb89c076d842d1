//! `unexpand`: turns spaces into tabs.

use stream::{ExitStatus, StageError, StageIo};

use crate::common::input::line_feed::edit_lines;
use crate::common::options::tab_stops::TabStops;
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionId, OptionSpec, Spec, Style, UsageError, Verb,
    example, long_option, option,
};
use crate::text::characters;
use crate::text::phrases::from_files;

const FIRST_ONLY: OptionId = OptionId::Long("first-only");

const OPTIONS: &[OptionSpec] = &[
    option(
        'a',
        "all",
        None,
        "all runs of two or more blanks, not only those that begin a line",
        true,
    ),
    option(
        't',
        "tabs",
        Some("LIST"),
        "tab stops: one width, or columns separated by commas; means -a",
        true,
    ),
    long_option("first-only", None, "only blanks at the beginning of a line, even with -t", false),
];

static SPEC: Spec = Spec {
    name: "unexpand",
    summary: "turns spaces into tabs",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberIs('t'),
    usage_status: 1,
    examples: &[example("unexpand -a winch.status", "tabs wherever they save something")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Unexpand {
    files: Vec<Vec<u8>>,
    stops: TabStops,
    everywhere: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let everywhere = (arguments.has('a') || arguments.has('t')) && !arguments.has(FIRST_ONLY);
    Ok(Box::new(Unexpand {
        files: arguments.operand_values(),
        stops: TabStops::of(&SPEC, arguments)?,
        everywhere,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let stops = TabStops::of(&SPEC, arguments).map(|stops| stops.in_words()).unwrap_or_default();
    let files = from_files(&arguments.operand_values());
    let everywhere = (arguments.has('a') || arguments.has('t')) && !arguments.has(FIRST_ONLY);
    let which = if everywhere { "runs of blanks" } else { "blanks at the beginning of lines" };
    format!("turns {which}{files} into tabs; tab stops {stops}")
}

impl Filter for Unexpand {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        edit_lines(io, &files, 1, |line, packed| self.unexpand(line, packed))?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}

impl Unexpand {
    /// Blanks are held until it is clear whether they reach a tab stop. A single blank just
    /// before a stop stays a blank unless more follow.
    fn unexpand(&self, line: &[u8], packed: &mut Vec<u8>) {
        let mut converts = true;
        let mut column = 0;
        let mut pending: Vec<u8> = Vec::new();
        let mut single_before_stop = false;
        let mut blank_before = true;
        let mut rest = line;
        while converts && !rest.is_empty() {
            // Of what is no blank only the number of columns counts.
            let word = rest.iter().position(|byte| !matches!(byte, b'!'..=b'~'));
            let (character, length) = match word.unwrap_or(rest.len()) {
                0 => characters::first(rest),
                length => (None, length),
            };
            let (bytes, after) = rest.split_at(length);
            rest = after;
            let mut byte = bytes[0];
            let blank = matches!(byte, b' ' | b'\t');
            if blank {
                match self.stops.next(column) {
                    None => converts = false,
                    Some(stop) => {
                        if byte == b'\t' {
                            column = stop;
                            if let Some(first) = pending.first_mut() {
                                *first = b'\t';
                            }
                        } else {
                            column += 1;
                            if !(blank_before && column == stop) {
                                single_before_stop |= column == stop;
                                pending.push(byte);
                                blank_before = true;
                                continue;
                            }
                            byte = b'\t';
                            match pending.first_mut() {
                                Some(first) => *first = b'\t',
                                None => pending.push(b'\t'),
                            }
                        }
                        pending.truncate(usize::from(single_before_stop));
                    }
                }
            } else if byte == 8 {
                column = column.saturating_sub(1);
            } else if matches!(byte, b'!'..=b'~') {
                column += length;
            } else {
                let control = byte < 0x20 || byte == 0x7f;
                column += if control { 1 } else { characters::width(character) };
            }
            if !pending.is_empty() {
                if pending.len() > 1 && single_before_stop {
                    pending[0] = b'\t';
                }
                packed.append(&mut pending);
                single_before_stop = false;
            }
            blank_before = blank;
            converts &= self.everywhere || blank;
            if blank {
                packed.push(byte);
            } else {
                packed.extend_from_slice(bytes);
            }
        }
        if pending.len() > 1 && single_before_stop {
            pending[0] = b'\t';
        }
        packed.append(&mut pending);
        packed.extend_from_slice(rest);
    }
}
