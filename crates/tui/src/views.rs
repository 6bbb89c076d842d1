//! Views: pure functions from the state to a buffer.

mod areas;
mod canvas;
mod chrome;
mod columns;
mod command;
mod compare;
mod drawer;
mod guide;
mod input;
mod lens;
mod notes;
mod outcomes;
mod patterns;
mod pending;
mod point;
mod program;
mod river;
mod sheet;
mod shelf;
mod start;
mod throughput;
mod trail;
mod versions;
mod wiring;

pub(crate) use areas::page;
use canvas::Canvas;
use ratatui::Frame;
use ratatui::layout::Rect;

use crate::state::app::App;
use crate::state::screen::Screen;
use crate::state::target::{Target, Targets};

/// Draws the whole screen; gives what is where.
pub(crate) fn draw(frame: &mut Frame<'_>, app: &App) -> Targets {
    let area = frame.area();
    let mut targets = Targets::new();
    let mut canvas =
        Canvas { buffer: frame.buffer_mut(), area, theme: app.theme, targets: &mut targets };
    canvas.buffer.set_style(area, app.theme.ink());
    if area.width < 20 || area.height < 8 {
        canvas.put(0, 0, "Ylotrope needs more room", app.theme.bright());
        return targets;
    }
    let areas = areas::areas(area, app);
    chrome::header(&mut canvas.within(areas.header), app);
    for y in 0..areas.command.height {
        canvas.within(areas.command).row_target(y, Target::Text);
    }
    let cursor = command::draw(&mut canvas.within(areas.command), app);
    canvas.within(areas.top_rule).rule();
    let body = Rect { width: area.width, ..areas.river };
    match app.screen {
        Screen::Bench => {
            river::draw(&mut canvas.within(areas.river), app);
            let mut middle = canvas.within(areas.middle_rule);
            for y in 0..areas.middle_rule.height {
                middle.put(0, y, "│", app.theme.rule());
            }
            lens::draw(&mut canvas.within(areas.lens), app);
        }
        Screen::Wiring => wiring::draw(&mut canvas.within(body), app),
        Screen::Pending => pending::draw(&mut canvas.within(body), app),
        Screen::Throughput => throughput::draw(&mut canvas.within(body), app),
        Screen::Compare => compare::draw(&mut canvas.within(body), app),
        Screen::Columns => columns::draw(&mut canvas.within(body), app),
    }
    canvas.within(areas.bottom_rule).rule();
    let drawer_cursor = if let Some(drawer) = &app.drawer {
        drawer::draw(&mut canvas.within(areas.notes), drawer, app)
    } else {
        match app.screen {
            Screen::Throughput => throughput::notes(&mut canvas.within(areas.notes), app),
            Screen::Compare => compare::notes(&mut canvas.within(areas.notes), app),
            Screen::Columns => columns::notes(&mut canvas.within(areas.notes), app),
            _ => notes::draw(&mut canvas.within(areas.notes), app),
        }
        None
    };
    chrome::message(&mut canvas.within(areas.message), app);
    chrome::keys(&mut canvas.within(areas.keys), app);
    if let Some(position) = drawer_cursor.or(cursor) {
        frame.set_cursor_position(position);
    }
    targets
}

#[cfg(test)]
mod detail_tests;
#[cfg(test)]
mod exact_tests;
#[cfg(test)]
mod figure_tests;
#[cfg(test)]
mod key_tests;
#[cfg(test)]
mod layout_tests;
#[cfg(test)]
mod run_tests;
#[cfg(test)]
mod snapshot_tests;
#[cfg(test)]
mod steady_tests;
#[cfg(test)]
mod sweep_tests;
#[cfg(test)]
mod tests;
