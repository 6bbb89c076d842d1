//! A mark of the byte order before the first character, which is a part of the first field.

use super::about::About;
use super::field_missing::awk_program;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::used_fields::used_fields;

pub(super) const ABOUT: About = About {
    kind: NoteKind::ByteOrderMark,
    basis: Basis::Data,
    when: "the data begins with a byte order mark, which is a part of the first field",
    example: "printf '\\357\\273\\277gate-02 passed\\ngate-07 refused\\n' | cut -d' ' -f1",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// U+FEFF in UTF-8.
const MARK: &[u8] = b"\xef\xbb\xbf";

fn find(look: &Look<'_>) -> Option<Note> {
    look.arguments.as_ref()?;
    let marked = |input: &&engine::InputRecord| input.kept.bytes_at(0, MARK.len()) == MARK;
    let input = look.text_inputs().find(marked)?;
    if !minds(look) {
        return None;
    }
    let name = look.stage.input_label(input);
    let name = if look.number > 0 && name == "standard input" { "the data" } else { &name };
    let text = format!("{name} begins with a byte order mark, a part of its first field");
    let note = look.note(NoteKind::ByteOrderMark, Severity::Warning, text);
    let only = look.stage.inputs.len() == 1;
    let before = look.put_before("tail -c +4", true).filter(|_| only);
    Some(note.with_maybe("drop it with tail -c +4", before))
}

/// The stage looks at the beginning of the first line.
fn minds(look: &Look<'_>) -> bool {
    let Some(arguments) = &look.arguments else { return false };
    let first = |text: &[u8]| text.contains(&b'^');
    match look.stage.name.as_str() {
        "cut" => !arguments.has('f') || used_fields(look).has(1),
        "sort" => arguments.all('k').next().is_none() || used_fields(look).has(1),
        "awk" => {
            awk_program(look).is_some_and(|program| program.contains("$1") || program.contains('^'))
        }
        "uniq" | "comm" | "join" | "fields" => true,
        "grep" => {
            arguments.has('x')
                || arguments.operands.first().is_some_and(|given| first(&given.value))
        }
        "sed" => arguments.operands.first().is_some_and(|given| first(&given.value)),
        _ => false,
    }
}
