//! A list to choose from, with a search.

use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Rect, Size};

use crate::screen::canvas::{Canvas, cut};
use crate::screen::input::input;
use crate::screen::list::List;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::state::drawer::most;

/// What a key in a list comes to.
pub(crate) enum Choice<T> {
    /// The list stays.
    None,
    /// Enter, where nothing is found.
    Nothing,
    /// Enter, on this.
    Entry(T),
}

/// A key in a list.
pub(crate) fn chosen<T: Clone>(list: &mut List<T>, key: KeyEvent) -> Choice<T> {
    if !list.key(key) {
        return Choice::None;
    }
    list.found().get(list.at).map_or(Choice::Nothing, |(_, entry)| Choice::Entry(entry.clone()))
}

/// Rows that a list takes.
pub(crate) fn rows_of<T>(list: &List<T>, size: Size) -> u16 {
    (list.found().len() as u16 + 3).clamp(6, most(size).max(6))
}

/// Draws a list: the name and the words of each entry that is found.
pub(crate) fn draw<T>(
    canvas: &mut Canvas<'_>,
    title: &str,
    list: &List<T>,
    names: &[(String, String)],
    app: &App,
) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    let x = canvas.put(1, 0, title, theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let cursor = input(&mut canvas.within(line), 0, list.query.value(), list.query.visual_cursor());
    let rows = usize::from(area.height.saturating_sub(2));
    let at = list.at.min(names.len().saturating_sub(1));
    let first = (at + 1).saturating_sub(rows);
    let said = names.iter().any(|(_, says)| !says.is_empty());
    let most = if said { 44 } else { usize::from(area.width.saturating_sub(4)) };
    let longest = names.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0).min(most);
    for (number, (name, says)) in names.iter().enumerate().skip(first).take(rows) {
        let y = 1 + (number - first) as u16;
        let style = if number == at { theme.bright() } else { theme.ink() };
        canvas.row_target(y, Target::Entry(number));
        if number == at {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        canvas.put(3, y, &cut(name, longest), style);
        let x = 5 + longest as u16;
        canvas.put(x, y, &cut(says, usize::from(area.width.saturating_sub(x + 1))), theme.quiet());
    }
    if names.is_empty() {
        canvas.put(3, 1, "nothing found", theme.quiet());
    }
    cursor
}
