//! A dot that matched what is not a dot.

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::nothing_matched::grep_pattern;
use crate::describe::units::{grouped, lines};
use pattern::{Pattern, Syntax};

pub(super) const ABOUT: About = About {
    kind: NoteKind::DotAny,
    basis: Basis::Data,
    when: "an unescaped . of grep matched something other than a dot",
    example: "printf '10.0.0.1 up\\n10.0.031 down\\n' | grep '10.0.0.1 \\|0.31'",
    proof: Proof::Cures,
    searches: true,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let one = grep_pattern(look)?;
    if !matches!(one.syntax, Syntax::Basic | Syntax::Extended) {
        return None;
    }
    let escaped = escaped(&one.text)?;
    let now = Pattern::new(&[&one.text], one.syntax, one.options).ok()?;
    let with_dots = Pattern::new(&[&escaped], one.syntax, one.options).ok()?;
    // What is found with dots alone is found with any character, too.
    let (mut kept, mut meant, mut other) = (0, 0, None);
    for line in look.lines().iter().filter(|line| now.is_match(line).unwrap_or(false)) {
        kept += 1;
        if with_dots.is_match(line).unwrap_or(true) {
            meant += 1;
        } else {
            other.get_or_insert(line);
        }
    }
    let other = other.filter(|_| meant > 0)?;
    let at = now.find(other, 0).ok().flatten()?;
    let text = format!(
        "the dot matches any character: {} of {} found{} {} something else there, such as “{}”",
        grouped(kept - meant),
        lines(kept),
        look.within(),
        if kept - meant == 1 { "has" } else { "have" },
        String::from_utf8_lossy(&other[at])
    );
    let place = look.place(one.word);
    let note = look.note_at(NoteKind::DotAny, Severity::Warning, place, text);
    if !look.is_literal(one.word) {
        return Some(note);
    }
    // The option's letter may stand in the same word.
    let source = look.source(place);
    let prefix = if source.starts_with("-e") { "-e " } else { "" };
    let quoted = shell::quote(&String::from_utf8_lossy(&escaped));
    Some(note.with("match only dots with \\.", replace(place, format!("{prefix}{quoted}"))))
}

/// The pattern with its dots between letters or digits escaped; `None` where it has none.
fn escaped(text: &[u8]) -> Option<Vec<u8>> {
    let mut escaped = Vec::with_capacity(text.len() + 4);
    let mut bracket = false;
    for (at, &byte) in text.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|at| text.get(at));
        let after = text.get(at + 1);
        match byte {
            b'[' if before != Some(&b'\\') => bracket = true,
            b']' => bracket = false,
            _ => {}
        }
        let word = |byte: Option<&u8>| byte.is_some_and(u8::is_ascii_alphanumeric);
        if byte == b'.' && !bracket && word(before) && word(after) {
            escaped.push(b'\\');
        }
        escaped.push(byte);
    }
    (escaped.len() > text.len()).then_some(escaped)
}
