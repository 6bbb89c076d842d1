//! `uniq` after lines that are not sorted.

use std::collections::HashSet;

use engine::{Preview, StageResult};
use shell::Span;

use super::note::{Fix, Note, NoteKind, Severity, arguments, is, looked_at, note};
use crate::describe::units::grouped;
use crate::edit::stages::TextEdit;

pub(super) fn repeats_apart(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    if !is(stage, "uniq") {
        return None;
    }
    let fold = arguments(stage)?.has('i');
    let (lines, all) = looked_at(stage);
    if !all {
        return None;
    }
    let key = |line: &[u8]| if fold { line.to_ascii_lowercase() } else { line.to_vec() };
    let different: HashSet<Vec<u8>> = lines.iter().map(|line| key(line)).collect();
    let groups =
        lines.len() - lines.windows(2).filter(|pair| key(&pair[0]) == key(&pair[1])).count();
    let repeats = (lines.len() - different.len()) as u64;
    let removed = (lines.len() - groups) as u64;
    if removed == repeats {
        return None;
    }
    let apart = repeats - removed;
    let text = format!(
        "found only {} of {} repeats: the other {} are not adjacent",
        grouped(removed),
        grouped(repeats),
        grouped(apart)
    );
    let fix = sorted_first(preview, stage)
        .map(|edits| Fix { label: "put sort before it".to_owned(), edits });
    Some(note(NoteKind::RepeatsApart, number, Severity::Warning, text, fix))
}

/// `sort` before the stage, which then reads what was sorted; `None` where it writes to a file that
/// it names.
fn sorted_first(preview: &Preview, stage: &StageResult) -> Option<Vec<TextEdit>> {
    let start = stage.span.start;
    let operands = arguments(stage)?.operands;
    let Some(file) = operands.first() else {
        return Some(vec![TextEdit { span: Span::new(start, start), text: "sort | ".to_owned() }]);
    };
    if operands.len() > 1 {
        return None;
    }
    let span = *stage.plan.argument_spans.get(file.word)?;
    let name = preview.text.get(span.range())?;
    let blanks = preview.text[..span.start].len() - preview.text[..span.start].trim_end().len();
    Some(vec![
        TextEdit { span: Span::new(start, start), text: format!("sort {name} | ") },
        TextEdit { span: Span::new(span.start - blanks, span.end), text: String::new() },
    ])
}
