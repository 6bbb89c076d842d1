//! What a stage does and did, in words.

use std::ops::Range;

use engine::{Ending, Limit, Sample, StageKind, StageResult};
use filters::Verb;
use shell::Compound;

use crate::describe::units::{bytes, grouped, lines, percent};

/// What a stage does, from its own options.
pub fn explain(stage: &StageResult) -> String {
    let plan = &stage.plan;
    if plan.off.is_some() {
        return "switched off: every line passes through unchanged".to_owned();
    }
    match &plan.kind {
        StageKind::Native(definition) => {
            stage.explanation().unwrap_or(definition.spec.summary).to_owned()
        }
        StageKind::Host(_) => format!("runs {}, an external program", plan.name()),
        StageKind::Shell(command) => explain_shell(command),
        StageKind::Nothing => "runs nothing".to_owned(),
    }
}

/// What a part of the shell does.
fn explain_shell(command: &shell::Command) -> String {
    let Some(compound) = &command.compound else {
        let name = command.name().unwrap_or_else(|| "a command".to_owned());
        return format!("runs {name} in the shell");
    };
    match &**compound {
        Compound::Group(_) => "runs the commands in braces one after the other".to_owned(),
        Compound::Subshell(_) => {
            "runs the commands in parentheses one after the other, in a shell of their own"
                .to_owned()
        }
        Compound::If { .. } => {
            "runs the commands after the first condition that is true".to_owned()
        }
        Compound::Loop { until, .. } => {
            let how = if *until { "until" } else { "as long as" };
            format!("repeats its commands {how} the condition is true")
        }
        Compound::For { name, .. } => format!("runs its commands once for each value of {name}"),
        Compound::Case { .. } => {
            "runs the commands after the first pattern that matches".to_owned()
        }
        Compound::Function { name, .. } => format!("defines the function {name}"),
        Compound::Test(_) => "sets its status by whether the expression is true".to_owned(),
    }
}

/// What a stage did to the data: verb and effect.
pub fn effect(stage: &StageResult) -> String {
    if stage.plan.off.is_some() {
        return "off".to_owned();
    }
    if stage.ending == Ending::Failed {
        return "failed".to_owned();
    }
    let (lines_in, lines_out) = (stage.figures.lines_in, stage.figures.lines_out);
    let Some(verb) = stage.verb else {
        let started = stage.unstarted.is_none();
        return if started { "runs".to_owned() } else { "not started".to_owned() };
    };
    let word = verb.word();
    match verb {
        Verb::Makes => format!("{word} {}", grouped(lines_out)),
        Verb::Keeps if lines_out == lines_in && lines_in > 0 => format!("{word} all"),
        Verb::Keeps if lines_out == 0 => format!("{word} none"),
        Verb::Keeps if lines_in <= 99 => format!("{word} {lines_out} of {lines_in}"),
        Verb::Keeps => format!("{word} {}", percent(lines_out, lines_in)),
        Verb::Edits if stage.changes_nothing => "changes nothing".to_owned(),
        Verb::Edits if lines_out == lines_in => format!("{word} all"),
        Verb::Edits if lines_out < lines_in => {
            format!("keeps {}, edited", grouped(lines_out))
        }
        Verb::Edits => format!("{word} {} → {}", grouped(lines_in), grouped(lines_out)),
        Verb::Orders | Verb::Passes | Verb::Copies | Verb::Acts => word.to_owned(),
        Verb::Checks => format!("{word} {}", lines(lines_in)),
        Verb::Merges | Verb::Splits => {
            format!("{word} {} → {}", grouped(lines_in), grouped(lines_out))
        }
    }
}

/// The parts of an input line a stage looks at.
pub fn marks(stage: &StageResult, line: &[u8]) -> Vec<Range<usize>> {
    stage.filter.as_ref().map_or_else(Vec::new, |filter| filter.marks(line))
}

/// A sample by name.
pub fn sample_in_words(sample: Sample) -> String {
    match sample {
        Sample::Quick(lines) => {
            format!("everything where that is quick, or first {}", grouped(lines))
        }
        Sample::First(lines) => format!("first {}", grouped(lines)),
        Sample::Last(lines) => format!("last {}", grouped(lines)),
        Sample::Every(step) => format!("every {}", ordinal(step)),
        Sample::Random { lines, seed } => format!("{} at random, seed {seed}", grouped(lines)),
        Sample::Everything => "everything".to_owned(),
    }
}

fn ordinal(number: u64) -> String {
    let ending = match (number % 10, number % 100) {
        (1, rest) if rest != 11 => "st",
        (2, rest) if rest != 12 => "nd",
        (3, rest) if rest != 13 => "rd",
        _ => "th",
    };
    format!("{}{ending}", grouped(number))
}

/// What a limit cut something off at.
pub fn limit_in_words(limit: Limit) -> String {
    match limit {
        Limit::Lines(lines) => format!("{} lines", grouped(lines)),
        Limit::Bytes(number) => bytes(number),
        Limit::Time(time) => format!("{} s", time.as_secs_f64()),
        Limit::Memory(number) => format!("{} of memory", bytes(number)),
        Limit::Process(size) => format!("{} by which the whole program has grown", bytes(size)),
        Limit::Threads => "the threads that the machine starts".to_owned(),
        Limit::Commands(count) => format!("{} commands at once", grouped(count as u64)),
    }
}
