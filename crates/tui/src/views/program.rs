//! A program of a stage in an editor of its own: what is typed there goes into the command text at
//! once, so that nothing is lost when the editor is closed.

mod drawing;
pub(crate) mod state;

use crate::screen::canvas::Canvas;
use insight::quoted_program;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::{Position, Size};

use crate::screen::place::Focus;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};
use crate::text::editor::readline;
use crate::views::program::state::ProgramEditor;

/// Opens the program of the selected stage, or the one the cursor is in.
pub(crate) fn open(app: &mut App) {
    let cursor = app.text.editor.cursor();
    let at_cursor = app
        .text
        .programs
        .iter()
        .find(|program| app.focus == Focus::Text && program.span.touches(cursor));
    let stage = app.place.stage();
    let of_stage = app.text.programs.iter().find(|program| program.stage == stage);
    // Where there is only one it must be meant.
    let only = match &app.text.programs[..] {
        [only] => Some(only),
        _ => None,
    };
    match at_cursor.or(of_stage).or(only) {
        Some(program) => {
            app.open_drawer(ProgramEditor::new(program));
        }
        None => {
            app.message = Some("this stage has no program; awk and sed have one".to_owned());
        }
    }
}

/// A key in the editor of a program.
pub(crate) fn pressed(app: &mut App, program: &mut ProgramEditor, key: KeyEvent) {
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
        write_back(app, program);
    }
}

fn write_back(app: &mut App, editor: &mut ProgramEditor) {
    let quoted = quoted_program(editor.text());
    // All that is done while the editor is open is one step of undo in the command text.
    let first = !std::mem::replace(&mut editor.changed, true);
    app.text.editor.amend(editor.span, &quoted, first);
    editor.span.end = editor.span.start + quoted.len();
    app.text.recalled = None;
    app.message = None;
    app.text_changed();
}

impl Drawer<App> for ProgramEditor {
    fn name(&self) -> &'static str {
        "program"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, size.height)
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![
            ("type", "applied at once"),
            ("Esc", "close"),
            ("Enter", "new line"),
            ("Alt-u", "undo"),
            ("Alt-r", "redo"),
        ]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('s') {
            app.save();
            // A question for the name takes its place.
            return After::stays_if(app.drawer.is_none());
        }
        pressed(app, self, key);
        After::Stays
    }

    fn pasted(&mut self, text: &str, app: &mut App) {
        self.editor.insert_text(text);
        write_back(app, self);
    }
}
