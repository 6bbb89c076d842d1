//! The rows around the views: the head, the message, the keys.

use super::canvas::{Canvas, cut};
use crate::hints::hints;
use crate::state::app::App;
use crate::state::screen::Screen;
use crate::text::display::safe;

pub(super) fn header(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let mut x = canvas.put(1, 0, "Ylotrope", theme.bright());
    let name = app
        .text
        .path
        .as_ref()
        .map_or_else(|| "not saved yet".to_owned(), |path| safe(&path.display().to_string()));
    x = canvas.put(x + 2, 0, &cut(&name, 40), theme.ink());
    if app.text.is_changed() {
        x = canvas.put(x + 1, 0, "changed", theme.quiet());
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
            x = canvas.put(x, 0, name, theme.bright().add_modifier(underlined));
        } else {
            // The letter that opens it; Esc leads back to the Bench.
            let (first, rest) = name.split_at(1);
            let style = if screen == Some(Screen::Bench) {
                theme.quiet()
            } else {
                theme.ink().add_modifier(underlined)
            };
            x = canvas.put(x, 0, first, style);
            x = canvas.put(x, 0, rest, theme.quiet());
        }
        x = canvas.put(x, 0, more, theme.bright()) + 3;
    }
}

pub(super) fn message(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if let Some(problem) = &app.text.problem {
        let x = canvas.put(1, 0, "!", app.theme.bright());
        let text = cut(&safe(&problem.message), usize::from(area.width.saturating_sub(5)));
        canvas.put(x + 2, 0, &text, app.theme.bright());
    } else if let Some(running) =
        app.running.as_ref().filter(|_| app.is_running() && app.screen != Screen::Throughput)
    {
        let done = running.snapshot.done();
        let text = format!(
            "running on everything: {} · T shows it, Ctrl-C stops it; no file is left half written",
            done.map_or_else(
                || format!("{} read", insight::bytes(running.snapshot.read_bytes)),
                insight::progress
            )
        );
        canvas.put(1, 0, &text, app.theme.bright());
    } else if let Some(message) = &app.message {
        let text = cut(&safe(message), usize::from(area.width.saturating_sub(2)));
        canvas.put(1, 0, &text, app.theme.bright());
    }
}

pub(super) fn keys(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let mut x = 1;
    for (key, what) in hints(app) {
        let width = (key.chars().count() + what.chars().count() + 4) as u16;
        if x + width > area.width + 3 {
            break;
        }
        x = canvas.put(x, 0, key, app.theme.bright());
        x = canvas.put(x + 1, 0, what, app.theme.quiet());
        x += 3;
    }
}
