//! A row of what differs between two texts.

use insight::{DifferenceRow, Side, grouped, lines};
use ratatui::style::Modifier;

use crate::screen::canvas::{Canvas, cut};
use crate::state::app::App;
use crate::text::display::safe;

/// Draws a row: its number, its mark, its text.
pub(crate) fn draw(canvas: &mut Canvas<'_>, y: u16, app: &App, row: &DifferenceRow) {
    let area = canvas.area;
    let theme = app.theme;
    if let Side::Skipped(count) = row.side {
        let text = format!("⋮ {} equal", lines(count as u64));
        canvas.put(8, y, &text, theme.quiet());
        return;
    }
    let number = row.new.or(row.old).map(|number| grouped(number as u64)).unwrap_or_default();
    canvas.put_right(6, y, &number, theme.quiet());
    let (mark, style) = match row.side {
        Side::Old => ("−", theme.quiet().add_modifier(Modifier::CROSSED_OUT)),
        Side::New => ("+", theme.bright()),
        _ => (" ", theme.ink()),
    };
    canvas.put(7, y, mark, theme.bright());
    let text = cut(&safe(&row.text), usize::from(area.width.saturating_sub(9)));
    canvas.put(9, y, &text, style);
}
