//! The trail of a line: back to the files, and on to the end.

use std::sync::Arc;

use engine::{Kept, Known, Preview, StageResult, fate};
use filters::Verb;
use stream::{InputName, RunControl};

use super::lines::{became, made_of};

/// A line of a stage.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TrailStart {
    /// A line of its output.
    Out {
        /// Which stage, from 0.
        stage: usize,
        /// Which line, from 0.
        line: u64,
    },
    /// A line of what it reads, by its place over all inputs.
    In {
        /// Which stage, from 0.
        stage: usize,
        /// Which line, from 0.
        flat: u64,
    },
}

/// Lines of what a pipeline reads from outside.
pub struct TrailSource {
    /// The stage that reads it, from 0.
    pub stage: usize,
    /// Which of its inputs; `None` for lines that the stage itself makes.
    pub input: Option<usize>,
    /// The file as it is named, or standard input.
    pub name: String,
    /// Its lines.
    pub kept: Arc<Kept>,
    /// How far they are known to be all there are.
    pub known: Known,
    /// Those that belong to the trail, from 0, in order.
    pub lines: Vec<u64>,
}

/// Lines that end at a stage.
pub struct Lost {
    /// How many.
    pub count: u64,
    /// The first of them, by its place over all inputs of the stage.
    pub first: u64,
    /// Why nothing of the first is in the output.
    pub reason: Option<String>,
}

/// What a stage made of the lines of the trail.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// The same lines, in the same places.
    Same,
    /// The same lines in other places.
    Moved,
    /// As many lines, with other text.
    Edited,
    /// Fewer lines.
    Merged,
    /// More lines.
    Split,
    /// Lines of no line that was read.
    Made,
    /// Nothing.
    Ends,
    /// What it is made of is not known: an external program, a part of the shell.
    Unknown,
}

/// A stage of the trail.
pub struct TrailStep {
    /// Which stage, from 0.
    pub stage: usize,
    /// The lines it read that belong to the trail, by their places over all inputs, in order.
    pub from: Vec<u64>,
    /// The lines of its output that do, in order.
    pub lines: Vec<u64>,
    /// What became of them.
    pub change: Change,
    /// Those that end here.
    pub lost: Option<Lost>,
}

/// One line through the whole pipeline.
pub struct Trail {
    /// Where it was asked for.
    pub start: TrailStart,
    /// The text of that line.
    pub text: Vec<u8>,
    /// The lines of files and of standard input it was made of.
    pub sources: Vec<TrailSource>,
    /// The stages it goes through, in their order.
    pub steps: Vec<TrailStep>,
}

/// The input of a stage that is the output of the one before it.
pub(super) fn piped_input(preview: &Preview, stage: usize) -> Option<usize> {
    let before = preview.stages.get(stage.checked_sub(1)?)?;
    let own = preview.stages.get(stage)?;
    if !before.plan.feeds_next() || own.plan.input_target().is_some() {
        return None;
    }
    own.inputs.iter().position(|input| input.name == InputName::Standard)
}

/// The lines of an input by their places over all inputs.
fn flat(stage: &StageResult, input: usize, lines: &[u64]) -> Vec<u64> {
    let before: u64 = stage.inputs.iter().take(input).map(|input| input.kept.lines()).sum();
    lines.iter().map(|line| before + line).collect()
}

/// The text of lines, at most `most` of them.
fn texts(kept: &Kept, lines: &[u64], most: usize) -> Vec<Vec<u8>> {
    let one = |line: &u64| kept.line_start(*line, 1 << 16).map(|line| line.to_vec());
    lines.iter().take(most).filter_map(one).collect()
}

/// The text of input lines, at most `most` of them.
fn input_texts(stage: &StageResult, lines: &[u64], most: usize) -> Vec<Vec<u8>> {
    let one = |flat: &u64| {
        let (input, line) = stage.input_at(*flat)?;
        stage.inputs[input].kept.line_start(line, 1 << 16).map(|line| line.to_vec())
    };
    lines.iter().take(most).filter_map(one).collect()
}

/// Lines compared to find whether they were changed.
const COMPARED: usize = 200;

/// What a stage made of lines.
fn change(stage: &StageResult, from: &[u64], lines: &[u64]) -> Change {
    match (from.len(), lines.len()) {
        (0, _) if stage.filter.is_none() => Change::Unknown,
        (0, _) => Change::Made,
        (_, 0) => Change::Ends,
        (before, after) if before > after => Change::Merged,
        (before, after) if before < after => Change::Split,
        _ => {
            let (mut one, mut other) =
                (input_texts(stage, from, COMPARED), texts(&stage.out, lines, COMPARED));
            // Where others are dropped before them, lines have other numbers and are not moved.
            let orders = stage.verb == Some(Verb::Orders) && from != lines;
            if one == other {
                return if orders { Change::Moved } else { Change::Same };
            }
            if from.len() <= COMPARED {
                one.sort();
                other.sort();
            }
            if one == other { Change::Moved } else { Change::Edited }
        }
    }
}

