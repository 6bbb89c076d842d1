//! The patterns that examples suggest.

use std::sync::Arc;

use engine::Kept;
use insight::{Finds, Suggestion, suggestions, uses};

use crate::state::examples::Examples;
use crate::state::put_at::PutAt;

/// The patterns for some examples.
pub(crate) struct PatternView {
    /// The patterns, the one a person would write first.
    pub suggestions: Vec<Suggestion>,
    /// What each finds in the lines, once that is known.
    pub finds: Vec<Finds>,
    /// The selected pattern.
    pub at: usize,
    /// What is done with it: the number of the use.
    pub using: usize,
    /// Where its stage is put.
    pub put_at: PutAt,
    /// The lines it is tried on.
    pub input: Arc<Kept>,
    /// They are all lines of the stream.
    pub whole: bool,
    /// Tries so far: only the news of the newest count.
    pub(crate) tries: u64,
}

impl PatternView {
    pub(crate) fn new(examples: &Examples, put_at: PutAt, input: Arc<Kept>, whole: bool) -> Self {
        let suggestions = suggestions(&examples.marks, &examples.nots);
        Self { suggestions, finds: Vec::new(), at: 0, using: 0, put_at, input, whole, tries: 0 }
    }

    /// What can be done with the selected pattern; replacing comes last, its stage is asked for.
    pub(crate) fn uses(&self) -> Vec<(&'static str, String)> {
        let Some(one) = self.suggestions.get(self.at) else { return Vec::new() };
        let mut all = uses(&one.pattern);
        all.push(("replace it by … (asked)", String::new()));
        all
    }
}
