//! Where everything is on the screen.

use ratatui::layout::{Rect, Size};

use super::command;
use crate::screen::view_name::BENCH;
use crate::state::app::App;
use crate::state::page::Page;
use crate::views::bench::lens::TWO_SIDES;
use crate::views::bench::split;

/// Where everything is.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Areas {
    pub(crate) header: Rect,
    pub(crate) command: Rect,
    pub(crate) top_rule: Rect,
    pub(crate) river: Rect,
    pub(crate) lens: Rect,
    pub(crate) bottom_rule: Rect,
    pub(crate) notes: Rect,
    pub(crate) message: Rect,
    pub(crate) keys: Rect,
}

pub(crate) fn areas(area: Rect, app: &App) -> Areas {
    let (width, height) = (area.width, area.height);
    let row = |y: u16, rows: u16| {
        let y = y.min(height);
        Rect::new(area.x, area.y + y, width, rows.min(height - y))
    };
    let roomy = height >= 36;
    let command_top = if roomy { 2 } else { 1 };
    // There is no text yet where one begins.
    let begins = app.drawer.as_ref().is_some_and(|drawer| drawer.instead_of_text().is_some());
    let command_rows = if begins { 0 } else { command::rows(app, width, height) };
    let rule = command_top + command_rows;
    let wanted = match &app.drawer {
        Some(drawer) => drawer.rows(app, Size::new(width, height)),
        None if roomy => 6,
        None if height >= 28 => 4,
        // A note finds room where stages are looked at.
        None if height >= 24 && app.view == BENCH => 3,
        None => 2,
    };
    // What is over the notes leaves a few rows of what is above, unless it is a view of its own.
    let left = if app.drawer.as_ref().is_some_and(|drawer| drawer.is_whole()) { 3 } else { 6 };
    let notes_rows = wanted.min(height.saturating_sub(rule + left));
    let keys = height.saturating_sub(1);
    let message = keys.saturating_sub(1);
    let notes = message.saturating_sub(notes_rows);
    let bottom_rule = notes.saturating_sub(1);
    let middle = rule + 1;
    let middle_rows = bottom_rule.saturating_sub(middle);
    let (river, _, lens) = split(row(middle, middle_rows), app);
    Areas {
        header: row(0, 1),
        command: row(command_top, command_rows),
        top_rule: row(rule, 1),
        river,
        lens,
        bottom_rule: row(bottom_rule, 1),
        notes: row(notes, notes_rows),
        message: row(message, 1),
        keys: row(keys, 1),
    }
}

/// What has room on a screen of this size.
pub(crate) fn page(size: Size, app: &App) -> Page {
    let lens = areas(Rect::new(0, 0, size.width, size.height), app).lens;
    Page {
        size,
        lens_rows: usize::from(lens.height.saturating_sub(2)).max(1),
        lens_columns: usize::from(lens.width),
        narrow: lens.width < TWO_SIDES,
    }
}
