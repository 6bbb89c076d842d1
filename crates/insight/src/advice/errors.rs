//! Messages that go where they are not looked for: the terminal, the data, or nowhere.

use std::path::Path;

use bstr::ByteSlice;
use engine::TargetKind;
use shell::RedirectionKind;

use super::about::About;
use super::look::{Look, insert, remove};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::seen::Seen;
use crate::describe::units::{grouped, lines};
use shell::Span;

pub(super) const ORDER: About = About {
    kind: NoteKind::ErrorOrder,
    basis: Basis::Line,
    when: "2>&1 stands before > FILE: errors still go where standard output went before",
    example: "grep -c refused gate.log none.log 2>&1 > counts.txt",
    proof: Proof::Cures,
    searches: false,
    find: |look| order(look).into_iter().collect(),
};

pub(super) const IN_OUTPUT: About = About {
    kind: NoteKind::ErrorInOutput,
    basis: Basis::Data,
    when: "messages go into the pipe with 2>&1 or |& and are taken for data",
    example: "grep -h refused gate.log none.log 2>&1 | wc -l",
    proof: Proof::Cures,
    searches: false,
    find: |look| in_output(look).into_iter().collect(),
};

pub(super) const HIDDEN: About = About {
    kind: NoteKind::ErrorHidden,
    basis: Basis::Data,
    when: "2> /dev/null throws messages away, and the command did not succeed",
    example: "grep -h refused gate.log none.log 2> /dev/null | wc -l",
    proof: Proof::Shows,
    searches: false,
    find: |look| hidden(look).into_iter().collect(),
};

/// Errors go where the output went, which then goes elsewhere.
fn order(look: &Look<'_>) -> Option<Note> {
    // Before a pipe this is how errors alone are filtered.
    if look.number + 1 < look.preview.stages.len() {
        return None;
    }
    let redirections = &look.command?.redirections;
    let at = redirections
        .iter()
        .position(|one| one.descriptor == 2 && matches!(one.kind, RedirectionKind::Duplicate(1)))?;
    let file = redirections[at + 1..].iter().find(|one| {
        let to_file = matches!(one.kind, RedirectionKind::Replace(_) | RedirectionKind::Append(_));
        one.descriptor == 1 && to_file
    })?;
    // Output that goes to a file already takes the errors there.
    let before = redirections[..at].iter().any(|one| one.descriptor == 1);
    if before || redirections.iter().any(|one| one.descriptor > 2) {
        return None;
    }
    let copied = redirections[at].span;
    let text = format!(
        "{} stands before {}, so errors still go to the terminal",
        look.source(copied),
        look.source(file.span)
    );
    let blanks = look.text()[..copied.start].len() - look.text()[..copied.start].trim_end().len();
    let mut edits = vec![remove(Span::new(copied.start - blanks, copied.end))];
    edits.extend(insert(file.span.end, &format!(" {}", look.source(copied))));
    let note = look.note_at(NoteKind::ErrorOrder, Severity::Warning, copied, text);
    Some(note.with("put it after the file", edits))
}

/// Messages of the stage are among the lines that the next one reads.
fn in_output(look: &Look<'_>) -> Option<Note> {
    let command = look.command?;
    look.preview.stages.get(look.number + 1)?;
    let joined = command
        .redirections
        .iter()
        .find(|one| one.descriptor == 2 && matches!(one.kind, RedirectionKind::Duplicate(1)));
    if joined.is_none() && !command.errors_too || !look.stage.plan.feeds_next() {
        return None;
    }
    if look.stage.status.0 == 0 {
        return None;
    }
    let start = format!("{}: ", look.stage.name);
    let kept = &look.stage.out;
    let seen = Seen::of(std::iter::once(&**kept));
    let is_message = |line: &[u8]| line.starts_with_str(&start);
    let count = seen.tally(is_message)?.count as u64;
    // Where there is nothing else, or the next stage keeps them alone, they are what is wanted.
    let next = look.preview.stages.get(look.number + 1)?;
    let left = Seen::of(std::iter::once(&*next.out));
    let wanted =
        left.len() > 0 && left.tally(is_message).is_some_and(|all| all.count == left.len());
    if wanted || count as usize == seen.len() {
        return None;
    }
    let least = if seen.len() as u64 == kept.lines() { "" } else { "at least " };
    let text = if count == 1 {
        format!("{least}1 line in the pipe is a message, not data")
    } else {
        format!("{least}{} in the pipe are messages, not data", lines(count))
    };
    let span = joined.map_or(look.stage.span, |one| one.span);
    let note = look.note_at(NoteKind::ErrorInOutput, Severity::Hint, span, text);
    let edits = joined.map(|one| {
        let before = &look.text()[..one.span.start];
        let blanks = before.len() - before.trim_end().len();
        vec![remove(Span::new(one.span.start - blanks, one.span.end))]
    });
    Some(note.with_maybe("leave 2>&1 out", edits))
}

/// The messages are thrown away, and there were some.
fn hidden(look: &Look<'_>) -> Option<Note> {
    let thrown = look.stage.plan.targets.iter().rev().find(|target| target.descriptor == 2)?;
    let nowhere = matches!(&thrown.kind, TargetKind::Replace(path) | TargetKind::Append(path)
        if path == Path::new("/dev/null"));
    let status = look.stage.status.0;
    // For grep, cmp, diff and expr 1 is an answer.
    let answers = matches!(look.stage.name.as_str(), "grep" | "cmp" | "diff" | "expr" | "test");
    if !nowhere || status == 0 || (answers && status == 1) || look.stage.unstarted.is_some() {
        return None;
    }
    if look.arguments.is_none() || status >= 126 {
        return None;
    }
    let text = format!(
        "ended with status {}, and its messages are thrown away",
        grouped(u64::from(status))
    );
    let before = &look.text()[..thrown.span.start];
    let blanks = before.len() - before.trim_end().len();
    let edits = vec![remove(Span::new(thrown.span.start - blanks, thrown.span.end))];
    let note = look.note_at(NoteKind::ErrorHidden, Severity::Hint, thrown.span, text);
    Some(note.with("show them", edits))
}
