//! What a stage does and did, in words.

use std::ops::Range;

use engine::{Ending, Limit, Sample, StageKind, StageResult};
use filters::Verb;
use shell::Compound;

use crate::describe::units::{bytes, figure, figure_lines, figure_percent, grouped, known_mark};

/// What a stage does, from its own options.
pub fn explain(stage: &StageResult) -> String {
    let plan = &stage.plan;
    if plan.off.is_some() {
        return "switched off: every line passes through unchanged".to_owned();
    }
    match &plan.kind {
        StageKind::Native(definition) => {
            // Of files that it could not open it did nothing.
            let failed =
                stage.inputs.is_empty() && stage.status.0 != 0 && !stage.messages.is_empty();
            let own = stage.explanation().filter(|_| !failed);
            own.unwrap_or(definition.spec.summary).to_owned()
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
    let (lines_in, lines_out) = (stage.lines_in(), stage.lines_out());
    let (before, after) = (lines_in.so_far(), lines_out.so_far());
    let Some(verb) = stage.verb else {
        let started = stage.unstarted.is_none();
        return if started { "runs".to_owned() } else { "not started".to_owned() };
    };
    let word = verb.word();
    let mark = known_mark(lines_in.known().max(lines_out.known()));
    let from_to = || format!("{word} {} → {}", figure(lines_in), figure(lines_out));
    match verb {
        Verb::Makes => format!("{word} {}", figure(lines_out)),
        // Who had enough leaves the rest unread: that is no share of anything.
        Verb::Keeps if lines_in.known() > lines_out.known() && before > after => {
            format!("{word} {}", figure(lines_out))
        }
        Verb::Keeps if after == before && before > 0 => format!("{word} {mark}all"),
        Verb::Keeps if after == 0 => format!("{word} {mark}none"),
        Verb::Keeps if before <= 99 => {
            format!("{word} {} of {}", figure(lines_out), figure(lines_in))
        }
        Verb::Keeps => format!("{word} {}", figure_percent(lines_out, lines_in)),
        Verb::Edits if stage.changes_nothing => format!("changes {mark}nothing"),
        Verb::Edits if after == before => format!("{word} {mark}all"),
        Verb::Orders | Verb::Passes | Verb::Copies | Verb::Acts => word.to_owned(),
        Verb::Checks => format!("{word} {}", figure_lines(lines_in)),
        Verb::Merges | Verb::Splits if after == before => format!("{word} {mark}none"),
        Verb::Edits | Verb::Merges | Verb::Splits => from_to(),
    }
}

/// What became of lines of a stage's input that no line of its output is made of; `last` where no other
/// lines come after them.
pub fn left_over(stage: &StageResult, last: bool) -> &'static str {
    let ended_early = stage.lines_in().known() > stage.lines_out().known();
    match stage.verb {
        _ if ended_early && last => "not looked at",
        Some(Verb::Keeps) => "dropped",
        Some(Verb::Acts) => "given to commands",
        _ => "not in the output",
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
