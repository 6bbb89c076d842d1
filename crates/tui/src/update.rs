//! How events change the state.

use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Kept, Known, Preview, SessionEvent, StageResult};
use insight::Proofs;
use ratatui::crossterm::event::Event as TerminalEvent;

use crate::screen::place::{Focus, Place};
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::event::Wish;
use crate::state::job::Job;
use crate::state::lens::Content;
use crate::state::page::Page;
use crate::state::pending::as_written;
use crate::state::trials::Trials;

pub(crate) mod actions;
mod background;
mod beginning;
mod clipboard;
mod drawer;
mod history;
mod keys;
mod lens;
mod mouse;
mod parse;
mod pending;
pub(crate) mod questions;
mod run;
pub(crate) mod saving;
mod switching;
mod text;
pub(crate) mod trials;

/// How long a result stays before new data is looked at: twice as long as it took, between these.
const PAUSE_MIN: Duration = Duration::from_millis(100);
const PAUSE_MAX: Duration = Duration::from_secs(2);

/// After this it is said that candidates are still being looked for.
const LOOKING: Duration = Duration::from_millis(300);

/// How often it is looked whether files have changed.
const LOOK_AGAIN: Duration = Duration::from_secs(2);

impl App {
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
            Event::Failed(what, why) => {
                tracing::error!(%what, why, "background work failed");
                match (what, &mut self.lens.search) {
                    (Job::Search, Some(search)) => search.searching = false,
                    (Job::Writing | Job::Saving, _) => {
                        self.writing = self.writing.saturating_sub(1);
                    }
                    (Job::Opening, _) => self.opening = None,
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
        if !self.result.looks && self.result.changes_seen.elapsed() >= LOOK_AGAIN {
            self.look_again();
        }
        moves
    }

    /// Looks how files are that were read and that would be written; their system may take its time.
    pub(crate) fn look_again(&mut self) {
        let Some(preview) = self.result.preview.clone() else { return };
        self.result.looks = true;
        self.result.changes_seen = Instant::now();
        let wrote = preview.text == self.pending.written_by;
        let applied = if wrote { self.pending.applied.clone() } else { Vec::new() };
        self.in_background(Job::Changes, move || {
            let changed = preview.changed_files();
            let targets = preview.pending.iter().filter(|file| file.has_changed());
            let targets = targets.map(|file| file.path.clone()).collect();
            let written = as_written(&preview, &applied);
            Event::then(move |app| {
                if app.result.is_of(preview.generation) {
                    app.result.looks = false;
                    app.result.changed = changed;
                    app.pending.changed = targets;
                    app.pending.written = written;
                }
            })
        });
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
        // Of a text that was typed over since it says nothing of the one on screen.
        if preview.text == self.text.editor.text() {
            self.text.problem = preview.wrong.clone().map(|wrong| self.refusal(wrong));
        }
        self.result.changed.clear();
        // One of the first lines comes before that of everything, which is still awaited.
        let generation = preview.generation;
        self.keep_acted(&preview);
        if preview.text != self.pending.written_by {
            self.pending.written.clear();
        }
        if preview.text == self.text.editor.text() {
            self.note_evaluated(&preview.text);
        }
        self.result.preview = Some(preview);
        self.result.notes.clear();
        self.result.noted = None;
        if self.place.stage() >= stages {
            self.place = Place::Stage(stages.saturating_sub(1));
        }
        self.look_again();
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
}
