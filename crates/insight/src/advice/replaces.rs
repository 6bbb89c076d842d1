//! A file that would be replaced.

use engine::{PendingMode, Preview, StageResult};
use shell::Span;

use super::note::{Fix, Note, NoteKind, Severity, note};
use crate::describe::units::{bytes, grouped};
use crate::edit::stages::TextEdit;

pub(super) fn replaces(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    for (path, append, target) in stage.plan.written() {
        // Devices have nothing that could be replaced.
        let at = stage.plan.at(path);
        let Some(pending) = stage.pending.iter().find(|file| file.path == at) else { continue };
        if append || pending.mode != PendingMode::Replace || pending.bytes_now == 0 {
            continue;
        }
        let size = match pending.lines_now {
            Some(1) => "1 line".to_owned(),
            Some(lines) => format!("{} lines", grouped(lines)),
            None => bytes(pending.bytes_now),
        };
        let text = format!("replaces {size} of {}", path.display());
        let source = preview.text.get(target.span.range()).unwrap_or_default();
        let fix = source.find('>').map(|at| {
            let at = target.span.start + at;
            let old = usize::from(source.contains(">|")) + 1;
            let edits = vec![TextEdit { span: Span::new(at, at + old), text: ">>".to_owned() }];
            Fix { label: "append with >> instead".to_owned(), edits }
        });
        return Some(note(NoteKind::Replaces, number, Severity::Warning, text, fix));
    }
    None
}
