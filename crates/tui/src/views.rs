//! Views: pure functions from the state to a buffer.

mod command;
mod compare;
mod drawer;
mod lens;
mod notes;
mod pending;
mod program;
mod river;
mod throughput;
mod wiring;

use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::app::{App, Screen, hints};
use crate::display::safe;

/// From this many columns on the river has its bars.
const WIDE: u16 = 104;

/// Where everything is.
#[derive(Clone, Copy, Debug, Default)]
struct Areas {
    header: Rect,
    command: Rect,
    top_rule: Rect,
    river: Rect,
    middle_rule: Rect,
    lens: Rect,
    bottom_rule: Rect,
    notes: Rect,
    message: Rect,
    keys: Rect,
}

fn areas(area: Rect, app: &App) -> Areas {
    let (width, height) = (area.width, area.height);
    let row = |y: u16, rows: u16| {
        let y = y.min(height);
        Rect::new(area.x, area.y + y, width, rows.min(height - y))
    };
    let roomy = height >= 36;
    let command_top = if roomy { 2 } else { 1 };
    let command_rows = command::rows(app, width, height);
    let rule = command_top + command_rows;
    let wanted = match &app.drawer {
        Some(drawer) => drawer::rows(drawer, app, height),
        None if roomy => 6,
        None if height >= 28 => 4,
        None => 2,
    };
    let notes_rows = wanted.min(height.saturating_sub(rule + 6));
    let keys = height.saturating_sub(1);
    let message = keys.saturating_sub(1);
    let notes = message.saturating_sub(notes_rows);
    let bottom_rule = notes.saturating_sub(1);
    let middle = rule + 1;
    let middle_rows = bottom_rule.saturating_sub(middle);
    let river_width = if width >= 150 {
        52
    } else if width >= WIDE {
        42
    } else {
        (width * 2 / 5).clamp(20.min(width), 31.min(width))
    };
    let body = row(middle, middle_rows);
    let lens_left = (river_width + 2).min(width);
    Areas {
        header: row(0, 1),
        command: row(command_top, command_rows),
        top_rule: row(rule, 1),
        river: Rect { width: river_width.min(width), ..body },
        middle_rule: Rect {
            x: body.x + river_width.min(width),
            width: 1.min(width - river_width.min(width)),
            ..body
        },
        lens: Rect { x: body.x + lens_left, width: width - lens_left, ..body },
        bottom_rule: row(bottom_rule, 1),
        notes: row(notes, notes_rows),
        message: row(message, 1),
        keys: row(keys, 1),
    }
}

/// Rows of data the lens has room for on a screen of this size.
pub fn lens_rows(width: u16, height: u16, app: &App) -> usize {
    usize::from(areas(Rect::new(0, 0, width, height), app).lens.height.saturating_sub(2)).max(1)
}

/// Draws the whole screen.
pub fn draw(frame: &mut Frame<'_>, app: &App) {
    let area = frame.area();
    let buffer = frame.buffer_mut();
    buffer.set_style(area, app.theme.ink());
    if area.width < 20 || area.height < 8 {
        put(buffer, area, 0, 0, "Ylotrope needs more room", app.theme.bright());
        return;
    }
    let areas = areas(area, app);
    header(buffer, areas.header, app);
    let cursor = command::draw(buffer, areas.command, app);
    rule(buffer, areas.top_rule, app);
    let body = Rect { width: area.width, ..areas.river };
    match app.screen {
        Screen::Bench => {
            river::draw(buffer, areas.river, app);
            for y in areas.middle_rule.top()..areas.middle_rule.bottom() {
                put(buffer, areas.middle_rule, 0, y - areas.middle_rule.y, "│", app.theme.rule());
            }
            lens::draw(buffer, areas.lens, app);
        }
        Screen::Wiring => wiring::draw(buffer, body, app),
        Screen::Pending => pending::draw(buffer, body, app),
        Screen::Throughput => throughput::draw(buffer, body, app),
        Screen::Compare => compare::draw(buffer, body, app),
    }
    rule(buffer, areas.bottom_rule, app);
    let drawer_cursor = if let Some(drawer) = &app.drawer {
        drawer::draw(buffer, areas.notes, drawer, app)
    } else {
        match app.screen {
            Screen::Throughput => throughput::notes(buffer, areas.notes, app),
            Screen::Compare => compare::notes(buffer, areas.notes, app),
            _ => notes::draw(buffer, areas.notes, app),
        }
        None
    };
    message(buffer, areas.message, app);
    keys(buffer, areas.keys, app);
    if let Some(position) = drawer_cursor.or(cursor) {
        frame.set_cursor_position(position);
    }
}

/// Writes text at a place of an area, cut at the area's edge; gives the column behind it.
fn put(buffer: &mut Buffer, area: Rect, x: u16, y: u16, text: &str, style: Style) -> u16 {
    if y >= area.height || x >= area.width {
        return x;
    }
    let room = usize::from(area.width - x);
    let (end, _) = buffer.set_stringn(area.x + x, area.y + y, text, room, style);
    end - area.x
}

