//! What the stages of a text have to be like to be exchanged.

use shell::Span;

use super::super::look::Look;
use super::super::note::{Note, NoteKind, Severity};
use crate::edit::stages::TextEdit;

/// A text that may give the same.
pub(super) fn rewrite(
    look: &Look<'_>,
    kind: NoteKind,
    text: impl Into<String>,
    label: impl Into<String>,
    edits: Vec<TextEdit>,
    always: Option<&'static str>,
) -> Note {
    let mut note = look.note(kind, Severity::Hint, text).with(label, edits);
    note.always = always;
    note
}

/// From the end of one stage's words to the end of those of the next: takes the next one out and
/// leaves its redirections.
pub(super) fn next_words(look: &Look<'_>, next: &Look<'_>) -> Option<Span> {
    Some(Span::new(look.words_span()?.end, next.words_span()?.end))
}

/// True for a stage of words alone, whose words are all known from the text.
pub(super) fn is_simple(look: &Look<'_>) -> bool {
    look.is_plain()
        && look.command.is_some_and(|command| {
            !command.errors_too
                && command.off.is_none()
                && command.words.iter().all(|word| word.literal().is_some())
        })
}

/// True where only redirections may be added to its words.
pub(super) fn is_almost_simple(look: &Look<'_>) -> bool {
    look.command.is_some_and(|command| {
        command.assignments.is_empty()
            && command.off.is_none()
            && command.compound.is_none()
            && command.words.iter().all(|word| word.literal().is_some())
    })
}
