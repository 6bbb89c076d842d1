//! A stage that holds data back.

use engine::{Preview, StageResult};

use super::note::{Note, NoteKind, Severity, note};
use crate::describe::units::bytes;

pub(super) fn holds_everything(
    preview: &Preview,
    number: usize,
    stage: &StageResult,
) -> Option<Note> {
    let why = stage.holds?;
    let held = stage.figures.peak_held_bytes;
    if held == 0 {
        return None;
    }
    let (read, whole) = preview.sources().fold((0, Some(0)), |(read, whole), (_, sampled)| {
        let sum = whole.zip(sampled.whole_bytes).map(|(sum, bytes)| sum + bytes);
        (read + sampled.kept.bytes(), sum)
    });
    let estimate = match whole {
        Some(whole) if whole > read && read > 0 => {
            let estimated = held as f64 * whole as f64 / read as f64;
            format!(", about {} for the whole data", bytes(estimated as u64))
        }
        _ => String::new(),
    };
    let text = format!("holds data back, {} now{estimate}: {why}", bytes(held));
    Some(note(NoteKind::HoldsEverything, number, Severity::Hint, text, None))
}
