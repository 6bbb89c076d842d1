//! How a stage went: how it ended, what it held, what it read a part of.

use engine::{Ending, SampledInput, StageResult};

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::{bytes, grouped};
use crate::describe::words::limit_in_words;

pub(super) const NOTHING_COMES: About = About {
    kind: NoteKind::NothingComes,
    basis: Basis::Line,
    when: "a stage reads the pipe, but the output of the stage before it goes elsewhere",
    example: "grep stuck gate.log > stuck.txt | wc -l",
    proof: Proof::Cures,
    searches: false,
    find: |look| nothing_comes(look).into_iter().collect(),
};

pub(super) const CLOSED_PIPE: About = About {
    kind: NoteKind::ClosedPipe,
    basis: Basis::Cost,
    when: "a stage was ended because the next one needed no more",
    example: "seq 1000000 | head -n 1",
    proof: Proof::Cures,
    searches: false,
    find: closed_pipe,
};

pub(super) const CUT_OFF: About = About {
    kind: NoteKind::CutOff,
    basis: Basis::Cost,
    when: "a limit of the preview cut a stage or its data off",
    example: "yes | tail -n 1",
    proof: Proof::Cures,
    searches: false,
    find: cut_off,
};

pub(super) const CHANGED: About = About {
    kind: NoteKind::Changed,
    basis: Basis::Data,
    when: "a file changed while it was read",
    example: "",
    proof: Proof::Cures,
    searches: false,
    find: changed,
};

pub(super) const HOLDS_EVERYTHING: About = About {
    kind: NoteKind::HoldsEverything,
    basis: Basis::Cost,
    when: "a stage holds data until its input ends",
    example: "sort gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| holds_everything(look).into_iter().collect(),
};

pub(super) const SAMPLE_ONLY: About = About {
    kind: NoteKind::SampleOnly,
    basis: Basis::Data,
    when: "a result comes from a part of the data",
    example: "",
    proof: Proof::Cures,
    searches: false,
    find: |look| sample_only(look).into_iter().collect(),
};

/// What holds less than this is not worth a thought.
const MUCH: u64 = 256 << 20;

fn nothing_comes(look: &Look<'_>) -> Option<Note> {
    let before = look.preview.stages.get(look.number.checked_sub(1)?)?;
    let mut inputs = look.stage.inputs.iter();
    let reads = inputs.any(|input| input.name == stream::InputName::Standard);
    // Errors may go where the output went before.
    let errors =
        before.plan.targets.iter().any(|target| {
            target.descriptor == 2 && target.kind == engine::TargetKind::Duplicate(1)
        });
    let reads = reads && !errors && look.stage.plan.input_target().is_none();
    if before.plan.feeds_next() || !reads {
        return None;
    }
    let text = format!("no input: the output of stage {} goes elsewhere", look.number);
    Some(look.note(NoteKind::NothingComes, Severity::Warning, text))
}

fn closed_pipe(look: &Look<'_>) -> Vec<Note> {
    if look.stage.ending != Ending::ClosedPipe {
        return Vec::new();
    }
    let text = "ended by a closed pipe (status 141): normal, the next stage needed no more";
    vec![look.note(NoteKind::ClosedPipe, Severity::Remark, text)]
}

fn cut_off(look: &Look<'_>) -> Vec<Note> {
    let mut notes = Vec::new();
    if let Ending::Cut(limit) = look.stage.ending {
        let limit = limit_in_words(limit);
        let text = format!("cut off here after {limit}: the preview stops there");
        notes.push(look.note(NoteKind::CutOff, Severity::Warning, text));
    }
    let cut = look.stage.inputs.iter().filter_map(|input| input.sampled.as_ref()?.cut);
    for limit in cut {
        let text = format!("the data is cut off after {}", limit_in_words(limit));
        notes.push(look.note(NoteKind::CutOff, Severity::Warning, text));
    }
    notes
}

fn changed(look: &Look<'_>) -> Vec<Note> {
    let changed = look.stage.inputs.iter().filter_map(|input| input.sampled.as_ref());
    let text = "a file changed while it was read; R reads it again";
    let note = |_| look.note(NoteKind::Changed, Severity::Warning, text);
    changed.filter(|sampled| sampled.changed).map(note).collect()
}

fn holds_everything(look: &Look<'_>) -> Option<Note> {
    let why = look.stage.holds?;
    let held = look.stage.figures.peak_held_bytes;
    if held == 0 {
        return None;
    }
    let (read, whole) = look.preview.sources().fold((0, Some(0)), |(read, whole), (_, sampled)| {
        let sum = whole.zip(sampled.whole_bytes).map(|(sum, bytes)| sum + bytes);
        (read + sampled.kept.bytes(), sum)
    });
    let estimated = match whole {
        Some(whole) if whole > read && read > 0 => {
            Some((held as f64 * whole as f64 / read as f64) as u64)
        }
        _ => None,
    };
    let estimate = estimated.map_or_else(String::new, |estimated| {
        format!(", about {} for the whole data", bytes(estimated))
    });
    let text = format!("holds data back, {} now{estimate}: {why}", bytes(held));
    let much = estimated.unwrap_or(held) > MUCH;
    let severity = if much { Severity::Hint } else { Severity::Remark };
    Some(look.note(NoteKind::HoldsEverything, severity, text))
}

/// What was read of a source, in words: `5 000 of 12 345 lines`.
fn read(sampled: &SampledInput) -> String {
    let lines = grouped(sampled.kept.lines());
    match (sampled.whole_lines(), sampled.whole_bytes) {
        (Some(whole), _) => format!("{lines} of {} lines", grouped(whole)),
        (None, Some(whole)) if sampled.is_estimated() => {
            format!("{lines} lines of about {}", bytes(whole))
        }
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

fn sample_only(look: &Look<'_>) -> Option<Note> {
    let (preview, number) = (look.preview, look.number);
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
    Some(look.note(NoteKind::SampleOnly, Severity::Remark, text))
}
