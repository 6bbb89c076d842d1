//! A pattern that the shell takes for file names.

use shell::{Part, Word};

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;
use crate::edit::stages::TextEdit;

pub(super) const ABOUT: About = About {
    kind: NoteKind::UnquotedGlob,
    basis: Basis::Line,
    when: "a pattern, a set or a program is not quoted and has * ? [ ], which the shell makes file \
           names of where there are such files",
    example: "grep [g-r]* gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// The unquoted text of a word has a character of file name patterns.
fn expands(word: &Word) -> bool {
    let special = |text: &str| {
        text.contains(['*', '?']) || text.find('[').is_some_and(|at| text[at..].contains(']'))
    };
    word.parts.iter().any(|part| matches!(part, Part::Text(text) if special(text)))
}

/// The arguments that are patterns, sets or programs, and what they are called.
fn patterns(look: &Look<'_>) -> Vec<(usize, &'static str)> {
    if look.stage.name == "find" {
        let values = &look.stage.plan.arguments;
        let tests: [&[u8]; 8] = [
            b"-name",
            b"-iname",
            b"-path",
            b"-ipath",
            b"-wholename",
            b"-regex",
            b"-iregex",
            b"-lname",
        ];
        let after = |at: &usize| tests.contains(&&values[*at][..]);
        return (0..values.len()).filter(after).map(|at| (at + 1, "the pattern")).collect();
    }
    let Some(arguments) = &look.arguments else { return Vec::new() };
    let first = |what| arguments.operands.first().map(|one| (one.word, what)).into_iter().collect();
    match look.stage.name.as_str() {
        "grep" | "sed" if arguments.has('e') || arguments.has('f') => {
            arguments.all('e').map(|given| (given.word, "the pattern")).collect()
        }
        "grep" => first("the pattern"),
        "sed" | "awk" if !arguments.has('f') => first("the program"),
        "tr" => arguments.operands.iter().map(|one| (one.word, "the set")).collect(),
        _ => Vec::new(),
    }
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = &look.stage.plan.arguments;
    for (argument, what) in patterns(look) {
        let Some(word) = look.word(argument).filter(|word| expands(word)) else { continue };
        let spans = &look.stage.plan.argument_spans;
        let made: Vec<&[u8]> = spans
            .iter()
            .zip(arguments)
            .filter(|(span, _)| **span == word.span)
            .map(|(_, value)| &value[..])
            .collect();
        let source = look.source(word.span);
        let plain = word.parts.iter().all(|part| matches!(part, Part::Text(_)));
        let changed = made.len() != 1 || (plain && made[0] != source.as_bytes());
        let (severity, text) = if changed {
            let shown: Vec<_> =
                made.iter().take(3).map(|name| String::from_utf8_lossy(name)).collect();
            let more = match made.len() {
                0..=3 => String::new(),
                count => format!(" and {} more", grouped(count as u64 - 3)),
            };
            let shown = shown.join(" ");
            let text = format!("{what} is not quoted: the shell makes {shown}{more} of it");
            (Severity::Warning, text)
        } else {
            let text = format!(
                "{what} is not quoted: where files match {source}, the shell puts their names there"
            );
            (Severity::Hint, text)
        };
        let note = look.note_at(NoteKind::UnquotedGlob, severity, word.span, text);
        // One key quotes them all.
        let words = patterns(look).into_iter().filter_map(|(argument, _)| look.word(argument));
        let mut edits: Vec<TextEdit> = Vec::new();
        for word in words.filter(|word| expands(word)) {
            let quoted = look.quoted(word);
            if !edits.contains(&quoted[0]) {
                edits.extend(quoted);
            }
        }
        return Some(note.with("quote it", edits));
    }
    None
}
