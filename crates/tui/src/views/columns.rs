//! The columns of the selected stream.

mod drawing;
pub(crate) mod state;

use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use insight::{ColumnTable, Splitting, columns_csv, columns_json, columns_text, read_columns};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, Entry, entry};
use crate::hints::with;
use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::{BENCH, ViewName};
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::Hint;
use crate::state::job::Job;
use crate::state::view::{OwnLetters, Signs, View};
use crate::storage::folders::{at_home, is_there};
use crate::views::columns::state::{ColumnsView, Counted};
use crate::views::point;

/// Its name.
pub(crate) const NAME: ViewName = ViewName("columns");

/// How often a count says what it has.
const NEWS: Duration = Duration::from_millis(150);

/// The Columns view.
pub(crate) struct Columns;

impl View<App> for Columns {
    fn name(&self) -> ViewName {
        NAME
    }

    fn title(&self) -> &'static str {
        "Columns"
    }

    fn entry(&self) -> Option<Entry> {
        let says = "what is in the columns of the selected stream: kinds, different values, bounds (F8 everywhere)";
        Some(entry(Action::Show(NAME), "l", "columns", says))
    }

    fn function_key(&self) -> Option<u8> {
        Some(8)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        Some(OwnLetters { letters: "how", does: "has a meaning of its own in Columns" })
    }

    fn actions(&self) -> &'static [Action] {
        &[
            Action::Guide,
            Action::Everything,
            Action::ChooseSample,
            Action::EditText,
            Action::Actions,
            Action::Help,
            Action::Quit,
        ]
    }

    fn signs(&self) -> Signs {
        &[
            ("▌", "the selected field"),
            ("≈", "counted from a part of the data; {everything} works on all of it"),
            (
                "~ … ±2 %",
                "an estimate, and how far it may be off: there are too many to count them exactly",
            ),
            ("a-00", "the form of all values: letters as a, digits as 0"),
            (
                "card=",
                "what all values of the field begin with; it is left out of the rest of the row",
            ),
            ("!", "lines that do not fit the splitting; Enter goes to the first"),
            ("·", "fields of free text at the end of lines, without a row each; h shows them"),
        ]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::draw(canvas, app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        drawing::notes(canvas, app);
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let own = [
            ("↑↓", "field"),
            ("Enter", "what to do with it"),
            ("←→", "splitting"),
            ("Tab", "next stream"),
            ("o", "order"),
            ("h", "all fields"),
            ("w", "to a file"),
            ("Esc", "back to the Bench"),
        ];
        with(&own, self.actions())
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        pressed(app, key.code)
    }

    fn clicked(&self, row: usize, app: &mut App) {
        if std::mem::replace(&mut app.states.of::<ColumnsView>().at, row) == row {
            app.press(KeyCode::Enter);
        }
    }

    fn shown(&self, app: &mut App) {
        refresh(app);
    }

    fn hidden(&self, app: &mut App) {
        leave(app);
    }
}

/// The number of the column that is selected while the view is shown.
pub(crate) fn selected(app: &App) -> Option<usize> {
    let view = app.states.get::<ColumnsView>().filter(|_| app.view == NAME);
    view.and_then(ColumnsView::selected)
}

/// Counts the columns on screen again where the stream is another one now.
fn refresh(app: &mut App) {
    let kept = app.stream_of(app.shown());
    let place = Some(app.shown());
    let view = app.states.of::<ColumnsView>();
    let (Some(preview), Some(kept)) = (&app.result.preview, kept) else {
        view.counted = None;
        return;
    };
    let generation = Some(preview.generation);
    if (view.generation, view.place) == (generation, place) {
        return;
    }
    if view.place != place {
        view.splitting = None;
        view.at = 0;
        view.counted = None;
    }
    (view.generation, view.place) = (generation, place);
    view.kept = Some(kept);
    count(app);
}

/// Nothing is counted, and no stream is held, that nobody looks at.
fn leave(app: &mut App) {
    let view = app.states.of::<ColumnsView>();
    if let Some(counting) = view.counting.take() {
        counting.cancel();
    }
    // What it had until then is not all.
    view.counts += 1;
    view.generation = None;
    view.kept = None;
    view.counted = None;
}

/// Counts the columns of the stream on screen.
fn count(app: &mut App) {
    let view = app.states.of::<ColumnsView>();
    if let Some(counting) = view.counting.take() {
        counting.cancel();
    }
    let Some(kept) = view.kept.clone() else { return };
    view.counts += 1;
    let number = view.counts;
    let control = stream::RunControl::default();
    view.counting = Some(control.clone());
    let splitting = view.splitting.clone();
    let events = app.events.clone();
    app.in_background_until(Job::Columns, control.clone(), move || {
        let mut said = Instant::now();
        let mut source = kept.source();
        let read = read_columns(&mut *source, splitting, |survey, found| {
            if said.elapsed() > NEWS {
                said = Instant::now();
                let news = Counted { table: survey.table(), found: found.to_vec(), ended: false };
                // Nobody listens any more when the screen is gone.
                let _ = events.send(Event::then(move |app| counted(app, number, news)));
            }
            !control.is_cancelled()
        });
        match read {
            Ok((survey, found)) => {
                let news = Counted { table: survey.table(), found, ended: true };
                Event::then(move |app| counted(app, number, news))
            }
            Err(error) => Event::Failed(Job::Columns, error.to_string()),
        }
    });
}

