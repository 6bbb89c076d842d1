//! What the answer to "why is this text not in the result?" is made of.

use std::sync::Arc;

use engine::{Found, Plan, Preview};

use super::follow::{Lost, TrailSource};

/// Lines that end at a stage, or continue without the text.
pub struct LostAt {
    /// Which stage, from 0.
    pub stage: usize,
    /// How many came to it.
    pub came: u64,
    /// What became of them there.
    pub how: Gone,
    /// All of them, in order: those that end by their places over all inputs, the others by those in the
    /// output.
    pub lines: Vec<u64>,
}

/// What became of lines at a stage.
pub enum Gone {
    /// Nothing is written of them.
    Ends(Lost),
    /// What is written of them has the text no more.
    CutAway {
        /// Lines of the output that were made of them.
        count: u64,
        /// The first of those, from 0.
        first: u64,
        /// Its text.
        text: Vec<u8>,
    },
}

/// All of a source of which only a part was followed.
pub struct Beyond {
    /// What it is called.
    pub name: String,
    /// What was found in all of it; `None` where it could not be looked at.
    pub found: Option<Found>,
}

/// What became of the lines of the sources that have a text.
pub struct Whereabouts {
    /// The text that was looked for.
    pub query: String,
    /// The lines that have it, source by source: what is read from outside, and what stages make that do not
    /// say of what.
    pub found: Vec<TrailSource>,
    /// Sources that were followed in part, with what is in all of them.
    pub beyond: Vec<Beyond>,
    /// Files of patterns or programs that have it: those are no data.
    pub in_patterns: Vec<String>,
    /// Files with it that commands inside a stage have read: what became of their lines is not known.
    pub inside: Vec<(usize, String)>,
    /// Where lines of such files end or lose it inside of a compound command.
    pub inner: Vec<Inner>,
    /// The stages at which some of them end or lose it, in order.
    pub lost: Vec<LostAt>,
    /// Lines of the result that were made of them.
    pub left: u64,
    /// Lines of the result that have the text.
    pub having: u64,
    /// The stage beyond which nothing is known: an external program.
    pub unknown: Option<usize>,
}

/// How far a search is: the bytes that were read, and of how many where that is known.
pub type Progress<'p> = &'p dyn Fn(u64, Option<u64>);

/// Makes the result of a plan that belongs to the text of the preview.
pub type Evaluate<'e> = &'e dyn Fn(Plan) -> Option<Arc<Preview>>;

/// Where lines end, or lose the text, in a pipeline inside of a compound command.
pub struct Inner {
    /// The stage that ran it, from 0.
    pub stage: usize,
    /// The pipeline by itself, in the first round in which lines ended there.
    pub preview: Arc<Preview>,
    /// The place in it: how many lines came and ended over all rounds, everything else of the first.
    pub lost: LostAt,
    /// In how many rounds lines ended there.
    pub rounds: u64,
}

impl LostAt {
    pub(super) fn is_like(&self, other: &Self) -> bool {
        matches!(
            (&self.how, &other.how),
            (Gone::Ends(_), Gone::Ends(_)) | (Gone::CutAway { .. }, Gone::CutAway { .. })
        )
    }

    /// Counts what another round has lost at the same stage.
    pub(super) fn add(&mut self, other: &Self) {
        self.came += other.came;
        match (&mut self.how, &other.how) {
            (Gone::Ends(one), Gone::Ends(more)) => one.count += more.count,
            (Gone::CutAway { count, .. }, Gone::CutAway { count: more, .. }) => *count += more,
            _ => {}
        }
    }
}
