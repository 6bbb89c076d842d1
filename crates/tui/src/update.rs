//! How events change the state.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::mpsc::SyncSender;
use std::time::{Duration, Instant};

use engine::{
    BackgroundError, Capture, Jobs, Kept, Known, Preview, SessionEvent, StageResult, Workbench,
};
use filters::Verb;
use insight::{PastLog, Proofs};
use ratatui::crossterm::event::Event as TerminalEvent;
use ratatui::layout::Size;
use stream::RunControl;

use crate::actions::Action;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::BENCH;
use crate::state::app::Event;
use crate::state::app::{App, MouseState, Setup};
use crate::state::event::Wish;
use crate::state::examples::Examples;
use crate::state::job::Job;
use crate::state::kept::KeptState;
use crate::state::lens::{Content, Lens, content_of, row_lines, rows_of};
use crate::state::page::Page;
use crate::state::pending::PendingView;
use crate::state::purpose::Purpose;
use crate::state::result::ResultState;
use crate::state::run::ThroughputView;
use crate::state::search::search;
use crate::state::session::{ConsentState, SessionState};
use crate::state::text::TextState;
use crate::state::told::Told;
use crate::state::trials::Trials;
use crate::state::view::ViewStates;
use crate::storage::config::Config;
use crate::storage::recovery::Recovery;
use crate::storage::store::Store;
use crate::text::display::width;

pub(crate) mod actions;
mod clipboard;
mod drawer;
mod history;
mod keys;
mod mouse;
mod parse;
mod pending;
pub(crate) mod questions;
mod run;
pub(crate) mod saving;
mod switching;
mod text;
pub(crate) mod trials;

/// Bytes of a line in which marks are looked for to bring them into view.
const MARKED: usize = 1 << 12;

/// Columns of the lens next to its lines.
const GUTTER: usize = 14;

/// How long a result stays before new data is looked at: twice as long as it took, between these.
const PAUSE_MIN: Duration = Duration::from_millis(100);
const PAUSE_MAX: Duration = Duration::from_secs(2);

/// After this it is said that candidates are still being looked for.
const LOOKING: Duration = Duration::from_millis(300);

/// How often it is looked whether files have changed.
const LOOK_AGAIN: Duration = Duration::from_secs(2);

impl App {
    /// The Bench with its first text, evaluated in the background.
    pub(crate) fn new(setup: Setup) -> Self {
        let events = setup.events.clone();
        let workbench = workbench(setup.capture, setup.events.clone());
        let past = setup.store.as_ref().map(|store| PastLog::in_folder(store.folder()));
        let history = setup.store.as_ref().map_or(Ok(Vec::new()), Store::history);
        let history_error = history.as_ref().err().map(|error| {
            let file = setup.store.as_ref().map(Store::history_file).unwrap_or_default();
            insight::own_file_error(&file, error)
        });
        let history = history.unwrap_or_default();
        let mut app = Self {
            text: TextState::new(setup.text, setup.path, history),
            result: ResultState::new(),
            session: SessionState {
                workbench,
                variables: setup.variables,
                limits: setup.settings.limits,
            },
            events,
            jobs: Jobs::default(),
            consent: ConsentState::default(),
            kept: KeptState {
                recovery: setup.store.clone().and_then(|store| recovery(store, &setup.events)),
                store: setup.store,
                runs: setup.runs,
                kept_runs: None,
                config: setup.config,
                shell_history: setup.shell_history,
                past,
                marked: None,
                taken_off: Vec::new(),
                versions: crate::state::versions::Versions::default(),
                shelves: setup.shelves,
            },
            focus: Focus::Text,
            place: Place::Stage(0),
            opened: BTreeSet::new(),
            lens: Lens::default(),
            sample: setup.settings.sample,
            drawer: None,
            writing: 0,
            message: None,
            theme: setup.theme,
            view: BENCH,
            states: ViewStates::default(),
            registry: setup.registry,
            pending: PendingView::default(),
            running: None,
            throughput: ThroughputView::default(),
            examples: Examples::default(),
            mouse: MouseState::default(),
            range_end: None,
            points: 0,
            clipboard: None,
            purpose: setup.purpose,
            demo: setup.demo,
            wish: Wish::Stay,
            page: Size::new(80, 24),
        };
        if app.has_given_input() {
            app.text.offered = Some(app.text.editor.text().to_owned());
        }
        if let (Some(recovered), Some(store)) = (setup.recovered, &app.kept.store) {
            // Among the earlier lines it is safe for good.
            if store.remember(&recovered.text).is_ok() {
                Store::settle(&recovered);
                app.text.history.retain(|earlier| *earlier != recovered.text);
                app.text.history.push(recovered.text);
                app.message = Some(
                    "the text of an interrupted session was kept: ↑ brings it back".to_owned(),
                );
            }
        }
        match app.kept.config.as_ref().map(Config::allowed) {
            Some(Ok(allowed)) => app.consent.allowed = allowed,
            Some(Err(error)) => app.message = Some(error.to_string()),
            None => {}
        }
        if history_error.is_some() {
            app.message = history_error;
        }
        if app.message.is_none() && app.purpose == Purpose::Pipe {
            app.message =
                Some("quit with yes, and the result is passed on to standard output".to_owned());
        }
        app.text_changed();
        app.ask_missing_parameters();
        if setup.starts {
            app.act(Action::Start);
        }
        app
    }

