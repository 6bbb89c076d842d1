//! The trail of a line, and the question why a text is not in the result.

mod drawing;
pub(crate) mod state;

use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use ratatui::layout::{Position, Size};
use std::time::{Duration, Instant};

use insight::{Trail, TrailStart, Whereabouts, grouped};
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use tui_input::Input;

use crate::actions::{Action, key};
use crate::screen::list::edit;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::BENCH;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::state::job::Job;
use crate::state::lens::{Content, row_lines};
use crate::state::trials::Trials;
use crate::views::trail::state::{Asked, Side, TrailRow, TrailView, rows_of_text, rows_of_trail};

/// So often a search says how far it is.
const NEWS: Duration = Duration::from_millis(100);

/// Where the line under the cursor of the lens is.
fn line_here(app: &App) -> Option<TrailStart> {
    let preview = app.result.preview.as_ref()?;
    let (row, ..) = row_lines(preview, &app.lens.content, app.lens.cursor);
    match (&app.lens.content, app.shown()) {
        (Content::Stream { .. }, Place::Source) => {
            // The source shown is the first stage's first input.
            Some(TrailStart::In { stage: 0, flat: row.left? })
        }
        (Content::Stream { .. }, place) => {
            Some(TrailStart::Out { stage: place.stage(), line: row.left? })
        }
        (Content::Stage { stage, .. }, _) => match row.right {
            Some(line) => Some(TrailStart::Out { stage: *stage, line }),
            None => Some(TrailStart::In { stage: *stage, flat: row.left? }),
        },
        (Content::Bytes { .. } | Content::Empty, _) => None,
    }
}

/// The trail of the line under the cursor of the lens.
pub(crate) fn open(app: &mut App) {
    match line_here(app) {
        Some(start) => ask(app, Asked::Line(start)),
        None => app.message = Some("no line here to follow".to_owned()),
    }
}

/// Asks for a text that is missed in the result.
pub(crate) fn ask_for_missed(app: &mut App) {
    let query = app.lens.search.as_ref().map(|search| search.query.clone());
    let title = "which text is missing from the result?";
    let query = query.unwrap_or_default();
    app.open_drawer(Prompt::new(title, &query, "where is it lost?", |app, text| {
        if !text.is_empty() {
            ask(app, Asked::Text(text.to_owned()));
        }
    }));
}

/// Looks for a trail in the background and shows it.
pub(crate) fn ask(app: &mut App, asked: Asked) {
    let Some(preview) = app.result.preview.clone() else { return };
    app.points += 1;
    let trials = Trials { number: app.points, control: stream::RunControl::default() };
    let (number, control) = (trials.number, trials.control.clone());
    let (of, question) = (preview.clone(), asked.clone());
    let events = app.events.clone();
    let (request, tried) = (app.result.request.clone(), app.session.workbench.trials());
    app.in_background_until(Job::Trail, control.clone(), move || {
        let rows = match question {
            Asked::Line(start) => Trail::of(&of, start, &control).map(|trail| {
                let text = String::from_utf8_lossy(&trail.text).into_owned();
                let title = format!("{}\u{1f}{text}", trail.start_in_words(&of));
                (title, rows_of_trail(&trail, &of))
            }),
            Asked::Text(query) => {
                let last = std::cell::Cell::new(Instant::now());
                let progress = |read: u64, whole: Option<u64>| {
                    if last.get().elapsed() > NEWS {
                        last.set(Instant::now());
                        // Nobody listens any more when the screen is gone.
                        let _ =
                            events.send(Event::then(move |app| searched(app, number, read, whole)));
                    }
                };
                // A program that the user has agreed to is not started once more for this.
                let evaluate = |plan: engine::Plan| {
                    let request = engine::Request {
                        plan: Some(plan),
                        sample: of.sample,
                        allowed: engine::Consents::default(),
                        ..request.clone()?
                    };
                    tried.evaluate(request, None, &stream::RunControl::default()).ok()
                };
                let found = Whereabouts::of(&of, &query, &control, &progress, &evaluate);
                Some((String::new(), rows_of_text(&found, &of)))
            }
        };
        Event::then(move |app| trailed(app, number, rows))
    });
    app.open_drawer(TrailView {
        asked,
        preview,
        title: String::new(),
        rows: None,
        looked_at: None,
        at: 0,
        in_lines: false,
        query: Input::default(),
        shown: Vec::new(),
        line: 0,
        trials,
    });
}

