//! A field that lines do not have.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::seen::Tally;

pub(super) const ABOUT: About = About {
    kind: NoteKind::FieldMissing,
    basis: Basis::Data,
    when: "cut, sort -k or awk uses a field that lines do not have",
    example: "cut -d' ' -f9 gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// Fields of a line: between single delimiters, or between runs of blanks.
pub(super) fn field_count(line: &[u8], delimiter: Option<u8>) -> usize {
    match delimiter {
        Some(byte) => memchr::memchr_iter(byte, line).count() + 1,
        None => line
            .split(|byte| matches!(byte, b' ' | b'\t'))
            .filter(|field| !field.is_empty())
            .count(),
    }
}

fn find(look: &Look<'_>) -> Option<Note> {
    let (field, delimiter) = match look.stage.name.as_str() {
        "cut" => of_cut(look)?,
        "sort" => of_sort(look)?,
        "awk" => of_awk(look)?,
        _ => return None,
    };
    // Lines without a delimiter are passed whole by cut; there is a note for them.
    let lacks = |fields: usize| fields < field && !(look.stage.name == "cut" && fields == 1);
    if !look.some(|line| lacks(field_count(line, delimiter))) {
        return None;
    }
    let lines = look.lines();
    let mut most = 0;
    let Tally { first, count } = lines.tally(|line| {
        let fields = field_count(line, delimiter);
        most = most.max(fields);
        lacks(fields)
    })?;
    let text = if count == lines.len() {
        format!("{} field {field}: the most is {most}", look.none_said("has"))
    } else {
        format!(
            "{} no field {field}, the first is line {}",
            look.part_said(count as u64, "have", "has"),
            look.line_said(first as u64)
        )
    };
    let severity = if count == lines.len() { Severity::Warning } else { Severity::Hint };
    Some(look.note(NoteKind::FieldMissing, severity, text))
}

/// The last field that is taken, where a single one is: of several some are left.
fn of_cut(look: &Look<'_>) -> Option<(usize, Option<u8>)> {
    let arguments = look.arguments_of("cut")?;
    let delimiter = arguments.last('d').map_or(b'\t', |given| *given.value.first().unwrap_or(&0));
    Some((*look.cut_fields()?.first()?, Some(delimiter)))
}

/// The first field of the first key.
fn of_sort(look: &Look<'_>) -> Option<(usize, Option<u8>)> {
    let arguments = look.arguments_of("sort")?;
    let delimiter = arguments.last('t').and_then(|given| given.value.first().copied());
    let key = arguments.all('k').next()?;
    let digits: String =
        String::from_utf8_lossy(&key.value).chars().take_while(char::is_ascii_digit).collect();
    Some((digits.parse().ok()?, delimiter))
}

/// The largest field an awk program prints in a rule that holds for every line.
fn of_awk(look: &Look<'_>) -> Option<(usize, Option<u8>)> {
    let arguments = look.arguments_of("awk")?;
    let program = awk_program(look)?;
    let body = program.trim().strip_prefix('{')?;
    let body = &body[..body.find('}')?];
    // What looks at the number of fields, or decides by itself, knows.
    if ["NF", "if", "while", "for", "$(", "?", "split", "FS"]
        .iter()
        .any(|word| program.contains(word))
    {
        return None;
    }
    if !body.contains("print") {
        return None;
    }
    let field = awk_fields(body).into_iter().max()?;
    let delimiter = match arguments.last('F').map(|given| &given.value[..]) {
        None | Some(b" ") => None,
        Some(b"t" | b"\\t") => Some(b'\t'),
        Some([byte]) => Some(*byte),
        Some(_) => return None,
    };
    Some((field, delimiter))
}

/// The program of an awk stage.
pub(super) fn awk_program(look: &Look<'_>) -> Option<String> {
    let arguments = look.arguments_of("awk")?;
    if arguments.has('f') {
        return None;
    }
    let program = arguments.operands.first()?;
    Some(String::from_utf8_lossy(&program.value).into_owned())
}

/// The numbers of the fields `$N` in a text.
pub(super) fn awk_fields(text: &str) -> Vec<usize> {
    let mut fields = Vec::new();
    for (at, _) in text.match_indices('$') {
        let digits: String = text[at + 1..].chars().take_while(char::is_ascii_digit).collect();
        if let Ok(field) = digits.parse::<usize>() {
            fields.push(field);
        }
    }
    fields.retain(|&field| field > 0);
    fields
}