    /// What the state asks of the terminal.
    pub(crate) fn wish(&self) -> Wish {
        self.wish
    }

    /// States that the wish to be stopped was granted.
    pub(crate) fn resumed(&mut self) {
        self.wish = Wish::Stay;
    }

    /// Tells the size of the screen and what has room on it; true where something else is to be
    /// shown now.
    pub(crate) fn set_page(&mut self, page: Page) -> bool {
        self.page = page.size;
        self.lens.height = page.lens_rows;
        self.lens.width = page.lens_columns;
        let changed = std::mem::replace(&mut self.lens.narrow, page.narrow) != page.narrow;
        if changed {
            self.refresh_lens(false);
        }
        changed
    }

    /// Columns of the screen.
    pub(crate) fn width(&self) -> u16 {
        self.page.width
    }

    /// Changes the state by one event.
    pub(crate) fn update(&mut self, event: Event) {
        match event {
            Event::Terminal(TerminalEvent::Key(key)) if key.is_press() || key.is_repeat() => {
                self.key(key);
            }
            Event::Terminal(TerminalEvent::Paste(text)) => self.paste(&text),
            Event::Terminal(TerminalEvent::Mouse(event)) => self.mouse(event),
            Event::Terminal(_) => {}
            Event::Previewed(preview) => self.previewed(preview),
            Event::Session(job) => self.job(job),
            Event::Remarked(generation, notes) => {
                if self.result.is_of(generation) && self.result.noted != Some(generation) {
                    self.result.notes = notes;
                }
            }
            Event::Noted(generation, notes) => {
                if self.result.is_of(generation) {
                    self.result.noted = Some(generation);
                    self.result.notes = notes;
                }
            }
            Event::Aligned(generation, place, rows) => {
                let sides = self.lens.sides();
                let shows = !sides.output_alone && sides.bytes.is_none();
                if shows && self.result.is_of(generation) && place == self.shown() {
                    self.lens.show(Content::Stage { stage: place.stage(), rows }, true);
                    if let Some(preview) = self.result.preview.clone() {
                        self.settle_column(&preview);
                    }
                }
            }
            Event::Found(number, rows, done) => self.found(number, rows, done),
            Event::Then(work) => work(self),
            Event::Parsed(number, text, at, parsed) => {
                if number == self.text.parses {
                    self.parsed(text, at, *parsed);
                }
            }
            Event::Arrived(told) => {
                self.result.told.push(told);
                self.job(SessionEvent::Arrived);
            }
            Event::Completed(text, cursor, found) => self.completed(&text, cursor, found),
            Event::Changed(generation, changed) => self.looked_again(generation, changed),
            Event::Failed(what, why) => {
                tracing::error!(%what, why, "background work failed");
                match (what, &mut self.lens.search) {
                    (Job::Search, Some(search)) => search.searching = false,
                    (Job::Writing, _) => self.writing = self.writing.saturating_sub(1),
                    (Job::Changes, _) => self.result.looks = false,
                    (Job::Completion, _) => self.text.completing = None,
                    _ => {}
                }
                self.message = Some(format!("{what}: {why}"));
            }
            // The recovery file stays: whoever sent the signal did not save.
            Event::Signal(signal) => self.wish = Wish::End(signal),
            Event::Suspend => self.wish = Wish::Suspend,
            Event::Continued => self.wish = Wish::TakeAgain,
        }
    }

