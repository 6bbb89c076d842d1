//! The options of a stage.

use insight::{SheetRow, figure, figure_lines};
use ratatui::layout::Position;
use ratatui::style::Modifier;

use crate::screen::canvas::{Canvas, cut};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::{View, pieces, safe, width};
use crate::views::sheet::state::{Pick, SheetView};

/// Rows it takes at most `most` of: the stage, the headings, the options, the text.
pub(super) fn rows(view: &SheetView, most: u16) -> u16 {
    (view.sheet.rows.len() as u16 + 4).clamp(6, most.max(6))
}

/// A row of the list: a heading, or an option by its number among them.
enum Row<'v> {
    Heading(&'static str),
    Option(usize, &'v SheetRow),
}

fn list(view: &SheetView) -> Vec<Row<'_>> {
    let switches = view.switches();
    let mut list = Vec::new();
    for (number, row) in view.rows().into_iter().enumerate() {
        if number == 0 && switches > 0 {
            list.push(Row::Heading("switches"));
        }
        if number == switches {
            list.push(Row::Heading("with a value"));
        }
        list.push(Row::Option(number, row));
    }
    list
}

/// Draws it; gives the place of the cursor where a value is typed.
pub(super) fn draw(canvas: &mut Canvas<'_>, view: &SheetView, app: &App) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    head(canvas, view, app);
    let list = list(view);
    let room = usize::from(area.height.saturating_sub(2)).max(1);
    let is_selected = |row: &Row<'_>| matches!(row, Row::Option(number, _) if *number == view.at);
    let here = list.iter().position(is_selected).unwrap_or(0);
    // A heading over the first row stays in sight.
    let first = if here <= 1 { 0 } else { (here + 1).saturating_sub(room) };
    let mut cursor = None;
    for (y, row) in list.iter().skip(first).take(room).enumerate() {
        let y = y as u16 + 1;
        match row {
            Row::Heading(says) => {
                canvas.put(3, y, says, theme.quiet());
            }
            Row::Option(number, row) => {
                let selected = *number == view.at;
                canvas.row_target(y, Target::Entry(*number));
                let at = option(canvas, y, view, row, selected, app);
                if selected && view.typed.is_some() {
                    cursor = at.map(|x| Position::new(area.x + x, area.y + y));
                }
            }
        }
    }
    let y = area.height.saturating_sub(1);
    let x = canvas.put(1, y, &stage_text(view, app), theme.bright());
    canvas.put(x + 2, y, "← the stage as it is now", theme.quiet());
    cursor.filter(|at| area.contains(*at))
}

/// The stage, what it does, and what comes out of it now.
fn head(canvas: &mut Canvas<'_>, view: &SheetView, app: &App) {
    let theme = app.theme;
    if let Some(pick) = &view.pick {
        return picked(canvas, pick, app);
    }
    let hue = theme.hue(view.stage).add_modifier(Modifier::BOLD);
    let x = canvas.put(1, 0, &format!("{} {}", view.stage + 1, view.sheet.spec.name), hue);
    let now = app.result.preview.as_ref().and_then(|preview| preview.stages.get(view.stage));
    let words = now.map_or(String::new(), |stage| {
        let out = stage.lines_out();
        let was = view.lines_before.filter(|before| *before != out);
        let was = was.map_or(String::new(), |before| format!(" (before: {})", figure(before)));
        let outdated = if app.is_stale() { " …" } else { "" };
        format!("{} in, {} out{was}{outdated}", figure_lines(stage.lines_in()), figure(out))
    });
    let right = canvas.area.width.saturating_sub(1);
    let width = words.chars().count() as u16;
    canvas.put_right(right, 0, &words, theme.ink());
    if !view.search.is_empty() {
        canvas.put(x + 2, 0, &format!("search: {}", safe(&view.search)), theme.bright());
        return;
    }
    let room = usize::from(right.saturating_sub(x + width + 4));
    canvas.put(x + 2, 0, &cut(view.sheet.spec.summary, room), theme.quiet());
}

