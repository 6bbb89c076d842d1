//! The columns of the selected stream.

use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::Kept;
use insight::{Splitting, columns_csv, columns_json, columns_text, read_columns};
use ratatui::crossterm::event::KeyCode;

use crate::state::app::App;
use crate::state::columns::Counted;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::place::{Focus, Place};
use crate::state::screen::Screen;

/// How often a count says what it has.
const NEWS: Duration = Duration::from_millis(150);

impl App {
    /// The stream of a place: a stage means what it writes.
    pub(crate) fn stream_of(&self, place: Place) -> Option<Arc<Kept>> {
        let preview = self.result.preview.as_ref()?;
        match place {
            Place::Source => Some(preview.stages.first()?.inputs.first()?.kept.clone()),
            Place::Stage(number) | Place::Stream(number) => {
                Some(preview.stages.get(number)?.out.clone())
            }
        }
    }

    /// Counts the columns on screen again where the stream is another one now.
    pub(crate) fn refresh_columns(&mut self) {
        if self.screen != Screen::Columns {
            return self.leave_columns();
        }
        let (Some(preview), Some(kept)) = (&self.result.preview, self.stream_of(self.shown()))
        else {
            self.columns.counted = None;
            return;
        };
        let (generation, place) = (Some(preview.generation), Some(self.shown()));
        if (self.columns.generation, self.columns.place) == (generation, place) {
            return;
        }
        if self.columns.place != place {
            self.columns.splitting = None;
            self.columns.at = 0;
            self.columns.counted = None;
        }
        (self.columns.generation, self.columns.place) = (generation, place);
        self.columns.kept = Some(kept);
        self.count_columns();
    }

    /// Nothing is counted, and no stream is held, that nobody looks at.
    fn leave_columns(&mut self) {
        if let Some(counting) = self.columns.counting.take() {
            counting.cancel();
        }
        // What it had until then is not all.
        self.columns.counts += 1;
        self.columns.generation = None;
        self.columns.kept = None;
        self.columns.counted = None;
    }

    /// Counts the columns of the stream on screen.
    fn count_columns(&mut self) {
        if let Some(counting) = self.columns.counting.take() {
            counting.cancel();
        }
        let Some(kept) = self.columns.kept.clone() else { return };
        self.columns.counts += 1;
        let number = self.columns.counts;
        let control = stream::RunControl::default();
        self.columns.counting = Some(control.clone());
        let splitting = self.columns.splitting.clone();
        let events = self.session.events.clone();
        self.in_background(Job::Columns, move || {
            let mut said = Instant::now();
            let mut source = kept.source();
            let read = read_columns(&mut *source, splitting, |survey, found| {
                if said.elapsed() > NEWS {
                    said = Instant::now();
                    let counted =
                        Counted { table: survey.table(), found: found.to_vec(), ended: false };
                    // Nobody listens any more when the screen is gone.
                    let _ = events.send(Event::Columns(number, Box::new(counted)));
                }
                !control.is_cancelled()
            });
            match read {
                Ok((survey, found)) => {
                    let counted = Counted { table: survey.table(), found, ended: true };
                    Event::Columns(number, Box::new(counted))
                }
                Err(error) => Event::Failed(Job::Columns, error.to_string()),
            }
        });
    }

    /// Takes what a count has found.
    pub(crate) fn columns_counted(&mut self, number: u64, counted: Counted) {
        if number != self.columns.counts {
            return;
        }
        if counted.ended {
            self.columns.counting = None;
        }
        self.columns.counted = Some(counted);
        self.columns.at = self.columns.at.min(self.columns.len().saturating_sub(1));
    }

