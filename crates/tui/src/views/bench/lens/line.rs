//! A line of data, as it may be shown.

use std::ops::Range;

use ratatui::style::{Modifier, Style};

use crate::screen::canvas::Canvas;
use crate::state::app::App;
use crate::state::lens::matches;
use crate::text::display::pieces;
use crate::theme::Theme;

/// A line of data and how it is shown.
#[derive(Clone, Copy, Default)]
pub(super) struct DataLine<'l> {
    pub(super) bytes: &'l [u8],
    /// It has no newline at its end.
    pub(super) open: bool,
    pub(super) base: Style,
    /// The parts that its stage looks at, which are shown in `hue`.
    pub(super) marked: &'l [Range<usize>],
    pub(super) hue: Style,
    /// It is the output, beside its input.
    pub(super) output: bool,
}

/// Writes a line of data from column `start` on, in `room` columns; gives the rows it takes.
pub(super) fn text(
    canvas: &mut Canvas<'_>,
    (start, room): (u16, u16),
    y: u16,
    app: &App,
    data: DataLine<'_>,
) -> u16 {
    let area = canvas.area;
    let DataLine { bytes: line, open, base, marked, hue, output } = data;
    if room == 0 {
        return 1;
    }
    let found = app
        .lens
        .search
        .as_ref()
        .map(|search| matches(&line[..line.len().min(1 << 16)], &search.query))
        .unwrap_or_default();
    let inside =
        |ranges: &[Range<usize>], at: usize| ranges.iter().any(|range| range.contains(&at));
    let rows = if app.lens.wrap { area.height - y } else { 1 };
    let columns = usize::from(room);
    let skip = app.lens.column_of(output);
    let (mut x, mut row) = (0usize, 0u16);
    let mut last = 0;
    for piece in pieces(line, app.lens.view, skip, columns.saturating_mul(usize::from(rows))) {
        // The mark of a newline that is not there.
        if open && piece.mark && piece.at == line.len() {
            break;
        }
        if x + piece.width > columns {
            row += 1;
            x = 0;
            if row >= rows {
                break;
            }
        }
        let mut style = base;
        if piece.mark {
            style = style.patch(app.theme.mark());
        }
        if inside(marked, piece.at) {
            style = style.patch(hue);
            if app.theme.hue(0) == Style::new() {
                style = style.add_modifier(Modifier::UNDERLINED);
            }
        }
        if inside(&found, piece.at) {
            style = style.patch(Theme::found());
        }
        canvas.put(start + x as u16, y + row, &piece.text, style);
        x += piece.width;
        last = piece.at;
    }
    // Something of the line is not on screen.
    if skip > 0 && !line.is_empty() && start > 0 {
        canvas.put(start - 1, y, "«", app.theme.mark());
    }
    if !app.lens.wrap && x >= columns && last + 1 < line.len() {
        canvas.put(start + room - 1, y, "»", app.theme.mark());
    }
    row + 1
}
