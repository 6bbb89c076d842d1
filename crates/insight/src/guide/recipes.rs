//! The recipes, by what they are about.

mod changing;
mod columns;
mod counting;
mod lines;
mod numbers;
mod pieces;

use super::recipe::Recipe;

/// All recipes, in the order they are listed.
pub fn all() -> impl Iterator<Item = &'static Recipe> {
    [
        lines::RECIPES,
        columns::RECIPES,
        counting::RECIPES,
        numbers::RECIPES,
        changing::RECIPES,
        pieces::RECIPES,
    ]
    .into_iter()
    .flatten()
}
