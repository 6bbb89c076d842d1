//! What is where on the screen, for the mouse: whatever is drawn says itself what it is.

use ratatui::layout::{Position, Rect};

use crate::screen::place::Place;
use crate::screen::view_name::ViewName;

/// Something that can be pointed at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    /// A key in the last row, by its name there.
    Key(&'static str),
    /// The name of a view.
    View(ViewName),
    /// The command text.
    Text,
    /// A row of the river.
    Place(Place),
    /// A line of the lens: its row, and the column of the screen its text begins at.
    Line {
        /// The row.
        row: usize,
        /// Where its text begins.
        start: u16,
        /// It is the output beside the input.
        output: bool,
    },
    /// A row of the view's list.
    Row(usize),
    /// A row of the drawer's list, which lies over the view.
    Entry(usize),
}

/// The targets of a frame; the last one drawn is on top.
pub(crate) type Targets = Vec<(Rect, Target)>;

/// The topmost target at a place.
pub(crate) fn at(targets: &Targets, column: u16, row: u16) -> Option<(Rect, Target)> {
    let here = Position::new(column, row);
    targets.iter().rev().find(|(area, _)| area.contains(here)).cloned()
}
