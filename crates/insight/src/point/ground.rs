//! What is pointed at, and what the lines around it have in common.

use std::ops::Range;

use crate::columns::form::Form;
use crate::columns::splitting::Splitting;
use crate::columns::survey::Survey;
use crate::columns::table::ColumnTable;

/// What lines of a stream have in common, for offers.
#[derive(Clone, Debug)]
pub struct Ground {
    pub(super) form: Form,
    pub(super) table: ColumnTable,
    pub(crate) all_ascii: bool,
}

impl Ground {
    /// From the first lines of a stream, split so.
    pub fn of(lines: &[&[u8]], splitting: Splitting) -> Self {
        let form = Form::of(lines, splitting);
        let mut survey = Survey::new(form.clone());
        for line in lines {
            survey.feed_whole(line);
        }
        let all_ascii = lines.iter().all(|line| line.is_ascii());
        Self { form, table: survey.table(), all_ascii }
    }

    /// How the lines are split.
    pub fn splitting(&self) -> &Splitting {
        &self.form.splitting
    }

    /// The first line names the columns.
    pub(crate) fn has_heading(&self) -> bool {
        self.form.begins_apart()
    }

    /// The fields of a line.
    pub fn fields(&self, line: &[u8]) -> Vec<Range<usize>> {
        self.form.splitting.fields(line)
    }

    /// The columns, counted over these lines.
    pub fn table(&self) -> &ColumnTable {
        &self.table
    }
}

/// What is pointed at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spot {
    /// The line's number in its stream, from 1; `None` for a column as such.
    pub line: Option<u64>,
    /// Another line of the stream that was marked as the other end of a range.
    pub other_line: Option<u64>,
    /// The line.
    pub text: Vec<u8>,
    /// The field, from 0.
    pub field: Option<usize>,
    /// The piece of the line that is marked, where it is not the whole field.
    pub marked: Option<Range<usize>>,
}
