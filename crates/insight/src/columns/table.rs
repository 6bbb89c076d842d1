//! What the columns of a stream hold.

use std::ops::RangeInclusive;

use super::form::Apart;
use super::kind::Kind;
use super::splitting::Splitting;

/// Different values that are few.
pub(crate) const FEW: u64 = 8;

/// How many different values there are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Distinct {
    /// Exactly this many.
    Exact(u64),
    /// About this many.
    About {
        /// The estimate.
        count: u64,
        /// How far it may be off, as a share of it: at most so far in 997 of 1000 cases.
        error: f64,
    },
}

impl Distinct {
    /// The number, exact or not.
    pub fn count(self) -> u64 {
        match self {
            Self::Exact(count) | Self::About { count, .. } => count,
        }
    }
}

/// Lines with an unusual number of fields.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OddLines {
    /// How many fields they have; `None` where they end within a quote.
    pub fields: Option<usize>,
    /// How many lines.
    pub lines: u64,
    /// The first of them, from 0.
    pub first: u64,
}

/// One column.
#[derive(Clone, Debug)]
pub struct Column {
    /// Its number, from 1.
    pub number: usize,
    /// Its heading, or the name of the pair.
    pub name: Option<String>,
    /// A `name=` that its values begin with; not part of them here.
    pub label: Vec<u8>,
    /// What its values are, but for 2 % at most.
    pub kind: Kind,
    /// Lines with a value of another kind.
    pub others: u64,
    /// The form its words have, all of them: `a-00`.
    pub shape: Option<String>,
    /// Lines that have the field.
    pub present: u64,
    /// Lines in which there is something in it.
    pub filled: u64,
    /// Different values.
    pub distinct: Distinct,
    /// The smallest value: of numbers by amount, otherwise by its bytes. At most 200 bytes of it.
    pub smallest: Option<Vec<u8>>,
    /// The largest one.
    pub largest: Option<Vec<u8>>,
    /// The most frequent values and how often they come, at most three; none where there are
    /// too many different ones, or each comes once.
    pub frequent: Vec<(Vec<u8>, u64)>,
    /// Characters of the longest value.
    pub width: usize,
}

impl Column {
    /// True where the same few values come again and again; a value that was met once or twice
    /// says nothing.
    pub(crate) fn is_one_of_few(&self) -> bool {
        let different = self.distinct.count();
        different <= FEW && self.filled >= 20 && self.filled >= 4 * different
    }
}

/// The columns of a stream.
#[derive(Clone, Debug)]
pub struct ColumnTable {
    /// How the lines are split.
    pub splitting: Splitting,
    /// Lines that were looked at.
    pub lines: u64,
    /// The same without the heading.
    pub data_lines: u64,
    /// What the first line is, where it is neither data nor the names of the columns.
    pub apart: Option<Apart>,
    /// Lines with nothing in them.
    pub empty_lines: u64,
    /// How many fields most lines have.
    pub usual: RangeInclusive<usize>,
    /// Lines that have another number of fields, by their first line.
    pub odd: Vec<OddLines>,
    /// The columns.
    pub columns: Vec<Column>,
}

impl ColumnTable {
    /// How many columns there are before free text: words of all kinds at the end of lines, each in
    /// less than half of them. All where fewer than three such columns come last.
    pub fn before_text(&self) -> usize {
        let lines = self.data_lines - self.empty_lines;
        let loose = |column: &Column| {
            // The same few values again and again are no free text.
            let rare = column.filled * 50 < lines;
            (matches!(column.kind, Kind::Word | Kind::Text) && !column.is_one_of_few() || rare)
                && column.label.is_empty()
                && column.name.is_none()
                && column.filled * 2 < lines
        };
        let all = self.columns.len();
        let tail = self.columns.iter().rev().take_while(|column| loose(column)).count();
        // A few lines with more fields are strays, not text.
        let often = self.columns.get(all - tail).is_some_and(|first| first.filled * 10 >= lines);
        if tail < 3 || !often { all } else { all - tail }
    }

    /// Lines with the usual number of fields.
    pub fn agreeing(&self) -> u64 {
        let odd: u64 = self.odd.iter().map(|odd| odd.lines).sum();
        self.data_lines - self.empty_lines - odd
    }
}
