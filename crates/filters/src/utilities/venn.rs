//! Set operations between two inputs. A filter of our own.

use std::collections::HashMap;

use stream::{ExitStatus, Input, LineId, Origin, StageError, StageIo};

use crate::common::input::line_feed::{open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, shown,
};
use crate::text::characters;
use crate::text::phrases::file_name;

const BY: OptionId = OptionId::Long("by");
const TEXT: OptionId = OptionId::Long("text");

const OPTIONS: &[OptionSpec] = &[
    long_option("by", Some("UNIT"), "what the items are: line, byte or char", false),
    long_option("text", None, "the operands are the texts themselves, not files", false),
];

static SPEC: Spec = Spec {
    name: "venn",
    summary: "set operations between two inputs: union, intersection, difference, symmetric-difference",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "operation one other",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example(
            "venn intersection spares-upper.txt spares-lower.txt",
            "the spares both stations have",
        ),
        example(
            "venn difference spares-upper.txt spares-lower.txt",
            "those only the upper station has",
        ),
        example("venn union --by=char --text winch rope", "every letter of both words, once"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Operation {
    Union,
    Intersection,
    Difference,
    SymmetricDifference,
}

const OPERATIONS: [(&str, Operation); 4] = [
    ("union", Operation::Union),
    ("intersection", Operation::Intersection),
    ("difference", Operation::Difference),
    ("symmetric-difference", Operation::SymmetricDifference),
];

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Unit {
    Line,
    Byte,
    Character,
}

/// The one entry that `text` begins or is.
fn chosen<T: Copy>(text: &[u8], names: &[(&str, T)]) -> Option<T> {
    let begun: Vec<&(&str, T)> = names
        .iter()
        .filter(|(name, _)| !text.is_empty() && name.as_bytes().starts_with(text))
        .collect();
    match begun[..] {
        [(_, only)] => Some(*only),
        _ => None,
    }
}

struct Venn {
    operation: Operation,
    unit: Unit,
    text: bool,
    operands: [Vec<u8>; 2],
}

fn parse(arguments: &Arguments) -> Result<Venn, UsageError> {
    let Some(operation) = arguments.operands.first() else {
        let message = "which operation? union, intersection, difference or symmetric-difference";
        return Err(UsageError::with_hint(&SPEC, None, message));
    };
    let Some(chosen_operation) = chosen(&operation.value, &OPERATIONS) else {
        let message = format!(
            "{} is not an operation: union, intersection, difference or symmetric-difference",
            shown(&operation.value)
        );
        return Err(UsageError::with_hint(&SPEC, Some(operation.word), &message));
    };
    arguments.at_least(&SPEC, 3)?;
    arguments.at_most(&SPEC, 3)?;
    let units = [
        ("line", Unit::Line),
        ("byte", Unit::Byte),
        ("char", Unit::Character),
        ("character", Unit::Character),
    ];
    let unit = match arguments.last(BY) {
        None => Unit::Line,
        Some(given) => match units
            .iter()
            .find(|(name, _)| name.as_bytes().starts_with(&given.value) && !given.value.is_empty())
        {
            Some((_, unit)) => *unit,
            None => {
                let message = format!("{} is not a unit: line, byte or char", shown(&given.value));
                return Err(UsageError::with_hint(&SPEC, Some(given.word), &message));
            }
        },
    };
    let [one, other] = [1, 2].map(|number: usize| arguments.operands[number].value.clone());
    Ok(Venn {
        operation: chosen_operation,
        unit,
        text: arguments.has(TEXT),
        operands: [one, other],
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    parse(arguments).map(|venn| Box::new(venn) as Box<dyn Filter>)
}

fn explain(arguments: &Arguments) -> String {
    let Ok(venn) = parse(arguments) else { return SPEC.summary.to_owned() };
    let items = match venn.unit {
        Unit::Line => "line",
        Unit::Byte => "byte",
        Unit::Character => "character",
    };
    let [one, other] = [0, 1].map(|number: usize| {
        let operand = &venn.operands[number];
        if venn.text {
            format!("“{}”", String::from_utf8_lossy(operand))
        } else {
            file_name(operand)
        }
    });
    match venn.operation {
        Operation::Union => format!("writes every {items} of {one} and {other}, once each"),
        Operation::Intersection => {
            format!("writes every {items} that both {one} and {other} have, once each")
        }
        Operation::Difference => {
            format!("writes every {items} of {one} that {other} has not, once each")
        }
        Operation::SymmetricDifference => {
            format!("writes every {items} that only one of {one} and {other} has, once each")
        }
    }
}

/// The distinct items of the first operand and then of the second, in the order they came, and
/// which of both have each. Memory: the distinct items.
#[derive(Default)]
struct Items {
    known: HashMap<Box<[u8]>, usize, foldhash::fast::RandomState>,
    list: Vec<Item>,
}

struct Item {
    bytes: Box<[u8]>,
    first: Option<LineId>,
    second: Option<LineId>,
    inside: [bool; 2],
}

impl Items {
    fn add(&mut self, bytes: &[u8], side: usize, id: Option<LineId>) {
        let number = if let Some(number) = self.known.get(bytes) {
            *number
        } else {
            let number = self.list.len();
            self.known.insert(bytes.into(), number);
            self.list.push(Item {
                bytes: bytes.into(),
                first: None,
                second: None,
                inside: [false; 2],
            });
            number
        };
        let item = &mut self.list[number];
        if !item.inside[side] {
            item.inside[side] = true;
            let place = if side == 0 { &mut item.first } else { &mut item.second };
            *place = id;
        }
    }

    fn add_all(&mut self, bytes: &[u8], unit: Unit, side: usize, id: Option<LineId>) {
        match unit {
            Unit::Line => self.add(bytes, side, id),
            Unit::Byte => bytes.chunks(1).for_each(|byte| self.add(byte, side, id)),
            Unit::Character => {
                characters::each(bytes).for_each(|(_, character)| self.add(character, side, id));
            }
        }
    }
}

impl Filter for Venn {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut items = Items::default();
        // Both operands may be standard input: it is one stream, so the second is empty then.
        for side in 0..2 {
            let operand = self.operands[side].clone();
            if self.text {
                if self.unit == Unit::Line {
                    let text = operand.strip_suffix(b"\n").unwrap_or(&operand);
                    for line in text.split(|byte| *byte == b'\n') {
                        items.add(line, side, None);
                    }
                } else {
                    items.add_all(&operand, self.unit, side, None);
                }
                continue;
            }
            let mut input = io.open(&operand).map_err(|error| open_failure(2, &operand, &error))?;
            self.read(io, &mut input, &operand, side, &mut items)?;
        }
        self.write(io, &items)
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        if self.unit != Unit::Line || self.text {
            return None;
        }
        let has = |input: usize, up_to: u64| {
            let mut lines = (0..up_to).filter_map(|number| dropped.lines.line(input, number));
            lines.any(|line| line == dropped.line)
        };
        let side = dropped.input.min(1);
        let other = has(1 - side, dropped.lines.count(1 - side));
        let place = ["the first file", "the second file"];
        let why = match self.operation {
            Operation::Intersection if !other => {
                return Some(format!("only in {}", place[side]));
            }
            Operation::Difference if side == 1 => {
                return Some("a line of the second file, which only takes lines away".to_owned());
            }
            Operation::Difference | Operation::SymmetricDifference if other => {
                return Some("in both files".to_owned());
            }
            _ => "the same line came before it",
        };
        let again = has(side, dropped.number) || (side == 1 && other);
        again.then(|| why.to_owned())
    }

    fn verb(&self) -> Verb {
        match self.operation {
            Operation::Intersection | Operation::Difference => Verb::Keeps,
            _ => Verb::Merges,
        }
    }

    fn holds(&self) -> Option<&'static str> {
        Some("an item of the first input may occur in the last line of the second")
    }
}

impl Venn {
    fn read(
        &self,
        io: &StageIo<'_>,
        input: &mut Input,
        name: &[u8],
        side: usize,
        items: &mut Items,
    ) -> Result<(), StageError> {
        let mut memory = 0u64;
        while let Some(lines) = input.next_lines().map_err(|error| read_failure(2, name, error))? {
            let before = items.list.len();
            match self.unit {
                Unit::Line => lines.iter().for_each(|(id, line)| items.add(line, side, Some(id))),
                Unit::Character => {
                    // A newline ends a line; it is no item.
                    lines
                        .iter()
                        .for_each(|(id, line)| items.add_all(line, self.unit, side, Some(id)));
                }
                Unit::Byte => {
                    let mut id = lines.first;
                    for line in lines.bytes.split_inclusive(|byte| *byte == b'\n') {
                        items.add_all(line, self.unit, side, Some(id));
                        id = id.plus(1);
                    }
                }
            }
            memory += items.list[before..]
                .iter()
                .map(|item| 2 * item.bytes.len() as u64 + 128)
                .sum::<u64>();
            io.holds(memory);
        }
        Ok(())
    }

    fn write(&self, io: &mut StageIo<'_>, items: &Items) -> Result<ExitStatus, StageError> {
        let mut any = false;
        for item in &items.list {
            let taken = match (self.operation, item.inside) {
                (Operation::Union, _) => true,
                (Operation::Intersection, [one, other]) => one && other,
                (Operation::Difference, [one, other]) => one && !other,
                (Operation::SymmetricDifference, [one, other]) => one != other,
            };
            if !taken {
                continue;
            }
            any = true;
            let ids: Vec<LineId> = [item.first, item.second].into_iter().flatten().collect();
            if self.unit == Unit::Line {
                io.out().line(&item.bytes, Origin::List(&ids))?;
            } else {
                io.out().put(&item.bytes, Origin::List(&ids))?;
            }
        }
        if self.unit == Unit::Character && any && !io.out().at_line_start() {
            io.out().put(b"\n", Origin::None)?;
        }
        io.holds(0);
        Ok(ExitStatus::SUCCESS)
    }
}
