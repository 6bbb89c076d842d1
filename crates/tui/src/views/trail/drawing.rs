//! The trail of a line: a row a stage, and the lines of the selected row.

use insight::grouped;
use ratatui::layout::{Position, Rect};
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use crate::screen::canvas::{Canvas, cut, cut_middle};
use crate::screen::input::input;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::{View, pieces, safe};
use crate::views::trail::state::{Asked, TrailRow, TrailView};

/// Lines of a row that are shown at least.
const LINES: u16 = 4;

/// Rows it takes at most `most` of: the title, the rows, a heading, lines.
pub(super) fn rows(view: &TrailView, most: u16) -> u16 {
    let rows = view.rows.as_ref().map_or(1, Vec::len) as u16;
    let lines = (view.shown.len() as u16).clamp(LINES, LINES * 3);
    (rows + lines + 2).clamp(6, most.max(6))
}

/// Draws it; gives the place of the cursor in the search.
pub(super) fn draw(canvas: &mut Canvas<'_>, view: &TrailView, app: &App) -> Option<Position> {
    let theme = app.theme;
    let area = canvas.area;
    title(canvas, view, app);
    let Some(rows) = &view.rows else {
        let how = match view.looked_at {
            None => String::new(),
            Some((read, Some(whole))) if whole > 0 => {
                let share = insight::progress(read as f64 / whole as f64);
                format!(" all of the data: {share} of {}", insight::bytes(whole))
            }
            Some((read, _)) => format!(" all of the data: {} so far", insight::bytes(read)),
        };
        canvas.put(3, 1, &format!("following it …{how}"), theme.quiet());
        return None;
    };
    // The lines keep a few rows, whatever the number of stages.
    let room = usize::from(area.height.saturating_sub(2 + LINES.min(area.height / 3))).max(1);
    let first = (view.at + 1).saturating_sub(room);
    let most = if canvas.is_wide() { 34 } else { 18 };
    let label =
        rows.iter().map(|row| safe(&row.label).width() + 4).max().unwrap_or(0).clamp(8, most);
    let mut y = 1;
    for (number, row) in rows.iter().enumerate().skip(first).take(room) {
        draw_row(canvas, y, row, (label, number == view.at && !view.in_lines), app);
        canvas.row_target(y, Target::Entry(number));
        if number == view.at {
            canvas.put(0, y, "▸", theme.bright());
        }
        y += 1;
    }
    // What has no room in its row is said whole below.
    let room = usize::from(area.width.saturating_sub(label as u16 + 5));
    let chosen = rows.get(view.at).map(|row| safe(&row.words)).filter(|words| words.width() > room);
    if let Some(words) = chosen {
        let wide = usize::from(area.width.saturating_sub(6)).max(8);
        for line in textwrap::wrap(&words, wide).iter().take(3) {
            if y + 1 >= area.height {
                break;
            }
            canvas.put(4, y, line, theme.ink());
            y += 1;
        }
    }
    lines(canvas, y, view, app)
}

fn title(canvas: &mut Canvas<'_>, view: &TrailView, app: &App) {
    let theme = app.theme;
    let room = usize::from(canvas.area.width.saturating_sub(2));
    match &view.asked {
        Asked::Text(query) => {
            let words = format!("why is “{}” not in the result?", safe(query));
            canvas.put(1, 0, &cut(&words, room), theme.bright());
        }
        Asked::Line(_) => {
            let (place, text) = view.title.split_once('\u{1f}').unwrap_or_default();
            let x = canvas.put(1, 0, "trail of ", theme.quiet());
            let x = canvas.put(x, 0, place, theme.quiet()) + 2;
            let room = usize::from(canvas.area.width.saturating_sub(x + 1));
            canvas.put(x, 0, &cut(&safe(text), room), theme.bright());
        }
    }
}

fn draw_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    row: &TrailRow,
    (label, on): (usize, bool),
    app: &App,
) {
    let theme = app.theme;
    let x = match row.stage {
        Some(stage) => {
            let number = (stage + 1).to_string();
            canvas.put(2, y, &number, theme.hue(stage).add_modifier(Modifier::BOLD)) + 1
        }
        None => 4,
    };
    let name = cut_middle(&safe(&row.label), label.saturating_sub(usize::from(x) - 2));
    let style = if row.stage.is_some() { theme.ink() } else { theme.quiet() };
    canvas.put(x, y, &name, style);
    let start = label as u16 + 4;
    let room = usize::from(canvas.area.width.saturating_sub(start + 1));
    let style = if row.ends { theme.bright() } else { theme.ink() };
    canvas.put(start, y, &cut(&safe(&row.words), room), style);
    if on {
        canvas.select(y, 1);
    }
}

/// The lines of the selected row under the others.
fn lines(canvas: &mut Canvas<'_>, top: u16, view: &TrailView, app: &App) -> Option<Position> {
    let theme = app.theme;
    let area = canvas.area;
    let own = view.row_lines()?;
    if top >= area.height {
        return None;
    }
    let (found, all) = (view.shown.len() as u64, own.numbers.len() as u64);
    let query = view.query.value();
    let count = if query.is_empty() || found == all {
        format!("its lines: {}", grouped(all))
    } else {
        format!("its lines: {} of {}", grouped(found), grouped(all))
    };
    let x = canvas.put(1, top, &count, theme.quiet());
    let x = canvas.put(x + 2, top, "search:", theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let cursor = input(&mut canvas.within(line), top, query, view.query.visual_cursor());
    let rows = usize::from(area.height.saturating_sub(top + 1));
    let first = (view.line + 1).saturating_sub(rows.max(1));
    let digits = own.numbers.last().map_or(1, |last| grouped(last + 1).len());
    for (row, place) in view.shown.iter().enumerate().skip(first).take(rows) {
        let y = top + 1 + (row - first) as u16;
        let number = own.numbers[*place];
        let shown = grouped(number + 1);
        let start = 2 + (digits - shown.len().min(digits)) as u16;
        let x = canvas.put(start, y, &shown, theme.quiet()) + 2;
        let text = own.kept.line_start(number, 1 << 12).unwrap_or_default();
        let room = usize::from(area.width.saturating_sub(x + 1));
        let mut at = x;
        for piece in pieces(&text, View::Text, 0, room) {
            let style = if piece.mark { theme.mark() } else { theme.ink() };
            canvas.put(at, y, &piece.text, style);
            at += piece.width as u16;
        }
        let steps = view.rows.as_ref().map_or(0, Vec::len);
        canvas.row_target(y, Target::Entry(steps + row));
        if view.in_lines && row == view.line {
            canvas.select(y, 1);
        }
    }
    cursor.filter(|_| view.in_lines)
}