    /// Looks after what continues; true when something on screen moves.
    pub(crate) fn pulse(&mut self) -> bool {
        let mut moves = self.result.waiting.is_some() || self.pending.acting;
        moves |= self.look_at_run();
        moves |= self.look_at_arrived();
        // Of a search for what was typed over since nothing is said.
        let (text, cursor) = (self.text.editor.text(), self.text.editor.cursor());
        let awaited = self.text.completing.as_ref().filter(|asked| asked.is_of(text, cursor));
        let is_long = awaited.is_some_and(|asked| asked.since.elapsed() >= LOOKING);
        if self.message.is_none() && is_long {
            self.message = Some("looking for what fits …".to_owned());
            moves = true;
        }
        if self.result.changes_seen.elapsed() >= LOOK_AGAIN {
            self.look_again();
        }
        moves
    }

    /// Looks whether files have changed since they were read; their file system may take its time.
    fn look_again(&mut self) {
        let Some(preview) = self.result.preview.clone().filter(|_| !self.result.looks) else {
            return;
        };
        self.result.looks = true;
        self.result.changes_seen = Instant::now();
        self.in_background(Job::Changes, move || {
            Event::Changed(preview.generation, preview.changed_files())
        });
    }

    fn looked_again(&mut self, generation: u64, changed: Vec<PathBuf>) {
        self.result.looks = false;
        if self.result.preview.as_ref().is_some_and(|preview| preview.generation == generation) {
            self.result.changed = changed;
        }
    }

    /// Figures of the stages that run now.
    pub(crate) fn progress(&self) -> Vec<stream::StageFigures> {
        self.session.workbench.progress()
    }

    /// Data came on standard input.
    pub(crate) fn has_given_input(&self) -> bool {
        self.session.workbench.capture().is_some()
    }

    /// A file is followed, and the screen with it.
    pub(crate) fn is_following(&self) -> bool {
        self.session.workbench.is_following()
    }

    /// How far a stream of the result is known.
    pub(crate) fn known_of(&self, kept: &Arc<Kept>) -> Known {
        let Some(preview) = &self.result.preview else { return Known::OfPart };
        let own = |stage: &StageResult| {
            if Arc::ptr_eq(&stage.out, kept) {
                return Some(stage.known());
            }
            let input = stage.inputs.iter().find(|input| Arc::ptr_eq(&input.kept, kept));
            input.map(|input| input.lines().known())
        };
        preview.stages.iter().find_map(own).unwrap_or(Known::OfPart)
    }

    /// The result on screen may be another one with all of the data.
    pub(crate) fn is_from_part(&self) -> bool {
        self.result.preview.as_ref().is_some_and(|preview| !preview.is_whole())
    }

    /// The result on screen is not that of the text.
    pub(crate) fn is_stale(&self) -> bool {
        self.result.preview.as_ref().is_some_and(|preview| preview.text != self.text.editor.text())
            || self.result.waiting.is_some()
    }

    /// How many stages the text has (or the last result, while it has an error).
    pub(crate) fn stage_count(&self) -> usize {
        self.text
            .script
            .as_ref()
            .and_then(|script| script.shown(self.text.editor.cursor()))
            .map(|pipeline| pipeline.commands.len())
            .or_else(|| self.result.preview.as_ref().map(|preview| preview.stages.len()))
            .unwrap_or(0)
    }

    /// While the text is edited, the stage under the cursor is the selected one.
    fn follow_cursor(&mut self) {
        if self.focus != Focus::Text {
            return;
        }
        let cursor = self.text.editor.cursor();
        let Some(pipeline) = self.text.pipeline() else { return };
        let span = pipeline.span;
        let at = pipeline.commands.partition_point(|command| command.span.start <= cursor);
        let place = Place::Stage(at.saturating_sub(1));
        if self.text.shown_span.is_some_and(|shown| shown != span) && self.text.problem.is_none() {
            // Another pipeline of the same text is looked at now.
            self.text_changed();
        }
        if place != self.place {
            self.select(place);
        }
    }

