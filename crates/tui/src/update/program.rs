//! A program of a stage in an editor of its own: what is typed there goes into the command text at
//! once, so that nothing is lost when the editor is closed.

use insight::quoted_program;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::place::Focus;
use crate::state::program::ProgramEditor;
use crate::text::editor::readline;

impl App {
    /// Opens the program of the selected stage, or the one the cursor is in.
    pub(crate) fn open_program(&mut self) {
        let cursor = self.text.editor.cursor();
        let at_cursor = self
            .text
            .programs
            .iter()
            .find(|program| self.focus == Focus::Text && program.span.touches(cursor));
        let stage = self.place.stage();
        let of_stage = self.text.programs.iter().find(|program| program.stage == stage);
        // Where there is only one it must be meant.
        let only = match &self.text.programs[..] {
            [only] => Some(only),
            _ => None,
        };
        match at_cursor.or(of_stage).or(only) {
            Some(program) => {
                self.drawer = Some(Drawer::Program(Box::new(ProgramEditor::new(program))));
            }
            None => {
                self.message = Some("this stage has no program; awk and sed have one".to_owned());
            }
        }
    }

    /// True where the selected stage has a program.
    pub(crate) fn has_program(&self) -> bool {
        let stage = self.place.stage();
        self.text.programs.iter().any(|program| program.stage == stage)
    }

    /// A key in the editor of a program.
    pub(crate) fn program_key(&mut self, program: &mut ProgramEditor, key: KeyEvent) {
        let editor = &mut program.editor;
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let alt = key.modifiers.contains(KeyModifiers::ALT);
        let changed = match (key.code, control, alt) {
            (KeyCode::Up, ..) => {
                editor.vertical(false);
                false
            }
            (KeyCode::Down, ..) => {
                editor.vertical(true);
                false
            }
            (KeyCode::Char('u'), false, true) => editor.undo(),
            (KeyCode::Char('r'), false, true) => editor.redo(),
            (KeyCode::Enter, ..) => {
                editor.insert('\n');
                true
            }
            (KeyCode::Tab, ..) => {
                editor.insert('\t');
                true
            }
            (KeyCode::Char(character), false, false) => {
                editor.insert(character);
                true
            }
            _ => readline(key.code, control, alt).is_some_and(|edit| editor.edit(edit)),
        };
        if changed {
            self.program_changed(program);
        }
    }

    /// A text pasted into the editor of a program.
    pub(crate) fn program_paste(&mut self, program: &mut ProgramEditor, text: &str) {
        program.editor.insert_text(text);
        self.program_changed(program);
    }

    fn program_changed(&mut self, editor: &mut ProgramEditor) {
        let quoted = quoted_program(editor.text());
        // All that is done while the editor is open is one step of undo in the command text.
        let first = !std::mem::replace(&mut editor.changed, true);
        self.text.editor.amend(editor.span, &quoted, first);
        editor.span.end = editor.span.start + quoted.len();
        self.text.recalled = None;
        self.message = None;
        self.text_changed();
    }
}
