//! The Wiring: where the descriptors of the stages lead.

mod circuit;
mod drawing;

use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, Entry, entry};
use crate::hints::{of_stage, with};
use crate::parts::notes;
use crate::screen::canvas::Canvas;
use crate::screen::place::Place;
use crate::screen::view_name::{BENCH, PENDING, ViewName};
use crate::state::app::App;
use crate::state::drawer::Hint;
use crate::state::view::{OwnLetters, Signs, View};

/// Its name.
pub(crate) const NAME: ViewName = ViewName("wiring");

/// The view of the descriptors.
pub(crate) struct Wiring;

impl View<App> for Wiring {
    fn name(&self) -> ViewName {
        NAME
    }

    fn title(&self) -> &'static str {
        "Wiring"
    }

    fn entry(&self) -> Option<Entry> {
        let says =
            "where the descriptors of each stage lead, redirection by redirection (F3 everywhere)";
        Some(entry(Action::Show(NAME), "W", "wiring", says))
    }

    fn function_key(&self) -> Option<u8> {
        Some(3)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        None
    }

    fn actions(&self) -> &'static [Action] {
        &[Action::EditText, Action::Show(PENDING), Action::Actions, Action::Help, Action::Quit]
    }

    fn signs(&self) -> Signs {
        &[
            ("▌", "the selected stage"),
            ("1 ─╮ ╰─▶ 0", "a pipe to the next stage"),
            ("─▶ ─◀", "a descriptor that is written, one that is read"),
            ("┬ ╯", "a descriptor that goes where another one goes; ┼ is only a crossing"),
            ("▸", "a descriptor that is written"),
            ("◂", "a descriptor that is read"),
            ("×", "a descriptor that is closed"),
        ]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::draw(canvas, app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        notes::draw(canvas, app);
    }

    fn hints(&self, app: &App) -> Vec<Hint> {
        let mut actions = of_stage(app);
        actions.extend(self.actions());
        with(&[("↑↓", "select"), ("Esc", "back to the Bench")], &actions)
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        let last = app.stage_count().saturating_sub(1);
        match key.code {
            KeyCode::Up | KeyCode::Left => {
                app.select(Place::Stage(app.place.stage().saturating_sub(1)));
            }
            // The source has no row of its own here: it is at the first stage.
            KeyCode::Down | KeyCode::Right => {
                app.select(Place::Stage((app.place.stage() + 1).min(last)));
            }
            KeyCode::Home => app.select(Place::Source),
            KeyCode::End => app.select(Place::Stage(last)),
            KeyCode::Esc => app.show_view(BENCH),
            _ => return false,
        }
        true
    }

    fn has_lens(&self) -> bool {
        true
    }
}
