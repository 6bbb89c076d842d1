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
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("cut")?;
    let delimiter = match &arguments.last('d')?.value[..] {
        [byte @ (b' ' | b'\t')] => *byte,
        _ => return None,
    };
    let chosen = look.cut_fields()?;
    let lines = look.lines();
    let run = [delimiter, delimiter];
    let in_runs = |line: &&bytes::Bytes| {
        line.contains_str(run) && {
            let fields: Vec<&[u8]> = line.split(|&byte| byte == delimiter).collect();
            chosen.iter().any(|&field| fields.get(field - 1).is_some_and(|field| field.is_empty()))
        }
    };
    let count = lines.iter().filter(in_runs).count();
    if count == 0 {
        return None;
    }
    let (name, class) = if delimiter == b' ' { ("space", "' '") } else { ("TAB", "'\\t'") };
    let text = format!(
        "{} of {} lines have several {name}s in a row, so a field there is empty",
        grouped(count as u64),
        grouped(lines.len() as u64)
    );
    let note = look.note(NoteKind::EmptyFields, Severity::Warning, text);
    let before = look.put_before(&format!("tr -s {class}"), false);
    Some(note.with_maybe(format!("squeeze the {name}s with tr -s"), before))
}
