//! A recipe: an aim, and the stages that reach it.

use super::samples::Sample;

/// A recipe.
#[derive(Clone, Copy, Debug)]
pub struct Recipe {
    /// The aim, as one would say it.
    pub aim: &'static str,
    /// The same aim in other words, at least three times.
    pub wordings: [&'static str; 3],
    /// The stages, with places for what depends on the stream: see [`crate::guide::form`].
    pub(crate) stages: &'static str,
    /// Data it makes sense on.
    pub(crate) sample: Sample,
}

/// A recipe on a sample.
pub(crate) const fn recipe(
    aim: &'static str,
    wordings: [&'static str; 3],
    stages: &'static str,
    sample: Sample,
) -> Recipe {
    Recipe { aim, wordings, stages, sample }
}
