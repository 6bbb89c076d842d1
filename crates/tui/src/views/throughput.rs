//! Throughput: the run on everything, a band for each command.

mod drawing;
mod notes;

use std::path::PathBuf;

use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, Entry, entry};
use crate::hints::with;
use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::screen::view_name::{BENCH, THROUGHPUT, ViewName};
use crate::state::app::App;
use crate::state::drawer::Hint;
use crate::state::run::{Running, Shows};
use crate::state::view::{OwnLetters, Signs, View};
use crate::storage::folders::at_home;
use crate::storage::store::keep_stream;
use crate::views::compare;

/// The view of the run.
pub(crate) struct Throughput;

impl View<App> for Throughput {
    fn name(&self) -> ViewName {
        THROUGHPUT
    }

    fn title(&self) -> &'static str {
        "Throughput"
    }

    fn beside_title(&self, app: &App) -> String {
        let running = app.running.as_ref().filter(|_| app.is_running());
        running.map_or(String::new(), |running| match running.snapshot.done() {
            _ if running.snapshot.paused => " paused".to_owned(),
            Some(done) => format!(" {:.0} %", (done * 100.0).floor()),
            None => " …".to_owned(),
        })
    }

    fn entry(&self) -> Option<Entry> {
        let says = "the full run: rates, bottleneck, output (F5 everywhere)";
        Some(entry(Action::Show(THROUGHPUT), "T", "throughput", says))
    }

    fn function_key(&self) -> Option<u8> {
        Some(5)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        Some(OwnLetters { letters: "okpx", does: "has a meaning of its own in Throughput" })
    }

    fn actions(&self) -> &'static [Action] {
        &[
            Action::RunAll,
            Action::Show(compare::NAME),
            Action::Export,
            Action::EditText,
            Action::Actions,
            Action::Help,
            Action::Quit,
        ]
    }

    fn signs(&self) -> Signs {
        &[
            ("▌", "the selected command"),
            ("!", "the slowest command"),
            ("█", "the time at work, or the part of the run that is done"),
            ("·", "the time waiting for input, or the part to come"),
            ("▒", "the time held up by the command whose colour it has"),
            ("▁ ▅ █", "lines a second over time, of the most there was"),
            ("▪", "a block that waits in the link to the next command"),
        ]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::draw(canvas, app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        notes::notes(canvas, app);
    }

    fn hints(&self, app: &App) -> Vec<Hint> {
        let output = app.throughput.shows == Shows::Output;
        let mut first = if output {
            vec![("↑↓", "scroll"), ("o", "figures"), ("k", "save as a file")]
        } else {
            vec![("↑↓", "select"), ("o", "output")]
        };
        if app.is_running() {
            let paused = app.running.as_ref().is_some_and(|running| running.snapshot.paused);
            first.extend([("p", if paused { "continue" } else { "pause" }), ("x", "stop the run")]);
        }
        first.push(("Esc", "back"));
        if output {
            let actions =
                [Action::EditText, Action::Show(compare::NAME), Action::Actions, Action::Help];
            return with(&first, &actions);
        }
        with(&first, self.actions())
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        pressed(app, key.code)
    }

    fn clicked(&self, row: usize, app: &mut App) {
        app.throughput.at = row;
    }
}

/// A key of the Throughput view; false where it means nothing there.
fn pressed(app: &mut App, code: KeyCode) -> bool {
    let commands = app.running.as_ref().map_or(0, |running| running.snapshot.commands.len());
    let parts = app.running.as_ref().map(Running::parts).unwrap_or_default();
    let view = &mut app.throughput;
    view.part = view.part.min(parts.len().saturating_sub(1));
    let lines = parts.get(view.part).map_or(0, |(_, kept)| kept.lines());
    if view.shows == Shows::Output {
        let last = lines.saturating_sub(1);
        match code {
            KeyCode::Left => (view.part, view.top) = (view.part.saturating_sub(1), 0),
            KeyCode::Right => {
                (view.part, view.top) = ((view.part + 1).min(parts.len().saturating_sub(1)), 0);
            }
            KeyCode::Up => view.top = view.top.saturating_sub(1),
            KeyCode::Down => view.top = (view.top + 1).min(last),
            KeyCode::PageUp => view.top = view.top.saturating_sub(20),
            KeyCode::PageDown => view.top = (view.top + 20).min(last),
            KeyCode::Home => view.top = 0,
            KeyCode::End => view.top = last.saturating_sub(10),
            KeyCode::Char('o') | KeyCode::Esc => view.shows = Shows::Figures,
            KeyCode::Char('k') => ask_where_to_keep_output(app),
            _ => return run_key(app, code),
        }
        return true;
    }
    match code {
        KeyCode::Up => view.at = view.at.saturating_sub(1),
        KeyCode::Down => view.at = (view.at + 1).min(commands.saturating_sub(1)),
        KeyCode::Home => view.at = 0,
        KeyCode::End => view.at = commands.saturating_sub(1),
        KeyCode::Char('o') => {
            view.shows = Shows::Output;
            (view.part, view.top) = (0, 0);
        }
        KeyCode::Esc => app.show_view(BENCH),
        _ => return run_key(app, code),
    }
    true
}

fn run_key(app: &mut App, code: KeyCode) -> bool {
    match code {
        KeyCode::Char('p') => app.pause_run(),
        KeyCode::Char('x') if app.is_running() => app.cancel_run(),
        KeyCode::Char('x') => app.message = Some("no run in progress".to_owned()),
        _ => return false,
    }
    true
}

fn ask_where_to_keep_output(app: &mut App) {
    if app.is_running() {
        app.message = Some("the run has not ended yet".to_owned());
    } else {
        let title = "save the output of the run as";
        app.open_drawer(Prompt::word(title, "output.txt", "keep it", |app, name| {
            keep_output(app, at_home(name));
        }));
    }
}

/// Writes the output of the last run to a file of its own.
fn keep_output(app: &mut App, path: PathBuf) {
    let Some(running) = &app.running else { return };
    let parts = running.parts();
    let Some((_, kept)) = parts.get(app.throughput.part).or(parts.first()) else { return };
    let kept = kept.clone();
    app.write_file(move || match keep_stream(&path, &kept) {
        Ok(bytes) => format!("{} in {}", insight::bytes(bytes), path.display()),
        Err(error) => format!("not kept: {}: {}", path.display(), stream::describe(&error)),
    });
}