/// Takes how far a search is.
pub(crate) fn searched(app: &mut App, number: u64, read: u64, whole: Option<u64>) {
    if let Some(view) = app.drawer_of_mut::<TrailView>().filter(|view| view.trials.number == number)
    {
        view.looked_at = Some((read, whole));
    }
}

/// Takes the rows of the trail on screen.
pub(crate) fn trailed(app: &mut App, number: u64, rows: Option<(String, Vec<TrailRow>)>) {
    let Some(view) = app.drawer_of_mut::<TrailView>().filter(|view| view.trials.number == number)
    else {
        return;
    };
    let Some((title, rows)) = rows else {
        app.drawer = None;
        app.message = Some("no such line any more".to_owned());
        return;
    };
    view.title = title;
    view.take(rows);
}

/// A key while a trail is shown; false where it is closed.
pub(crate) fn pressed(app: &mut App, view: &mut TrailView, key: KeyEvent) -> bool {
    let last = view.rows.as_ref().map_or(0, |rows| rows.len().saturating_sub(1));
    let before = view.at;
    let step = |at: usize, by: usize, last: usize, down: bool| {
        if down { (at + by).min(last) } else { at.saturating_sub(by) }
    };
    let down = matches!(key.code, KeyCode::Down | KeyCode::PageDown);
    match key.code {
        KeyCode::Tab | KeyCode::BackTab => view.in_lines = !view.in_lines,
        KeyCode::Up | KeyCode::Down if view.in_lines => {
            view.line = step(view.line, 1, view.shown.len().saturating_sub(1), down);
        }
        KeyCode::PageUp | KeyCode::PageDown => {
            view.line = step(view.line, 10, view.shown.len().saturating_sub(1), down);
        }
        KeyCode::Up | KeyCode::Down => view.at = step(view.at, 1, last, down),
        KeyCode::Enter => return !go_to_line(app, view),
        _ => {
            if edit(&mut view.query, key) {
                view.in_lines = true;
                view.renew_lines();
            }
        }
    }
    if view.at != before {
        view.renew_lines();
    }
    true
}

/// Goes to the selected line in the lens of its stage; false where there is none.
fn go_to_line(app: &mut App, view: &TrailView) -> bool {
    let Some(lines) = view.row_lines() else { return false };
    let Some(&place) = view.shown.get(view.line) else { return false };
    if let Some(stage) = lines.inside_of {
        let open = key(Action::Open);
        app.message =
            Some(format!("this line is inside of stage {}: {open} there opens it", stage + 1));
        return true;
    }
    let number = lines.numbers[place];
    if app.result.preview.as_ref().is_none_or(|now| now.generation != view.preview.generation) {
        app.message = Some("the result has changed: this line is of the one before".to_owned());
        return true;
    }
    app.show_view(BENCH);
    app.select(Place::Stage(lines.stage));
    app.focus = Focus::Lens;
    let (left, right) = match lines.side {
        Side::In(before) => (Some(before + number), None),
        Side::Out => (None, Some(number)),
    };
    match app.lens.row_with(left, right) {
        Some(row) => app.lens.go(row),
        None => {
            app.message = Some(format!("line {} is not shown as a row here", grouped(number + 1)));
        }
    }
    true
}

impl Drawer<App> for TrailView {
    fn name(&self) -> &'static str {
        "trail"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let hints: [Hint; 5] = if self.in_lines {
            [
                ("↑↓", "line"),
                ("type", "to search"),
                ("Enter", "go to it"),
                ("Tab", "stages"),
                ("Esc", "close"),
            ]
        } else {
            [
                ("↑↓", "stage"),
                ("Enter", "go to its line"),
                ("Tab", "its lines"),
                ("type", "search them"),
                ("Esc", "close"),
            ]
        };
        hints.to_vec()
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.query)
    }

    fn clicked(&mut self, row: usize, app: &mut App) -> After {
        // It has two lists, of which it knows itself.
        if self.click(row) { self.key(KeyEvent::from(KeyCode::Enter), app) } else { After::Stays }
    }
}
