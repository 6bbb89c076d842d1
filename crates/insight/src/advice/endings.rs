//! How a stage and its sources ended, where that is worth a word.

use engine::{Ending, StageResult};

use super::note::{Note, NoteKind, Severity, note};
use crate::describe::words::limit_in_words;

/// How the stage and its sources ended, where that is worth a word.
pub(super) fn endings(number: usize, stage: &StageResult) -> Vec<Note> {
    let mut notes = Vec::new();
    match stage.ending {
        Ending::ClosedPipe => notes.push(note(
            NoteKind::ClosedPipe,
            number,
            Severity::Hint,
            "ended by a closed pipe (status 141): normal, the next stage needed no more".to_owned(),
            None,
        )),
        Ending::Cut(limit) => notes.push(note(
            NoteKind::CutOff,
            number,
            Severity::Warning,
            format!("cut off here after {}: the preview stops there", limit_in_words(limit)),
            None,
        )),
        Ending::Failed | Ending::Finished => {}
    }
    for sampled in stage.inputs.iter().filter_map(|input| input.sampled.as_ref()) {
        if let Some(limit) = sampled.cut {
            let text = format!("the data is cut off after {}", limit_in_words(limit));
            notes.push(note(NoteKind::CutOff, number, Severity::Warning, text, None));
        }
        if sampled.changed {
            let text = "a file changed while it was read; R reads it again".to_owned();
            notes.push(note(NoteKind::Changed, number, Severity::Warning, text, None));
        }
    }
    notes
}
