//! Runs that were kept, two of them side by side.

mod drawing;
pub(crate) mod state;

use std::sync::Arc;

use insight::KeptRun;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, Entry, entry, keyed};
use crate::hints::with;
use crate::screen::canvas::Canvas;
use crate::screen::view_name::{BENCH, THROUGHPUT, ViewName};
use crate::state::app::{App, Event};
use crate::state::drawer::Hint;
use crate::state::job::Job;
use crate::state::versions::Candidate;
use crate::state::view::{OwnLetters, Signs, View};
use crate::views::compare::state::{CompareView, compared_runs, runs as runs_of};
use crate::views::versions;

/// Its name.
pub(crate) const NAME: ViewName = ViewName("compare");

/// The view of the kept runs.
pub(crate) struct Compare;

impl View<App> for Compare {
    fn name(&self) -> ViewName {
        NAME
    }

    fn title(&self) -> &'static str {
        "Kept runs"
    }

    fn entry(&self) -> Option<Entry> {
        let says = "kept runs, two of them side by side (F6 everywhere)";
        Some(entry(Action::Show(NAME), "K", "compare", says))
    }

    fn function_key(&self) -> Option<u8> {
        Some(6)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        Some(OwnLetters { letters: "mMd", does: "has a meaning of its own among the kept runs" })
    }

    fn actions(&self) -> &'static [Action] {
        &[
            Action::RunAll,
            Action::Show(THROUGHPUT),
            Action::EditText,
            Action::Actions,
            Action::Help,
            Action::Quit,
        ]
    }

    fn signs(&self) -> Signs {
        &[("▌", "the selected run, compared with the one marked as 1")]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::draw(canvas, app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::notes(canvas, app);
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let own = [
            ("↑↓", "select"),
            ("m", "mark as 1"),
            ("Enter", "use its text"),
            ("d", "delete"),
            ("Esc", "back to the Bench"),
            ("M", "compare results"),
        ];
        with(&own, self.actions())
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        pressed(app, key.code)
    }

    fn clicked(&self, row: usize, app: &mut App) {
        app.states.of::<CompareView>().at = row;
    }

    fn shown(&self, app: &mut App) {
        refresh(app);
    }
}

/// Reads the kept runs where they are not known.
fn refresh(app: &mut App) {
    if app.kept.kept_runs.is_none() {
        read(app);
    }
    let last = runs_of(app).len().saturating_sub(1);
    let view = app.states.of::<CompareView>();
    view.at = view.at.min(last);
}

/// A key; false where it means nothing there.
fn pressed(app: &mut App, code: KeyCode) -> bool {
    let last = runs_of(app).len().saturating_sub(1);
    let at = app.states.of::<CompareView>().at;
    let to = match code {
        KeyCode::Up => at.saturating_sub(1),
        KeyCode::Down => (at + 1).min(last),
        KeyCode::Home => 0,
        KeyCode::End => last,
        KeyCode::Char('m') => {
            let id = runs_of(app).get(at).map(|run| run.id.clone());
            let marked = &mut app.states.of::<CompareView>().marked;
            *marked = if *marked == id { None } else { id };
            return true;
        }
        KeyCode::Enter => {
            use_text_of(app, at);
            return true;
        }
        KeyCode::Char('M') => {
            compare_results(app);
            return true;
        }
        KeyCode::Char('d') | KeyCode::Delete => {
            forget_run(app);
            return true;
        }
        KeyCode::Esc => {
            app.show_view(BENCH);
            return true;
        }
        _ => return false,
    };
    app.states.of::<CompareView>().at = to;
    true
}

/// Puts the text of a run in the place of the text.
fn use_text_of(app: &mut App, at: usize) {
    let Some(text) = runs_of(app).get(at).map(|run| run.record.text.clone()) else { return };
    app.remember_line();
    app.text.editor.set_text(&text, text.len());
    app.message = Some(keyed("the text of that run; {undo} brings back the other"));
    app.show_view(BENCH);
    app.text_changed();
}

/// What the texts of the two runs give on the data as it is now.
fn compare_results(app: &mut App) {
    let text = |run: &KeptRun| run.record.text.clone();
    let pair = compared_runs(app).map(|(first, second, _)| (text(first), text(second)));
    let Some((first, second)) = pair else {
        app.message = Some("there are no two runs to compare yet".to_owned());
        return;
    };
    let run = |name: &str, text: String| Candidate {
        name: name.to_owned(),
        text,
        at: usize::MAX,
        figures: None,
    };
    versions::open(app, vec![run("text of run 1", first), run("text of run 2", second)]);
}

fn forget_run(app: &mut App) {
    let at = app.states.of::<CompareView>().at;
    let Some(id) = runs_of(app).get(at).map(|run| run.id.clone()) else { return };
    let Some(runs) = app.kept.runs.clone() else { return };
    app.with_files(Job::Writing, move || {
        let removed = runs.remove(&id);
        move |app: &mut App| match removed {
            Ok(()) => {
                app.message = Some("the figures of that run were deleted".to_owned());
                let left = runs_of(app).iter().filter(|run| run.id != id).cloned().collect();
                take_runs(app, left);
            }
            Err(error) => app.message = Some(format!("not deleted: {}", stream::describe(&error))),
        }
    });
}

/// These are the kept runs now.
fn take_runs(app: &mut App, runs: Vec<KeptRun>) {
    let last = runs.len().saturating_sub(1);
    app.kept.kept_runs = Some(Arc::new(runs));
    let view = app.states.of::<CompareView>();
    view.at = view.at.min(last);
}

/// Reads the kept runs.
fn read(app: &mut App) {
    let runs = app.kept.runs.clone();
    app.in_background(Job::Runs, move || {
        let all = runs.map(|runs| runs.all()).unwrap_or_default();
        Event::then(move |app| take_runs(app, all))
    });
}
