//! Writing into a buffer, cut at the edges of an area.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::state::app::App;

/// From this many columns on the river has its bars.
pub(super) const WIDE: u16 = 104;

/// Writes text at a place of an area, cut at the area's edge; gives the column behind it.
pub(super) fn put(
    buffer: &mut Buffer,
    area: Rect,
    x: u16,
    y: u16,
    text: &str,
    style: Style,
) -> u16 {
    if y >= area.height || x >= area.width {
        return x;
    }
    let room = usize::from(area.width - x);
    let (end, _) = buffer.set_stringn(area.x + x, area.y + y, text, room, style);
    end - area.x
}

/// A list and what belongs to its selected row: side by side on a wide screen, where the list has
/// so many twentieths of the width; else one below the other, where it has so many rows.
pub(super) fn list_and_side(area: Rect, twentieths: u16, rows: u16) -> (Rect, Rect) {
    if area.width >= WIDE {
        let width = area.width / 20 * twentieths;
        let side =
            Rect { x: area.x + width + 2, width: area.width.saturating_sub(width + 2), ..area };
        return (Rect { width, ..area }, side);
    }
    // A row of space between both, and the same edge as the list has.
    let list = Rect { height: rows.min(area.height), ..area };
    let top = (list.height + 1).min(area.height);
    let side = Rect {
        x: area.x + 2,
        y: area.y + top,
        width: area.width.saturating_sub(2),
        height: area.height - top,
    };
    (list, side)
}

/// Writes text so that it ends before column `x`.
pub(super) fn put_right(buffer: &mut Buffer, area: Rect, x: u16, y: u16, text: &str, style: Style) {
    let width = unicode_width::UnicodeWidthStr::width(text) as u16;
    put(buffer, area, x.saturating_sub(width), y, text, style);
}

/// Text cut to a width, with a mark where something is missing.
pub(super) fn cut(text: &str, width: usize) -> String {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
    if text.width() <= width {
        return text.to_owned();
    }
    let mut short = String::new();
    let mut used = 1;
    for character in text.chars() {
        used += character.width().unwrap_or(0);
        if used > width {
            break;
        }
        short.push(character);
    }
    if width > 0 {
        short.push('…');
    }
    short
}

pub(super) fn rule(buffer: &mut Buffer, area: Rect, app: &App) {
    let line = "─".repeat(usize::from(area.width));
    put(buffer, area, 0, 0, &line, app.theme.rule());
}
