//! The state of the Columns view.

use std::sync::Arc;

use engine::Kept;
use insight::{Candidate, Column, ColumnTable, Splitting};
use stream::RunControl;

use crate::screen::place::Place;

/// By what the table is ordered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum ColumnOrder {
    /// As the fields are in a line.
    #[default]
    Field,
    /// The most different values first.
    Different,
    /// The fullest first.
    Filled,
    /// By the names.
    Heading,
}

impl ColumnOrder {
    pub(crate) fn next(self) -> Self {
        match self {
            Self::Field => Self::Different,
            Self::Different => Self::Filled,
            Self::Filled => Self::Heading,
            Self::Heading => Self::Field,
        }
    }

    /// As in “ordered by …”.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Field => "field",
            Self::Different => "different values, most first",
            Self::Filled => "lines that have it, most first",
            Self::Heading => "heading",
        }
    }
}

/// What a count in the background has found so far.
pub(crate) struct Counted {
    /// The columns.
    pub table: ColumnTable,
    /// The ways the lines can be split, best first.
    pub found: Vec<Candidate>,
    /// All lines were counted.
    pub ended: bool,
}

/// The Columns view.
#[derive(Default)]
pub(crate) struct ColumnsView {
    /// Of which result, by its number; `None` while the view is not on screen.
    pub generation: Option<u64>,
    /// Of which place of the river.
    pub place: Option<Place>,
    /// The stream.
    pub kept: Option<Arc<Kept>>,
    /// What was found; of an earlier stream until the first news of this one.
    pub counted: Option<Counted>,
    /// The splitting the user has chosen.
    pub splitting: Option<Splitting>,
    /// The selected row: a column, or after them the lines that do not fit.
    pub at: usize,
    /// The order of the rows.
    pub order: ColumnOrder,
    /// Columns of free text have rows, too.
    pub all: bool,
    /// Counts so far: only the newest one's news count.
    pub(crate) counts: u64,
    /// The count that runs.
    pub(crate) counting: Option<RunControl>,
}

impl ColumnsView {
    /// The columns in the order of the rows.
    pub(crate) fn rows(&self) -> Vec<&Column> {
        let Some(counted) = &self.counted else { return Vec::new() };
        let shown = self.shown(counted);
        let mut rows: Vec<&Column> = counted.table.columns[..shown].iter().collect();
        match self.order {
            ColumnOrder::Field => {}
            ColumnOrder::Different => {
                rows.sort_by_key(|column| std::cmp::Reverse(column.distinct.count()));
            }
            ColumnOrder::Filled => rows.sort_by_key(|column| std::cmp::Reverse(column.filled)),
            ColumnOrder::Heading => rows.sort_by_key(|column| column.heading()),
        }
        rows
    }

    /// The number of the selected column; `None` on lines that do not fit.
    pub(crate) fn selected(&self) -> Option<usize> {
        self.rows().get(self.at).map(|column| column.number)
    }

    /// How many columns have a row: not those of free text, unless all are wanted.
    pub(crate) fn shown(&self, counted: &Counted) -> usize {
        let table = &counted.table;
        if self.all { table.columns.len() } else { table.before_text() }
    }

    /// How many rows can be selected: the columns, and the lines that do not fit.
    pub(crate) fn len(&self) -> usize {
        let table = self.counted.as_ref().map(|counted| &counted.table);
        let shown = self.counted.as_ref().map_or(0, |counted| self.shown(counted));
        table.map_or(0, |table| shown + table.odd.len())
    }
}
