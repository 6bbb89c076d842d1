//! All notes on all pipelines of a text, for whoever has no screen.

use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Preview, Request, StageResult, Trials, Untried};
use shell::Span;
use stream::{COMMANDS_MAX, RunControl};

use super::note::{Note, NoteKind, Severity};
use super::proof::Proofs;
use super::refused_notes;
use crate::describe::units::grouped;
use crate::edit::stages::apply_edits;

/// A note on a text, with what its change would make of that.
#[derive(Clone, Debug)]
pub struct CheckedNote {
    /// The note; its places are those of the whole text.
    pub note: Note,
    /// The lines of the text that its change concerns, changed.
    pub changed: Option<String>,
}

/// Text that cannot be run, and where.
#[derive(Clone, Debug)]
pub struct CheckError {
    /// Where.
    pub span: Span,
    /// Why.
    pub message: String,
}

/// What is said of a text.
#[derive(Default)]
pub struct Checked {
    /// The text.
    pub text: String,
    /// The notes, in the order of the text.
    pub notes: Vec<CheckedNote>,
    /// What cannot be run.
    pub errors: Vec<CheckError>,
    /// Programs that were not started, so that nothing is known of what they write; each once.
    pub not_started: Vec<String>,
    /// Pipelines that were looked at.
    pub pipelines: usize,
    /// Pipelines that were not, because all of them would have taken too long.
    pub passed_over: usize,
    /// True where a result came from a part of the data.
    pub from_part: bool,
}

impl Checked {
    /// True where a note cannot be wrong.
    pub fn has_warnings(&self) -> bool {
        self.notes.iter().any(|checked| checked.note.severity == Severity::Warning)
    }
}

/// A text of more pipelines is refused.
const PIPELINES_MAX: usize = 5_000;

/// Texts of more pipelines are looked at for a moment only.
const FEW: usize = 200;

/// That moment.
const SOON: Duration = Duration::from_secs(1);

/// So long other texts are looked at, as a preview may take.
const LONG: Duration = Duration::from_mins(1);

/// Looks at each pipeline of the text of this request, one after the other. No file is written and
/// no program is started. Blocks until it is done or `control` ends it.
pub fn check(
    trials: &Trials,
    request: &Request,
    portability: bool,
    control: &RunControl,
) -> Checked {
    let text = request.text.clone();
    let mut checked = Checked { text: text.clone(), ..Checked::default() };
    let script = match engine::parse(&text) {
        Ok(script) => script,
        Err(error) => {
            checked.errors.push(CheckError { span: error.span, message: error.kind.to_string() });
            return checked;
        }
    };
    let script = Arc::new(script);
    let pipelines: Vec<Span> = script.pipelines().map(|pipeline| pipeline.span).collect();
    if pipelines.len() > PIPELINES_MAX {
        let message = format!(
            "{} pipelines; at most {} are looked at in one text",
            grouped(pipelines.len() as u64),
            grouped(PIPELINES_MAX as u64)
        );
        checked.errors.push(CheckError { span: Span { start: 0, end: 0 }, message });
        return checked;
    }
    let long = script.pipelines().filter(|pipeline| pipeline.commands.len() > COMMANDS_MAX);
    checked.errors.extend(long.map(|pipeline| CheckError {
        span: Span { start: pipeline.span.start, end: pipeline.span.start },
        message: format!(
            "{} commands in one pipeline; at most {} are looked at",
            grouped(pipeline.commands.len() as u64),
            grouped(COMMANDS_MAX as u64)
        ),
    }));
    if !checked.errors.is_empty() {
        return checked;
    }
    // What comes before a pipeline is run for each: of many not all can be looked at soon.
    let patience = if pipelines.len() > FEW { SOON } else { LONG };
    let begun = Instant::now();
    for (number, span) in pipelines.iter().copied().enumerate() {
        if control.is_cancelled() {
            break;
        }
        if begun.elapsed() > patience {
            checked.passed_over = pipelines.len() - number;
            break;
        }
        let own = Request { at: span.start, script: Some(script.clone()), ..request.clone() };
        checked.pipelines += 1;
        match trials.evaluate(own.clone(), None, &RunControl::default()) {
            Ok(preview) => {
                let mut proofs = Proofs::new(trials.clone(), own).with_messages();
                if portability {
                    proofs = proofs.with_portability();
                }
                checked.take(&preview, proofs.notes(&preview, control));
            }
            Err(Untried::Refused(error)) => {
                checked.errors.push(CheckError { span: error.span, message: error.message });
            }
            Err(Untried::Failed(message)) => checked.errors.push(CheckError { span, message }),
            Err(Untried::Nothing | Untried::Ended) => {}
        }
    }
    if !checked.errors.is_empty() {
        let shown = |note: &Note| {
            checked.errors.iter().any(|error| {
                text[..error.span.start].matches('\n').count()
                    == text[..note.span.start].matches('\n').count()
            })
        };
        let notes: Vec<Note> = refused_notes(&text).into_iter().filter(shown).collect();
        checked.add(notes);
    }
    checked.notes.sort_by_key(|checked| (checked.note.span.start, checked.note.severity));
    checked
}

impl Checked {
    fn take(&mut self, preview: &Preview, notes: Vec<Note>) {
        // What other commands read is theirs to tell.
        self.from_part |= preview.stages.iter().any(StageResult::from_part);
        for stage in preview.stages.iter().filter(|stage| stage.is_held()) {
            if !self.not_started.contains(&stage.name) {
                self.not_started.push(stage.name.clone());
            }
        }
        self.add(notes.into_iter().filter(|note| note.severity != Severity::Remark).collect());
    }

    fn add(&mut self, notes: Vec<Note>) {
        for mut note in notes {
            // A script may well write its result again each day.
            if note.kind == NoteKind::Replaces {
                note.severity = Severity::Hint;
            }
            let changed = note.fix.as_ref().map(|fix| {
                let whole = apply_edits(&self.text, &fix.edits);
                changed_lines(&self.text, &whole).to_owned()
            });
            self.notes.push(CheckedNote { note, changed });
        }
    }
}

/// The lines of a text that are not the same in an older one.
fn changed_lines<'t>(old: &str, new: &'t str) -> &'t str {
    let same = old.bytes().zip(new.bytes()).take_while(|(one, other)| one == other).count();
    let start = new.as_bytes()[..same.min(new.len())]
        .iter()
        .rposition(|byte| *byte == b'\n')
        .map_or(0, |at| at + 1);
    let room = (old.len() - start.min(old.len())).min(new.len() - start);
    let ends = old.bytes().rev().zip(new.bytes().rev());
    let tail = ends.take(room).take_while(|(one, other)| one == other).count();
    let end = new.len() - tail;
    let end = new.as_bytes()[end..]
        .iter()
        .position(|byte| *byte == b'\n')
        .map_or(new.len(), |at| end + at);
    new.get(start..end.max(start)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_changed_lines_are_whole() {
        let old = "one\ncat a | sort\nlast\n";
        assert_eq!(changed_lines(old, "one\nsort < a\nlast\n"), "sort < a");
        assert_eq!(changed_lines(old, "one\nsort a |\n  cat\nlast\n"), "sort a |\n  cat");
        assert_eq!(changed_lines("cat a | sort", "sort < a"), "sort < a");
        assert_eq!(changed_lines("a", "a"), "a");
        assert_eq!(changed_lines("a\n", ""), "");
    }
}
