//! What is pointed at, and what can be done with it.

use std::ops::Range;

use insight::grouped;
use ratatui::layout::{Position, Rect};
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use crate::parts::outcomes::{Known, Layout, headings, row};
use crate::screen::canvas::{Canvas, PART, cut, cut_middle};
use crate::screen::input::input;
use crate::state::app::App;
use crate::state::put_at::PutAt;
use crate::text::display::{View, pieces, safe, width};
use crate::views::point::state::{Entry, PointView, Tried};

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
    let layout = Layout::of(area.width);
    for (number, (_, entry)) in found.iter().enumerate().skip(first).take(rows) {
        let y = 2 + (number - first) as u16;
        let known = match entry {
            Entry::Offer(offer) => match point.outcomes.get(*offer) {
                None | Some(Tried::Waiting) => Known::Waiting,
                Some(Tried::Impossible) => Known::Untried,
                Some(Tried::Made(made)) => Known::Made(made),
            },
            _ => Known::None,
        };
        row(canvas, y, layout, &point.words_of(*entry), &known, (number, number == at), app);
    }
    if found.is_empty() {
        canvas.put(3, 2, "nothing found", theme.quiet());
    }
    if let Some((_, stages)) = point.chosen() {
        let y = area.height.saturating_sub(1);
        let x = canvas.put(1, y, "| ", theme.quiet());
        let mut place = place_in_words(point.at, app);
        // Why it is not the shorter one.
        let blanks = *point.ground.splitting() == insight::Splitting::Blanks;
        if blanks && stages.starts_with("awk") && canvas.is_wide() {
            place.push_str("; awk, as cut has no runs of blanks");
        }
        let room = usize::from(area.width).saturating_sub(usize::from(x) + place.width() + 4);
        // The beginning and the end say more than the middle.
        let x = canvas.put(x, y, &cut_middle(&safe(stages), room), theme.bright());
        canvas.put(x + 2, y, &place, theme.quiet());
    }
    cursor
}

/// Where the stages go.
pub(crate) fn place_in_words(at: PutAt, app: &App) -> String {
    match at {
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
        // These figures are of the lines that were looked at to see their form.
        let all = point.whole && point.input.lines() == table.lines;
        let part = if all { "" } else { PART };
        let words = format!(
            "{} · {part}{} different · most frequent: {part}{}",
            cells[2], cells[4], cells[7]
        );
        let room = usize::from(canvas.area.width.saturating_sub(x + 4));
        canvas.put(x + 2, 0, &cut(&safe(&words), room), theme.quiet());
        return;
    };
    let x = canvas.put(1, 0, &format!("line {}", grouped(line)), theme.quiet()) + 2;
    let room = usize::from(canvas.area.width.saturating_sub(x + 2));
    let place = point.marked.clone().or_else(|| point.place()).unwrap_or(0..0);
    // What is pointed at is brought into view.
    let end = width(&point.text[..place.end], View::Text, usize::MAX);
    let skip = (end + 2).saturating_sub(room);
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
    let layout = Layout::of(area.width);
    let right = layout.words();
    let x = canvas.put(1, 1, &cut(&words, usize::from(right.saturating_sub(15))), theme.quiet());
    let line = Rect {
        x: area.x + x + 1,
        y: area.y + 1,
        width: right.min(area.width).saturating_sub(x + 1),
        height: 1.min(area.height.saturating_sub(1)),
    };
    let query = &point.list.query;
    let cursor = input(&mut canvas.within(line), 0, query.value(), query.visual_cursor());
    headings(canvas, 1, layout, point.whole, app);
    cursor
}