    /// Notes the result on screen as a version of this session.
    fn note_version(&mut self) {
        if let Some(preview) = &self.result.preview {
            self.kept.versions.note(preview);
        }
    }

    /// True where the selected stage has a program.
    pub(crate) fn has_program(&self) -> bool {
        let stage = self.place.stage();
        self.text.programs.iter().any(|program| program.stage == stage)
    }

    /// The selected place as far as there is a result for it: while a new stage is typed, the
    /// last one that has one.
    pub(crate) fn shown(&self) -> Place {
        let stages = self.result.preview.as_ref().map_or(0, |preview| preview.stages.len());
        match self.place {
            Place::Stage(number) | Place::Stream(number) if number >= stages => {
                Place::Stage(stages.saturating_sub(1))
            }
            place => place,
        }
    }

    /// Selects a row of the river and shows it in the lens.
    pub(crate) fn select(&mut self, place: Place) {
        let same = self.place == place;
        self.place = place;
        if !same {
            self.lens.search = None;
        }
        self.refresh_lens(same);
    }

    /// Shows the selected place, as it is now, in the lens.
    pub(crate) fn refresh_lens(&mut self, keep_place: bool) {
        let Some(preview) = self.result.preview.clone() else { return };
        if let Some(content) = content_of(&preview, self.shown(), self.lens.sides()) {
            self.lens.show(content, keep_place);
            self.settle_column(&preview);
            return;
        }
        self.lens.show(Content::Empty, keep_place);
        let (place, unfolded) = (self.shown(), self.lens.unfolded);
        if preview.stages.get(place.stage()).is_some() {
            self.in_background(Job::Lens, move || {
                let stage = &preview.stages[place.stage()];
                Event::Aligned(preview.generation, place, Arc::new(rows_of(stage, unfolded)))
            });
        }
    }

    /// The column that shows something: the one chosen by hand as long as a line on screen reaches
    /// it, and otherwise that of what the stage looks at.
    fn settle_column(&mut self, preview: &Preview) {
        let column = self.lens.column;
        let chosen = self.lens.scrolled && {
            let (lens, last) = (&self.lens, self.lens.top + self.lens.height);
            (lens.top..last.min(lens.len())).any(|row| {
                let (_, left, right) = row_lines(preview, &lens.content, row);
                let reaches = |line: &[u8]| width(line, lens.view, column + 1) > column;
                [left, right].into_iter().flatten().any(|line| reaches(&line))
            })
        };
        if !chosen {
            self.lens.column = 0;
            self.lens.scrolled = false;
            self.bring_marks_into_view(preview);
        }
    }

    /// Scrolls sideways to what the stage looks at, where that is far to the right in its first
    /// line.
    fn bring_marks_into_view(&mut self, preview: &Preview) {
        let Content::Stage { stage, rows } = &self.lens.content else { return };
        let Some(result) = preview.stages.get(*stage) else { return };
        let first = (0..rows.len().min(self.lens.height)).find_map(|row| {
            let (row, left, _) = row_lines(preview, &self.lens.content, row);
            left.filter(|_| row.part_of.is_some())
        });
        let Some(line) = first else { return };
        let marks = insight::marks(result, &line[..line.len().min(MARKED)]);
        let Some(mark) = marks.first() else { return };
        let one_side = matches!(result.verb, Some(Verb::Keeps | Verb::Passes));
        let room = if one_side { self.lens.width } else { self.lens.width / 2 };
        let before = width(&line[..mark.start], self.lens.view, MARKED);
        let end = before + width(&line[mark.clone()], self.lens.view, room);
        if end + GUTTER > room {
            self.lens.column = before.saturating_sub(room / 4);
        }
    }

    /// Why the text is refused, with what is known of how it came about.
    fn refusal(&self, problem: engine::PlanError) -> engine::PlanError {
        let why = insight::refused_notes(self.text.editor.text());
        let why = why.first().map(|note| format!("; {}", note.text));
        let message = problem.message.clone() + &why.unwrap_or_default();
        engine::PlanError { message, ..problem }
    }

