//! `cut` at a delimiter that lines do not have.

use bstr::ByteSlice;
use engine::{Preview, StageResult};
use shell::Span;

use super::note::{Fix, Note, NoteKind, Severity, arguments, is, looked_at, note};
use crate::describe::units::grouped;
use crate::edit::stages::TextEdit;

pub(super) fn delimiter_absent(
    preview: &Preview,
    number: usize,
    stage: &StageResult,
) -> Option<Note> {
    if !is(stage, "cut") {
        return None;
    }
    let arguments = arguments(stage)?;
    if !arguments.has('f') || arguments.has('s') {
        return None;
    }
    let given = arguments.last('d');
    let delimiter = given.map_or(&b"\t"[..], |given| &given.value);
    let (lines, _) = looked_at(stage);
    let absent = lines.iter().filter(|line| !line.contains_str(delimiter)).count();
    if absent == 0 {
        return None;
    }
    let shown = shown_delimiter(delimiter);
    let text = format!(
        "{} of {} lines have no {shown} and were passed through unchanged",
        grouped(absent as u64),
        grouped(lines.len() as u64)
    );
    let name_end = stage_name_end(&preview.text, stage);
    let fix = if absent * 2 > lines.len() {
        // The delimiter that most lines do have.
        let best = [" ", ",", ":", ";", "\t", "|", "="]
            .into_iter()
            .filter(|candidate| candidate.as_bytes() != delimiter)
            .map(|candidate| {
                (lines.iter().filter(|line| line.contains_str(candidate)).count(), candidate)
            })
            .max_by_key(|(count, _)| *count)
            .filter(|(count, _)| count * 2 > lines.len());
        best.map(|(count, best)| {
            let quoted = if best == "\t" { "-d\"\t\"".to_owned() } else { format!("-d'{best}'") };
            let edits = match given {
                None => vec![TextEdit {
                    span: Span::new(name_end, name_end),
                    text: format!(" {quoted}"),
                }],
                Some(given) => replace_option(&preview.text, stage, given.word, &quoted),
            };
            let label = format!(
                "split at {} ({} lines have it)",
                shown_delimiter(best.as_bytes()),
                grouped(count as u64)
            );
            Fix { label, edits }
        })
    } else {
        let edits = vec![TextEdit { span: Span::new(name_end, name_end), text: " -s".to_owned() }];
        Some(Fix { label: "drop them with -s".to_owned(), edits })
    };
    Some(note(NoteKind::DelimiterAbsent, number, Severity::Warning, text, fix))
}

fn stage_name_end(text: &str, stage: &StageResult) -> usize {
    let source = text.get(stage.span.range()).unwrap_or_default();
    stage.span.start + source.find(stage.name.as_str()).map_or(0, |at| at + stage.name.len())
}

/// Replaces the word that holds an option's value, and the option's own word where that stands
/// alone before it.
fn replace_option(text: &str, stage: &StageResult, word: usize, with: &str) -> Vec<TextEdit> {
    let Some(span) = stage.plan.argument_spans.get(word) else { return Vec::new() };
    let own = text.get(span.range()).unwrap_or_default();
    let start = match word.checked_sub(1).and_then(|before| stage.plan.argument_spans.get(before)) {
        Some(before) if !own.starts_with('-') => before.start,
        _ => span.start,
    };
    vec![TextEdit { span: Span::new(start, span.end), text: with.to_owned() }]
}

fn shown_delimiter(delimiter: &[u8]) -> String {
    match delimiter {
        b"\t" => "TAB".to_owned(),
        b" " => "space".to_owned(),
        b"," => "comma".to_owned(),
        b":" => "colon".to_owned(),
        b";" => "semicolon".to_owned(),
        _ => format!("“{}”", String::from_utf8_lossy(delimiter)),
    }
}