/// A list and what belongs to its selected row: side by side on a wide screen, where the list has
/// so many twentieths of the width; else one below the other, where it has so many rows.
fn list_and_side(area: Rect, twentieths: u16, rows: u16) -> (Rect, Rect) {
    if area.width >= WIDE {
        let width = area.width / 20 * twentieths;
        let side =
            Rect { x: area.x + width + 2, width: area.width.saturating_sub(width + 2), ..area };
        return (Rect { width, ..area }, side);
    }
    // A row of space between both, and the same edge as the list has.
    let list = Rect { height: rows.min(area.height), ..area };
    let top = (list.height + 1).min(area.height);
    let side = Rect {
        x: area.x + 2,
        y: area.y + top,
        width: area.width.saturating_sub(2),
        height: area.height - top,
    };
    (list, side)
}

/// Writes text so that it ends before column `x`.
fn put_right(buffer: &mut Buffer, area: Rect, x: u16, y: u16, text: &str, style: Style) {
    let width = unicode_width::UnicodeWidthStr::width(text) as u16;
    put(buffer, area, x.saturating_sub(width), y, text, style);
}

/// Text cut to a width, with a mark where something is missing.
fn cut(text: &str, width: usize) -> String {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
    if text.width() <= width {
        return text.to_owned();
    }
    let mut short = String::new();
    let mut used = 1;
    for character in text.chars() {
        used += character.width().unwrap_or(0);
        if used > width {
            break;
        }
        short.push(character);
    }
    if width > 0 {
        short.push('…');
    }
    short
}

fn rule(buffer: &mut Buffer, area: Rect, app: &App) {
    let line = "─".repeat(usize::from(area.width));
    put(buffer, area, 0, 0, &line, app.theme.rule());
}

fn header(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    let mut x = put(buffer, area, 1, 0, "Ylotrope", theme.bright());
    let name = app
        .path
        .as_ref()
        .map_or_else(|| "not saved yet".to_owned(), |path| safe(&path.display().to_string()));
    x = put(buffer, area, x + 2, 0, &cut(&name, 40), theme.ink());
    if app.is_changed() {
        x = put(buffer, area, x + 1, 0, "changed", theme.quiet());
    }
    let underlined = ratatui::style::Modifier::UNDERLINED;
    let (files, commands) = app.pending_rows();
    let held = if files + commands > 0 { format!(" {}", files + commands) } else { String::new() };
    let run = app.running.as_ref().filter(|_| app.is_running()).map_or(String::new(), |running| {
        match running.snapshot.done() {
            _ if running.snapshot.paused => " paused".to_owned(),
            Some(done) => format!(" {:.0} %", (done * 100.0).floor()),
            None => " …".to_owned(),
        }
    });
    let views = [
        (Some(Screen::Bench), "Bench", ""),
        (Some(Screen::Throughput), "Throughput", &run),
        (Some(Screen::Wiring), "Wiring", ""),
        (Some(Screen::Pending), "Pending", &held),
        (Some(Screen::Compare), "Kept runs", ""),
        (None, "Shelf", ""),
    ];
    let width: usize = views.iter().map(|(_, name, more)| name.len() + more.len() + 3).sum();
    let start = area.width.saturating_sub(width as u16);
    if start <= x + 2 {
        return;
    }
    let mut x = start;
    for (screen, name, more) in views {
        if screen == Some(app.screen) {
            x = put(buffer, area, x, 0, name, theme.bright().add_modifier(underlined));
        } else {
            // The letter that opens it; Esc leads back to the Bench.
            let (first, rest) = name.split_at(1);
            let style = if screen == Some(Screen::Bench) {
                theme.quiet()
            } else {
                theme.ink().add_modifier(underlined)
            };
            x = put(buffer, area, x, 0, first, style);
            x = put(buffer, area, x, 0, rest, theme.quiet());
        }
        x = put(buffer, area, x, 0, more, theme.bright()) + 3;
    }
}

fn message(buffer: &mut Buffer, area: Rect, app: &App) {
    if let Some(problem) = &app.problem {
        let x = put(buffer, area, 1, 0, "!", app.theme.bright());
        let text = cut(&safe(&problem.message), usize::from(area.width.saturating_sub(5)));
        put(buffer, area, x + 2, 0, &text, app.theme.bright());
    } else if let Some(running) =
        app.running.as_ref().filter(|_| app.is_running() && app.screen != Screen::Throughput)
    {
        let done = running.snapshot.done();
        let text = format!(
            "running on everything: {} · T shows it, Ctrl-C ends it and leaves nothing half written",
            done.map_or_else(
                || format!("{} read", insight::bytes(running.snapshot.read_bytes)),
                insight::progress
            )
        );
        put(buffer, area, 1, 0, &text, app.theme.bright());
    } else if let Some(message) = &app.message {
        let text = cut(&safe(message), usize::from(area.width.saturating_sub(2)));
        put(buffer, area, 1, 0, &text, app.theme.bright());
    }
}

fn keys(buffer: &mut Buffer, area: Rect, app: &App) {
    let mut x = 1;
    for (key, what) in hints(app) {
        let width = (key.chars().count() + what.chars().count() + 4) as u16;
        if x + width > area.width + 3 {
            break;
        }
        x = put(buffer, area, x, 0, key, app.theme.bright());
        x = put(buffer, area, x + 1, 0, what, app.theme.quiet());
        x += 3;
    }
}

#[cfg(test)]
mod run_tests;
#[cfg(test)]
mod tests;
