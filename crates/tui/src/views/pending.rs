//! Pending: what a text would write and start, before it does.

mod drawing;

use std::sync::Arc;

use insight::{Difference, difference};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, Entry, entry, keyed};
use crate::hints::with;
use crate::screen::canvas::Canvas;
use crate::screen::view_name::{BENCH, PENDING, ViewName};
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::Hint;
use crate::state::job::Job;
use crate::state::view::{OwnLetters, Signs, View};
use crate::update::questions;
use crate::views::wiring;

/// The view of what is not done yet.
pub(crate) struct Pending;

impl View<App> for Pending {
    fn name(&self) -> ViewName {
        PENDING
    }

    fn title(&self) -> &'static str {
        "Pending"
    }

    fn beside_title(&self, app: &App) -> String {
        let (files, commands) = app.pending_rows();
        if files + commands > 0 { format!(" {}", files + commands) } else { String::new() }
    }

    fn entry(&self) -> Option<Entry> {
        let says = "planned changes: files with their differences, commands with their arguments (F4 everywhere)";
        Some(entry(Action::Show(PENDING), "P", "pending", says))
    }

    fn function_key(&self) -> Option<u8> {
        Some(4)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        let does = "leaves a row out or runs commands in Pending";
        Some(OwnLetters { letters: "xr", does })
    }

    fn actions(&self) -> &'static [Action] {
        &[
            Action::Write,
            Action::UndoWrite,
            Action::EditText,
            Action::Show(wiring::NAME),
            Action::Actions,
            Action::Help,
            Action::Quit,
        ]
    }

    fn signs(&self) -> Signs {
        &[
            ("▌", "the selected row"),
            ("↧", "a file that would be written; · one that is left out"),
            ("▹", "a command that would be started, or has succeeded"),
            ("!", "a file that cannot be written or kept, a command that failed"),
            ("›", "what a command has said"),
        ]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::draw(canvas, app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::notes(canvas, app);
    }

    fn hints(&self, app: &App) -> Vec<Hint> {
        let own: &[Hint] = match app.pending_rows() {
            (0, 0) => &[("Esc", "back to the Bench")],
            (_, 0) => &[("↑↓", "select"), ("x", "leave out"), ("Esc", "back to the Bench")],
            _ => &[
                ("↑↓", "select"),
                ("x", "leave out"),
                ("r", "run commands"),
                ("Esc", "back to the Bench"),
            ],
        };
        with(own, self.actions())
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        pressed(app, key.code)
    }

    fn clicked(&self, row: usize, app: &mut App) {
        app.pending.at = row;
        refresh(app);
    }

    fn shown(&self, app: &mut App) {
        refresh(app);
    }

    fn calls(&self, app: &App) -> bool {
        app.has_pending()
    }
}

/// Keeps the selection inside the list, and compares the selected file in the background.
fn refresh(app: &mut App) {
    let (files, commands) = app.pending_rows();
    app.pending.at = app.pending.at.min((files + commands).saturating_sub(1));
    let Some(preview) = app.result.preview.clone() else { return };
    let (generation, at) = (preview.generation, app.pending.at);
    let known = app.pending.difference.as_ref();
    if known.is_some_and(|known| (known.0, known.1) == (generation, at)) {
        return;
    }
    let Some(file) = preview.pending.get(at) else { return };
    let file = file.with_all(&app.unwritten());
    app.in_background(Job::Comparing, move || {
        let rows = Arc::new(difference(&file));
        Event::then(move |app| compared(app, generation, at, rows))
    });
}

/// A key of the Pending view; false where it means nothing there.
fn pressed(app: &mut App, code: KeyCode) -> bool {
    let (files, commands) = app.pending_rows();
    let last = (files + commands).saturating_sub(1);
    let before = app.pending.at;
    match code {
        KeyCode::Up => app.pending.at = before.saturating_sub(1),
        KeyCode::Down => app.pending.at = (before + 1).min(last),
        KeyCode::Home => app.pending.at = 0,
        KeyCode::End => app.pending.at = last,
        KeyCode::PageDown => app.pending.top = app.pending.top.saturating_add(8),
        KeyCode::PageUp => app.pending.top = app.pending.top.saturating_sub(8),
        KeyCode::Char('x') => leave_out(app),
        KeyCode::Char('r') => ask_to_act(app),
        KeyCode::Esc if app.pending.acting => app.session.workbench.cancel_acting(),
        KeyCode::Esc => app.show_view(BENCH),
        _ => return false,
    }
    if app.pending.at != before {
        app.pending.top = 0;
        refresh(app);
    }
    true
}

/// Leaves the selected file or command out, or takes it in again.
fn leave_out(app: &mut App) {
    let Some(preview) = &app.result.preview else { return };
    if let Some(file) = preview.pending.get(app.pending.at) {
        if !app.pending.left_out.remove(&file.path) {
            app.pending.left_out.insert(file.path.clone());
        }
        return;
    }
    let number = app.pending.at - preview.pending.len();
    if !app.pending.commands_out.remove(&number) {
        app.pending.commands_out.insert(number);
    }
}

fn ask_to_act(app: &mut App) {
    let Some(preview) = &app.result.preview else { return };
    let said = if app.is_stale() || app.text.problem.is_some() {
        "the text has changed: wait for its result"
    } else if app.is_running() || app.pending.acting {
        "something is already running"
    } else if !preview.is_whole() {
        return app.message =
            Some(keyed("these commands come from a sample; {choose-sample} selects everything"));
    } else if app.startable().is_empty() {
        "no command left that can run on its own"
    } else {
        app.open_drawer(questions::act(app.startable(), app));
        return;
    };
    app.message = Some(said.to_owned());
}

/// Takes the result of a comparison.
pub(crate) fn compared(app: &mut App, generation: u64, at: usize, rows: Arc<Difference>) {
    let current = app.result.is_of(generation);
    if current && app.pending.at == at {
        app.pending.difference = Some((generation, at, rows));
    }
}
