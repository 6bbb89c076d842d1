//! The command text and its stage ruler.

use ratatui::layout::Position;
use ratatui::style::{Modifier, Style};
use shell::{Pipeline, Span};
use stream::steers;
use unicode_width::UnicodeWidthChar;

use crate::parts::shaded::shaded;
use crate::screen::canvas::{Canvas, cut};
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::text::display::safe;

/// A character on the screen: byte, what is shown, columns.
struct Cell {
    at: usize,
    shown: String,
    width: usize,
}

/// Bytes of a long text that are laid out around the cursor: more than fits on any screen.
const LAID_OUT: usize = 32 << 10;

/// The part of a long text that is laid out; it moves in large steps, so that rows stay as they are
/// while the cursor moves among them.
fn part_around(text: &str, cursor: usize) -> std::ops::Range<usize> {
    if text.len() <= LAID_OUT * 4 {
        return 0..text.len();
    }
    let mut start = (cursor / LAID_OUT).saturating_sub(1) * LAID_OUT;
    let mut end = (start + LAID_OUT * 3).min(text.len());
    while !text.is_char_boundary(start) {
        start -= 1;
    }
    while !text.is_char_boundary(end) {
        end += 1;
    }
    // Whole lines where there are any.
    if start > 0
        && let Some(newline) = text[start..cursor.max(start)].find('\n')
    {
        start += newline + 1;
    }
    start..end
}

/// The text around the cursor cut into rows of the screen. Each row has where it ends in the text.
fn wrapped(whole: &str, cursor: usize, width: usize) -> Vec<(Vec<Cell>, usize)> {
    let width = width.max(4);
    let part = part_around(whole, cursor);
    let (from, text) = (part.start, &whole[part]);
    let mut rows = Vec::new();
    let mut row: Vec<Cell> = Vec::new();
    let mut used = 0;
    for (at, character) in text.char_indices().map(|(at, character)| (at + from, character)) {
        if character == '\n' {
            rows.push((std::mem::take(&mut row), at));
            used = 0;
            continue;
        }
        let (shown, columns) = match character.width() {
            Some(columns) if !steers(character) => (character.to_string(), columns),
            _ => {
                let shown = safe(&character.to_string());
                let columns = shown.chars().count();
                (shown, columns)
            }
        };
        if used + columns > width {
            rows.push((std::mem::take(&mut row), at));
            used = 0;
        }
        used += columns;
        row.push(Cell { at, shown, width: columns });
    }
    rows.push((row, from + text.len()));
    rows
}

fn most_rows(height: u16) -> usize {
    usize::from(height / 7).clamp(1, 6)
}

/// Rows of the screen the text takes: two for each of its own, and the completion's.
pub(super) fn rows(app: &App, width: u16, height: u16) -> u16 {
    let width = usize::from(width.saturating_sub(3));
    let rows = wrapped(app.text.editor.text(), app.text.editor.cursor(), width);
    let (_, shown) = visible_rows(app, &rows, most_rows(height) * 2);
    let used: u16 = shown.iter().map(|(_, height)| height).sum();
    used + completion_rows(app, height)
}

/// The row of the cursor, and the rows that are on screen around it with their heights: a row
/// of stages has its ruler below it, a comment has none.
fn visible_rows(app: &App, rows: &[(Vec<Cell>, usize)], room: usize) -> (usize, Vec<(usize, u16)>) {
    let text = app.text.editor.text();
    let cursor = app.text.editor.cursor();
    let found = rows.iter().position(|(_, end)| cursor <= *end).unwrap_or(0);
    // A cursor at the place where a full row is cut is at the start of the next.
    let cut_here = rows.get(found).is_some_and(|(_, end)| {
        cursor == *end && cursor < text.len() && text.as_bytes()[cursor] != b'\n'
    });
    let cursor_row = (found + usize::from(cut_here)).min(rows.len().saturating_sub(1));
    let height = |number: usize| -> u16 {
        let first = rows[number].0.iter().find(|cell| cell.shown != " ");
        if first.is_some_and(|cell| cell.shown == "#") { 1 } else { 2 }
    };
    let mut shown = vec![(cursor_row, height(cursor_row))];
    let mut used = usize::from(shown[0].1);
    let (mut above, mut below) = (cursor_row, cursor_row + 1);
    loop {
        let before = used;
        if let Some(next) = above.checked_sub(1)
            && used + usize::from(height(next)) <= room
        {
            above = next;
            used += usize::from(height(next));
            shown.insert(0, (next, height(next)));
        }
        if below < rows.len() && used + usize::from(height(below)) <= room {
            used += usize::from(height(below));
            shown.push((below, height(below)));
            below += 1;
        }
        if used == before {
            return (cursor_row, shown);
        }
    }
}