    fn previewed(&mut self, preview: Arc<Preview>) {
        if !self.session.workbench.accept(&preview) {
            return;
        }
        let stages = preview.stages.len();
        self.text.problem = preview.wrong.clone().map(|wrong| self.refusal(wrong));
        self.result.changed.clear();
        // One of the first lines comes before that of everything, which is still awaited.
        let generation = preview.generation;
        self.keep_acted(&preview);
        self.pending.look_at_written(&preview);
        if preview.text == self.text.editor.text() {
            self.note_evaluated(&preview.text);
        }
        self.result.preview = Some(preview);
        self.result.notes.clear();
        self.result.noted = None;
        if self.place.stage() >= stages {
            self.place = Place::Stage(stages.saturating_sub(1));
        }
        self.refresh_lens(true);
        self.refresh_views();
        if let Some(search) = self.lens.search.clone() {
            self.start_search(&search.query);
        }
        self.answered_by(generation);
    }

    /// What was awaited has come.
    fn answered_by(&mut self, generation: u64) {
        if self.result.waiting != Some(generation) {
            return;
        }
        self.result.waiting = None;
        self.note_version();
        self.refresh_notes();
        self.consent.allowed_once.clear();
        self.result.answered = (Instant::now(), self.result.waiting_since.elapsed());
    }

    /// Looks at data that has come, where no preview is being made: not at once where data streams in, so that
    /// results are also seen and the keys have their share of the machine. True where it was looked at.
    fn look_at_arrived(&mut self) -> bool {
        let (at, took) = self.result.answered;
        let pause = (took * 2).clamp(PAUSE_MIN, PAUSE_MAX);
        let idle = self.result.waiting.is_none() && self.text.problem.is_none();
        if !self.result.arrived || !idle || at.elapsed() < pause {
            return false;
        }
        self.result.arrived = false;
        self.result.told.drain(..).for_each(|told| told.look());
        self.text_changed();
        true
    }

    /// Makes the advice on the result on screen, in the background: first what can be said at once,
    /// then all of it, with the changes that were tried.
    fn refresh_notes(&mut self) {
        self.result.trying = Trials::default();
        let Some(preview) = self.result.preview.clone() else { return };
        let generation = preview.generation;
        let early = preview.clone();
        self.in_background(Job::Notes, move || Event::Remarked(generation, insight::notes(&early)));
        let Some(request) = self.result.request.clone() else { return };
        let proofs = Proofs::new(self.session.workbench.trials(), request);
        let control = self.result.trying.control.clone();
        self.in_background_until(Job::Advice, control.clone(), move || {
            Event::Noted(generation, proofs.notes(&preview, &control))
        });
    }

    fn job(&mut self, job: SessionEvent) {
        match job {
            SessionEvent::Done(_) | SessionEvent::Begun(_) => {}
            SessionEvent::Settled(generation) => self.answered_by(generation),
            SessionEvent::Counted => self.refresh_notes(),
            SessionEvent::Refused(generation, problem) => {
                if self.result.waiting == Some(generation) {
                    self.result.waiting = None;
                    self.text.problem = Some(self.refusal(problem));
                }
            }
            SessionEvent::Nothing(generation) => {
                if self.result.waiting == Some(generation) {
                    self.result.waiting = None;
                    self.text.problem = None;
                    self.result.preview = None;
                    self.result.notes.clear();
                    self.lens.show(Content::Empty, false);
                }
            }
            SessionEvent::Failed(generation, message) => {
                if self.result.waiting == Some(generation) {
                    self.result.waiting = None;
                    self.message = Some(message);
                }
            }
            SessionEvent::StartResult(number, start_result) => {
                self.pending.start_result.insert(number, start_result);
            }
            SessionEvent::ActingEnded => self.acting_ended(),
            SessionEvent::FullEnded(end) => self.run_ended(end),
            SessionEvent::Estimated(text, estimate) => {
                // What another text would take says nothing of this one.
                if text == self.text.editor.text() {
                    self.throughput.estimate = Some(estimate);
                }
            }
            SessionEvent::Arrived => {
                self.result.arrived = true;
                self.look_at_arrived();
            }
        }
    }

