//! All notes of all stages, whole.

use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Size};
use ratatui::style::Modifier;

use crate::parts::noted;
use crate::screen::canvas::{Canvas, cut};
use crate::screen::list::scroll;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};

/// The notes on screen.
#[derive(Default)]
pub(crate) struct AllNotes {
    /// The first row shown.
    pub top: usize,
}

/// Opens them.
pub(crate) fn open(app: &mut App) {
    app.open_drawer(AllNotes::default());
}

impl Drawer<App> for AllNotes {
    fn name(&self) -> &'static str {
        "notes"
    }

    fn rows(&self, app: &App, size: Size) -> u16 {
        (noted::all(app).len() as u16).clamp(2, most(size).max(2))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        draw(canvas, self.top, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "scroll"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        let rows = noted::all(app).len();
        After::stays_if(scroll(&mut self.top, key.code, rows))
    }
}

/// All that is said of all stages, from row `top` on.
fn draw(canvas: &mut Canvas<'_>, top: usize, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let told = noted::all(app);
    let rows = usize::from(area.height);
    let top = top.min(told.len().saturating_sub(rows));
    for (y, row) in (0..area.height).zip(told.iter().skip(top)) {
        if let Some(number) = row.stage {
            let style = theme.hue(number).add_modifier(Modifier::BOLD);
            canvas.put(1, y, &(number + 1).to_string(), style);
        }
        if row.begins {
            canvas.put(4, y, &row.mark.to_string(), theme.bright());
        }
        let style = match row.mark {
            '!' => theme.ink(),
            '·' => theme.quiet(),
            _ => theme.bright(),
        };
        let room = usize::from(area.width.saturating_sub(7));
        canvas.put(6, y, &cut(&row.text, room), style);
    }
    if told.len() > rows {
        let text = format!(" {}–{} of {} ", top + 1, (top + rows).min(told.len()), told.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, theme.quiet());
    }
}
