//! Views: pure functions from the state to a buffer.

mod areas;
mod canvas;
mod chrome;
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

pub(crate) use areas::lens_rows;
use canvas::put;
use canvas::rule;
use ratatui::Frame;
use ratatui::layout::Rect;

use crate::state::app::App;
use crate::state::screen::Screen;

/// Draws the whole screen.
pub(crate) fn draw(frame: &mut Frame<'_>, app: &App) {
    let area = frame.area();
    let buffer = frame.buffer_mut();
    buffer.set_style(area, app.theme.ink());
    if area.width < 20 || area.height < 8 {
        put(buffer, area, 0, 0, "Ylotrope needs more room", app.theme.bright());
        return;
    }
    let areas = areas::areas(area, app);
    chrome::header(buffer, areas.header, app);
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
    chrome::message(buffer, areas.message, app);
    chrome::keys(buffer, areas.keys, app);
    if let Some(position) = drawer_cursor.or(cursor) {
        frame.set_cursor_position(position);
    }
}

#[cfg(test)]
mod key_tests;
#[cfg(test)]
mod run_tests;
#[cfg(test)]
mod snapshot_tests;
#[cfg(test)]
mod tests;