    /// A key of the Columns view; false where it means nothing there.
    pub(crate) fn columns_key(&mut self, code: KeyCode) -> bool {
        let last = self.columns.len().saturating_sub(1);
        match code {
            KeyCode::Up => self.columns.at = self.columns.at.saturating_sub(1),
            KeyCode::Down => self.columns.at = (self.columns.at + 1).min(last),
            KeyCode::Home => self.columns.at = 0,
            KeyCode::End => self.columns.at = last,
            KeyCode::Left => self.split_otherwise(-1),
            KeyCode::Right => self.split_otherwise(1),
            KeyCode::Tab => self.other_stream(1),
            KeyCode::BackTab => self.other_stream(-1),
            KeyCode::Char('h') => {
                self.columns.all = !self.columns.all;
                self.columns.at = self.columns.at.min(self.columns.len().saturating_sub(1));
            }
            KeyCode::Char('o') => self.columns.order = self.columns.order.next(),
            KeyCode::Char('w') => self.ask_where_to_write_columns(),
            KeyCode::Enter => self.open_column(),
            KeyCode::Esc => self.open_screen(Screen::Bench),
            _ => return false,
        }
        true
    }

    /// Looks at the next stream of the pipeline, or the one before, round and round.
    fn other_stream(&mut self, step: i64) {
        let streams = self.stage_count() as i64 + 1;
        let here = match self.shown() {
            Place::Source => 0,
            Place::Stage(number) | Place::Stream(number) => number as i64 + 1,
        };
        let next = (here + step).rem_euclid(streams);
        self.select(match next {
            0 => Place::Source,
            stage => Place::Stream(stage as usize - 1),
        });
        self.refresh_columns();
    }

    /// Splits the lines in the next of the ways that were found.
    fn split_otherwise(&mut self, step: i64) {
        let Some(counted) = &self.columns.counted else { return };
        let count = counted.found.len() as i64;
        let here = |found: &Splitting| *found == counted.table.splitting;
        let at = counted.found.iter().position(|found| here(&found.splitting)).unwrap_or(0) as i64;
        let next = (at + step).rem_euclid(count.max(1)) as usize;
        if let Some(found) = counted.found.get(next) {
            self.columns.splitting = Some(found.splitting.clone());
            self.count_columns();
        }
    }

    /// What can be done with the selected column; of the lines that do not fit, the first one.
    fn open_column(&mut self) {
        if let Some(column) = self.columns.rows().get(self.columns.at) {
            let number = column.number;
            return self.point_at_column(number);
        }
        let Some(counted) = &self.columns.counted else { return };
        let columns = self.columns.shown(counted);
        let odd = self.columns.at.checked_sub(columns).and_then(|at| counted.table.odd.get(at));
        if let Some(odd) = odd {
            let line = odd.first as usize;
            // The stream alone: the lines of a stage may be in another order.
            let place = match self.shown() {
                Place::Stage(number) => Place::Stream(number),
                place => place,
            };
            self.open_screen(Screen::Bench);
            self.select(place);
            self.lens.go(line);
            self.focus = Focus::Lens;
        }
    }

    fn ask_where_to_write_columns(&mut self) {
        let script = self.text.path.as_ref().and_then(|path| path.file_stem());
        let stem = script.map_or("pipeline".into(), |stem| stem.to_string_lossy());
        self.drawer = Some(Drawer::prompt(PromptKind::Columns, &format!("{stem}-columns.csv")));
    }

    /// Writes the table: as CSV, JSON or text, by the name.
    pub(crate) fn write_columns(&mut self, path: &Path) {
        let Some(counted) = &self.columns.counted else { return };
        if !counted.ended {
            self.message = Some("not written: the lines are still being counted".to_owned());
            return;
        }
        if path.exists() {
            self.message = Some(format!(
                "not written: {} already exists; choose another name",
                path.display()
            ));
            return;
        }
        let ending = path.extension().map(|ending| ending.to_string_lossy().into_owned());
        let text = match ending.as_deref() {
            Some("csv") => columns_csv(&counted.table),
            Some("json") => columns_json(&counted.table),
            _ => columns_text(&counted.table),
        };
        let written = engine::put_in_place(path, engine::Writing::Result, |file| {
            file.write_all(text.as_bytes())
        });
        self.message = Some(match written {
            Ok(()) => format!("written: {}", path.display()),
            Err(error) => format!("not written: {}", stream::describe(&error)),
        });
    }
}
