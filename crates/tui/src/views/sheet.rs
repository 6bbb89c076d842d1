//! Setting the options of a stage.

mod drawing;
pub(crate) mod state;

use crate::screen::canvas::Canvas;
use ratatui::layout::{Position, Size};
use std::collections::BTreeMap;

use engine::StageResult;
use filters::OptionId;
use insight::{Setting, set_option, sheet};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;

use crate::screen::list::edit;
use crate::screen::place::{Focus, Place};
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::views::sheet::state::{Pick, SheetView};

/// Bytes of a line that fields are picked from.
const LINE: usize = 1 << 12;

/// A key of the search among the options; false for one that is none, and for a letter with which none has
/// what is searched for: where the option takes a value, that begins with it.
fn searched(view: &mut SheetView, key: KeyEvent) -> bool {
    match key.code {
        KeyCode::Char(letter) if key.modifiers.difference(KeyModifiers::SHIFT).is_empty() => {
            view.search.push(letter);
            let found = view.find();
            if !found {
                view.search.pop();
            }
            found
        }
        KeyCode::Backspace if !view.search.is_empty() => {
            view.search.pop();
            view.find();
            true
        }
        _ => false,
    }
}

/// Opens the options of the selected stage; of one that has none, its text is edited.
pub(crate) fn open(app: &mut App) {
    let stage = match app.place {
        Place::Source => 0,
        Place::Stage(number) | Place::Stream(number) => number,
    };
    let (text, cursor) = (app.text.editor.text().to_owned(), app.text.editor.cursor());
    match sheet(&text, cursor, stage) {
        Ok(sheet) => {
            app.message = None;
            app.place = Place::Stage(stage);
            app.refresh_lens(true);
            let preview = app.result.preview.as_ref();
            let result = preview.and_then(|preview| preview.stages.get(stage));
            let lines_before = result.map(StageResult::lines_out);
            let definition = filters::find(sheet.spec.name.as_bytes());
            let uses = definition.map(insight::option_uses).unwrap_or_default();
            app.open_drawer(SheetView {
                search: String::new(),
                kept: BTreeMap::new(),
                uses,
                stage,
                before: (text, cursor),
                lines_before,
                sheet,
                at: 0,
                typed: None,
                pick: None,
            });
        }
        Err(error) => {
            app.act(crate::actions::Action::EditStage);
            app.message = Some(error.to_string());
        }
    }
}

/// A key for the sheet; false where it is closed.
pub(crate) fn pressed(app: &mut App, view: &mut SheetView, key: KeyEvent) -> bool {
    let last = view.sheet.rows.len().saturating_sub(1);
    let step = |view: &mut SheetView, at: usize| {
        view.at = at.min(last);
        view.typed = None;
        view.search.clear();
    };
    if view.pick.is_some() {
        pick_key(app, view, key.code);
        return true;
    }
    match key.code {
        KeyCode::Tab if view.picks_fields() => begin_pick(app, view),
        KeyCode::Up => step(view, view.at.saturating_sub(1)),
        KeyCode::Down => step(view, view.at + 1),
        KeyCode::PageUp => step(view, view.at.saturating_sub(10)),
        KeyCode::PageDown => step(view, view.at + 10),
        KeyCode::Home if view.typed.is_none() => step(view, 0),
        KeyCode::End if view.typed.is_none() => step(view, last),
        KeyCode::Enter => {
            app.focus = Focus::River;
            return false;
        }
        KeyCode::F(2) => {
            app.act(crate::actions::Action::Program);
            return app.drawer.is_none();
        }
        _ => set_in_sheet(app, view, key),
    }
    true
}

/// Brings back the text as it was before the sheet.
pub(crate) fn leave(app: &mut App, view: &SheetView) {
    let (text, cursor) = &view.before;
    if text != app.text.editor.text() {
        app.text.editor.set_text(text, *cursor);
        app.message = Some("as it was".to_owned());
        app.text_changed();
    }
}

/// The first line that comes in, with its fields as the stage counts them.
fn begin_pick(app: &mut App, view: &mut SheetView) {
    let preview = app.result.preview.clone().filter(|_| !app.is_stale());
    let stage = preview.as_ref().and_then(|preview| preview.stages.get(view.stage));
    let line = stage.and_then(|stage| stage.inputs.first()?.kept.line_start(0, LINE));
    let Some((stage, line)) = stage.zip(line) else {
        app.message = Some("no line to pick from".to_owned());
        return;
    };
    let list = view.rows().get(view.at).and_then(|row| row.given.last().cloned());
    let list = list.unwrap_or_default();
    // Without a list the stage does not run: what it would count is found with one.
    let counted = insight::counted(stage, &line);
    let Some(filters::Counted::Fields(fields)) = counted else {
        app.message = Some("the stage counts no fields yet: type a list first".to_owned());
        return;
    };
    let Some(chosen) = insight::fields_of_list(&list, fields.len()) else {
        app.message = Some("this list is not one of single fields; type it".to_owned());
        return;
    };
    let to_end = list.ends_with('-');
    view.typed = None;
    view.pick = Some(Pick { line: line.to_vec(), fields, chosen, at: 0, to_end });
}

