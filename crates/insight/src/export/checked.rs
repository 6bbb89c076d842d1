//! What is said of a text, as compilers say it, and as JSON.

use serde_json::{Value, json};
use shell::Span;

use crate::advice::about;
use crate::advice::check::{Checked, CheckedNote};
use crate::describe::units::grouped;

/// A line and a column in it, both from 1; columns count characters.
fn place(text: &str, at: usize) -> (usize, usize) {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    let before = &text[..at];
    let line = before.matches('\n').count() + 1;
    let start = before.rfind('\n').map_or(0, |newline| newline + 1);
    (line, before[start..].chars().count() + 1)
}

/// A line for each note, `FILE:LINE:COLUMN: warning: … [id]`, with the changed text below it; at
/// the end what was not seen.
pub fn checked_text(checked: &Checked, file: &str) -> String {
    let mut out = String::new();
    let at = |span: Span| {
        let (line, column) = place(&checked.text, span.start);
        format!("{file}:{line}:{column}")
    };
    for error in &checked.errors {
        out.push_str(&format!("{}: error: {}\n", at(error.span), error.message));
    }
    for CheckedNote { note, changed } in &checked.notes {
        let (kind, severity) = (note.kind.id(), note.severity.id());
        out.push_str(&format!("{}: {severity}: {} [{kind}]\n", at(note.span), note.text));
        if let (Some(fix), Some(changed)) = (&note.fix, changed) {
            out.push_str(&format!("    {}:\n", fix.label));
            for line in changed.lines() {
                out.push_str(&format!("        {line}\n"));
            }
        }
    }
    if !checked.not_started.is_empty() {
        let names = checked.not_started.join(", ");
        out.push_str(&format!("{file}: not started, so what comes after is not known: {names}\n"));
    }
    if checked.passed_over > 0 {
        let (seen, all) =
            (checked.pipelines as u64, (checked.pipelines + checked.passed_over) as u64);
        out.push_str(&format!(
            "{file}: only the first {} of {} pipelines were looked at: more would take too long\n",
            grouped(seen),
            grouped(all)
        ));
    }
    if checked.from_part {
        out.push_str(&format!("{file}: some results come from a part of the data\n"));
    }
    if out.is_empty() {
        let what = if checked.pipelines == 1 { "pipeline" } else { "pipelines" };
        let count = grouped(checked.pipelines as u64);
        out.push_str(&format!("{file}: {count} {what}, nothing to say\n"));
    }
    out
}

/// The same as one JSON object; its form is described in `docs/advice.md`.
pub fn checked_json(checked: &Checked, file: &str) -> String {
    let point = |at: usize| {
        let (line, column) = place(&checked.text, at);
        json!({ "line": line, "column": column, "offset": at })
    };
    let range = |span: Span| json!({ "start": point(span.start), "end": point(span.end) });
    let notes = checked.notes.iter().map(|CheckedNote { note, changed }| {
        let fix = note.fix.as_ref().map_or(Value::Null, |fix| {
            let edits = fix
                .edits
                .iter()
                .map(|edit| json!({ "range": range(edit.span), "text": edit.text }));
            json!({
                "label": fix.label,
                "edits": edits.collect::<Vec<_>>(),
                "changed": changed,
                "for_any_data": note.always,
            })
        });
        json!({
            "id": note.kind.id(),
            "severity": note.severity.id(),
            "basis": about(note.kind).basis.id(),
            "stage": note.stage + 1,
            "range": range(note.span),
            "message": note.text,
            "fix": fix,
        })
    });
    let errors = checked
        .errors
        .iter()
        .map(|error| json!({ "range": range(error.span), "message": error.message }));
    let whole = json!({
        "schema": 1,
        "file": file,
        "pipelines": checked.pipelines,
        "passed_over": checked.passed_over,
        "from_part_of_the_data": checked.from_part,
        "not_started": checked.not_started,
        "errors": errors.collect::<Vec<_>>(),
        "notes": notes.collect::<Vec<_>>(),
    });
    // Whole objects of strings and numbers cannot fail.
    super::json::readable_json(&whole)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_characters() {
        assert_eq!(place("ab\ncé d", 0), (1, 1));
        assert_eq!(place("ab\ncé d", 3), (2, 1));
        assert_eq!(place("ab\ncé d", 6), (2, 3));
        assert_eq!(place("ab\ncé d", 5), (2, 2), "inside a character: its beginning");
        assert_eq!(place("ab\n", 99), (2, 1));
    }
}
