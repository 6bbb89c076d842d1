//! A program in double quotes, of which the shell takes `$1`.

use shell::{Parameter, Part, Word};

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::edit::stages::TextEdit;

pub(super) const ABOUT: About = About {
    kind: NoteKind::UnquotedDollar,
    basis: Basis::Line,
    when: "an awk program is in double quotes, so the shell puts its own $1 there",
    example: "awk \"{print $3}\" gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// The fields that the shell takes out of a word.
fn taken(word: &Word) -> Vec<usize> {
    let of_part = |part: &Part| match part {
        Part::Parameter(Parameter::Position(number), _) => Some(*number),
        _ => None,
    };
    let parts = word.parts.iter().flat_map(|part| match part {
        Part::Double(parts) => parts.iter().collect::<Vec<_>>(),
        part => vec![part],
    });
    parts.filter_map(of_part).filter(|&number| number > 0).collect()
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("awk")?;
    if arguments.has('f') {
        return None;
    }
    let argument = arguments.operands.first()?.word;
    let word = look.word(argument)?;
    let taken = taken(word);
    let first = taken.first()?;
    let value = String::from_utf8_lossy(&look.stage.plan.arguments[argument]).into_owned();
    let text = format!("in double quotes ${first} is the shell's own: awk gets “{value}”");
    let note = look.note_at(NoteKind::UnquotedDollar, Severity::Warning, word.span, text);
    Some(note.with_maybe(LABEL, in_single_quotes(look.text(), word)))
}

const LABEL: &str = "put it in single quotes";

/// The word in single quotes, where that is all it needs.
fn in_single_quotes(text: &str, word: &Word) -> Option<Vec<TextEdit>> {
    let source = text.get(word.span.range())?;
    let inner = source.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'))?;
    if inner.contains(['\'', '`']) {
        return None;
    }
    // What was escaped for double quotes means itself in single ones.
    let inner = inner.replace("\\\"", "\"").replace("\\$", "$").replace("\\\\", "\\");
    Some(replace(word.span, format!("'{inner}'")))
}

/// The same of a line that cannot be run, which this may be the reason of.
pub(super) fn of_refused(source: &str) -> Vec<Note> {
    let Ok(script) = engine::parse(source) else { return Vec::new() };
    let mut notes = Vec::new();
    for pipeline in script.pipelines() {
        for (stage, command) in pipeline.commands.iter().enumerate() {
            if command.name().as_deref() != Some("awk") {
                continue;
            }
            let program = command.words[1..].iter().find(|word| !taken(word).is_empty());
            let Some(word) = program else { continue };
            let text = format!(
                "in double quotes ${} is the shell's own, and awk does not get it",
                taken(word)[0]
            );
            let mut note = Note {
                kind: NoteKind::UnquotedDollar,
                stage,
                severity: Severity::Warning,
                span: word.span,
                count: 1,
                text,
                fix: None,
                always: None,
            };
            note = note.with_maybe(LABEL, in_single_quotes(source, word));
            notes.push(note);
        }
    }
    notes
}
