//! Trying stages before they are chosen: what Point and the Guide share.

use std::sync::Arc;

use engine::Kept;
use insight::{Ground, Splitting, candidates, outcome};

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::place::Place;
use crate::state::point::{PutAt, Tried};
use crate::state::trials::Trials;

/// Lines whose form is looked at.
const LOOKED_AT: usize = 2_000;

/// Bytes of a line that are looked at, and that can be pointed at.
pub(super) const LINE: usize = 1 << 16;

/// What the first lines of a stream have in common; split so, or as they suggest.
pub(super) fn ground_of(kept: &Kept, splitting: Option<Splitting>) -> Arc<Ground> {
    let first = kept.lines_at(0, LOOKED_AT);
    let first: Vec<&[u8]> = first.iter().map(|line| &line[..line.len().min(LINE)]).collect();
    let splitting = splitting.unwrap_or_else(|| candidates(&first)[0].splitting.clone());
    Arc::new(Ground::of(&first, splitting))
}

impl PutAt {
    /// After the stream of a place.
    pub(super) fn of(place: Place) -> Self {
        match place {
            Place::Source => Self::Source,
            Place::Stage(number) | Place::Stream(number) => Self::After(number),
        }
    }
}

impl App {
    /// True where the result is of another text, so that no stage can be put next to its lines;
    /// says so.
    pub(super) fn must_wait(&mut self) -> bool {
        let stale = self.is_stale();
        if stale {
            self.message = Some("the text has changed: wait for its result".to_owned());
        }
        stale
    }

    /// Tries stages in the background, one after the other; each is known by its number.
    pub(super) fn try_all(&mut self, stages: Vec<(usize, String)>, input: Arc<Kept>) -> Trials {
        self.points += 1;
        let trials = Trials { number: self.points, control: stream::RunControl::default() };
        let (number, control) = (trials.number, trials.control.clone());
        let events = self.session.events.clone();
        self.in_background(Job::Trials, move || {
            for (at, stages) in stages {
                if control.is_cancelled() {
                    break;
                }
                // A run that came to its limit has used up its control.
                let made = outcome(&stages, &input, &stream::RunControl::default());
                // Nobody listens any more when the screen is gone.
                let _ = events.send(Event::Tried(number, at, made));
            }
            Event::Tried(number, usize::MAX, None)
        });
        trials
    }

    /// Takes what came out of an offer or a recipe.
    pub(crate) fn tried(&mut self, number: u64, at: usize, made: Option<insight::Outcome>) {
        match &mut self.drawer {
            Some(Drawer::Point(point)) if point.trials.number == number => {
                if let Some(place) = point.outcomes.get_mut(at) {
                    *place = made.map_or(Tried::Impossible, Tried::Made);
                }
            }
            Some(Drawer::Guide(guide)) if guide.trials.number == number && at != usize::MAX => {
                guide.outcomes.insert(at, made);
            }
            _ => {}
        }
    }
}