fn completion_rows(app: &App, height: u16) -> u16 {
    let most = (height / 4).min(8);
    app.text
        .completion
        .as_ref()
        .map_or(0, |completion| (completion.candidates.len() as u16).min(most))
}

/// Draws the text; gives the cursor's place where the text has the focus.
pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
    let area = canvas.area;
    let text = app.text.editor.text();
    let cursor = app.text.editor.cursor();
    let rows = wrapped(text, cursor, usize::from(area.width.saturating_sub(3)));
    let candidates = completion_rows(app, canvas.buffer.area.height);
    let room = usize::from(area.height.saturating_sub(candidates));
    let (cursor_row, visible) = visible_rows(app, &rows, room);
    let pipeline = app.text.pipeline();
    let mut position = None;
    let (mut y, mut cursor_y) = (0u16, 0u16);
    for (number, height) in visible {
        let (row, end) = &rows[number];
        if number == cursor_row {
            cursor_y = y;
        }
        let mut x = 1u16;
        for cell in row {
            if number == cursor_row && cell.at == cursor {
                position = Some(x);
            }
            canvas.put(x, y, &cell.shown, style_at(app, pipeline, cell.at));
            if height > 1 {
                ruler(canvas, x, y + 1, app, pipeline, cell);
            }
            x += cell.width as u16;
        }
        if number == cursor_row && position.is_none() {
            position = Some(x);
        }
        if height > 1 {
            problem(canvas, y + 1, app, row, *end, x);
        }
        y += height;
    }
    if text.is_empty() {
        canvas.put(
            1,
            0,
            "type a pipeline, for example: grep refused gate.log | sort | head",
            app.theme.quiet(),
        );
    }
    draw_completion(canvas, y, candidates, app);
    let at = Position::new(area.x + position?, area.y + cursor_y);
    (app.focus == Focus::Text && area.contains(at)).then_some(at)
}

fn stage_at(pipeline: Option<&Pipeline>, at: usize) -> Option<(usize, Span)> {
    let commands = &pipeline?.commands;
    // The last one that begins here or before; they stand in their order.
    let number = commands.partition_point(|command| command.span.start <= at).checked_sub(1)?;
    let command = &commands[number];
    let end = command.off.map_or(command.span.end, |off| off.end);
    (at < end).then_some((number, Span::new(command.span.start, end)))
}

fn style_at(app: &App, pipeline: Option<&Pipeline>, at: usize) -> Style {
    let theme = app.theme;
    let inside = |span: Span| span.start <= at && at < span.end;
    if app.text.problem.as_ref().is_some_and(|problem| inside(problem.span)) {
        return theme.bright().add_modifier(Modifier::UNDERLINED);
    }
    if let Some(script) = &app.text.script {
        let command = stage_at(pipeline, at).zip(pipeline);
        let off = command.and_then(|((number, _), pipeline)| pipeline.commands[number].off);
        if off.is_some_and(inside) {
            return theme.quiet().add_modifier(Modifier::CROSSED_OUT);
        }
        let before = script.comments.partition_point(|comment| comment.start <= at);
        if script.comments[..before].last().copied().is_some_and(inside) {
            return theme.quiet();
        }
    }
    let style = match stage_at(pipeline, at) {
        Some((number, _)) if number == app.place.stage() => theme.bright(),
        Some(_) => theme.ink(),
        None => theme.quiet(),
    };
    // In a program that is shaded the rest is back, so that its parts stand out.
    let before = app.text.programs.partition_point(|program| program.span.start <= at);
    let program = app.text.programs[..before].last().filter(|program| inside(program.span));
    let Some(program) = program else { return style };
    match program.shades.iter().find(|(span, _)| inside(*span)) {
        Some((_, shade)) => shaded(app, theme.ink(), *shade),
        None if program.shades.is_empty() => style,
        None => theme.ink(),
    }
}

