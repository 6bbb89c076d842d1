//! A line of text that is typed.

use ratatui::layout::Position;

use super::canvas::Canvas;
use crate::text::display::safe;

/// Draws the text after its sign; gives the place of its cursor.
pub(crate) fn input(
    canvas: &mut Canvas<'_>,
    y: u16,
    text: &str,
    cursor: usize,
) -> Option<Position> {
    let area = canvas.area;
    let x = canvas.put(1, y, "›", canvas.theme.bright());
    let room = usize::from(area.width.saturating_sub(x + 2));
    // The end of a long text is what is being written.
    let skip = (cursor + 1).saturating_sub(room);
    let visible: String = safe(text).chars().skip(skip).collect();
    canvas.put(x + 1, y, &visible, canvas.theme.bright());
    let at = Position::new(area.x + x + 1 + cursor.saturating_sub(skip) as u16, area.y + y);
    area.contains(at).then_some(at)
}
