//! A stage whose input goes elsewhere.

use engine::Preview;

use super::note::{Note, NoteKind, Severity, note};

pub(super) fn nothing_comes(preview: &Preview, number: usize) -> Option<Note> {
    let before = preview.stages.get(number.checked_sub(1)?)?;
    let reads =
        preview.stages[number].inputs.iter().any(|input| input.name == stream::InputName::Standard);
    if before.plan.feeds_next() || !reads {
        return None;
    }
    let text = format!("no input: the output of stage {number} goes elsewhere");
    Some(note(NoteKind::NothingComes, number, Severity::Warning, text, None))
}
