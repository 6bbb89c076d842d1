//! `cut` at a blank where blanks come in runs.

use bstr::ByteSlice;

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;

pub(super) const ABOUT: About = About {
    kind: NoteKind::EmptyFields,
    basis: Basis::Data,
    when: "cut takes an empty field between two blanks",
    example: "printf 'a  1\\nbb 22\\n' | cut -d' ' -f2",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// How many lines have these bytes and are as wanted.
fn lines_with(bytes: &[u8], wanted: &[u8], like: impl Fn(&[u8]) -> bool) -> u64 {
    let (mut count, mut from) = (0, 0);
    while let Some(at) = bytes[from..].find(wanted) {
        let at = from + at;
        let start = memchr::memrchr(b'\n', &bytes[..at]).map_or(0, |newline| newline + 1);
        let end = memchr::memchr(b'\n', &bytes[at..]).map_or(bytes.len(), |newline| at + newline);
        count += u64::from(like(&bytes[start..end]));
        from = end;
    }
    count
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("cut")?;
    let delimiter = match &arguments.last('d')?.value[..] {
        [byte @ (b' ' | b'\t')] => *byte,
        _ => return None,
    };
    let chosen = look.cut_fields()?;
    let run = [delimiter, delimiter];
    // All of not too much is looked at: a few such lines are easily missed.
    let count = lines_with(look.lines().text(), &run, |line| {
        let fields: Vec<&[u8]> = line.split(|&byte| byte == delimiter).collect();
        chosen.iter().any(|&field| fields.get(field - 1).is_some_and(|field| field.is_empty()))
    });
    if count == 0 {
        return None;
    }
    let (name, class) = if delimiter == b' ' { ("space", "' '") } else { ("TAB", "'\\t'") };
    let text = format!(
        "{} of {} have several {name}s in a row, so a field there is empty",
        grouped(count),
        look.lines_said()
    );
    let note = look.note(NoteKind::EmptyFields, Severity::Warning, text);
    let before = look.put_before(&format!("tr -s {class}"), false);
    Some(note.with_maybe(format!("squeeze the {name}s with tr -s"), before))
}
