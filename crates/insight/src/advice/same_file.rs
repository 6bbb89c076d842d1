//! A file that is read and written by the same line.

use std::path::{Path, PathBuf};

use engine::{Identity, Preview, StageResult, TargetKind};
use shell::Span;

use super::note::{Fix, Note, NoteKind, Severity, note};
use crate::edit::stages::TextEdit;

/// The files a stage reads, by argument or redirection.
fn reads(stage: &StageResult) -> Vec<PathBuf> {
    use std::os::unix::ffi::OsStrExt;
    let mut paths: Vec<PathBuf> = stage
        .plan
        .targets
        .iter()
        .filter_map(|target| match &target.kind {
            TargetKind::Read(path) => Some(stage.plan.at(path)),
            _ => None,
        })
        .collect();
    paths.extend(stage.inputs.iter().filter_map(|input| match &input.name {
        stream::InputName::File(name) => {
            Some(stage.plan.at(Path::new(std::ffi::OsStr::from_bytes(name))))
        }
        stream::InputName::Standard => None,
    }));
    paths
}

fn same(one: &Path, other: &Path) -> bool {
    let real = |path: &Path| std::fs::canonicalize(path).ok();
    one == other || matches!((real(one), real(other)), (Some(one), Some(other)) if one == other)
}

pub(super) fn same_file(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    for (path, append, target) in stage.plan.written() {
        let at = stage.plan.at(path);
        if append || Identity::now(&at).is_err() {
            continue;
        }
        let read = preview.stages.iter().flat_map(reads).any(|read| same(&read, &at));
        if !read {
            continue;
        }
        let shown = path.display();
        let text = format!("{shown} is read by this line and would be emptied before it is read");
        let end = target.span.end;
        let edits = vec![TextEdit { span: Span::new(end, end), text: ".new".to_owned() }];
        let fix = Fix { label: format!("write to {shown}.new instead"), edits };
        return Some(note(NoteKind::SameFile, number, Severity::Warning, text, Some(fix)));
    }
    None
}
