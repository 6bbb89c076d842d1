//! The Shelf: a list with a search, and what is known of the selected entry.

use engine::{Figure, Known};
use insight::{PastLine, ShelfEntry, Shelved, bytes, duration, figure_lines, files_of, grouped};
use ratatui::layout::{Position, Rect};

use unicode_width::UnicodeWidthStr;

use crate::screen::canvas::{Canvas, cut, cut_middle};
use crate::screen::input::input;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::shelf::state::ShelfView;

/// Rows for the selected entry.
const DETAILS: u16 = 9;

/// Draws it; gives the place of the cursor in the search.
pub(super) fn draw(canvas: &mut Canvas<'_>, view: &ShelfView, app: &App) -> Option<Position> {
    let theme = app.theme;
    let area = canvas.area;
    let Some(entries) = &view.entries else {
        canvas.put(1, 0, "reading the Shelf …", theme.quiet());
        return None;
    };
    let count = if view.found.len() == entries.len() {
        format!(
            "Shelf: {} pipeline{}",
            grouped(entries.len() as u64),
            if entries.len() == 1 { "" } else { "s" }
        )
    } else {
        format!("Shelf: {} of {}", grouped(view.found.len() as u64), grouped(entries.len() as u64))
    };
    let x = canvas.put(1, 0, &count, theme.bright());
    let x = canvas.put(x + 2, 0, "search:", theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let query = &view.query;
    let cursor = input(&mut canvas.within(line), 0, query.value(), query.visual_cursor());
    let details = DETAILS.min(area.height / 3);
    let rows = usize::from(area.height.saturating_sub(details + 2));
    let first = (view.at + 1).saturating_sub(rows.max(1));
    // The commands stand below each other, whether or not an entry has a comment.
    let commented = view.found.iter().any(|place| !entries[*place].comment().is_empty());
    let known = view.found.iter().any(|place| entries[*place].last.is_some());
    let longest = view.found.iter().map(|place| name(&entries[*place]).width()).max().unwrap_or(0);
    let width = usize::from(area.width);
    let layout = Layout {
        names: longest.clamp(9, (width / 3).min((width / 5).max(24))),
        // Two columns of words that are hardly begun say less than one.
        comments: commented,
        commands: !commented || width >= 60,
        figures: known,
    };
    for (row, (number, place)) in view.found.iter().enumerate().skip(first).take(rows).enumerate() {
        let y = row as u16 + 1;
        canvas.row_target(y, Target::Entry(number));
        entry_row(canvas, y, &entries[*place], &layout, app);
        if number == view.at {
            canvas.put(0, y, "▸", theme.bright());
            canvas.select(y, 1);
        }
    }
    if view.found.is_empty() {
        canvas.put(3, 1, "nothing found", theme.quiet());
    }
    let top = area.height.saturating_sub(details);
    let rest = Rect { y: area.y + top, height: area.height - top, ..area };
    if let Some(entry) = view.chosen() {
        about(&mut canvas.within(rest), entry, app);
    }
    cursor
}

/// A day and a time, as this machine's clock has them.
fn when(line: &PastLine) -> String {
    let zoned = line.when.to_zoned(jiff::tz::TimeZone::system());
    zoned.strftime("%Y-%m-%d %H:%M").to_string()
}

/// What a line gave: its lines, marked where they are of a part, and how long it took.
fn amounts(line: &PastLine) -> [String; 2] {
    let known = if line.partial { Known::OfPart } else { Known::Exact };
    [figure_lines(Figure::new(line.lines, known)), duration(line.elapsed_ns)]
}

fn figures(line: &PastLine) -> String {
    amounts(line).join(" · ")
}

/// Columns for the lines, the time and the day of an entry.
const AMOUNTS: [u16; 3] = [15, 13, 18];

/// What an entry is called.
fn name(entry: &ShelfEntry) -> String {
    match &entry.shelved {
        Shelved::Saved(path) => safe(&path.display().to_string()),
        Shelved::Past => "not saved".to_owned(),
    }
}

/// The columns of the list: how wide names are, and which of the others there are.
struct Layout {
    names: usize,
    comments: bool,
    commands: bool,
    figures: bool,
}

/// A row of the list.
fn entry_row(canvas: &mut Canvas<'_>, y: u16, entry: &ShelfEntry, layout: &Layout, app: &App) {
    let theme = app.theme;
    let width = canvas.area.width;
    let style = match &entry.shelved {
        Shelved::Saved(_) => theme.ink(),
        Shelved::Past => theme.quiet(),
    };
    canvas.put(2, y, &cut_middle(&name(entry), layout.names), style);
    let start = layout.names as u16 + 4;
    let wide = canvas.is_wide();
    let columns = match (layout.figures, wide) {
        (false, _) => &AMOUNTS[..0],
        (_, true) => &AMOUNTS[..],
        (_, false) => &AMOUNTS[..2],
    };
    let end = width.saturating_sub(1 + columns.iter().sum::<u16>());
    if let Some(line) = &entry.last {
        let [lines, time] = amounts(line);
        let mut x = end;
        for (column, text) in columns.iter().zip([lines, time, when(line)]) {
            x += column;
            canvas.put_right(x, y, &text, theme.quiet());
        }
    }
    let room = usize::from(end.saturating_sub(start + 2));
    let comment_room = match (layout.comments, layout.commands) {
        (true, true) => (room / 2).min(64),
        (true, false) => room,
        (false, _) => 0,
    };
    canvas.put(start, y, &cut(&safe(&entry.comment()), comment_room), theme.ink());
    if !layout.commands {
        return;
    }
    let x = start + comment_room as u16 + if layout.comments { 2 } else { 0 };
    let room = usize::from(end.saturating_sub(x + 2));
    canvas.put(x, y, &cut(&safe(&entry.line()), room), theme.quiet());
}

/// The selected entry, whole.
fn about(canvas: &mut Canvas<'_>, entry: &ShelfEntry, app: &App) {
    let theme = app.theme;
    let room = usize::from(canvas.area.width.saturating_sub(3));
    canvas.rule();
    let mut y = 1;
    if let Shelved::Saved(path) = &entry.shelved {
        canvas.put(1, y, &cut(&safe(&path.display().to_string()), room), theme.bright());
        y += 1;
    }
    let files = files_of(&entry.text);
    let folder = std::path::Path::new(".");
    let named = |writes: bool| -> String {
        let own = files.iter().filter(|one| one.writes == writes);
        own.map(|one| {
            let missing = if one.is_here(folder) || one.writes { "" } else { " (not here)" };
            format!("{}{missing}", safe(&one.name))
        })
        .collect::<Vec<_>>()
        .join(", ")
    };
    for (what, names) in [("reads ", named(false)), ("writes ", named(true))] {
        if !names.is_empty() {
            let x = canvas.put(1, y, what, theme.quiet());
            canvas.put(x, y, &cut(&names, room.saturating_sub(8)), theme.ink());
            y += 1;
        }
    }
    if let Some(line) = &entry.last {
        let words = format!("last {}: {}, {}", when(line), figures(line), bytes(line.bytes));
        canvas.put(1, y, &cut(&words, room), theme.quiet());
        y += 1;
    }
    for line in entry.text.lines() {
        if y >= canvas.area.height {
            break;
        }
        canvas.put(3, y, &cut(&safe(line), room.saturating_sub(2)), theme.ink());
        y += 1;
    }
}
