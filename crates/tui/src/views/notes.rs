//! The notes: what the selected stage does, its figures, advice, what it said.

use insight::explain;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use super::canvas::{Canvas, cut, cut_parts};
use crate::actions::{Action, key, keyed};
use crate::noted::{self, Row};
use crate::state::app::App;
use crate::state::place::Focus;
use crate::state::screen::Screen;
use crate::text::display::safe;

/// What the Pending view is about, under it.
fn pending(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else { return };
    let theme = app.theme;
    let (files, commands) = app.pending_rows();
    let started = (0..commands).filter(|number| app.start_result(*number).is_some()).count();
    let written = app.pending.written.len();
    let first = match (started + app.pending.past.len(), files) {
        _ if written > 0 && written == files => {
            "all files are written; {undo-write} brings back what they were"
        }
        _ if written > 0 => "some files are written; {undo-write} brings back what they were",
        (0, _) => "nothing here has been done yet",
        (_, 0) => "commands were run: the result is next to each",
        (_, _) => "commands were run: the result is next to each; no file is written yet",
    };
    let mut rows = vec![(' ', keyed(first))];
    if files > 0 {
        let text = "{write} writes all files from all of the data; x leaves one out";
        rows.push((' ', keyed(text)));
    }
    let unwritten = app.unwritten();
    if !unwritten.is_empty() {
        let text = "the last run was on all of the data and wrote no files: this is what it made";
        rows.push((' ', text.to_owned()));
    } else if !preview.is_whole() {
        rows.push(('!', "these results come from a sample, not from all of the data".to_owned()));
    }
    if commands > 0 {
        let text = "r runs the commands one after the other; those in a pipeline run only with it";
        rows.push((' ', text.to_owned()));
    }
    for (y, (mark, text)) in rows.iter().take(usize::from(area.height)).enumerate() {
        canvas.put(1, y as u16, &mark.to_string(), theme.bright());
        let style = if *mark == '·' { theme.quiet() } else { theme.ink() };
        let text = cut(text, usize::from(area.width.saturating_sub(5)));
        canvas.put(4, y as u16, &text, style);
    }
}

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if app.screen == Screen::Pending {
        return pending(canvas, app);
    }
    let theme = app.theme;
    let number = app.shown().stage();
    let Some(preview) = &app.result.preview else { return };
    let Some(stage) = preview.stages.get(number) else { return };
    let room = usize::from(area.width.saturating_sub(6));
    let label = (number + 1).to_string();
    canvas.put(1, 0, &label, theme.hue(number).add_modifier(Modifier::BOLD));
    canvas.put(4, 0, &cut(&safe(&explain(stage)), room), theme.ink());
    let numbers = noted::figures(stage, preview.followed_ns);
    let mut rows = noted::of_stage(app, stage, number);
    let own = rows.len();
    rows.extend(noted::of_others(app, number));
    let mut y = 1;
    if area.height > 2 {
        canvas.put(4, 1, &cut_parts(&numbers, room), theme.quiet());
        y = 2;
    } else if own == 0 {
        canvas.put(4, 1, &cut_parts(&numbers, room), theme.quiet());
        return;
    }
    draw_rows(canvas, y, app, &rows);
}

/// Notes of a stage that are shown at once.
const AT_ONCE: u16 = 3;

/// Where there is no room for what the fix does.
const SHORT_OFFER: &str = " fixes it";

fn draw_rows(canvas: &mut Canvas<'_>, top: u16, app: &App, rows: &[Row]) {
    let area = canvas.area;
    let theme = app.theme;
    let room = usize::from(area.width.saturating_sub(6));
    // Calm: what more there is is counted, and read on request.
    let bottom = area.height.min(top.saturating_add(AT_ONCE));
    let left = rows.len().saturating_sub(usize::from(bottom.saturating_sub(top)));
    let mut offered = false;
    let key = if app.focus == Focus::Text { "F7" } else { key(Action::Fix) };
    for (y, (mark, text, fix)) in (top..bottom).zip(rows) {
        let style = if *mark == '!' { theme.bright() } else { theme.quiet() };
        canvas.put(1, y, &mark.to_string(), style);
        let text_style = if *mark == '!' { theme.ink() } else { theme.quiet() };
        let Some(label) = fix else {
            canvas.put(4, y, &cut(&safe(text), room), text_style);
            continue;
        };
        // The key does what the first offer says.
        let is_first = !std::mem::replace(&mut offered, true);
        let shown = cut(&safe(text), room);
        if shown.width() + label.width() + 10 < usize::from(area.width) {
            let x = canvas.put(4, y, &shown, text_style);
            let x = canvas.put(x + 3, y, if is_first { key } else { " " }, theme.bright());
            canvas.put(x + 1, y, label, theme.quiet());
        } else if is_first {
            let offer = format!(" {key}{SHORT_OFFER}");
            let short = cut(&shown, room.saturating_sub(offer.len()));
            canvas.put(4, y, &short, text_style);
            canvas.put_right(area.width.saturating_sub(1), y, &offer, theme.bright());
        } else {
            canvas.put(4, y, &shown, text_style);
        }
    }
    if left > 0 && area.height > 0 {
        let first = if app.focus == Focus::Text { "Esc " } else { "" };
        let more = format!(" {left} more: {first}{} ", crate::actions::key(Action::Notes));
        // A single note keeps its own row, where its fix is offered.
        let y = if bottom.saturating_sub(top) > 1 { area.height - 1 } else { 0 };
        canvas.put_right(area.width.saturating_sub(1), y, &more, theme.quiet());
    }
}

/// All that is said of all stages, from row `top` on.
pub(super) fn all(canvas: &mut Canvas<'_>, top: usize, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let told = noted::all(app);
    let rows = usize::from(area.height);
    let top = top.min(told.len().saturating_sub(rows));
    for (y, row) in (0..area.height).zip(told.iter().skip(top)) {
        if let Some(number) = row.stage {
            let style = theme.hue(number).add_modifier(Modifier::BOLD);
            canvas.put(1, y, &(number + 1).to_string(), style);
        }
        if row.begins {
            canvas.put(4, y, &row.mark.to_string(), theme.bright());
        }
        let style = match row.mark {
            '!' => theme.ink(),
            '·' => theme.quiet(),
            _ => theme.bright(),
        };
        let room = usize::from(area.width.saturating_sub(7));
        canvas.put(6, y, &cut(&row.text, room), style);
    }
    if told.len() > rows {
        let text = format!(" {}–{} of {} ", top + 1, (top + rows).min(told.len()), told.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, theme.quiet());
    }
}
