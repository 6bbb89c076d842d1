//! A file that would be replaced.

use engine::PendingMode;
use shell::Span;

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::{bytes, grouped};

pub(super) const ABOUT: About = About {
    kind: NoteKind::Replaces,
    basis: Basis::Data,
    when: "a redirection replaces a file that has something in it",
    example: "grep stuck gate.log > station.conf",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    // What would be lost is more than what is replaced.
    if super::same_file::find(look).is_some() {
        return None;
    }
    for (path, append, target) in look.stage.plan.written() {
        // Devices have nothing that could be replaced.
        let at = look.stage.plan.at(path);
        let Some(pending) = look.stage.pending.iter().find(|file| file.path == at) else {
            continue;
        };
        if append || pending.mode != PendingMode::Replace || pending.bytes_now == 0 {
            continue;
        }
        let size = match pending.lines_now {
            Some(1) => "1 line".to_owned(),
            Some(lines) => format!("{} lines", grouped(lines)),
            None => bytes(pending.bytes_now),
        };
        let text = format!("replaces {size} of {}", path.display());
        let source = look.source(target.span);
        let note = look.note_at(NoteKind::Replaces, Severity::Warning, target.span, text);
        let edits = source.find('>').map(|at| {
            let at = target.span.start + at;
            let old = usize::from(source.contains(">|")) + 1;
            replace(Span::new(at, at + old), ">>")
        });
        return Some(note.with_maybe("append with >> instead", edits));
    }
    None
}
