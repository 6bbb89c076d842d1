//! The rows around the views: the head, the message, the keys.

use std::time::Duration;

use unicode_width::UnicodeWidthStr;

use crate::actions::{Action, key};
use crate::hints::hints;
use crate::screen::canvas::{Canvas, cut, cut_middle, cut_parts};
use crate::screen::target::Target;
use crate::screen::view_name::{SHELF, THROUGHPUT, ViewName};
use crate::state::app::App;
use crate::text::display::safe;

/// Columns that the name of the file has at least next to the names of the views.
const NAME_LEAST: u16 = 10;

/// A name in the head: of which view, what it is called and what is said beside, and the key that opens it.
struct Tab {
    view: ViewName,
    title: &'static str,
    beside: String,
    key: Option<&'static str>,
}

/// The views and the Shelf.
fn tabs(app: &App) -> Vec<Tab> {
    let views = app.registry.views.iter().map(|view| Tab {
        view: view.name(),
        title: view.title(),
        beside: view.beside_title(app),
        key: view.entry().map(|entry| key(entry.action)),
    });
    let shelf =
        Tab { view: SHELF, title: "Shelf", beside: String::new(), key: Some(key(Action::Shelf)) };
    views.chain([shelf]).collect()
}

/// Columns that some of them take with as many columns between them.
fn width_of(tabs: &[Tab], between: u16) -> u16 {
    tabs.iter().map(|tab| (tab.title.len() + tab.beside.chars().count()) as u16 + between).sum()
}

pub(super) fn header(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let all = tabs(app);
    let shown = app.drawer.as_ref().map_or(app.view, |drawer| drawer.shown_as(app.view));
    // The views keep their names as long as a few letters of the file's fit next to them.
    let title = "Ylotrope";
    // Whether it was changed is said where the name of the program is.
    let changed = if app.text.is_changed() { " changed" } else { "" };
    let own = NAME_LEAST + changed.len() as u16;
    let beside = |title: &str| area.width.saturating_sub(title.len() as u16 + 3 + own + 2);
    // What it is called gives way before what there is to be opened.
    let (title, views, between) = if width_of(&all, 3) <= beside(title) {
        (title, &all[..], 3)
    } else if width_of(&all, 2) <= beside(title) {
        (title, &all[..], 2)
    } else if width_of(&all, 2) <= area.width.saturating_sub(NAME_LEAST + 3) {
        ("", &all[..], 2)
    } else {
        let here = all.iter().position(|tab| tab.view == shown).unwrap_or(0);
        (title, &all[here..=here], 2)
    };
    let mut x = canvas.put(1, 0, title, theme.bright());
    if title.is_empty() {
        x = 0;
    }
    let start = area.width.saturating_sub(width_of(views, between));
    let name = app
        .text
        .path
        .as_ref()
        .map_or_else(|| "not saved yet".to_owned(), |path| safe(&path.display().to_string()));
    let instead = app.drawer.as_ref().and_then(|drawer| drawer.instead_of_text());
    let begins = instead.is_some();
    let name = instead.map_or(name, |instead| safe(&instead));
    let room = usize::from(start.saturating_sub(x + 4));
    let unsaved = app.text.path.is_none() && name.width() > room.saturating_sub(changed.len());
    let name = if unsaved && !begins { "unsaved".to_owned() } else { name };
    let name =
        cut_middle(&name, room.saturating_sub(changed.len()).clamp(usize::from(NAME_LEAST), 40));
    x = canvas.put(if x == 0 { 1 } else { x + 2 }, 0, &cut(&name, room), theme.ink());
    if usize::from(start.saturating_sub(x + 2)) >= changed.len() {
        canvas.put(x, 0, changed, theme.quiet());
    }
    if start <= x + 1 {
        return;
    }
    let underlined = ratatui::style::Modifier::UNDERLINED;
    let mut x = start;
    for Tab { view, title, beside, key } in views {
        canvas.target(x, 0, title.len() as u16, Target::View(*view));
        // The letter that opens it; Esc leads back to the Bench.
        let letter = key.and_then(|key| {
            let lower = || title.to_ascii_lowercase().find(&key.to_ascii_lowercase());
            title.find(key).or_else(lower)
        });
        match letter.filter(|_| *view != shown) {
            _ if *view == shown => {
                x = canvas.put(x, 0, title, theme.bright().add_modifier(underlined));
            }
            None => x = canvas.put(x, 0, title, theme.quiet()),
            Some(at) => {
                let style = theme.ink().add_modifier(underlined);
                x = canvas.put(x, 0, &title[..at], theme.quiet());
                x = canvas.put(x, 0, &title[at..=at], style);
                x = canvas.put(x, 0, &title[at + 1..], theme.quiet());
            }
        }
        x = canvas.put(x, 0, beside, theme.bright()) + between;
    }
}

