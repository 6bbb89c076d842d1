//! `cut` at a delimiter that lines do not have.

use bstr::ByteSlice;

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;

pub(super) const ABOUT: About = About {
    kind: NoteKind::DelimiterAbsent,
    basis: Basis::Data,
    when: "lines without the delimiter of cut pass through unchanged",
    example: "cut -f3 gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("cut")?;
    if !arguments.has('f') || arguments.has('s') || arguments.has('z') {
        return None;
    }
    let given = arguments.last('d');
    let delimiter = given.map_or(&b"\t"[..], |given| &given.value);
    let [byte] = delimiter else { return None };
    if !look.some(|line| memchr::memchr(*byte, line).is_none()) {
        return None;
    }
    let lines = look.lines();
    let absent = lines.tally(|line| memchr::memchr(*byte, line).is_none())?.count;
    let text = format!(
        "{} no {}: cut passes such lines through unchanged",
        look.part_said(absent as u64, "have", "has"),
        shown_delimiter(delimiter)
    );
    let place = given.map_or(look.stage.span, |given| look.place(given.word));
    let note = look.note_at(NoteKind::DelimiterAbsent, Severity::Warning, place, text);
    let note = note.counting(absent as u64);
    if absent * 2 <= lines.len() {
        return Some(note.with("drop them with -s", look.with_option("-s")));
    }
    // The delimiter that most lines do have; of several the last one here.
    let best = ["=", "|", "\t", ";", ":", ",", " "]
        .into_iter()
        .filter(|candidate| candidate.as_bytes() != delimiter)
        .max_by_key(|candidate| {
            look.peek().iter().filter(|line| line.contains_str(candidate)).count()
        })
        .map(|best| (lines.iter().filter(|line| line.contains_str(best)).count(), best))
        .filter(|(count, _)| count * 2 > lines.len());
    let Some((count, best)) = best else { return Some(note) };
    let option = if best == "\t" { "-d\"\t\"".to_owned() } else { format!("-d'{best}'") };
    let edits = match given {
        None => look.with_option(&option),
        Some(given) => look.replace_option(given, &option),
    };
    let label = format!(
        "split at {} ({} lines have it)",
        shown_delimiter(best.as_bytes()),
        grouped(count as u64)
    );
    Some(note.with(label, edits))
}

/// A delimiter as it is called.
pub(super) fn shown_delimiter(delimiter: &[u8]) -> String {
    match delimiter {
        b"\t" => "TAB".to_owned(),
        b" " => "space".to_owned(),
        b"," => "comma".to_owned(),
        b":" => "colon".to_owned(),
        b";" => "semicolon".to_owned(),
        _ => format!("“{}”", String::from_utf8_lossy(delimiter)),
    }
}
