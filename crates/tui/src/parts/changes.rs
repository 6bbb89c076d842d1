//! A file that is not taken back, because others have changed it since it was written.

use std::path::PathBuf;

use insight::Difference;
use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Rect, Size};

use crate::parts::difference;
use crate::screen::canvas::{Canvas, cut};
use crate::screen::list::scroll;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::text::display::safe;

/// What others have made of a file that was written.
pub(crate) struct Changes {
    /// The file.
    pub path: PathBuf,
    /// What was written, beside what is there now; `None` where that is too much.
    pub difference: Option<Difference>,
    /// The first row shown.
    pub top: usize,
}

impl Changes {
    fn count(&self) -> usize {
        self.difference.as_ref().map_or(0, |one| one.rows.len())
    }
}

impl Drawer<App> for Changes {
    fn name(&self) -> &'static str {
        "changes"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        (self.count() as u16 + 3).clamp(4, most(size).max(4))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let area = canvas.area;
        let name = safe(&self.path.display().to_string());
        let title =
            format!("{name} was changed by others since it was written; it stays as it is now");
        let room = usize::from(area.width.saturating_sub(2));
        canvas.put(1, 0, &cut(&title, room), app.theme.bright());
        let body = Rect {
            y: (area.y + 1).min(area.bottom()),
            height: area.height.saturating_sub(1),
            ..area
        };
        let mut body = canvas.within(body);
        let Some(difference) = &self.difference else {
            body.put(3, 0, "it is gone, or too large to compare here", app.theme.ink());
            return None;
        };
        let height = usize::from(body.area.height);
        let top = self.top.min(difference.rows.len().saturating_sub(height));
        for (y, row) in difference.rows.iter().skip(top).take(height).enumerate() {
            difference::draw(&mut body, y as u16, app, row);
        }
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "scroll"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, _app: &mut App) -> After {
        let rows = self.count();
        After::stays_if(scroll(&mut self.top, key.code, rows))
    }
}
