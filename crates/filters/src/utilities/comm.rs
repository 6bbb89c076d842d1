//! `comm`: compares two sorted files: only in the first, only in the second, in both.

use std::cmp::Ordering;

use stream::{ExitStatus, LineId, Origin, StageError, StageIo};

use crate::common::input::line_feed::{LineFeed, open_failure, read_failure};
use crate::common::options::sorted_input::{CHECK_OPTIONS, Check};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option,
};
use crate::text::phrases::{file_name, list};

const DELIMITER: OptionId = OptionId::Long("output-delimiter");
const TOTAL: OptionId = OptionId::Long("total");

const OPTIONS: &[OptionSpec] = &[
    option('1', "", None, "leave out lines only in the first file", true),
    option('2', "", None, "leave out lines only in the second file", true),
    option('3', "", None, "leave out lines in both", true),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    CHECK_OPTIONS[0],
    CHECK_OPTIONS[1],
    long_option("output-delimiter", Some("TEXT"), "put TEXT between the columns, not TAB", false),
    long_option("total", None, "end with the three counts", false),
];

static SPEC: Spec = Spec {
    name: "comm",
    summary: "compares two sorted files: only in the first, only in the second, in both",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "file1 file2",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("comm -12 upper.sorted lower.sorted", "the lines both files have"),
        example("sort spares-lower.txt | comm -23 upper.sorted -", "the lines only the first has"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Comm {
    files: [Vec<u8>; 2],
    /// Which of the three columns are left out.
    hidden: [bool; 3],
    check: Check,
    delimiter: Vec<u8>,
    total: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 2)?;
    arguments.at_most(&SPEC, 2)?;
    let mut files = arguments.operand_values();
    let second = files.pop().unwrap_or_default();
    let filter = Comm {
        files: [files.pop().unwrap_or_default(), second],
        hidden: ['1', '2', '3'].map(|letter| arguments.has(letter)),
        check: Check::of(arguments),
        delimiter: match arguments.last(DELIMITER) {
            None => b"\t".to_vec(),
            Some(given) if given.value.is_empty() => vec![0],
            Some(given) => given.value.clone(),
        },
        total: arguments.has(TOTAL),
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let names: Vec<String> =
        arguments.operands.iter().map(|operand| file_name(&operand.value)).collect();
    let (one, other) = match &names[..] {
        [one, other, ..] => (one.as_str(), other.as_str()),
        _ => ("the first", "the second"),
    };
    let mut shown = Vec::new();
    if !arguments.has('1') {
        shown.push(format!("only in {one}"));
    }
    if !arguments.has('2') {
        shown.push(format!("only in {other}"));
    }
    if !arguments.has('3') {
        shown.push("in both".to_owned());
    }
    if shown.is_empty() {
        return "reads both files and writes nothing".to_owned();
    }
    format!("keeps the lines {}; both must be in order", list(&shown))
}

struct Side {
    feed: LineFeed,
    name: Vec<u8>,
    open: bool,
    /// The lines before this one: the last, and the one before it.
    last: Vec<u8>,
    before: Option<Vec<u8>>,
    started: bool,
    out_of_order: bool,
}

impl Filter for Comm {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut sides = Vec::new();
        for name in &self.files {
            let input = io.open(name).map_err(|error| open_failure(1, name, &error))?;
            sides.push(Side {
                feed: LineFeed::new(input),
                name: name.clone(),
                open: true,
                last: Vec::new(),
                before: None,
                started: false,
                out_of_order: false,
            });
        }
        let mut unpaired = false;
        for number in 0..2 {
            self.advance(io, &mut sides, number, unpaired)?;
        }
        let mut totals = [0u64; 3];
        while sides[0].open || sides[1].open {
            let order = match (sides[0].open, sides[1].open) {
                (false, _) => Ordering::Greater,
                (_, false) => Ordering::Less,
                _ => sides[0].feed.line().cmp(sides[1].feed.line()),
            };
            match order {
                Ordering::Equal => {
                    totals[2] += 1;
                    let ids = [sides[0].feed.id(), sides[1].feed.id()];
                    self.write(io, 2, sides[1].feed.line(), &ids)?;
                }
                Ordering::Less => {
                    unpaired = true;
                    totals[0] += 1;
                    self.write(io, 0, sides[0].feed.line(), &[sides[0].feed.id()])?;
                }
                Ordering::Greater => {
                    unpaired = true;
                    totals[1] += 1;
                    self.write(io, 1, sides[1].feed.line(), &[sides[1].feed.id()])?;
                }
            }
            if order != Ordering::Greater {
                self.advance(io, &mut sides, 0, unpaired)?;
            }
            if order != Ordering::Less {
                self.advance(io, &mut sides, 1, unpaired)?;
            }
        }
        if self.total {
            let counts = totals.map(|count| count.to_string().into_bytes());
            let word = b"total".to_vec();
            let parts = [&counts[0], &counts[1], &counts[2], &word].map(|part| &part[..]);
            io.out().line(&parts.join(&self.delimiter[..]), Origin::None)?;
        }
        if sides.iter().any(|side| side.out_of_order) {
            return Err(StageError::failed(1, "input is not in sorted order"));
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        // Of several equal lines each has one of the other file to itself.
        let equal = |input: usize, up_to: u64| {
            let lines = (0..up_to).filter_map(|number| dropped.lines.line(input, number));
            lines.filter(|line| line == dropped.line).count()
        };
        let own = equal(dropped.input, dropped.number + 1);
        let other = 1 - dropped.input.min(1);
        let paired = equal(other, dropped.lines.count(other)) >= own;
        let column = if paired { 2 } else { dropped.input.min(1) };
        self.hidden[column].then(|| {
            let place = ["only in the first file", "only in the second file", "in both files"];
            format!("{}, which -{} leaves out", place[column], column + 1)
        })
    }

    fn verb(&self) -> Verb {
        if self.hidden.iter().filter(|hidden| **hidden).count() == 2 {
            Verb::Keeps
        } else {
            Verb::Merges
        }
    }
}

impl Comm {
    fn write(
        &self,
        io: &mut StageIo<'_>,
        column: usize,
        line: &[u8],
        ids: &[LineId],
    ) -> Result<(), StageError> {
        if self.hidden[column] {
            return Ok(());
        }
        let shown_before = self.hidden[..column].iter().filter(|hidden| !**hidden).count();
        if shown_before == 0 {
            io.out().line(line, Origin::List(ids))?;
        } else {
            let mut whole = self.delimiter.repeat(shown_before);
            whole.extend_from_slice(line);
            io.out().line(&whole, Origin::List(ids))?;
        }
        Ok(())
    }

    /// Goes to the next line of one side and looks whether it is in order.
    fn advance(
        &self,
        io: &mut StageIo<'_>,
        sides: &mut [Side],
        number: usize,
        unpaired: bool,
    ) -> Result<(), StageError> {
        let side = &mut sides[number];
        if !side.open {
            return Ok(());
        }
        let looks = match self.check {
            Check::Always => true,
            Check::WhenItMatters => !side.out_of_order,
            Check::Never => false,
        };
        if looks && side.started {
            let mut current = side.before.take().unwrap_or_default();
            current.clear();
            current.extend_from_slice(side.feed.line());
            side.before = Some(std::mem::replace(&mut side.last, current));
        }
        let first = !side.started;
        side.open = side.feed.advance().map_err(|error| read_failure(1, &side.name, error))?;
        side.started = true;
        if first || !looks || !(self.check == Check::Always || unpaired) || side.out_of_order {
            return Ok(());
        }
        let disordered = if side.open {
            &side.last[..] > side.feed.line()
        } else {
            // An unpaired line may have shown up since the last look.
            side.before.as_ref().is_some_and(|before| before > &side.last)
        };
        if disordered {
            side.out_of_order = true;
            let message = format!("file {} is not in sorted order", number + 1);
            if self.check == Check::Always {
                return Err(StageError::failed(1, message));
            }
            io.message(&message)?;
        }
        Ok(())
    }
}
