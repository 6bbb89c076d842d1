//! The editor of a program: its lines with numbers, its parts told apart.

use ratatui::layout::Position;
use unicode_width::UnicodeWidthChar;

use crate::parts::shaded::shaded;
use crate::screen::canvas::Canvas;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::program::state::ProgramEditor;

/// Rows it takes: a title, the lines, and one to breathe.
pub(super) fn rows(editor: &ProgramEditor, height: u16) -> u16 {
    let lines = editor.text().split('\n').count().clamp(5, 200) as u16;
    (lines + 2).min(height * 3 / 5)
}

/// Draws it; gives the cursor's place.
pub(super) fn draw(canvas: &mut Canvas<'_>, editor: &ProgramEditor, app: &App) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    let title = format!("{} program of stage {}", editor.filter, editor.stage + 1);
    let x = canvas.put(1, 0, &title, theme.bright());
    canvas.put(x + 2, 0, "every change is evaluated at once", theme.quiet());
    let room = usize::from(area.height.saturating_sub(2)).max(1);
    let (row, column) = editor.editor.place();
    let first = (row + 1).saturating_sub(room);
    let lines: Vec<&str> = editor.text().split('\n').collect();
    let digits = lines.len().to_string().len() as u16;
    let left = 1 + digits + 2;
    let width = usize::from(area.width.saturating_sub(left + 1)).max(1);
    // A long line is shown around the cursor.
    let skip = column.saturating_sub(width.saturating_sub(1));
    let wrong = app.text.problem.as_ref().and_then(|problem| {
        let from = editor.place_of(problem.span.start)?;
        Some((from, problem.span.end.saturating_sub(problem.span.start).max(1)))
    });
    let mut start: usize = lines.iter().take(first).map(|line| line.len() + 1).sum();
    let mut cursor = None;
    for (number, line) in lines.iter().enumerate().skip(first).take(room) {
        let y = 1 + (number - first) as u16;
        let label = format!("{:>1$}", number + 1, usize::from(digits));
        canvas.put(1, y, &label, theme.quiet());
        let mut x = left;
        for (place, (at, character)) in line.char_indices().enumerate() {
            if (number, place) == (row, column) {
                cursor = Some(Position::new(x, y));
            }
            if place < skip {
                continue;
            }
            let plain = !character.is_control() && character.width().is_some();
            let shown = if plain { character.to_string() } else { safe(&character.to_string()) };
            let mut style = shade_at(app, editor, start + at);
            if let Some(((wrong_row, from), length)) = wrong
                && wrong_row == number
                && (from..from + length).contains(&place)
            {
                style = theme.bright().add_modifier(ratatui::style::Modifier::UNDERLINED);
            }
            x = canvas.put(x, y, &shown, style);
        }
        if number == row && cursor.is_none() {
            cursor = Some(Position::new(x, y));
        }
        start += line.len() + 1;
    }
    let cursor = cursor?;
    let at = Position::new(area.x + cursor.x, area.y + cursor.y);
    area.contains(at).then_some(at)
}

/// The style of the byte at this place of the program.
fn shade_at(app: &App, editor: &ProgramEditor, at: usize) -> ratatui::style::Style {
    let program = app.text.programs.iter().find(|program| program.span.start == editor.span.start);
    let place = editor.span.start + 1 + at;
    let shades = program.map_or(&[][..], |program| &program.shades);
    let found = shades.iter().find(|(span, _)| span.start <= place && place < span.end);
    match found {
        Some((_, shade)) => shaded(app, app.theme.ink(), *shade),
        None => app.theme.ink(),
    }
}
