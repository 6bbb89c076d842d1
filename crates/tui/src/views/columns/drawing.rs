//! The Columns view: a row a field of the selected stream.

use insight::{COLUMN_HEADINGS, Column, ColumnTable, grouped};
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use crate::screen::canvas::{Canvas, PART, cut};
use crate::screen::place::Place;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::columns::state::{ColumnOrder, ColumnsView, Counted};

/// Columns of the screen between two cells.
const BETWEEN: usize = 2;

/// The most a cell takes.
const CELL: usize = 26;

/// Cells that are right-aligned: the number of the field, the shares and counts.
const RIGHT: [usize; 3] = [0, 3, 4];

/// Cells in the order in which they give way: the last stays longest.
const GIVING_WAY: [usize; 4] = [5, 6, 1, 3];

/// What the stream is, in words.
pub(super) fn stream_in_words(app: &App) -> String {
    let Some(preview) = &app.result.preview else { return String::new() };
    match app.shown() {
        Place::Source => crate::views::bench::river::source_name(preview),
        Place::Stage(number) | Place::Stream(number) => {
            let name = preview.stages.get(number).map_or("", |stage| &stage.name);
            format!("what {} {} writes", number + 1, safe(name))
        }
    }
}

/// True where the stream may be another one with all of the data.
fn is_part(app: &App) -> bool {
    let Some(preview) = &app.result.preview else { return false };
    match app.shown() {
        Place::Source => {
            let input = preview.stages.first().and_then(|stage| stage.inputs.first());
            input.and_then(|input| input.sampled.as_ref()).is_some_and(|part| !part.complete)
        }
        Place::Stage(number) | Place::Stream(number) => {
            preview.stages.get(number).is_some_and(engine::StageResult::from_part)
        }
    }
}

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let view = app.states.get::<ColumnsView>();
    let Some((view, counted)) = view.and_then(|view| Some((view, view.counted.as_ref()?))) else {
        let text = if app.result.preview.is_some() {
            "counting the columns …"
        } else {
            "no lines yet: type a command that reads some, as cat FILE"
        };
        canvas.put(2, 1, text, theme.quiet());
        return;
    };
    head(canvas, app, view, counted);
    let rows = view.rows();
    let cells: Vec<[String; 8]> = rows.iter().map(|column| column.cells(&counted.table)).collect();
    let widths = widths(&cells, usize::from(area.width.saturating_sub(3)));
    let mut odd = counted.table.odd_in_words();
    let text = counted.table.text_in_words();
    if !text.is_empty() && !view.all {
        odd.push(format!("{text}; h shows them"));
    }
    let top = if area.height >= 12 { 3 } else { 2 };
    heading_row(canvas, app, top, &widths);
    let room = usize::from(area.height.saturating_sub(top + 1));
    // The lines that do not fit come after the columns, with a row of space where there is one.
    let gap = usize::from(rows.len() + odd.len() < room && !odd.is_empty());
    let all = rows.len() + odd.len();
    let first = (view.at + 1).saturating_sub(room).min(all.saturating_sub(room));
    for (y, row) in (first..all).take(room).enumerate() {
        let after_gap = if row >= rows.len() { gap } else { 0 };
        let y = top + 1 + (y + after_gap) as u16;
        let selected = row == view.at;
        let can_select = row < rows.len() + counted.table.odd.len();
        if can_select {
            canvas.row_target(y, Target::Row(row));
        }
        if selected && can_select {
            canvas.select(y, 1);
            canvas.put(0, y, "▌", theme.bright().add_modifier(Modifier::BOLD));
        }
        if let Some(cells) = cells.get(row) {
            cell_row(canvas, app, y, cells, &widths, selected);
        } else if let Some(sentence) = odd.get(row - rows.len()) {
            let sign = if can_select { "!" } else { "·" };
            let x = canvas.put(2, y, sign, theme.bright());
            let style = if selected { theme.bright() } else { theme.ink() };
            canvas.put(x + 1, y, sentence, style);
        }
    }
}

