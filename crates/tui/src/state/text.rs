//! The command text, what is known of it, and the lines before it.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;

use engine::PlanError;
use insight::ProgramText;
use shell::{Pipeline, Script, Span};

use crate::text::complete::Completion;
use crate::text::editor::Editor;

/// The last word of an earlier line, as it was put into the text.
pub(crate) struct Argument {
    /// Which line, by its number.
    pub(crate) line: usize,
    /// Where it begins in the text, and where it ends.
    pub(crate) start: usize,
    pub(crate) end: usize,
    /// The text with it.
    pub(crate) text: String,
}

/// Candidates that are looked for.
pub(crate) struct Completing {
    pub(crate) since: Instant,
    /// The text, and the cursor in it.
    pub(crate) text: String,
    pub(crate) cursor: usize,
}

impl Completing {
    /// True where they are for this text with the cursor there.
    pub(crate) fn is_of(&self, text: &str, cursor: usize) -> bool {
        self.text == text && self.cursor == cursor
    }
}

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
    /// Candidates are looked for: in folders, which may take their time.
    pub(crate) completing: Option<Completing>,
    /// Earlier lines, the newest last.
    pub(crate) history: Vec<String>,
    /// The last word of an earlier line that was just put in.
    pub(crate) argument: Option<Argument>,
    /// The earlier line on show, and the text that was typed before it.
    pub(crate) recalled: Option<(usize, String)>,
    /// The longest text so far of the line that is being typed that had a result.
    pub(crate) evaluated: Option<String>,
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
            completing: None,
            history,
            argument: None,
            recalled: None,
            evaluated: None,
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

    /// The pipelines that can be looked at, and which of them is.
    pub(crate) fn commands(&self) -> (Vec<&Pipeline>, usize) {
        let all = self.script.as_ref().map(|script| script.pipelines());
        let all = all.into_iter().flatten().filter(|pipeline| !pipeline.only_assigns());
        let all: Vec<&Pipeline> = all.collect();
        let shown = self.pipeline().map(|pipeline| pipeline.span);
        let at = all.iter().position(|pipeline| Some(pipeline.span) == shown).unwrap_or(0);
        (all, at)
    }

    /// Notes that the text has a result. Gives a line that had one before and is given up by it: to
    /// the earlier lines it goes, while a line that is still being typed does not.
    pub(crate) fn evaluated(&mut self, text: &str) -> Option<String> {
        let text = text.trim();
        let before = self.evaluated.as_deref().unwrap_or_default();
        if is_part_of(before, text) {
            self.evaluated = Some(text.to_owned());
            None
        } else if is_part_of(text, before) {
            // Some of it was deleted; what it becomes is to be seen.
            None
        } else {
            self.evaluated.replace(text.to_owned())
        }
    }

    /// A line that had a result and that this text is not the continuation of.
    pub(crate) fn given_up(&mut self, text: &str) -> Option<String> {
        self.evaluated.take().filter(|before| !is_part_of(before, text.trim()))
    }

    /// The pipeline that is looked at.
    pub(crate) fn pipeline(&self) -> Option<&Pipeline> {
        self.script.as_ref().and_then(|script| script.shown(self.editor.cursor()))
    }
}

/// True where `whole` is `part` with something put in at one place.
fn is_part_of(part: &str, whole: &str) -> bool {
    let (part, whole) = (part.as_bytes(), whole.as_bytes());
    let before = part.iter().zip(whole).take_while(|(one, other)| one == other).count();
    let (rest, end) = (&part[before..], &whole[before.min(whole.len())..]);
    end.ends_with(rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_remembered_when_another_takes_its_place() {
        let mut state = TextState::new(String::new(), None, Vec::new());
        let mut given_up = Vec::new();
        for text in [
            "seq 9",
            "seq 9 | sort",
            "seq 9 | sort | uniq",
            // Some of it goes, and comes again otherwise.
            "seq 9 | sort",
            "seq 9 | sort | tac",
            // Something is put in and taken out.
            "seq 90 | sort | tac",
            "seq 9 | sort | tac",
            "ls",
        ] {
            given_up.extend(state.evaluated(text));
        }
        assert_eq!(given_up, ["seq 9 | sort | uniq", "seq 90 | sort | tac"]);
        assert_eq!(state.evaluated.as_deref(), Some("ls"));
    }

    #[test]
    fn parts_have_one_place_where_something_is_missing() {
        for (part, whole) in [
            ("", ""),
            ("", "a"),
            ("ab", "ab"),
            ("ab", "xab"),
            ("ab", "axb"),
            ("ab", "abx"),
            ("aa", "aaa"),
        ] {
            assert!(is_part_of(part, whole), "{part} {whole}");
        }
        for (part, whole) in [("a", ""), ("ab", "b"), ("ab", "xaxb"), ("abc", "abd"), ("ab", "ba")]
        {
            assert!(!is_part_of(part, whole), "{part} {whole}");
        }
    }
}