    /// Searches the lens in the background.
    pub(crate) fn start_search(&mut self, query: &str) {
        if let Some(running) = self.lens.searching.take() {
            running.cancel();
        }
        self.lens.searches += 1;
        let number = self.lens.searches;
        let Some(preview) = self.result.preview.clone().filter(|_| !query.is_empty()) else {
            self.lens.search = None;
            return;
        };
        let before = self.lens.search.take().unwrap_or_default();
        let rows = if before.query == query { before.rows } else { Arc::default() };
        self.lens.search = Some(crate::state::lens::Search {
            query: query.to_owned(),
            rows,
            searching: true,
            reached: false,
        });
        let control = RunControl::default();
        self.lens.searching = Some(control.clone());
        let (content, query) = (self.lens.content.clone(), query.to_owned());
        let events = self.events.clone();
        self.in_background_until(Job::Search, control.clone(), move || {
            let tell = |rows: &[u32]| {
                if !rows.is_empty() {
                    let rows = Arc::new(rows.to_vec());
                    // Nobody listens any more when the screen is gone.
                    let _ = events.send(Event::Found(number, rows, false));
                }
                !control.is_cancelled()
            };
            let rows = search(&preview, &content, &query, tell);
            Event::Found(number, Arc::new(rows), true)
        });
    }

    /// Takes the rows that a search has found so far; the first one is gone to at once.
    fn found(&mut self, number: u64, rows: Arc<Vec<u32>>, done: bool) {
        let (newest, here) = (number == self.lens.searches, self.lens.cursor as u32);
        let Some(search) = self.lens.search.as_mut().filter(|_| newest) else { return };
        search.rows = rows;
        search.searching = !done;
        // Where the keys have gone since is theirs.
        let first = !search.rows.is_empty() && !std::mem::replace(&mut search.reached, true);
        let elsewhere = search.rows.binary_search(&here).is_err();
        if first
            && elsewhere
            && let Some(row) = self.lens.next_match(true)
        {
            self.lens.go(row);
        }
    }

    /// Does something in the background; its event comes, or one that says that it failed. Of most kinds of work
    /// only the newest counts.
    pub(crate) fn in_background(&self, job: Job, work: impl FnOnce() -> Event + Send + 'static) {
        self.in_background_until(job, RunControl::default(), work);
    }

    /// As [`App::in_background`] for work that looks at `control`: newer work of its kind cancels that.
    pub(crate) fn in_background_until(
        &self,
        job: Job,
        control: RunControl,
        work: impl FnOnce() -> Event + Send + 'static,
    ) {
        let events = self.events.clone();
        self.jobs.start(job, job.order(), control, work, move |made| {
            // Nobody listens any more when the screen is gone.
            let _ = match made {
                // That is said on this very thread, which takes the news in, too.
                Err(error @ BackgroundError::NoThread(_)) => {
                    events.try_send(Event::Failed(job, error.to_string())).is_ok()
                }
                Err(error) => events.send(Event::Failed(job, error.to_string())).is_ok(),
                Ok(event) => events.send(event).is_ok(),
            };
        });
    }
}

/// What evaluates the text, and sends its news.
fn workbench(capture: Option<Arc<Capture>>, report: SyncSender<Event>) -> Workbench {
    let told = Told::default();
    Workbench::new(capture, move |job| {
        let event = match job {
            SessionEvent::Begun(preview) | SessionEvent::Done(preview) => Event::Previewed(preview),
            SessionEvent::Arrived if told.tell() => Event::Arrived(told.clone()),
            SessionEvent::Arrived => return,
            other => Event::Session(other),
        };
        // Nobody listens any more when the screen is gone.
        let _ = report.send(event);
    })
}

/// Keeps the text from here on; `None` where there is no thread for it.
fn recovery(store: Store, events: &SyncSender<Event>) -> Option<Recovery> {
    let events = events.clone();
    let failed = move |error: std::io::Error| {
        let why = stream::describe(&error);
        // Nobody listens any more when the screen is gone.
        let _ = events.send(Event::Failed(Job::Recovery, why));
    };
    Recovery::start(store, failed).ok()
}
