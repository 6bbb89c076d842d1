//! What a note is, and what notes look at.

use bytes::Bytes;
use engine::{StageKind, StageResult};
use filters::Arguments;

use crate::edit::stages::TextEdit;

/// How sure a note is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Cannot be wrong: shown with `!`.
    Warning,
    /// A hint: shown with `·`.
    Hint,
}

/// What a note is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum NoteKind {
    /// Equal lines are apart, where only those beside each other are looked at.
    RepeatsApart,
    /// The delimiter is in none of the lines.
    DelimiterAbsent,
    /// Nothing comes in.
    NothingComes,
    /// A file is emptied before it is read.
    SameFile,
    /// A file that is there is replaced.
    Replaces,
    /// A file is opened without the rights of the command.
    Privilege,
    /// It was ended because nobody reads what it writes.
    ClosedPipe,
    /// It was ended by a limit of the preview.
    CutOff,
    /// A file changed while it was read.
    Changed,
    /// Nothing is written before everything is read.
    HoldsEverything,
    /// The figures are those of a sample.
    SampleOnly,
}

impl NoteKind {
    /// Its name, which stays the same from version to version.
    pub fn id(self) -> &'static str {
        match self {
            Self::RepeatsApart => "repeats-apart",
            Self::DelimiterAbsent => "delimiter-absent",
            Self::NothingComes => "nothing-comes",
            Self::SameFile => "same-file",
            Self::Replaces => "replaces",
            Self::Privilege => "privilege",
            Self::ClosedPipe => "closed-pipe",
            Self::CutOff => "cut-off",
            Self::Changed => "changed",
            Self::HoldsEverything => "holds-everything",
            Self::SampleOnly => "sample-only",
        }
    }
}

/// Something worth knowing about a stage.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Note {
    /// What it is about.
    pub kind: NoteKind,
    /// The stage it is about.
    pub stage: usize,
    /// How sure it is.
    pub severity: Severity,
    /// One sentence, with the figures of this data.
    pub text: String,
    /// What one key would change.
    pub fix: Option<Fix>,
}

/// A change of the text that a note offers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What it does, in a few words.
    pub label: String,
    /// The change.
    pub edits: Vec<TextEdit>,
}

/// Lines looked at to find out about repeats and delimiters.
pub(super) const LOOK_LINES: usize = 200_000;

pub(super) fn note(
    kind: NoteKind,
    stage: usize,
    severity: Severity,
    text: String,
    fix: Option<Fix>,
) -> Note {
    Note { kind, stage, severity, text, fix }
}

pub(super) fn is(stage: &StageResult, name: &str) -> bool {
    matches!(&stage.plan.kind, StageKind::Native(definition) if definition.spec.name == name)
}

pub(super) fn arguments(stage: &StageResult) -> Option<Arguments> {
    match &stage.plan.kind {
        StageKind::Native(definition) => definition.parse(&stage.plan.arguments).ok(),
        _ => None,
    }
}

/// The stage's input lines, as many as are looked at, and whether that is all.
pub(super) fn looked_at(stage: &StageResult) -> (Vec<Bytes>, bool) {
    let mut lines = Vec::new();
    for input in &stage.inputs {
        lines.extend(input.kept.lines_at(0, LOOK_LINES - lines.len()));
    }
    let all = lines.len() as u64 == stage.input_lines();
    (lines, all)
}
