//! The command text, what is known of it, and the lines before it.

use std::path::PathBuf;
use std::sync::Arc;

use engine::PlanError;
use insight::ProgramText;
use shell::{Pipeline, Script, Span};

use crate::text::complete::Completion;
use crate::text::editor::Editor;

/// The command text.
pub(crate) struct TextState {
    /// The text itself, with its cursor.
    pub(crate) editor: Editor,
    /// The text as a tree; `None` while it has an error.
    pub(crate) script: Option<Arc<Script>>,
    /// The programs in it.
    pub(crate) programs: Vec<ProgramText>,
    /// What is wrong with the text.
    pub(crate) problem: Option<PlanError>,
    /// The script file, if there is one.
    pub(crate) path: Option<PathBuf>,
    /// A text that was put there to begin with, and gives way to what is typed.
    pub(crate) offered: Option<String>,
    /// The text as it was saved or opened last.
    pub(crate) saved: String,
    /// Completion in progress.
    pub(crate) completion: Option<Completion>,
    /// Earlier lines, the newest last.
    pub(crate) history: Vec<String>,
    /// The earlier line on show, and the text that was typed before it.
    pub(crate) recalled: Option<(usize, String)>,
    /// Texts that were parsed or are being parsed.
    pub(crate) parses: u64,
    /// The pipeline that was evaluated last.
    pub(crate) shown_span: Option<Span>,
}

impl TextState {
    /// A text, not yet parsed.
    pub(crate) fn new(text: String, path: Option<PathBuf>, history: Vec<String>) -> Self {
        Self {
            editor: Editor::new(&text),
            script: None,
            programs: Vec::new(),
            problem: None,
            path,
            offered: None,
            saved: text,
            completion: None,
            history,
            recalled: None,
            parses: 0,
            shown_span: None,
        }
    }

    /// The text differs from what was saved.
    pub(crate) fn is_changed(&self) -> bool {
        self.editor.text() != self.saved
    }

    /// Something was written that is not saved.
    pub(crate) fn would_be_lost(&self) -> bool {
        self.is_changed() && !self.editor.text().trim().is_empty()
    }

    /// The pipeline that is looked at.
    pub(crate) fn pipeline(&self) -> Option<&Pipeline> {
        self.script.as_ref().and_then(|script| script.shown(self.editor.cursor()))
    }
}
