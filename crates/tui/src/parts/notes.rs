//! The notes: what the selected stage does, its figures, advice, what it said.

use insight::explain;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use crate::actions::{Action, key};
use crate::parts::noted::{self, Row};
use crate::screen::canvas::{Canvas, cut, cut_parts};
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::text::display::safe;

pub(crate) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
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
