//! `shuf`: puts lines in a random order.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use bytes::Bytes;
use fastrand::Rng;
use stream::{ExitStatus, LineId, Origin, StageError, StageIo, WriteMode};

use crate::common::input::line_feed::{open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option, shown,
};
use crate::text::phrases::{counted, from_files};

const SEED: OptionId = OptionId::Long("seed");

const OPTIONS: &[OptionSpec] = &[
    option('e', "echo", None, "the operands are the lines", false),
    option('i', "input-range", Some("LO-HI"), "the numbers from LO to HI are the lines", false),
    option('n', "head-count", Some("NUM"), "at most NUM lines", false),
    option('o', "output", Some("FILE"), "write to FILE", false),
    option('r', "repeat", None, "lines may repeat", false),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option("seed", Some("NUM"), "the same NUM gives the same order", false),
];

static SPEC: Spec = Spec {
    name: "shuf",
    summary: "puts lines in a random order",
    options: OPTIONS,
    operands: Operands::OneFile,
    operand_names: "[file]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("shuf -n 5 --seed=1 gate.log", "five lines at random, the same ones each time"),
        example("shuf -i 1-49 -n 6", "six numbers at random"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

enum Lines {
    File(Vec<u8>),
    Given(Vec<Vec<u8>>),
    Numbers(u64, u64),
}

struct Shuf {
    lines: Lines,
    most: u64,
    output: Option<Vec<u8>>,
    repeat: bool,
    seed: Option<u64>,
}

fn range(text: &[u8]) -> Option<(u64, u64)> {
    let text = std::str::from_utf8(text).ok()?;
    let (low, high) = text.split_once('-')?;
    let (low, high) = (low.parse().ok()?, high.parse::<u64>().ok()?);
    (low <= high || high.checked_add(1) == Some(low)).then_some((low, high))
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let lines = if arguments.has('e') {
        if let Some(given) = arguments.last('i') {
            let message = "cannot combine -e and -i options";
            return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
        }
        Lines::Given(arguments.operand_values())
    } else if let Some(given) = arguments.last('i') {
        arguments.at_most(&SPEC, 0)?;
        let Some((low, high)) = range(&given.value) else {
            let message = format!("invalid input range: {}", shown(&given.value));
            return Err(UsageError::new(&SPEC, Some(given.word), message));
        };
        Lines::Numbers(low, high)
    } else {
        arguments.at_most(&SPEC, 1)?;
        Lines::File(arguments.operand_values().pop().unwrap_or_else(|| b"-".to_vec()))
    };
    let mut most = u64::MAX;
    for given in arguments.all('n') {
        let Some(number) = crate::text::counts::count(&given.value) else {
            let message = format!("invalid line count: {}", shown(&given.value));
            return Err(UsageError::new(&SPEC, Some(given.word), message));
        };
        most = most.min(number);
    }
    let filter = Shuf {
        lines,
        most,
        output: arguments.last('o').map(|given| given.value.clone()),
        repeat: arguments.has('r'),
        seed: arguments.number(&SPEC, SEED, "invalid seed")?,
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let seed = if arguments.has(SEED) { ", the same each time" } else { "" };
    let what = if arguments.has('e') {
        "the operands".to_owned()
    } else if let Some(given) = arguments.last('i') {
        format!("the numbers {}", String::from_utf8_lossy(&given.value))
    } else {
        format!("the lines{}", from_files(&arguments.operand_values()))
    };
    match arguments.number(&SPEC, 'n', "").ok().flatten() {
        Some(most) => format!("picks {} of {what} at random{seed}", counted(most, "line", "lines")),
        None => format!("puts {what} in a random order{seed}"),
    }
}

impl Filter for Shuf {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut rng = Rng::with_seed(self.seed.unwrap_or_else(|| io.files().machine().random()));
        if let (Lines::Numbers(low, high), true) = (&self.lines, self.repeat)
            && low <= high
            && self.output.is_none()
        {
            for number in 0..self.most {
                if number.is_multiple_of(1 << 12) {
                    io.check_cancel()?;
                }
                io.out().line(rng.u64(low..=high).to_string().as_bytes(), Origin::None)?;
            }
            return Ok(ExitStatus::SUCCESS);
        }
        let chosen = match &self.lines {
            Lines::File(name) => self.of_file(io, &name.clone(), &mut rng)?,
            Lines::Given(lines) => {
                let all = lines.iter().map(|line| (Bytes::copy_from_slice(line), None));
                self.of_all(all.collect(), &mut rng)
            }
            Lines::Numbers(low, high) => self.numbers(*low, *high, &mut rng)?,
        };
        let mut out = match &self.output {
            None => None,
            Some(name) => {
                let path = Path::new(OsStr::from_bytes(name));
                let sink = io.files().write(path, WriteMode::Replace);
                Some(sink.map_err(|error| open_failure(1, name, &error))?)
            }
        };
        let mut number = 0u64;
        let mut endless = Endless { chosen: &chosen, rng: &mut rng, repeat: self.repeat };
        while let Some((line, id)) = endless.next(number, self.most) {
            number += 1;
            if number.is_multiple_of(1 << 12) {
                io.check_cancel()?;
            }
            if let Some(sink) = &mut out {
                sink.write(stream::Block::new([line, b"\n"].concat()))?;
                continue;
            }
            io.out().line(line, id.map_or(Origin::None, Origin::Line))?;
        }
        io.holds(0);
        if self.repeat && chosen.is_empty() && self.most > 0 {
            return Err(StageError::failed(1, "no lines to repeat"));
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        let most = crate::text::phrases::counted(self.most, "line", "lines");
        (self.most != u64::MAX).then(|| format!("not among the {most} drawn"))
    }

    fn verb(&self) -> Verb {
        match self.lines {
            Lines::File(_) if self.most == u64::MAX => Verb::Orders,
            Lines::File(_) => Verb::Keeps,
            _ => Verb::Makes,
        }
    }

    fn holds(&self) -> Option<&'static str> {
        matches!(self.lines, Lines::File(_)).then_some("any line may come first")
    }
}

/// Numbers held at the same time: about 6 GiB.
const NUMBERS_MAX: u64 = 1 << 26;

type Chosen = (Bytes, Option<LineId>);

/// The lines chosen, one after the other, or again and again.
struct Endless<'c> {
    chosen: &'c [Chosen],
    rng: &'c mut Rng,
    repeat: bool,
}

impl<'c> Endless<'c> {
    fn next(&mut self, number: u64, most: u64) -> Option<(&'c [u8], Option<LineId>)> {
        if number >= most || self.chosen.is_empty() {
            return None;
        }
        let at = if self.repeat { self.rng.usize(..self.chosen.len()) } else { number as usize };
        self.chosen.get(at).map(|(line, id)| (&line[..], *id))
    }
}

impl Shuf {
    fn of_all(&self, mut all: Vec<Chosen>, rng: &mut Rng) -> Vec<Chosen> {
        if !self.repeat {
            rng.shuffle(&mut all);
            all.truncate(usize::try_from(self.most).unwrap_or(usize::MAX));
        }
        all
    }

    /// Numbers, without making all of them where few are wanted.
    ///
    /// # Errors
    /// When all of more than can be held are wanted.
    fn numbers(&self, low: u64, high: u64, rng: &mut Rng) -> Result<Vec<Chosen>, StageError> {
        let line = |number: u64| (Bytes::from(number.to_string().into_bytes()), None);
        if low > high {
            return Ok(Vec::new());
        }
        if self.repeat || self.most >= (high - low) / 2 {
            if high - low >= NUMBERS_MAX {
                return Err(StageError::failed(1, "too many numbers for the memory; use -n"));
            }
            return Ok(self.of_all((low..=high).map(line).collect(), rng));
        }
        if self.most > NUMBERS_MAX {
            return Err(StageError::failed(1, "too many numbers for the memory"));
        }
        let mut seen = std::collections::HashSet::new();
        let mut chosen = Vec::new();
        while (chosen.len() as u64) < self.most {
            let number = rng.u64(low..=high);
            if seen.insert(number) {
                chosen.push(line(number));
            }
        }
        Ok(chosen)
    }

    /// Memory: the input, or the lines wanted where that is known to be fewer.
    fn of_file(
        &self,
        io: &mut StageIo<'_>,
        name: &[u8],
        rng: &mut Rng,
    ) -> Result<Vec<Chosen>, StageError> {
        let mut input = io.open(name).map_err(|error| open_failure(1, name, &error))?;
        let mut all: Vec<Chosen> = Vec::new();
        let few = !self.repeat && self.most < 1 << 16;
        let (mut seen, mut bytes) = (0u64, 0u64);
        while let Some(lines) = input.next_lines().map_err(|error| read_failure(1, name, error))? {
            for (id, line) in lines.iter() {
                seen += 1;
                if !few || (all.len() as u64) < self.most {
                    let start = line.as_ptr() as usize - lines.bytes.as_ptr() as usize;
                    let share = if few {
                        Bytes::copy_from_slice(line)
                    } else {
                        lines.bytes.slice(start..start + line.len())
                    };
                    all.push((share, Some(id)));
                } else {
                    // Every line seen so far has the same chance to be among the chosen.
                    let place = rng.u64(..seen);
                    if place < self.most {
                        all[place as usize] = (Bytes::copy_from_slice(line), Some(id));
                    }
                }
            }
            bytes += lines.bytes.len() as u64;
            io.holds(if few { all.len() as u64 * 64 } else { bytes });
        }
        Ok(self.of_all(all, rng))
    }
}
