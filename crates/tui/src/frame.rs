//! The whole screen: the head, the command text, the view or drawer, the message, the keys. Views are drawn
//! from the state alone.

pub(crate) mod areas;
mod chrome;
mod command;

use ratatui::Frame;
use ratatui::layout::Rect;

pub(crate) use areas::page;

use crate::screen::canvas::Canvas;
use crate::screen::target::{Target, Targets};
use crate::state::app::App;

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
    app.view().draw(&mut canvas.within(Rect { width: area.width, ..areas.river }), app);
    canvas.within(areas.bottom_rule).rule();
    let mut under = canvas.within(areas.notes);
    let drawer_cursor = match &app.drawer {
        Some(drawer) => drawer.draw(&mut under, app),
        None => {
            app.view().notes(&mut under, app);
            None
        }
    };
    chrome::message(&mut canvas.within(areas.message), app);
    chrome::keys(&mut canvas.within(areas.keys), app);
    if let Some(position) = drawer_cursor.or(cursor) {
        frame.set_cursor_position(position);
    }
    targets
}
