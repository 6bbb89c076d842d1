//! Setting the options of a stage.

use std::collections::BTreeMap;

use engine::StageResult;
use insight::{Setting, set_option, sheet};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::list::edit;
use crate::state::place::{Focus, Place};
use crate::state::sheet::{Pick, SheetView};

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

impl App {
    /// Opens the options of the selected stage; of one that has none, its text is edited.
    pub(crate) fn open_sheet(&mut self) {
        let stage = match self.place {
            Place::Source => 0,
            Place::Stage(number) | Place::Stream(number) => number,
        };
        let (text, cursor) = (self.text.editor.text().to_owned(), self.text.editor.cursor());
        match sheet(&text, cursor, stage) {
            Ok(sheet) => {
                self.message = None;
                self.place = Place::Stage(stage);
                self.refresh_lens(true);
                let preview = self.result.preview.as_ref();
                let result = preview.and_then(|preview| preview.stages.get(stage));
                let lines_before = result.map(StageResult::lines_out);
                let definition = filters::find(sheet.spec.name.as_bytes());
                let uses = definition.map(insight::option_uses).unwrap_or_default();
                self.drawer = Some(Drawer::Sheet(Box::new(SheetView {
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
                })));
            }
            Err(error) => {
                self.act(crate::actions::Action::EditStage);
                self.message = Some(error.to_string());
            }
        }
    }

    /// A key for the sheet; false where it is closed.
    pub(crate) fn sheet_key(&mut self, view: &mut SheetView, key: KeyEvent) -> bool {
        let last = view.sheet.rows.len().saturating_sub(1);
        let step = |view: &mut SheetView, at: usize| {
            view.at = at.min(last);
            view.typed = None;
            view.search.clear();
        };
        if view.pick.is_some() {
            self.pick_key(view, key.code);
            return true;
        }
        match key.code {
            KeyCode::Tab if view.picks_fields() => self.begin_pick(view),
            KeyCode::Up => step(view, view.at.saturating_sub(1)),
            KeyCode::Down => step(view, view.at + 1),
            KeyCode::PageUp => step(view, view.at.saturating_sub(10)),
            KeyCode::PageDown => step(view, view.at + 10),
            KeyCode::Home if view.typed.is_none() => step(view, 0),
            KeyCode::End if view.typed.is_none() => step(view, last),
            KeyCode::Enter => {
                self.focus = Focus::River;
                return false;
            }
            KeyCode::F(2) => {
                self.act(crate::actions::Action::Program);
                return self.drawer.is_none();
            }
            _ => self.set_in_sheet(view, key),
        }
        true
    }

    /// Brings back the text as it was before the sheet.
    pub(crate) fn leave_sheet(&mut self, view: &SheetView) {
        let (text, cursor) = &view.before;
        if text != self.text.editor.text() {
            self.text.editor.set_text(text, *cursor);
            self.message = Some("as it was".to_owned());
            self.text_changed();
        }
    }

    /// The first line that comes in, with its fields as the stage counts them.
    fn begin_pick(&mut self, view: &mut SheetView) {
        let preview = self.result.preview.clone().filter(|_| !self.is_stale());
        let stage = preview.as_ref().and_then(|preview| preview.stages.get(view.stage));
        let line = stage.and_then(|stage| stage.inputs.first()?.kept.line_start(0, LINE));
        let Some((stage, line)) = stage.zip(line) else {
            self.message = Some("no line to pick from".to_owned());
            return;
        };
        let list = view.rows().get(view.at).and_then(|row| row.given.last().cloned());
        let list = list.unwrap_or_default();
        // Without a list the stage does not run: what it would count is found with one.
        let counted = insight::counted(stage, &line);
        let Some(filters::Counted::Fields(fields)) = counted else {
            self.message = Some("the stage counts no fields yet: type a list first".to_owned());
            return;
        };
        let Some(chosen) = insight::fields_of_list(&list, fields.len()) else {
            self.message = Some("this list is not one of single fields; type it".to_owned());
            return;
        };
        let to_end = list.ends_with('-');
        view.typed = None;
        view.pick = Some(Pick { line: line.to_vec(), fields, chosen, at: 0, to_end });
    }

    /// A key while fields are picked.
    fn pick_key(&mut self, view: &mut SheetView, code: KeyCode) {
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
                    self.message = Some("one field at least".to_owned());
                } else {
                    self.set(view, 'f', &Setting::Value(list));
                }
            }
            KeyCode::Tab | KeyCode::Enter => return,
            _ => {}
        }
        view.pick = Some(pick);
    }

    fn set_in_sheet(&mut self, view: &mut SheetView, key: KeyEvent) {
        let rows = view.rows();
        let Some(row) = rows.get(view.at) else { return };
        let (short, optional) = (row.option.short, row.option.optional);
        let is_on = !row.given.is_empty();
        let value = row.given.last().cloned().unwrap_or_default();
        let takes_value = row.option.value.is_some();
        if !takes_value && key.code == KeyCode::Char(' ') {
            self.set(view, short, &if is_on { Setting::Off } else { Setting::On });
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
        let can_switch =
            is_on || optional != filters::Optional::Never || view.kept.contains_key(&short);
        if key.code == KeyCode::Char(' ') && view.typed.is_none() && can_switch {
            let setting = match view.kept.get(&short).filter(|_| !is_on) {
                Some(kept) => Setting::Value(kept.clone()),
                None if is_on => {
                    view.kept.insert(short, value);
                    Setting::Off
                }
                None => Setting::On,
            };
            self.set(view, short, &setting);
            return;
        }
        // The first letter begins a new value, other keys change the old one.
        let fresh = matches!(key.code, KeyCode::Char(_)) && key.modifiers.is_empty();
        let start = if fresh { String::new() } else { value };
        let input = view.typed.get_or_insert_with(|| Input::new(start));
        if edit(input, key) {
            let typed = input.value().to_owned();
            let setting = if typed.is_empty() { Setting::Off } else { Setting::Value(typed) };
            self.set(view, short, &setting);
        }
    }

    fn set(&mut self, view: &mut SheetView, short: char, setting: &Setting) {
        let (text, cursor) = (self.text.editor.text().to_owned(), self.text.editor.cursor());
        let changed = set_option(&text, cursor, view.stage, short, setting);
        match changed.and_then(|changed| Ok((sheet(&changed, cursor, view.stage)?, changed))) {
            Ok((sheet, changed)) => {
                view.sheet = sheet;
                self.message = None;
                let cursor = cursor.min(changed.len());
                self.text.editor.set_text(&changed, cursor);
                self.text_changed();
            }
            Err(error) => self.message = Some(error.to_string()),
        }
    }
}
