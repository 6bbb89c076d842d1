//! The Guide: what one wants to do, and how it is done with the stream at hand.

use std::collections::HashMap;
use std::sync::Arc;

use engine::Kept;
use filters::Definition;
use insight::{Ground, Outcome, Recipe, RecipeForm, TOPICS, Topic, recipes, search_recipes};
use tui_input::Input;

use crate::state::put_at::PutAt;
use crate::state::trials::Trials;

/// Something that was found.
#[derive(Clone, Copy)]
pub(crate) enum Found {
    /// A recipe, by its number.
    Recipe(usize),
    /// The page of a filter.
    Filter(&'static Definition),
    /// A page on something else.
    Topic(&'static Topic),
}

/// The Guide.
#[derive(Default)]
pub(crate) struct GuideView {
    /// The lines of the stream; `None` without one.
    pub ground: Option<Arc<Ground>>,
    /// Where stages are put.
    pub at: PutAt,
    /// The field that recipes are about, from 1.
    pub field: usize,
    /// What is asked.
    pub query: Input,
    /// What was found.
    pub found: Vec<Found>,
    /// The selected one.
    pub selected: usize,
    /// Every recipe in the form for the stream.
    pub forms: Vec<RecipeForm>,
    /// What comes out of those that were tried; `None` where it could not be.
    pub outcomes: HashMap<usize, Option<Outcome>>,
    /// The stream's beginning.
    pub input: Arc<Kept>,
    /// It is all of it.
    pub whole: bool,
    /// The recipes that are tried.
    pub(crate) trials: Trials,
}

/// A page that is read.
pub(crate) struct PageView {
    /// What it is about.
    pub title: String,
    /// Its lines.
    pub lines: Vec<String>,
    /// The first line on screen.
    pub top: usize,
    /// The Guide it was opened from.
    pub guide: Box<GuideView>,
}

impl GuideView {
    /// A recipe by its number.
    pub(crate) fn recipe(number: usize) -> &'static Recipe {
        let mut all = recipes();
        // A number comes from the list itself.
        all.nth(number).unwrap_or_else(|| unreachable!("recipe {number}"))
    }

    /// Makes the forms for the field.
    pub(crate) fn renew(&mut self) {
        self.forms = recipes()
            .map(|recipe| match &self.ground {
                Some(ground) => recipe.form(ground, self.field),
                None => RecipeForm { stages: recipe.on_sample().1, fits: true },
            })
            .collect();
        self.outcomes.clear();
        self.search();
    }

    /// Finds what is asked for.
    pub(crate) fn search(&mut self) {
        let query = self.query.value();
        let forms = &self.forms;
        let mut found: Vec<Found> = search_recipes(query, |number| forms[number].fits)
            .into_iter()
            .map(Found::Recipe)
            .collect();
        let words: Vec<String> = query.split_whitespace().map(str::to_lowercase).collect();
        let named = |definition: &&'static Definition| {
            words.iter().any(|word| *word == definition.spec.name)
        };
        let filters = filters::all().iter().copied();
        // A filter that is named comes first.
        let pages: Vec<Found> = filters.filter(named).map(Found::Filter).collect();
        let about = |topic: &&Topic| {
            let title = topic.title.to_lowercase();
            words.iter().any(|word| word.len() > 3 && title.contains(&word[..]))
        };
        let topics = TOPICS.iter().filter(|topic| words.is_empty() || about(topic));
        let topics: Vec<Found> = topics.map(Found::Topic).collect();
        if words.is_empty() {
            found.extend(topics);
            found.extend(filters::all().iter().copied().map(Found::Filter));
            self.found = found;
        } else {
            self.found = pages.into_iter().chain(topics).chain(found).collect();
        }
        self.selected = 0;
    }

    /// The selected one.
    pub(crate) fn chosen(&self) -> Option<Found> {
        self.found.get(self.selected).copied()
    }

    /// How many fields recipes can be about.
    pub(crate) fn fields(&self) -> usize {
        self.ground.as_ref().map_or(0, |ground| ground.table().columns.len())
    }
}