/// Under each character of a stage a line in its hue, its number at the beginning.
fn ruler(
    canvas: &mut Canvas<'_>,
    x: u16,
    y: u16,
    app: &App,
    pipeline: Option<&Pipeline>,
    cell: &Cell,
) {
    let Some((number, span)) = stage_at(pipeline, cell.at) else { return };
    let off = pipeline.and_then(|pipeline| pipeline.commands[number].off);
    let label = (number + 1).to_string();
    let offset = cell.at - span.start;
    let style = if off.is_some() { app.theme.quiet() } else { app.theme.hue(number) };
    if offset < label.len() && cell.at < span.end {
        let digit = &label[offset..=offset];
        canvas.put(x, y, digit, style.add_modifier(Modifier::BOLD));
        return;
    }
    let selected = number == app.place.stage();
    let line = if selected { "━" } else { "─" };
    canvas.put(x, y, &line.repeat(cell.width), style);
}

/// Carets under what is wrong, and what it is behind them where there is room.
fn problem(canvas: &mut Canvas<'_>, y: u16, app: &App, row: &[Cell], end: usize, x_end: u16) {
    let area = canvas.area;
    let Some(problem) = &app.text.problem else { return };
    let span = problem.span;
    let mut x = 1u16;
    let mut last = None;
    for cell in row {
        if span.start <= cell.at && cell.at < span.end.max(span.start + 1) {
            canvas.put(x, y, &"^".repeat(cell.width), app.theme.bright());
            last = Some(x + cell.width as u16);
        }
        x += cell.width as u16;
    }
    if last.is_none() && span.start == end {
        canvas.put(x_end, y, "^", app.theme.bright());
        last = Some(x_end + 1);
    }
    if let Some(x) = last {
        let room = usize::from(area.width.saturating_sub(x + 1));
        canvas.put(x + 1, y, &cut(&safe(&problem.message), room), app.theme.ink());
    }
}

fn draw_completion(canvas: &mut Canvas<'_>, y: u16, rows: u16, app: &App) {
    let area = canvas.area;
    let Some(completion) = &app.text.completion else { return };
    let rows = usize::from(rows);
    let chosen = completion.chosen.unwrap_or(0);
    let first = (chosen + 1).saturating_sub(rows);
    let longest = completion
        .candidates
        .iter()
        .map(|(text, _)| text.trim_end().chars().count())
        .max()
        .unwrap_or(0)
        .min(30);
    for (number, (text, says)) in completion.candidates.iter().enumerate().skip(first).take(rows) {
        let y = y + (number - first) as u16;
        let is_chosen = completion.chosen == Some(number);
        let style = if is_chosen { app.theme.bright() } else { app.theme.ink() };
        canvas.put(1, y, if is_chosen { "▸" } else { " " }, app.theme.bright());
        canvas.put(3, y, &cut(&safe(text.trim_end()), longest), style);
        let x = 3 + longest as u16 + 2;
        let room = usize::from(area.width.saturating_sub(x + 1));
        canvas.put(x, y, &cut(says, room), app.theme.quiet());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_long_text_is_laid_out_in_whole_lines_around_the_cursor() {
        let text = "é a line of the text\n".repeat(LAID_OUT);
        assert_eq!(part_around(&text[..LAID_OUT * 4], 9), 0..LAID_OUT * 4);
        for cursor in [0, 1, LAID_OUT, LAID_OUT * 2 + 1, LAID_OUT * 7 + 5, text.len()] {
            let cursor = (cursor..=text.len()).find(|at| text.is_char_boundary(*at)).unwrap();
            let part = part_around(&text, cursor);
            assert!(part.start <= cursor && cursor <= part.end, "{part:?} around {cursor}");
            assert!(part.start == 0 || text[..part.start].ends_with('\n'), "{part:?}");
            assert!(part.len() <= LAID_OUT * 3 + 1 && text.is_char_boundary(part.end), "{part:?}");
            assert!(cursor - part.start <= LAID_OUT * 2, "{part:?} around {cursor}");
        }
        // Without lines it begins wherever a character does.
        let text = "線".repeat(LAID_OUT * 2);
        assert_eq!(part_around(&text, LAID_OUT * 2 + 2), LAID_OUT - 2..LAID_OUT * 4 + 1);
    }
}
