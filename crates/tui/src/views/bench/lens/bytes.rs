//! The bytes of a stream: in each row the offset, the bytes in hexadecimal, and as text.

use ratatui::style::Style;

use super::shown::Shown;
use crate::screen::canvas::Canvas;
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::state::lens::matches;
use crate::theme::Theme;

/// Columns of an offset, with the space before it.
const OFFSET: u16 = 11;

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App, rows: &[Shown], bytes: u64, length: u64) {
    let theme = app.theme;
    let text_at = OFFSET + 2 + length as u16 * 3 + 2;
    canvas.put(1, 1, "offset", theme.quiet());
    canvas.put(OFFSET + 2, 1, "bytes", theme.quiet());
    canvas.put(text_at, 1, "as text", theme.quiet());
    for (y, shown) in (2..canvas.area.height).zip(rows) {
        let offset = shown.number as u64 * length;
        canvas.put_right(OFFSET, y, &format!("{offset:08x}"), theme.quiet());
        let data = shown.left.as_deref().unwrap_or_default();
        let query = app.lens.search.as_ref().map(|search| &search.query[..]);
        let found = query.map(|query| matches(data, query)).unwrap_or_default();
        for (at, byte) in data.iter().enumerate() {
            let is_found = found.iter().any(|range| range.contains(&at));
            let style = if is_found { Theme::found() } else { Style::new() };
            // A wider space in the middle.
            let x = OFFSET + 2 + at as u16 * 3 + u16::from(at as u64 >= length / 2);
            canvas.put(x, y, &format!("{byte:02x}"), style);
            let (sign, mark) = match byte {
                b' '..=b'~' => (char::from(*byte), style),
                _ => ('·', style.patch(theme.mark())),
            };
            canvas.put(text_at + at as u16, y, &sign.to_string(), mark);
        }
        if shown.number == app.lens.cursor {
            canvas.select(y, 1);
            let style = if app.focus == Focus::Lens { theme.bright() } else { theme.quiet() };
            canvas.put(0, y, "▏", style);
        }
    }
    if bytes == 0 {
        canvas.put(OFFSET + 2, 2, "no bytes", theme.quiet());
    }
}
