//! All actions, with a search.

use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Size};
use tui_input::Input;

use crate::actions::all;
use crate::parts::choice::{self, Choice, chosen};
use crate::screen::canvas::Canvas;
use crate::screen::list::List;
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};

/// The actions on screen, by their numbers in the table.
pub(crate) struct ActionList(pub List<usize>);

/// Opens them.
pub(crate) fn open(app: &mut App) {
    let all = all().iter().enumerate();
    let all = all.map(|(at, entry)| (format!("{} {}", entry.says, entry.short), at));
    app.open_drawer(ActionList(List::new(all.collect())));
}

impl Drawer<App> for ActionList {
    fn name(&self) -> &'static str {
        "actions"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        choice::rows_of(&self.0, size)
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let entry = |at: usize| (all()[at].key.to_owned(), all()[at].says.to_owned());
        let names: Vec<(String, String)> =
            self.0.found().iter().map(|(_, at)| entry(*at)).collect();
        choice::draw(canvas, "do", &self.0, &names, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "run it"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        let choice = chosen(&mut self.0, key);
        if matches!(choice, Choice::None) {
            return After::Stays;
        }
        if app.focus == Focus::Text {
            app.focus = Focus::River;
        }
        if let Choice::Entry(at) = choice {
            app.act(all()[at].action);
        }
        After::Closes
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.0.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.0.at)
    }
}