pub(super) fn message(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if let Some(problem) = &app.text.problem {
        let x = canvas.put(1, 0, "!", app.theme.bright());
        let text = cut(&safe(&problem.message), usize::from(area.width.saturating_sub(5)));
        canvas.put(x + 2, 0, &text, app.theme.bright());
        return;
    }
    let elsewhere = app.is_running() && app.view != THROUGHPUT;
    if let Some(running) = app.running.as_ref().filter(|_| elsewhere) {
        let done = running.snapshot.done();
        let text = format!(
            "running on everything: {} · {} shows it, Ctrl-C stops it; no file is left half written",
            done.map_or_else(
                || format!("{} read", insight::bytes(running.snapshot.read_bytes)),
                insight::progress
            ),
            key(Action::Show(THROUGHPUT))
        );
        canvas.put(1, 0, &text, app.theme.bright());
        return;
    }
    let room = usize::from(area.width.saturating_sub(2));
    let message = app.message.as_ref().map(|message| safe(message));
    let text = match (evaluating(app), message) {
        (None, None) => return,
        (None, Some(message)) => cut(&message, room),
        (Some(words), Some(message)) if message.width() + words.width() + 3 <= room => {
            format!("{message} · {words}")
        }
        (Some(words), _) => cut_parts(&words, room),
    };
    canvas.put(1, 0, &text, app.theme.bright());
}

/// After so long an evaluation says how far it is.
const LONG: Duration = Duration::from_millis(500);

/// How far an evaluation is that takes its time, and how it is stopped, the most wanted first.
fn evaluating(app: &App) -> Option<String> {
    let since = app.result.waiting_since.elapsed();
    if app.result.waiting.is_none() || app.is_following() || since < LONG {
        return None;
    }
    let progress = app.progress();
    let time = insight::duration(since.as_nanos() as u64);
    let mut words = format!("evaluating for {time} · Ctrl-C stops");
    if let Some(first) = progress.first() {
        let (lines, how) =
            if first.lines_in > 0 { (first.lines_in, "read") } else { (first.lines_out, "made") };
        words.push_str(&format!(" · {} {how}", insight::lines(lines)));
    }
    // Stages before those are as they were.
    let reached = progress.iter().rposition(|stage| stage.bytes_in + stage.bytes_out > 0);
    if let Some(reached) = reached {
        let stage = app.stage_count().saturating_sub(progress.len()) + reached + 1;
        words.push_str(&format!(" · now in stage {stage} of {}", app.stage_count()));
    }
    Some(words)
}

pub(super) fn keys(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let hints = hints(app);
    let is_help = |key: &str| matches!(key, "?" | "F1");
    let width = |key: &str, what: &str| (key.chars().count() + what.chars().count() + 1) as u16;
    let all_fit =
        hints.iter().map(|(key, what)| width(key, what) + 3).sum::<u16>() <= area.width + 2;
    // Where not all have room, the way to the others stays.
    let help = hints.iter().find(|(key, _)| is_help(key)).filter(|_| !all_fit);
    let mut end = area.width;
    if let Some((key, _)) = help {
        let what = "all keys";
        let start = area.width.saturating_sub(width(key, what) + 1);
        canvas.target(start, 0, width(key, what), Target::Key(key));
        let x = canvas.put(start, 0, key, theme.bright());
        canvas.put(x + 1, 0, what, theme.quiet());
        end = start.saturating_sub(2);
    }
    let mut x = 1;
    for (key, what) in hints.iter().filter(|(key, _)| help.is_none() || !is_help(key)) {
        if x + width(key, what) > end {
            break;
        }
        canvas.target(x, 0, width(key, what), Target::Key(key));
        x = canvas.put(x, 0, key, theme.bright());
        x = canvas.put(x + 1, 0, what, theme.quiet());
        x += 3;
    }
}