/// What the table is of, how its lines are split, and how else they could be.
fn head(canvas: &mut Canvas<'_>, app: &App, view: &ColumnsView, counted: &Counted) {
    let area = canvas.area;
    let theme = app.theme;
    let table = &counted.table;
    let total = view.kept.as_ref().map_or(0, |kept| kept.lines());
    let lines = if counted.ended {
        format!("{}{} lines", if is_part(app) { PART } else { "" }, grouped(table.lines))
    } else {
        format!("{} of {} lines so far", grouped(table.lines), grouped(total))
    };
    let lines = if is_part(app) && counted.ended { lines + ", a part; a: all" } else { lines };
    let right = area.width.saturating_sub(1);
    canvas.put_right(right, 0, &lines, theme.quiet());
    let room = usize::from(right).saturating_sub(lines.width() + 3);
    let x = canvas.put(2, 0, "columns of ", theme.quiet());
    let name = cut(&stream_in_words(app), room.saturating_sub(usize::from(x)).min(40));
    let x = canvas.put(x, 0, &name, theme.bright());
    let split = table.splitting_in_words();
    // Where both have no room in one row, the splitting has the next one.
    let beside = usize::from(x) + 3 + split.width() <= room;
    if beside {
        canvas.put(x + 3, 0, &split, theme.ink());
    }
    let doubt = counted
        .found
        .iter()
        .find(|found| found.splitting == table.splitting)
        .is_some_and(|found| found.score < 0.5);
    let mut others: Vec<String> = counted
        .found
        .iter()
        .filter(|found| found.splitting != table.splitting)
        .map(|found| found.splitting.name())
        .collect();
    others.truncate(4);
    let mut words = if beside { String::new() } else { split };
    if doubt && view.splitting.is_none() {
        words.push_str(if beside { "a guess" } else { " · a guess" });
    }
    if view.order != ColumnOrder::Field {
        let before = if words.is_empty() { "" } else { " · " };
        words.push_str(&format!("{before}ordered by {}", view.order.name()));
    }
    if !others.is_empty() {
        let before = if words.is_empty() { "" } else { "   " };
        words.push_str(&format!("{before}←→ split at {}", others.join(" · ")));
    }
    canvas.put(2, 1, &cut(&words, usize::from(area.width.saturating_sub(3))), theme.quiet());
}

/// The width of each cell; 0 for one that has no room.
fn widths(cells: &[[String; 8]], room: usize) -> [usize; 8] {
    let mut widths: [usize; 8] = std::array::from_fn(|at| {
        let widest = cells.iter().map(|row| row[at].width()).max().unwrap_or(0);
        // A heading that no column has is not needed.
        if widest == 0 { 0 } else { widest.clamp(COLUMN_HEADINGS[at].len(), CELL) }
    });
    let used = |widths: &[usize; 8]| -> usize {
        widths[..7].iter().filter(|width| **width > 0).map(|width| width + BETWEEN).sum()
    };
    for at in GIVING_WAY {
        if used(&widths) + 24 <= room {
            break;
        }
        widths[at] = 0;
    }
    widths[7] = room.saturating_sub(used(&widths));
    widths
}

fn heading_row(canvas: &mut Canvas<'_>, app: &App, y: u16, widths: &[usize; 8]) {
    let headings = COLUMN_HEADINGS.map(str::to_owned);
    each_cell(&headings, widths, |x, text, _| {
        canvas.put(x, y, text, app.theme.quiet());
    });
}

fn cell_row(
    canvas: &mut Canvas<'_>,
    app: &App,
    y: u16,
    cells: &[String; 8],
    widths: &[usize; 8],
    selected: bool,
) {
    let theme = app.theme;
    each_cell(cells, widths, |x, text, at| {
        let style = match at {
            0 => theme.bright(),
            _ if selected => theme.bright(),
            5..=7 => theme.ink(),
            _ => theme.ink(),
        };
        canvas.put(x, y, text, style);
    });
}

/// Each cell that has room: its column of the screen, its text, its number.
fn each_cell(cells: &[String; 8], widths: &[usize; 8], mut put: impl FnMut(u16, &str, usize)) {
    let mut x = 2;
    for (at, (cell, width)) in cells.iter().zip(widths).enumerate() {
        if *width == 0 {
            continue;
        }
        let text = cut(&safe(cell), *width);
        let pad = if RIGHT.contains(&at) { width - text.width().min(*width) } else { 0 };
        put((x + pad) as u16, &text, at);
        x += width + BETWEEN;
    }
}

/// The selected column in full.
pub(super) fn notes(canvas: &mut Canvas<'_>, app: &App) {
    let theme = app.theme;
    let view = app.states.get::<ColumnsView>();
    let Some((view, counted)) = view.and_then(|view| Some((view, view.counted.as_ref()?))) else {
        return;
    };
    let room = usize::from(canvas.area.width.saturating_sub(2));
    let rows = view.rows();
    let Some(column) = rows.get(view.at) else {
        canvas.put(1, 0, "Enter goes to the first of these lines", theme.ink());
        return;
    };
    for (y, sentence) in sentences(column, &counted.table).iter().enumerate() {
        let style = if y == 0 { theme.bright() } else { theme.ink() };
        canvas.put(1, y as u16, &cut(&safe(sentence), room), style);
    }
}

fn sentences(column: &Column, table: &ColumnTable) -> Vec<String> {
    let heading = column.heading();
    let name = if heading.is_empty() { String::new() } else { format!(" {heading}") };
    let missing = table.data_lines - table.empty_lines - column.present;
    let empty = column.present - column.filled;
    let mut first = format!("field {}{name}: {}", column.number, column.kind_in_words());
    for (lines, what) in [(missing, "do not have it"), (empty, "have nothing in it")] {
        if lines > 0 {
            first.push_str(&format!(" · {} lines {what}", grouped(lines)));
        }
    }
    first.push_str(&format!(" · {} characters at most", grouped(column.width as u64)));
    vec![
        first,
        format!("{} different · most frequent: {}", column.different(), column.frequent_in_words()),
        format!("from {} to {}", column.smallest_in_words(), column.largest_in_words()),
    ]
}
