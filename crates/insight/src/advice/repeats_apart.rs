//! `uniq` after lines that are not sorted.

use std::collections::HashSet;

use engine::StageResult;
use shell::Span;

use super::note::{Fix, Note, Severity, arguments, is, looked_at, note};
use crate::describe::units::grouped;
use crate::edit::stages::TextEdit;

pub(super) fn repeats_apart(number: usize, stage: &StageResult) -> Option<Note> {
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
    let start = stage.span.start;
    let edits = vec![TextEdit { span: Span::new(start, start), text: "sort | ".to_owned() }];
    let fix = Fix { label: "put sort before it".to_owned(), edits };
    Some(note("repeats-apart", number, Severity::Warning, text, Some(fix)))
}
