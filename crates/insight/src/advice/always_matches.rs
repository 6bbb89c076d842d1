//! A pattern that can match nothing at all.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::nothing_matched::grep_pattern;
use pattern::{Pattern, Syntax};

pub(super) const ABOUT: About = About {
    kind: NoteKind::AlwaysMatches,
    basis: Basis::Line,
    when: "grep keeps every line because its pattern can match nothing at all, as x* does",
    example: "grep 'zone=9*' gate.log | grep 'x*'",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("grep")?;
    if arguments.has('o') || arguments.has('x') || arguments.has('w') {
        return None;
    }
    let one = grep_pattern(look)?;
    // These are written to keep every line, mostly for their marks.
    let meant = matches!(&one.text[..], b"" | b"^" | b"$" | b".*" | b"^.*" | b".*$" | b"^.*$");
    if one.syntax == Syntax::Fixed
        || meant
        || one.text.ends_with(b"|$")
        || one.text.ends_with(b"|^")
    {
        return None;
    }
    // Something in it has to be left out.
    if !one.text.iter().any(|byte| b"*?{|".contains(byte)) {
        return None;
    }
    let pattern = Pattern::new(&[&one.text], one.syntax, one.options).ok()?;
    // It matches nothing, and nothing within a line too.
    let everywhere =
        [&b""[..], b"\x01", b"a"].iter().all(|line| pattern.is_match(line) == Ok(true));
    if !everywhere {
        return None;
    }
    let kept = if arguments.has('v') { "no line is kept" } else { "every line is kept" };
    let shown = String::from_utf8_lossy(&one.text);
    let text = format!("“{shown}” also matches nothing at all, so {kept}");
    Some(look.note_at(NoteKind::AlwaysMatches, Severity::Warning, look.place(one.word), text))
}
