//! A total of awk over a column that is not there, or is not a number.

use super::about::About;
use super::field_missing::{awk_program, field_count};
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};

pub(super) const ABOUT: About = About {
    kind: NoteKind::TotalOfNothing,
    basis: Basis::Data,
    when: "awk adds up a field that lines do not have, or that is not a number: it counts as 0",
    example: "awk '{sum += $4} END {print sum}' gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// The field that is added up in a rule for every line.
fn added(program: &str) -> Option<usize> {
    let program = program.trim_start();
    // A rule of its own decides which lines have the field.
    let body = program.strip_prefix('{')?;
    let body = &body[..body.find('}')?];
    if body.contains("if") || body.contains('?') || body.contains("sub(") {
        return None;
    }
    let after = &body[body.find("+=")? + 2..];
    let after = after.trim_start().strip_prefix('$')?;
    let digits: String = after.chars().take_while(char::is_ascii_digit).collect();
    digits.parse().ok().filter(|&field| field > 0)
}

/// The beginning of a value is a number for awk.
fn is_number(value: &[u8]) -> bool {
    let value = value.trim_ascii_start();
    let value = value.strip_prefix(b"-").or(value.strip_prefix(b"+")).unwrap_or(value);
    let value = value.strip_prefix(b".").unwrap_or(value);
    value.first().is_some_and(u8::is_ascii_digit)
}

/// The value of a field, from 1, as awk splits.
fn value(line: &[u8], field: usize, delimiter: Option<u8>) -> Option<&[u8]> {
    match delimiter {
        Some(byte) => line.split(|&one| one == byte).nth(field - 1),
        None => line
            .split(|byte| matches!(byte, b' ' | b'\t'))
            .filter(|part| !part.is_empty())
            .nth(field - 1),
    }
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("awk")?;
    let program = awk_program(look)?;
    let field = added(&program)?;
    let delimiter = match arguments.last('F').map(|given| &given.value[..]) {
        None | Some(b" ") => None,
        Some(b"t" | b"\\t") => Some(b'\t'),
        Some([byte]) => Some(*byte),
        Some(_) => return None,
    };
    if program.contains("FS") {
        return None;
    }
    if !look.some(|line| value(line, field, delimiter).is_none_or(|value| !is_number(value))) {
        return None;
    }
    let lines = look.lines();
    let (mut missing, mut text_only, mut shown, mut most) = (0u64, 0u64, None, 0);
    for line in lines.iter() {
        most = most.max(field_count(line, delimiter));
        match value(line, field, delimiter) {
            None => missing += 1,
            // The headings of a column are its first line.
            Some(value) if !is_number(value) => {
                text_only += 1;
                shown.get_or_insert(value);
            }
            Some(_) => {}
        }
    }
    let all = lines.len() as u64;
    let text = if missing == all && all > 0 {
        format!("{} field {field} (the most is {most}): the total is 0", look.none_said("has"))
    } else if text_only > 1 || (text_only == 1 && missing > 0) {
        format!(
            "field {field} is not a number in {} (“{}”) and counts as 0 there",
            look.within_said(text_only, "line"),
            String::from_utf8_lossy(shown.unwrap_or_default())
        )
    } else if missing > 0 {
        format!("{} no field {field}: it counts as 0 there", look.part_said(missing, "have", "has"))
    } else {
        return None;
    };
    Some(look.note(NoteKind::TotalOfNothing, Severity::Warning, text))
}
