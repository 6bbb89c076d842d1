//! The help: what there is, every key, and every sign of the view it is opened over.

mod rows;

use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Size};

use crate::screen::canvas::Canvas;
use crate::screen::list::scroll;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::views::help::rows::{SAYS, rows_within};

/// The help on screen.
#[derive(Default)]
pub(crate) struct Help {
    /// The first row shown.
    pub top: usize,
}

/// Opens it.
pub(crate) fn open(app: &mut App) {
    app.open_drawer(Help::default());
}

impl Drawer<App> for Help {
    fn name(&self) -> &'static str {
        "help"
    }

    fn rows(&self, app: &App, size: Size) -> u16 {
        (rows_within(app.view(), size.width).len() as u16).min(most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        draw(canvas, self.top, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "scroll"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        let rows = rows_within(app.view(), app.width()).len();
        After::stays_if(scroll(&mut self.top, key.code, rows))
    }
}

fn draw(canvas: &mut Canvas<'_>, top: usize, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let lines = rows_within(app.view(), area.width);
    let rows = usize::from(area.height);
    let top = top.min(lines.len().saturating_sub(rows));
    for (y, (key, says)) in lines.iter().skip(top).take(rows).enumerate() {
        let y = y as u16;
        if says.is_empty() {
            canvas.put(1, y, key, theme.quiet());
        } else {
            canvas.put_right(SAYS - 2, y, key, theme.bright());
            canvas.put(SAYS, y, says, theme.ink());
        }
    }
    if lines.len() > rows {
        let text = format!(" {}–{} of {} ", top + 1, (top + rows).min(lines.len()), lines.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, theme.quiet());
    }
}
