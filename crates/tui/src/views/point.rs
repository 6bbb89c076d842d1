//! What is pointed at, and what can be done with it.

use std::ops::Range;

use insight::grouped;
use ratatui::layout::{Position, Rect};
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use super::canvas::{Canvas, PART, cut};
use super::drawer::input;
use crate::state::app::App;
use crate::state::point::{Entry, PointView, PutAt};
use crate::text::display::{View, pieces, safe, width};

/// Columns of the counts.
const COUNT: usize = 11;

/// Rows it takes at most `most` of: the line, the heading, the offers, the stage.
pub(super) fn rows(point: &PointView, most: u16) -> u16 {
    (point.list.found().len() as u16 + 4).clamp(6, most.max(6))
}

/// Draws it; gives the place of the cursor in the search.
pub(super) fn draw(canvas: &mut Canvas<'_>, point: &PointView, app: &App) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    spot(canvas, point, app);
    let cursor = heading(canvas, point, app);
    let rows = usize::from(area.height.saturating_sub(4)).max(1);
    let found = point.list.found();
    let at = point.list.at.min(found.len().saturating_sub(1));
    let first = (at + 1).saturating_sub(rows);
    let (says, first_line) = columns(area.width);
    for (number, (_, entry)) in found.iter().enumerate().skip(first).take(rows) {
        let y = 2 + (number - first) as u16;
        let chosen = number == at;
        if chosen {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        let style = if chosen { theme.bright() } else { theme.ink() };
        canvas.put(3, y, &cut(&safe(&point.words_of(*entry)), says), style);
        let Entry::Offer(offer) = entry else { continue };
        let right = (3 + says) as u16;
        match point.outcomes.get(*offer).and_then(Option::as_ref) {
            None => {
                canvas.put_right(right + COUNT as u16, y, "…", theme.quiet());
            }
            Some(None) => {
                canvas.put_right(right + COUNT as u16, y, "–", theme.quiet());
            }
            Some(Some(made)) => {
                canvas.put_right(right + COUNT as u16, y, &grouped(made.lines), style);
                canvas.put_right(right + 2 * COUNT as u16, y, &grouped(made.different), style);
                if let (Some(line), true) = (&made.first, first_line > 8) {
                    let text: String = pieces(line, View::Text, 0, first_line)
                        .into_iter()
                        .map(|one| one.text)
                        .collect();
                    canvas.put(right + 2 * COUNT as u16 + 2, y, &text, theme.quiet());
                }
            }
        }
    }
    if found.is_empty() {
        canvas.put(3, 2, "nothing found", theme.quiet());
    }
    if let Some((_, stages)) = point.chosen() {
        let y = area.height.saturating_sub(1);
        let x = canvas.put(1, y, "| ", theme.quiet());
        let place = place_in_words(point, app);
        let room = usize::from(area.width).saturating_sub(usize::from(x) + place.width() + 4);
        let x = canvas.put(x, y, &cut(&safe(stages), room), theme.bright());
        canvas.put(x + 2, y, &place, theme.quiet());
    }
    cursor
}

/// The width of the words, and of the first line.
fn columns(width: u16) -> (usize, usize) {
    let width = usize::from(width);
    let says = (width.saturating_sub(3 + 2 * COUNT) * 3 / 5).clamp(20, 64);
    (says, width.saturating_sub(3 + says + 2 * COUNT + 3))
}

/// Where the stages go.
fn place_in_words(point: &PointView, app: &App) -> String {
    match point.at {
        PutAt::Source => "← comes right after the source".to_owned(),
        PutAt::After(stage) => {
            let preview = app.result.preview.as_ref();
            let name = preview.and_then(|preview| preview.stages.get(stage));
            let name = name.map_or(String::new(), |stage| format!(" {}", safe(&stage.name)));
            format!("← comes after {}{name}", stage + 1)
        }
    }
}

/// The line with what is pointed at, or the column.
fn spot(canvas: &mut Canvas<'_>, point: &PointView, app: &App) {
    let theme = app.theme;
    let Some(line) = point.line else {
        let table = point.ground.table();
        let Some(column) = table.columns.get(point.field) else { return };
        let cells = column.cells(table);
        let heading = if cells[1].is_empty() { String::new() } else { format!(" {}", cells[1]) };
        let x = canvas.put(1, 0, &format!("column {}{}", cells[0], safe(&heading)), theme.bright());
        let words = format!("{} · {} different · most frequent: {}", cells[2], cells[4], cells[7]);
        let room = usize::from(canvas.area.width.saturating_sub(x + 4));
        canvas.put(x + 2, 0, &cut(&safe(&words), room), theme.quiet());
        return;
    };
    let x = canvas.put(1, 0, &format!("line {}", grouped(line)), theme.quiet()) + 2;
    let room = usize::from(canvas.area.width.saturating_sub(x + 2));
    let place = point.marked.clone().or_else(|| point.place()).unwrap_or(0..0);
    // What is pointed at is brought into view.
    let end = width(&point.text[..place.end], View::Text, usize::MAX);
    let skip = if end + 2 > room { end + 2 - room } else { 0 };
    let mut at = x;
    for piece in pieces(&point.text, View::Text, skip, room) {
        let inside = is_inside(&place, piece.at);
        let style =
            if inside { theme.bright().add_modifier(Modifier::REVERSED) } else { theme.ink() };
        canvas.put(at, 0, &piece.text, style);
        at += piece.width as u16;
    }
    if skip > 0 {
        canvas.put(x - 1, 0, "«", theme.mark());
    }
}

fn is_inside(place: &Range<usize>, at: usize) -> bool {
    place.contains(&at)
}

/// What it is, the search, and the headings of the counts.
fn heading(canvas: &mut Canvas<'_>, point: &PointView, app: &App) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    let split = point.ground.splitting().name();
    let words = match (&point.marked, point.line, point.place()) {
        (Some(_), ..) => "the marked piece".to_owned(),
        (None, Some(_), Some(_)) => format!("field {}, split at {split}", point.field + 1),
        (None, Some(_), None) => "the line".to_owned(),
        (None, None, _) => format!("split at {split}"),
    };
    let (says, _) = columns(area.width);
    let right = (3 + says) as u16;
    let x = canvas.put(1, 1, &cut(&words, says.saturating_sub(12)), theme.quiet());
    let line = Rect {
        x: area.x + x + 1,
        y: area.y + 1,
        width: right.saturating_sub(x + 1).min(area.width.saturating_sub(x + 1)),
        height: 1.min(area.height.saturating_sub(1)),
    };
    let query = &point.list.query;
    let cursor = input(&mut canvas.within(line), 0, query.value(), query.visual_cursor(), app);
    let part = if point.whole { "" } else { PART };
    canvas.put_right(right + COUNT as u16, 1, &format!("{part}lines"), theme.quiet());
    canvas.put_right(right + 2 * COUNT as u16, 1, "different", theme.quiet());
    let first = if point.whole {
        "first line of what comes out".to_owned()
    } else {
        format!("first line, of the first {} lines", grouped(insight::TRIED as u64))
    };
    let room = usize::from(area.width).saturating_sub(usize::from(right) + 2 * COUNT + 3);
    if room > 8 {
        canvas.put(right + 2 * COUNT as u16 + 2, 1, &cut(&first, room), theme.quiet());
    }
    cursor
}
