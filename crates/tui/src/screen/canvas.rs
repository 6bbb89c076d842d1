//! Writing into a buffer, cut at the edges of an area.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::screen::target::{Target, Targets};
use crate::text::display::at_blanks;
use crate::theme::Theme;

/// From this many columns on the river has its bars.
pub(crate) const WIDE: u16 = 104;

/// A part of the screen that is drawn into. Columns and rows count from its own corner, and nothing
/// is written outside of it.
pub(crate) struct Canvas<'b> {
    pub(crate) buffer: &'b mut Buffer,
    pub(crate) area: Rect,
    pub(crate) theme: Theme,
    /// What is drawn where, for the mouse.
    pub(crate) targets: &'b mut Targets,
}

impl Canvas<'_> {
    /// Another part of the same screen.
    pub(crate) fn within(&mut self, area: Rect) -> Canvas<'_> {
        Canvas { buffer: self.buffer, area, theme: self.theme, targets: self.targets }
    }

    /// A row of this part, from column `x` on, this many columns wide.
    pub(crate) fn part(&mut self, x: u16, y: u16, width: u16) -> Canvas<'_> {
        let area = self.area;
        let (x, y) = (x.min(area.width), y.min(area.height));
        self.within(Rect {
            x: area.x + x,
            y: area.y + y,
            width: width.min(area.width - x),
            height: 1.min(area.height - y),
        })
    }

    /// True where the whole screen has room for bars in the river and for lists beside details.
    pub(crate) fn is_wide(&self) -> bool {
        self.buffer.area.width >= WIDE
    }

    /// Says what a part of this canvas is.
    pub(crate) fn target(&mut self, x: u16, y: u16, width: u16, target: Target) {
        let area = self.area;
        if x < area.width && y < area.height {
            let width = width.min(area.width - x);
            self.targets.push((Rect::new(area.x + x, area.y + y, width, 1), target));
        }
    }

    /// Says what a whole row is.
    pub(crate) fn row_target(&mut self, y: u16, target: Target) {
        self.target(0, y, self.area.width, target);
    }

    /// Writes text at a place, cut at the edge, words with a mark there; gives the column after it.
    pub(crate) fn put(&mut self, x: u16, y: u16, text: &str, style: Style) -> u16 {
        let area = self.area;
        if y >= area.height || x >= area.width {
            return x;
        }
        let room = usize::from(area.width - x);
        let shortened;
        let text = if text.contains(|sign: char| sign.is_alphabetic()) {
            shortened = cut(text, room);
            &shortened
        } else {
            text
        };
        let (end, _) = self.buffer.set_stringn(area.x + x, area.y + y, text, room, style);
        end - area.x
    }

    /// Writes a sentence in as many rows as it needs, from column `x` of row `y` on.
    pub(crate) fn sentence(&mut self, x: u16, y: u16, text: &str, style: Style) {
        let room = usize::from(self.area.width.saturating_sub(x + 1));
        for (row, part) in (y..self.area.height).zip(at_blanks(text, room)) {
            self.put(x, row, &part, style);
        }
    }

    /// Writes text so that it ends before column `x`.
    pub(crate) fn put_right(&mut self, x: u16, y: u16, text: &str, style: Style) {
        let width = unicode_width::UnicodeWidthStr::width(text) as u16;
        self.put(x.saturating_sub(width), y, text, style);
    }

    /// A line over the whole width of its first row.
    pub(crate) fn rule(&mut self) {
        let line = "─".repeat(usize::from(self.area.width));
        self.put(0, 0, &line, self.theme.rule());
    }

    /// Gives some rows the background of what is selected, where the theme has one.
    pub(crate) fn select(&mut self, y: u16, rows: u16) {
        let (area, style) = (self.area, self.theme.selected());
        if style.bg.is_some() && y < area.height {
            let height = rows.min(area.height - y);
            self.buffer.set_style(Rect { y: area.y + y, height, ..area }, style);
        }
    }
}

/// Before a figure that may be another one with all of the data.
pub(crate) const PART: &str = "≈ ";

/// A list and what belongs to its selected row: side by side on a wide screen, where the list has
/// this many twentieths of the width; else one below the other, where it has this many rows.
pub(crate) fn list_and_side(area: Rect, twentieths: u16, rows: u16) -> (Rect, Rect) {
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

/// Text cut to a width in its middle: its beginning and its end tell more.
pub(crate) fn cut_middle(text: &str, width: usize) -> String {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
    if text.width() <= width || width < 8 {
        return cut(text, width);
    }
    let end_room = (width - 1) * 2 / 5;
    let mut end: Vec<char> = Vec::new();
    let mut used = 0;
    for character in text.chars().rev() {
        used += character.width().unwrap_or(0);
        if used > end_room {
            break;
        }
        end.push(character);
    }
    let end: String = end.into_iter().rev().collect();
    let begin = cut(text, width - end.width());
    format!("{begin}{end}")
}

/// Text of several parts, ` · ` between them: as many as fit into a width, the first one cut where it does not.
pub(crate) fn cut_parts(text: &str, width: usize) -> String {
    use unicode_width::UnicodeWidthStr;
    let mut whole = text;
    while whole.width() > width {
        match whole.rfind(" · ") {
            Some(end) => whole = &whole[..end],
            None => return cut(whole, width),
        }
    }
    whole.to_owned()
}

/// Text cut to a width, with a mark where something is missing.
pub(crate) fn cut(text: &str, width: usize) -> String {
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
