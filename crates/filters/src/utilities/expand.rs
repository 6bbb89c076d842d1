//! `expand`: turns tabs into spaces.

use stream::{ExitStatus, StageError, StageIo};

use crate::common::input::line_feed::edit_lines;
use crate::common::options::tab_stops::TabStops;
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};
use crate::text::characters;
use crate::text::phrases::from_files;

const OPTIONS: &[OptionSpec] = &[
    option('i', "initial", None, "only tabs at the beginning of a line", false),
    option('t', "tabs", Some("LIST"), "tab stops: one width, or columns separated by commas", true),
];

static SPEC: Spec = Spec {
    name: "expand",
    summary: "turns tabs into spaces",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberIs('t'),
    usage_status: 1,
    examples: &[example("expand -t 4 station.conf", "tab stops every four columns")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Expand {
    files: Vec<Vec<u8>>,
    stops: TabStops,
    initial: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Expand {
        files: arguments.operand_values(),
        stops: TabStops::of(&SPEC, arguments)?,
        initial: arguments.has('i'),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let stops = TabStops::of(&SPEC, arguments).map(|stops| stops.in_words()).unwrap_or_default();
    let files = from_files(&arguments.operand_values());
    let which = if arguments.has('i') { "tabs at the beginning of lines" } else { "tabs" };
    format!("turns {which}{files} into spaces; tab stops {stops}")
}

impl Filter for Expand {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        edit_lines(io, &files, 1, |line, spread| self.expand(line, spread))?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}

impl Expand {
    fn expand(&self, line: &[u8], spread: &mut Vec<u8>) {
        if memchr::memchr(b'\t', line).is_none() {
            return spread.extend_from_slice(line);
        }
        let mut column = 0;
        let mut converts = true;
        let mut rest = line;
        while !rest.is_empty() {
            let (character, length) = match characters::plain_run(rest) {
                0 => characters::first(rest),
                plain => (None, plain),
            };
            let (bytes, after) = rest.split_at(length);
            rest = after;
            match bytes[0] {
                b' '..=b'~' => column += length,
                b'\t' if converts => {
                    let next = self.stops.next(column).unwrap_or(column + 1);
                    spread.resize(spread.len() + next - column, b' ');
                    column = next;
                    continue;
                }
                8 => column = column.saturating_sub(1),
                byte if byte < 0x20 || byte == 0x7f => column += 1,
                _ => column += characters::width(character),
            }
            converts &= !self.initial || bytes.iter().all(|byte| matches!(byte, b' ' | b'\t'));
            spread.extend_from_slice(bytes);
        }
    }
}
