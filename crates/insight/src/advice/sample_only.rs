//! Figures that are those of a sample.

use engine::{Preview, StageResult};
use filters::Verb;

use super::note::{Note, NoteKind, Severity, note};
use crate::describe::units::{bytes, grouped};

/// True for a stage whose result is only right for the whole data.
fn needs_everything(stage: &StageResult) -> bool {
    stage.plan.off.is_none()
        && (matches!(stage.verb, Some(Verb::Merges | Verb::Orders)) || stage.holds.is_some())
}

pub(super) fn sample_only(preview: &Preview, number: usize) -> Option<Note> {
    if !preview.stages[..=number].iter().any(needs_everything) {
        return None;
    }
    let (_, sampled) = preview.sources().find(|(_, sampled)| !sampled.complete)?;
    let lines = sampled.kept.lines();
    let whole = match (sampled.whole_lines(), sampled.whole_bytes) {
        (Some(whole), _) => format!("{} of {} lines", grouped(lines), grouped(whole)),
        (None, Some(whole)) => format!("{} lines of {}", grouped(lines), bytes(whole)),
        (None, None) => format!("{} lines so far", grouped(lines)),
    };
    let text = format!("figures of a sample, not of the whole data: {whole}");
    Some(note(NoteKind::SampleOnly, number, Severity::Hint, text, None))
}
