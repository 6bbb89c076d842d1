//! A file that is read and written by the same line.

use std::path::{Path, PathBuf};

use engine::{Identity, StageResult, TargetKind};

use super::about::About;
use super::look::{Look, insert, remove};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use shell::Span;

pub(super) const ABOUT: About = About {
    kind: NoteKind::SameFile,
    basis: Basis::Line,
    when: "a file is both read and replaced by the line",
    example: "sort station.conf > station.conf",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

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

pub(super) fn find(look: &Look<'_>) -> Option<Note> {
    for (path, append, target) in look.stage.plan.written() {
        let at = look.stage.plan.at(path);
        if append || Identity::now(&at).is_err() {
            continue;
        }
        let readers = &look.preview.stages;
        if !readers.iter().flat_map(reads).any(|read| same(&read, &at)) {
            continue;
        }
        let shown = path.display();
        let text = format!("{shown} is read by this line and would be emptied before it is read");
        let note = look.note_at(NoteKind::SameFile, Severity::Warning, target.span, text);
        let source = look.source(target.span);
        let word = source.trim_start_matches(|c: char| c.is_ascii_digit());
        let word = word.trim_start_matches(['>', '|', ' ']);
        // sort reads everything before it writes, and knows the way.
        if look.is("sort") && target.descriptor == 1 && look.file_words().len() == 1 {
            let before = &look.text()[..target.span.start];
            let blanks = before.len() - before.trim_end().len();
            let mut edits = insert(look.name_end(), &format!(" -o {word}"));
            edits.push(remove(Span::new(target.span.start - blanks, target.span.end)));
            return Some(note.with(format!("write it with sort -o {word}"), edits));
        }
        let edits = insert(target.span.end, ".new");
        return Some(note.with(format!("write to {shown}.new instead"), edits));
    }
    None
}
