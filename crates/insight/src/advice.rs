//! Advice that is true of this data: a file for each note.

use engine::Preview;

use note::Note;

mod delimiter_absent;
mod endings;
mod holds_everything;
pub(crate) mod note;
mod nothing_comes;
mod privilege;
mod repeats_apart;
mod replaces;
mod same_file;
mod sample_only;

/// All notes on a preview, stage by stage, warnings first.
pub fn notes(preview: &Preview) -> Vec<Note> {
    let mut notes = Vec::new();
    for (number, stage) in preview.stages.iter().enumerate() {
        let before = notes.len();
        if stage.plan.off.is_none() {
            notes.extend(repeats_apart::repeats_apart(preview, number, stage));
            notes.extend(delimiter_absent::delimiter_absent(preview, number, stage));
        }
        notes.extend(nothing_comes::nothing_comes(preview, number));
        notes.extend(same_file::same_file(preview, number, stage));
        notes.extend(replaces::replaces(preview, number, stage));
        notes.extend(privilege::privilege(preview, number, stage));
        notes.extend(endings::endings(number, stage));
        notes.extend(holds_everything::holds_everything(preview, number, stage));
        notes.extend(sample_only::sample_only(preview, number));
        notes[before..].sort_by_key(|note| note.severity);
    }
    notes
}
