//! Text on screen: how lines are shown, edited and completed.

mod candidates;
pub(crate) mod complete;
pub(crate) mod display;
pub(crate) mod editor;