/// Takes what a count has found.
fn counted(app: &mut App, number: u64, counted: Counted) {
    let view = app.states.of::<ColumnsView>();
    if number != view.counts {
        return;
    }
    if counted.ended {
        view.counting = None;
    }
    view.counted = Some(counted);
    view.at = view.at.min(view.len().saturating_sub(1));
}

/// A key; false where it means nothing there.
fn pressed(app: &mut App, code: KeyCode) -> bool {
    let view = app.states.of::<ColumnsView>();
    let last = view.len().saturating_sub(1);
    match code {
        KeyCode::Up => view.at = view.at.saturating_sub(1),
        KeyCode::Down => view.at = (view.at + 1).min(last),
        KeyCode::Home => view.at = 0,
        KeyCode::End => view.at = last,
        KeyCode::Left => split_otherwise(app, -1),
        KeyCode::Right => split_otherwise(app, 1),
        KeyCode::Tab => other_stream(app, 1),
        KeyCode::BackTab => other_stream(app, -1),
        KeyCode::Char('h') => {
            view.all = !view.all;
            view.at = view.at.min(view.len().saturating_sub(1));
        }
        KeyCode::Char('o') => view.order = view.order.next(),
        KeyCode::Char('w') => ask_where_to_write(app),
        KeyCode::Enter => open_column(app),
        KeyCode::Esc => app.show_view(BENCH),
        _ => return false,
    }
    true
}

/// Looks at the next stream of the pipeline, or the one before, round and round.
fn other_stream(app: &mut App, step: i64) {
    let streams = app.stage_count() as i64 + 1;
    let here = match app.shown() {
        Place::Source => 0,
        Place::Stage(number) | Place::Stream(number) => number as i64 + 1,
    };
    let next = (here + step).rem_euclid(streams);
    app.select(match next {
        0 => Place::Source,
        stage => Place::Stream(stage as usize - 1),
    });
    refresh(app);
}

/// Splits the lines in the next of the ways that were found.
fn split_otherwise(app: &mut App, step: i64) {
    let view = app.states.of::<ColumnsView>();
    let Some(counted) = &view.counted else { return };
    let here = |found: &Splitting| *found == counted.table.splitting;
    let at = counted.found.iter().position(|found| here(&found.splitting)).unwrap_or(0) as i64;
    let next = (at + step).rem_euclid((counted.found.len() as i64).max(1)) as usize;
    if let Some(found) = counted.found.get(next) {
        view.splitting = Some(found.splitting.clone());
        count(app);
    }
}

/// What can be done with the selected column; of the lines that do not fit, the first one.
fn open_column(app: &mut App) {
    let view = app.states.of::<ColumnsView>();
    if let Some(number) = view.selected() {
        let splitting = view.counted.as_ref().map(|counted| counted.table.splitting.clone());
        if let Some(kept) = view.kept.clone() {
            point::point_at_column(app, &kept, splitting, number);
        }
        return;
    }
    let Some(counted) = &view.counted else { return };
    let odd = view.at.checked_sub(view.shown(counted)).and_then(|at| counted.table.odd.get(at));
    let Some(line) = odd.map(|odd| odd.first as usize) else { return };
    // The stream alone: the lines of a stage may be in another order.
    let place = match app.shown() {
        Place::Stage(number) => Place::Stream(number),
        place => place,
    };
    app.show_view(BENCH);
    app.select(place);
    app.lens.go(line);
    app.focus = Focus::Lens;
}

fn ask_where_to_write(app: &mut App) {
    let script = app.text.path.as_ref().and_then(|path| path.file_stem());
    let stem = script.map_or("pipeline".into(), |stem| stem.to_string_lossy());
    let title = "write the table to (.csv, .json, or text)";
    app.open_drawer(Prompt::word(
        title,
        &format!("{stem}-columns.csv"),
        "write it",
        |app, name| {
            write(app, at_home(name));
        },
    ));
}

/// Writes the table: as CSV, JSON or text, by the name.
fn write(app: &mut App, path: PathBuf) {
    let Some(counted) = &app.states.of::<ColumnsView>().counted else { return };
    if !counted.ended {
        app.message = Some("not written: the lines are still being counted".to_owned());
        return;
    }
    let table = counted.table.clone();
    app.write_file(move || written(&table, &path));
}

/// Writes a table to a file that is not there yet; gives what became of it, in words.
fn written(table: &ColumnTable, path: &Path) -> String {
    let name = path.display();
    if is_there(path) {
        return format!("not written: {name} already exists; choose another name");
    }
    let ending = path.extension().map(|ending| ending.to_string_lossy().into_owned());
    let text = match ending.as_deref() {
        Some("csv") => columns_csv(table),
        Some("json") => columns_json(table),
        _ => columns_text(table),
    };
    let written =
        engine::put_in_place(path, engine::Writing::Result, |file| file.write_all(text.as_bytes()));
    match written {
        Ok(()) => format!("written: {name}"),
        Err(error) => format!("not written: {}", stream::describe(&error)),
    }
}
