//! The trail of a line, and the question why a text is not in the result.

use std::time::{Duration, Instant};

use insight::{Trail, TrailStart, Whereabouts, grouped};
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use tui_input::Input;

use crate::actions::{Action, key};
use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::lens::{Content, row_lines};
use crate::state::list::edit;
use crate::state::place::{Focus, Place};
use crate::state::screen::Screen;
use crate::state::trail::{Asked, Side, TrailRow, TrailView, rows_of_text, rows_of_trail};
use crate::state::trials::Trials;

/// So often a search says how far it is.
const NEWS: Duration = Duration::from_millis(100);

impl App {
    /// Where the line under the cursor of the lens is.
    fn line_here(&self) -> Option<TrailStart> {
        let preview = self.result.preview.as_ref()?;
        let (row, ..) = row_lines(preview, &self.lens.content, self.lens.cursor);
        match (&self.lens.content, self.shown()) {
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
    pub(crate) fn open_trail(&mut self) {
        match self.line_here() {
            Some(start) => self.ask_trail(Asked::Line(start)),
            None => self.message = Some("no line here to follow".to_owned()),
        }
    }

    /// Asks for a text that is missed in the result.
    pub(crate) fn ask_for_missed(&mut self) {
        let query = self.lens.search.as_ref().map(|search| search.query.clone());
        self.drawer = Some(Drawer::prompt(PromptKind::Missed, &query.unwrap_or_default()));
    }

    /// Looks for a trail in the background and shows it.
    pub(crate) fn ask_trail(&mut self, asked: Asked) {
        let Some(preview) = self.result.preview.clone() else { return };
        self.points += 1;
        let trials = Trials { number: self.points, control: stream::RunControl::default() };
        let (number, control) = (trials.number, trials.control.clone());
        let (of, question) = (preview.clone(), asked.clone());
        let events = self.session.events.clone();
        let (request, tried) = (self.result.request.clone(), self.session.workbench.trials());
        self.in_background(Job::Trail, move || {
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
                            let _ = events.send(Event::Searched(number, read, whole));
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
            Event::Trailed(number, rows)
        });
        self.drawer = Some(Drawer::Trail(Box::new(TrailView {
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
        })));
    }

    /// Takes how far a search is.
    pub(crate) fn searched(&mut self, number: u64, read: u64, whole: Option<u64>) {
        if let Some(Drawer::Trail(view)) = &mut self.drawer
            && view.trials.number == number
        {
            view.looked_at = Some((read, whole));
        }
    }

    /// Takes the rows of the trail on screen.
    pub(crate) fn trailed(&mut self, number: u64, rows: Option<(String, Vec<TrailRow>)>) {
        let Some(Drawer::Trail(view)) = &mut self.drawer else { return };
        if view.trials.number != number {
            return;
        }
        let Some((title, rows)) = rows else {
            self.drawer = None;
            self.message = Some("no such line any more".to_owned());
            return;
        };
        view.title = title;
        view.take(rows);
    }

    /// A key while a trail is shown; false where it is closed.
    pub(crate) fn trail_key(&mut self, view: &mut TrailView, key: KeyEvent) -> bool {
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
            KeyCode::Enter => return !self.go_to_line(view),
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
    fn go_to_line(&mut self, view: &TrailView) -> bool {
        let Some(lines) = view.row_lines() else { return false };
        let Some(&place) = view.shown.get(view.line) else { return false };
        if let Some(stage) = lines.inside_of {
            let open = key(Action::Open);
            self.message =
                Some(format!("this line is inside of stage {}: {open} there opens it", stage + 1));
            return true;
        }
        let number = lines.numbers[place];
        if self.result.preview.as_ref().is_none_or(|now| now.generation != view.preview.generation)
        {
            self.message =
                Some("the result has changed: this line is of the one before".to_owned());
            return true;
        }
        self.open_screen(Screen::Bench);
        self.select(Place::Stage(lines.stage));
        self.focus = Focus::Lens;
        let (left, right) = match lines.side {
            Side::In(before) => (Some(before + number), None),
            Side::Out => (None, Some(number)),
        };
        match self.lens.row_with(left, right) {
            Some(row) => self.lens.go(row),
            None => {
                self.message =
                    Some(format!("line {} is not shown as a row here", grouped(number + 1)));
            }
        }
        true
    }
}
