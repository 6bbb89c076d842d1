//! `cut` at a blank where blanks come in runs.

use bstr::ByteSlice;
use shell::Span;

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::edit::stages::TextEdit;

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
    let is_empty = |line: &[u8]| {
        let fields: Vec<&[u8]> = line.split(|&byte| byte == delimiter).collect();
        chosen.iter().any(|&field| fields.get(field - 1).is_some_and(|field| field.is_empty()))
    };
    let (name, class) = if delimiter == b' ' { ("space", "' '") } else { ("TAB", "'\\t'") };
    // Before the first word: that field stays empty when runs are squeezed.
    let leading = |line: &[u8]| line.first() == Some(&delimiter) && is_empty(line);
    let text = look.lines().text();
    let led = look.lines().tally(leading).map_or(0, |all| all.count as u64);
    // All of not too much is looked at: a few such lines are easily missed.
    let count = lines_with(text, &run, is_empty).max(led);
    if count == 0 {
        return None;
    }
    if led * 2 > count {
        let text = format!(
            "{} with {name}s, so a field there is empty",
            look.part_said(count, "begin", "begins")
        );
        let note = look.note(NoteKind::EmptyFields, Severity::Warning, text);
        return Some(note.with_maybe("take the words with awk", with_awk(look, &chosen)));
    }
    let text = format!(
        "{} several {name}s in a row, so a field there is empty",
        look.part_said(count, "have", "has")
    );
    let note = look.note(NoteKind::EmptyFields, Severity::Warning, text);
    let before = look.put_before(&format!("tr -s {class}"), false);
    Some(note.with_maybe(format!("squeeze the {name}s with tr -s"), before))
}

/// The same fields as words, which awk counts from the first one on; of a few only.
fn with_awk(look: &Look<'_>, chosen: &[usize]) -> Option<Vec<TextEdit>> {
    let arguments = look.arguments.as_ref()?;
    if chosen.len() > 8 || arguments.options.len() != 2 || !look.is_plain() {
        return None;
    }
    let fields: Vec<String> = chosen.iter().map(|field| format!("${field}")).collect();
    let words = look.words_span()?;
    let end = match look.file_words()[..] {
        [] => words.end,
        [first, ..] => look.span_of(first)?.start,
    };
    let own = look.source(Span::new(words.start, end));
    let blanks = &own[own.trim_end().len()..];
    let program = format!("awk '{{print {}}}'{blanks}", fields.join(", "));
    Some(replace(Span::new(words.start, end), program))
}
