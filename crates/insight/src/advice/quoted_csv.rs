//! Delimiters within quotes.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::seen::Tally;
use super::used_fields::used_fields;
use crate::columns::splitting::Splitting;

pub(super) const ABOUT: About = About {
    kind: NoteKind::QuotedCsv,
    basis: Basis::Data,
    when: "cut, awk or sort splits at a comma or semicolon that stands within double quotes",
    example: "printf 'rope,\"steel, long\",3\\nwinch,iron,12\\n' | cut -d, -f3",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let option = match look.stage.name.as_str() {
        "cut" => 'd',
        "awk" => 'F',
        "sort" => 't',
        _ => return None,
    };
    let arguments = look.arguments.as_ref()?;
    let given = arguments.last(option)?;
    let byte = match &given.value[..] {
        [byte @ (b',' | b';')] => *byte,
        _ => return None,
    };
    let (as_meant, as_split) = (Splitting::Quoted(byte), Splitting::Byte(byte));
    // What is in other fields is of no concern to the stage.
    let used = used_fields(look);
    let quoted = |line: &[u8]| {
        memchr::memchr(b'"', line).is_some()
            && used.differ(&as_meant.fields(line), &as_split.fields(line))
    };
    if !look.some(quoted) {
        return None;
    }
    let lines = look.lines();
    let Tally { first, count } = lines.tally(quoted)?;
    let name = if byte == b',' { "comma" } else { "semicolon" };
    let text = format!(
        "{} a {name} within quotes, the first is line {}: {} splits there too",
        look.part_said(count as u64, "have", "has"),
        look.line_said(first as u64),
        look.stage.name
    );
    Some(look.note_at(NoteKind::QuotedCsv, Severity::Warning, look.place(given.word), text))
}