impl Trail {
    /// The trail of a line. Looks at the origins of each stage's lines once; `control` ends it. A
    /// line that ends at a stage of a language has that run again to know why. `None` where there
    /// is no such line.
    pub fn of(preview: &Preview, start: TrailStart, control: &RunControl) -> Option<Self> {
        let mut trail = Self { start, text: Vec::new(), sources: Vec::new(), steps: Vec::new() };
        // The first stage that is still to come, and the lines of the input it reads.
        let (next, input, lines) = match start {
            TrailStart::Out { stage, line } => {
                let own = preview.stages.get(stage)?;
                trail.text = own.out.line_start(line, 1 << 16)?.to_vec();
                trail.back(preview, stage, vec![line], control);
                (stage + 1, piped_input(preview, stage + 1), vec![line])
            }
            TrailStart::In { stage, flat } => {
                let own = preview.stages.get(stage)?;
                let (input, line) = own.input_at(flat)?;
                trail.text = own.inputs[input].kept.line_start(line, 1 << 16)?.to_vec();
                if piped_input(preview, stage) == Some(input) {
                    trail.back(preview, stage - 1, vec![line], control);
                } else {
                    trail.add_source(own, stage, input, vec![line]);
                }
                (stage, Some(input), vec![line])
            }
        };
        trail.on(preview, next, input, lines, control);
        Some(trail)
    }

    fn add_source(&mut self, own: &StageResult, stage: usize, input: usize, lines: Vec<u64>) {
        let record = &own.inputs[input];
        let name = own.input_label(record);
        let known = record.lines().known();
        let kept = record.kept.clone();
        self.sources.push(TrailSource { stage, input: Some(input), name, kept, known, lines });
    }

    /// Back from lines of a stage's output to what was read from outside.
    fn back(&mut self, preview: &Preview, stage: usize, lines: Vec<u64>, control: &RunControl) {
        let mut lines = lines;
        let mut steps = Vec::new();
        for number in (0..=stage).rev() {
            let own = &preview.stages[number];
            if control.is_cancelled() {
                break;
            }
            let inputs = made_of(own, &lines);
            let mut from = Vec::new();
            for (input, lines) in inputs.iter().enumerate() {
                from.extend(flat(own, input, lines));
            }
            let change = change(own, &from, &lines);
            steps.push(TrailStep { stage: number, from, lines, change, lost: None });
            let piped = piped_input(preview, number);
            lines = Vec::new();
            for (input, of) in inputs.into_iter().enumerate() {
                if Some(input) == piped {
                    lines = of;
                } else if !of.is_empty() {
                    self.add_source(own, number, input, of);
                }
            }
            if lines.is_empty() {
                break;
            }
        }
        steps.reverse();
        self.sources.reverse();
        self.steps = steps;
    }

    /// On from lines of an input to the end.
    fn on(
        &mut self,
        preview: &Preview,
        first: usize,
        input: Option<usize>,
        lines: Vec<u64>,
        control: &RunControl,
    ) {
        let (mut input, mut lines) = (input, lines);
        for number in first..preview.stages.len() {
            let own = &preview.stages[number];
            let Some(at) = input.filter(|_| !control.is_cancelled()) else { return };
            let became = became(own, at, &lines);
            let from = flat(own, at, &lines);
            if became.unknown && became.lines.is_empty() {
                let step = TrailStep {
                    stage: number,
                    from,
                    lines: Vec::new(),
                    change: Change::Unknown,
                    lost: None,
                };
                self.steps.push(step);
                return;
            }
            let lost = flat(own, at, &became.lost);
            let lost = lost.first().map(|&first| Lost {
                count: lost.len() as u64,
                first,
                reason: fate(own, first, control),
            });
            let left: Vec<u64> = match &lost {
                Some(_) => {
                    let gone = &became.lost;
                    let stays = |line: &&u64| gone.binary_search(line).is_err();
                    flat(own, at, &lines.iter().filter(stays).copied().collect::<Vec<_>>())
                }
                None => from.clone(),
            };
            let change = if became.lines.is_empty() {
                Change::Ends
            } else {
                change(own, &left, &became.lines)
            };
            lines = became.lines.clone();
            self.steps.push(TrailStep { stage: number, from, lines: became.lines, change, lost });
            if lines.is_empty() {
                return;
            }
            input = piped_input(preview, number + 1);
        }
    }

    /// The stage at which it ends, where that is before the last one.
    pub fn end(&self) -> Option<&TrailStep> {
        self.steps.iter().find(|step| step.change == Change::Ends)
    }
}