/// A key while fields are picked.
fn pick_key(app: &mut App, view: &mut SheetView, code: KeyCode) {
    let Some(mut pick) = view.pick.take() else { return };
    match code {
        KeyCode::Left => pick.at = pick.at.saturating_sub(1),
        KeyCode::Right => pick.at = (pick.at + 1).min(pick.fields.len().saturating_sub(1)),
        KeyCode::Char(' ') => {
            pick.chosen[pick.at] = !pick.chosen[pick.at];
            let list = insight::list_of_fields(&pick.chosen, pick.to_end);
            // cut without a list is an error: the last one stays.
            if list.is_empty() {
                pick.chosen[pick.at] = true;
                app.message = Some("one field at least".to_owned());
            } else {
                set(app, view, 'f'.into(), &Setting::Value(list));
            }
        }
        KeyCode::Tab | KeyCode::Enter => return,
        _ => {}
    }
    view.pick = Some(pick);
}

fn set_in_sheet(app: &mut App, view: &mut SheetView, key: KeyEvent) {
    let rows = view.rows();
    let Some(row) = rows.get(view.at) else { return };
    let (id, optional) = (row.option.id, row.option.optional);
    let is_on = !row.given.is_empty();
    let value = row.given.last().cloned().unwrap_or_default();
    let takes_value = row.option.value.is_some();
    if !takes_value && key.code == KeyCode::Char(' ') {
        set(app, view, id, &if is_on { Setting::Off } else { Setting::On });
        view.search.clear();
        return;
    }
    if (!takes_value || !view.search.is_empty()) && searched(view, key) {
        return;
    }
    if !takes_value {
        return;
    }
    view.search.clear();
    // A value that may be left out can be switched, too.
    let can_switch = is_on || optional != filters::Optional::Never || view.kept.contains_key(&id);
    if key.code == KeyCode::Char(' ') && view.typed.is_none() && can_switch {
        let setting = match view.kept.get(&id).filter(|_| !is_on) {
            Some(kept) => Setting::Value(kept.clone()),
            None if is_on => {
                view.kept.insert(id, value);
                Setting::Off
            }
            None => Setting::On,
        };
        set(app, view, id, &setting);
        return;
    }
    // The first letter begins a new value, other keys change the old one.
    let fresh = matches!(key.code, KeyCode::Char(_)) && key.modifiers.is_empty();
    let start = if fresh { String::new() } else { value };
    let input = view.typed.get_or_insert_with(|| Input::new(start));
    if edit(input, key) {
        let typed = input.value().to_owned();
        let setting = if typed.is_empty() { Setting::Off } else { Setting::Value(typed) };
        set(app, view, id, &setting);
    }
}

fn set(app: &mut App, view: &mut SheetView, id: OptionId, setting: &Setting) {
    let (text, cursor) = (app.text.editor.text().to_owned(), app.text.editor.cursor());
    let changed = set_option(&text, cursor, view.stage, id, setting);
    match changed.and_then(|changed| Ok((sheet(&changed, cursor, view.stage)?, changed))) {
        Ok((sheet, changed)) => {
            view.sheet = sheet;
            app.message = None;
            let cursor = cursor.min(changed.len());
            app.text.editor.set_text(&changed, cursor);
            app.text_changed();
        }
        Err(error) => app.message = Some(error.to_string()),
    }
}

impl Drawer<App> for SheetView {
    fn name(&self) -> &'static str {
        "options"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        if self.pick.is_some() {
            return vec![("←→", "field"), ("Space", "take it or not"), ("Tab", "done")];
        }
        let is_switch = self.at < self.switches();
        let set = if is_switch { ("Space", "switch") } else { ("type", "its value") };
        let mut hints = vec![set];
        hints.extend(is_switch.then_some(("type", "search")));
        hints.extend([("Enter", "keep"), ("Esc", "as it was"), ("↑↓", "choose")]);
        hints.extend(self.picks_fields().then_some(("Tab", "pick fields from a line")));
        let has_program = matches!(self.sheet.spec.name, "awk" | "sed");
        hints.extend(has_program.then_some(("F2", "its program")));
        hints
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn clicked(&mut self, row: usize, app: &mut App) -> After {
        self.typed = None;
        self.pick = None;
        if std::mem::replace(&mut self.at, row) == row {
            return self.key(KeyEvent::from(KeyCode::Char(' ')), app);
        }
        After::Stays
    }

    fn left(&mut self, app: &mut App) {
        leave(app, self);
    }
}
