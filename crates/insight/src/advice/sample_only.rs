//! Results that depend on data that was cut off.

use engine::{Ending, Preview, SampledInput, StageResult};

use super::note::{Note, NoteKind, Severity, note};
use crate::describe::units::{bytes, grouped};

/// What was read of a source, in words: `5 000 of 12 345 lines`.
fn read(sampled: &SampledInput) -> String {
    let lines = grouped(sampled.kept.lines());
    match (sampled.whole_lines(), sampled.whole_bytes) {
        (Some(whole), _) => format!("{lines} of {} lines", grouped(whole)),
        (None, Some(whole)) => format!("{lines} lines of {}", bytes(whole)),
        (None, None) => format!("{lines} lines so far"),
    }
}

/// What was read in part, by name: the first file, and how many more.
fn named<'s>(mut parts: impl Iterator<Item = (String, &'s SampledInput)>) -> Option<String> {
    let (name, sampled) = parts.next()?;
    let more = match parts.count() {
        0 => String::new(),
        1 => ", and of one more file".to_owned(),
        count => format!(", and of {} more files", grouped(count as u64)),
    };
    Some(format!("{name}, {}{more}", read(sampled)))
}

/// What the stage itself, or what runs inside it, has read in part.
fn own(stage: &StageResult) -> Option<String> {
    let files = stage.partial.iter();
    let files = files.map(|part| (part.path.display().to_string(), &*part.sampled));
    let standard = stage.inputs.iter().filter_map(|input| {
        let sampled = input.sampled.as_deref()?;
        let unnamed = stage.input_path(input).is_none() && !sampled.complete;
        unnamed.then(|| ("standard input".to_owned(), sampled))
    });
    named(files.chain(standard))
}

pub(super) fn sample_only(preview: &Preview, number: usize) -> Option<Note> {
    let stage = preview.stages.get(number).filter(|stage| stage.from_part())?;
    // A limit has a note of its own.
    if let Ending::Cut(_) = stage.ending {
        return None;
    }
    let above = preview.stages[..number].iter().enumerate().rev();
    let mut above = above.take_while(|(_, stage)| stage.from_part());
    let from = own(stage)
        .or_else(|| {
            let (at, what) = above.find_map(|(at, stage)| Some((at, own(stage)?)))?;
            Some(format!("{what}, read by stage {}", at + 1))
        })
        .or_else(|| {
            let before = preview.partial_before.iter();
            named(before.map(|part| (part.path.display().to_string(), &*part.sampled)))
                .map(|what| format!("{what}, read before the pipeline"))
        });
    let text = match from {
        Some(from) => format!("from a part of the data: {from}"),
        None => "from a part of the data".to_owned(),
    };
    Some(note(NoteKind::SampleOnly, number, Severity::Hint, text, None))
}
