//! A program of a stage in an editor of its own.

use insight::ProgramText;
use shell::Span;

use crate::text::editor::Editor;

/// The editor of a program.
pub(crate) struct ProgramEditor {
    /// The lines and the cursor.
    pub(crate) editor: Editor,
    /// The filter the program is for.
    pub filter: String,
    /// Its stage, from 0.
    pub stage: usize,
    /// The word in the command text, with its quotes.
    pub span: Span,
    /// True once something was changed.
    pub(crate) changed: bool,
}

impl ProgramEditor {
    pub(crate) fn new(program: &ProgramText) -> Self {
        Self {
            editor: Editor::at_start(&program.text),
            filter: program.filter.clone(),
            stage: program.stage,
            span: program.span,
            changed: false,
        }
    }

    /// The program as it is now.
    pub(crate) fn text(&self) -> &str {
        self.editor.text()
    }

    /// Where a place of the command text lies in the program: line and column, in characters.
    pub(crate) fn place_of(&self, at: usize) -> Option<(usize, usize)> {
        let text = self.text();
        // Behind a quote that had to be taken apart places no longer agree.
        let offset = at.checked_sub(self.span.start + 1).filter(|at| *at <= text.len())?;
        if text.contains('\'') || !text.is_char_boundary(offset) {
            return None;
        }
        let before = &text[..offset];
        let row = before.matches('\n').count();
        let start = before.rfind('\n').map_or(0, |newline| newline + 1);
        Some((row, before[start..].chars().count()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn editor(text: &str) -> ProgramEditor {
        let program = ProgramText {
            filter: "awk".to_owned(),
            stage: 0,
            // After `awk `, with its quotes.
            span: Span::new(4, 4 + text.len() + 2),
            shades: Vec::new(),
            text: text.to_owned(),
        };
        ProgramEditor::new(&program)
    }

    #[test]
    fn places_of_the_command_text_are_found_in_the_program() {
        let program = editor("{ n++ }\nEND { é = n }");
        for (at, place) in [
            (0, None),
            (4, None),
            (5, Some((0, 0))),
            (7, Some((0, 2))),
            (12, Some((0, 7))),
            (13, Some((1, 0))),
            (19, Some((1, 6))),
            (20, None),
            (21, Some((1, 7))),
            (27, Some((1, 13))),
            (28, None),
        ] {
            assert_eq!(program.place_of(at), place, "{at}");
        }
        assert_eq!(editor("print \"it's\"").place_of(6), None);
    }
}