/// The line that fields are picked from: the chosen ones bright, the one at the cursor reversed.
fn picked(canvas: &mut Canvas<'_>, pick: &Pick, app: &App) {
    let theme = app.theme;
    let x = canvas.put(1, 0, &format!("field {}", pick.at + 1), theme.bright()) + 2;
    let room = usize::from(canvas.area.width.saturating_sub(x + 2));
    let here = pick.fields.get(pick.at).cloned().unwrap_or(0..0);
    let end = width(&pick.line[..here.end.min(pick.line.len())], View::Text, usize::MAX);
    let mut column = x;
    for piece in pieces(&pick.line, View::Text, (end + 2).saturating_sub(room), room) {
        let field = pick.fields.iter().position(|field| field.contains(&piece.at));
        let mut style = match field {
            Some(field) if pick.chosen[field] => {
                theme.bright().add_modifier(Modifier::BOLD | Modifier::UNDERLINED)
            }
            _ => theme.quiet(),
        };
        if field == Some(pick.at) {
            style = style.add_modifier(Modifier::REVERSED);
        }
        canvas.put(column, 0, &piece.text, style);
        column += piece.width as u16;
    }
}

/// Draws an option; gives the column of the cursor in its value.
fn option(
    canvas: &mut Canvas<'_>,
    y: u16,
    view: &SheetView,
    row: &SheetRow,
    selected: bool,
    app: &App,
) -> Option<u16> {
    let theme = app.theme;
    if selected {
        canvas.select(y, 1);
        canvas.put(1, y, "▸", theme.bright());
    }
    let is_on = !row.given.is_empty();
    let style = if selected || is_on { theme.bright() } else { theme.ink() };
    let name = match (row.option.has_letter(), row.option.long) {
        (true, _) => row.option.id.to_string(),
        (false, long) => format!("--{long}"),
    };
    let mut cursor = None;
    let wide = canvas.is_wide();
    let value_room = if wide { 22 } else { 12 };
    let mut x = canvas.put(3, y, if is_on { "[x]" } else { "[ ]" }, style);
    x = canvas.put(x + 1, y, &name, style);
    if let Some(value) = row.option.value {
        let start = (x + 1).max(12);
        let typed = view.typed.as_ref().filter(|_| selected);
        let shown = match typed {
            Some(input) => safe(input.value()),
            None => row
                .given
                .iter()
                .map(|value| safe(&shell::quote(value)))
                .collect::<Vec<_>>()
                .join("  "),
        };
        let empty = shown.is_empty() && typed.is_none();
        let text = if empty { value.to_owned() } else { shown };
        let style = if empty { theme.quiet() } else { style };
        x = canvas.put(start, y, &cut(&text, value_room), style);
        cursor = typed.map(|input| start + (input.visual_cursor() as u16).min(value_room as u16));
    }
    let says_at = if wide { 37 } else { 26 };
    let beyond = if row.option.posix { "" } else { "not POSIX" };
    let right = canvas.area.width.saturating_sub(1);
    canvas.put_right(right, y, beyond, theme.quiet());
    let start = says_at.max(x + 2);
    let room = usize::from(right.saturating_sub(start + 11));
    let words = match &row.excluded {
        Some(why) => format!("{} · not now: {}", row.option.meaning, safe(why)),
        None => row.option.meaning.to_owned(),
    };
    canvas.put(start, y, &cut(&words, room), if selected { theme.bright() } else { theme.ink() });
    cursor
}

/// The text of the stage as it is now.
fn stage_text(view: &SheetView, app: &App) -> String {
    let text = app.text.editor.text();
    let pipeline = app.text.pipeline();
    let span = pipeline.and_then(|pipeline| pipeline.commands.get(view.stage)).map(|one| one.span);
    let stage = span.and_then(|span| text.get(span.range())).unwrap_or_default();
    safe(stage).replace("^J", " ")
}
