//! Stages that are tried before they are chosen, and put into the text then: what Point and the Guide share.

use std::sync::Arc;

use engine::Kept;
use insight::{Ground, Outcome, Splitting, candidates, outcome};

use crate::actions::keyed;
use crate::screen::place::Place;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::job::Job;
use crate::state::put_at::PutAt;
use crate::state::trials::Trials;

/// Lines whose form is looked at.
const LOOKED_AT: usize = 2_000;

/// Bytes of a line that are looked at, and that can be pointed at.
pub(crate) const LINE: usize = 1 << 16;

/// What the first lines of a stream have in common; split so, or as they suggest.
pub(crate) fn ground_of(kept: &Kept, splitting: Option<Splitting>) -> Arc<Ground> {
    let first = kept.lines_at(0, LOOKED_AT);
    let first: Vec<&[u8]> = first.iter().map(|line| &line[..line.len().min(LINE)]).collect();
    let splitting = splitting.unwrap_or_else(|| candidates(&first)[0].splitting.clone());
    Arc::new(Ground::of(&first, splitting))
}

impl PutAt {
    /// After the stream of a place.
    pub(crate) fn of(place: Place) -> Self {
        match place {
            Place::Source => Self::Source,
            Place::Stage(number) | Place::Stream(number) => Self::After(number),
        }
    }
}

impl App {
    /// True where the result is of another text, so that no stage can be put next to its lines;
    /// says so.
    pub(crate) fn must_wait(&mut self) -> bool {
        let stale = self.is_stale();
        if stale {
            self.message = Some("the text has changed: wait for its result".to_owned());
        }
        stale
    }

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

    /// Tries stages in the background, one after the other; each is known by its number, and what comes out
    /// of it is taken with that of the trials.
    pub(crate) fn try_all(
        &mut self,
        stages: Vec<(usize, String)>,
        input: Arc<Kept>,
        take: fn(&mut App, u64, usize, Option<Outcome>),
    ) -> Trials {
        self.points += 1;
        let trials = Trials { number: self.points, control: stream::RunControl::default() };
        let (number, control) = (trials.number, trials.control.clone());
        let events = self.events.clone();
        self.in_background_until(Job::Trials, control.clone(), move || {
            for (at, stages) in stages {
                if control.is_cancelled() {
                    break;
                }
                // A run that came to its limit has used up its control.
                let made = outcome(&stages, &input, &stream::RunControl::default());
                // Nobody listens any more when the screen is gone.
                let _ = events.send(Event::then(move |app| take(app, number, at, made)));
            }
            Event::then(|_| {})
        });
        trials
    }

    /// Puts stages into the text; the last of them is selected.
    pub(crate) fn put_stages(&mut self, at: PutAt, stages: &str) {
        let (text, cursor) = (self.text.editor.text(), self.text.editor.cursor());
        let passes = self.result.preview.as_ref().is_some_and(|preview| {
            preview.stages.first().is_some_and(|stage| stage.changes_nothing)
        });
        let put = match at {
            // What only passes the source on stays where it is.
            PutAt::Source if !passes => insight::insert_at_source(text, cursor, stages),
            PutAt::Source => insight::insert_stages(text, cursor, 1, stages),
            PutAt::After(stage) => insight::insert_stages(text, cursor, stage + 1, stages),
        };
        self.range_end = None;
        match put {
            Ok(put) => {
                self.text.editor.set_text(&put.text, put.cursor);
                self.message = Some(keyed("put in; {undo} undoes it"));
                self.text_changed();
                self.place = Place::Stage(put.last);
                self.lens.search = None;
                self.refresh_lens(false);
            }
            Err(error) => self.message = Some(error.to_string()),
        }
    }
}
