//! What the lens shows: the rows of a stage or the lines of a stream, where it is scrolled to,
//! and what was searched for.

use std::sync::Arc;

use bytes::Bytes;
use engine::{Kept, Preview, StageResult};
use insight::{Alignment, Row};

use crate::screen::place::Place;
use crate::text::display::View;

/// More rows than this are aligned on another thread.
pub(crate) const INLINE_LINES: u64 = 200_000;

/// Bytes of a line that are looked at to show and to search it.
const LINE_START: usize = 2 << 20;

/// Matches that are kept of a search.
pub(super) const MATCHES_MAX: usize = 1_000_000;

/// What is on show.
#[derive(Clone)]
pub(crate) enum Content {
    /// Nothing yet.
    Empty,
    /// A stage's input and output.
    Stage {
        /// Which stage.
        stage: usize,
        /// Its rows.
        rows: Arc<Alignment>,
    },
    /// The bytes of a stream, this many in a row.
    Bytes {
        /// The stream.
        kept: Arc<Kept>,
        /// Its bytes.
        bytes: u64,
        /// Bytes in a row.
        row: u64,
    },
    /// One stream alone.
    Stream {
        /// Its lines.
        kept: Arc<Kept>,
        /// How many.
        lines: u64,
    },
}

/// A search and its matches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Search {
    /// The text searched for; letters match in either case unless one is a capital.
    pub query: String,
    /// The rows that have it.
    pub rows: Arc<Vec<u32>>,
    /// True while still searching.
    pub searching: bool,
    /// The cursor was brought to a row that has it.
    pub reached: bool,
}

/// The lens.
pub(crate) struct Lens {
    /// What is on show.
    pub content: Content,
    /// The first row on screen.
    pub top: usize,
    /// The row the cursor is on.
    pub cursor: usize,
    /// The cursor is at the end, and stays there when more lines come.
    pub at_end: bool,
    /// Columns scrolled to the right.
    pub column: usize,
    /// They were chosen by hand, and are kept while lines change.
    pub scrolled: bool,
    /// Long lines go on in the next row of the screen.
    pub wrap: bool,
    /// How bytes are shown.
    pub view: View,
    /// All lines are shown: none are folded.
    pub unfolded: bool,
    /// The other side than usual: the output alone where there is room for both, the input where
    /// there is room for one.
    pub turned: bool,
    /// There is room for one side only.
    pub narrow: bool,
    /// The search, if any.
    pub search: Option<Search>,
    /// Rows that fit on screen.
    pub height: usize,
    /// Columns on screen.
    pub width: usize,
    /// Searches so far: only the newest one's matches count.
    pub(crate) searches: u64,
    /// The search that runs.
    pub(crate) searching: Option<stream::RunControl>,
}

impl Default for Lens {
    fn default() -> Self {
        Self {
            content: Content::Empty,
            top: 0,
            cursor: 0,
            at_end: false,
            column: 0,
            scrolled: false,
            wrap: false,
            view: View::Text,
            unfolded: false,
            turned: false,
            narrow: false,
            search: None,
            height: 20,
            width: 80,
            searches: 0,
            searching: None,
        }
    }
}

impl Lens {
    /// Number of rows.
    pub(crate) fn len(&self) -> usize {
        match &self.content {
            Content::Empty => 0,
            Content::Stage { rows, .. } => rows.len(),
            Content::Stream { lines, .. } => *lines as usize,
            Content::Bytes { bytes, row, .. } => bytes.div_ceil(*row) as usize,
        }
    }

    /// Shows something; the place is kept as far as it exists, or left for the beginning.
    pub(crate) fn show(&mut self, content: Content, keep_place: bool) {
        self.content = content;
        if !keep_place {
            self.top = 0;
            self.cursor = 0;
            self.at_end = false;
            self.column = 0;
            self.scrolled = false;
        } else if self.at_end {
            self.cursor = usize::MAX;
        }
        self.clamp();
    }

    fn clamp(&mut self) {
        let last = self.len().saturating_sub(1);
        self.cursor = self.cursor.min(last);
        let first = (self.cursor + 1).saturating_sub(self.height.max(1));
        self.top = self.top.clamp(first, self.cursor);
    }

    /// Moves the cursor by rows and the view with it.
    pub(crate) fn step(&mut self, rows: i64) {
        self.at_end &= rows > 0;
        self.cursor = self.cursor.saturating_add_signed(rows as isize);
        self.clamp();
    }

    /// Moves the cursor to a row; past all of them, to the last one there is at any time.
    pub(crate) fn go(&mut self, row: usize) {
        self.at_end = row == usize::MAX;
        self.cursor = row;
        self.clamp();
    }

    /// What of a stage is shown.
    pub(crate) fn sides(&self) -> Sides {
        let bytes = (self.view == View::Hex).then_some(if self.narrow { 8 } else { 16 });
        let output_alone = match bytes {
            Some(_) => !self.turned,
            None => self.narrow != self.turned,
        };
        Sides { unfolded: self.unfolded, output_alone, bytes }
    }

    /// How many lines of the input the row of the cursor means, if it does not show them.
    pub(crate) fn folded(&self) -> Option<u64> {
        match &self.content {
            Content::Stage { rows, .. } => rows.row(self.cursor)?.folded,
            _ => None,
        }
    }

    /// Shows the lines of the row of the cursor one by one; false where none are folded.
    pub(crate) fn open_fold(&mut self) -> bool {
        match &mut self.content {
            Content::Stage { rows, .. } => Arc::make_mut(rows).open(self.cursor) > 0,
            _ => false,
        }
    }

    /// Columns that are scrolled over on a side: what was brought into view in the input leaves the
    /// output beside it where it is.
    pub(crate) fn column_of(&self, output: bool) -> usize {
        if self.wrap || (output && !self.scrolled) { 0 } else { self.column }
    }

    /// Scrolls sideways.
    pub(crate) fn sideways(&mut self, columns: i64) {
        self.column = self.column.saturating_add_signed(columns as isize).min(1 << 20);
        self.scrolled = true;
    }

    /// The row that has a line of the input, by its place over all inputs, or of the output.
    pub(crate) fn row_with(&self, left: Option<u64>, right: Option<u64>) -> Option<usize> {
        match &self.content {
            Content::Stage { rows, .. } => (0..rows.len()).find(|&row| {
                let Some(row) = rows.row(row) else { return false };
                let folded = row.folded.unwrap_or(1);
                match (left, right) {
                    (Some(line), _) => {
                        row.left.is_some_and(|first| (first..first + folded).contains(&line))
                    }
                    (None, line) => line.is_some() && row.right == line,
                }
            }),
            Content::Stream { lines, .. } => {
                left.or(right).filter(|line| line < lines).map(|line| line as usize)
            }
            Content::Bytes { .. } | Content::Empty => None,
        }
    }

    /// The next (or previous) row the search has found.
    pub(crate) fn next_match(&self, forward: bool) -> Option<usize> {
        let rows = &self.search.as_ref()?.rows;
        let at = rows.partition_point(|&row| (row as usize) < self.cursor);
        if forward {
            let at = at + usize::from(rows.get(at).is_some_and(|&row| row as usize == self.cursor));
            rows.get(at).or_else(|| rows.first()).map(|&row| row as usize)
        } else {
            let before = at.checked_sub(1).and_then(|at| rows.get(at));
            before.or_else(|| rows.last()).map(|&row| row as usize)
        }
    }
}

/// What of a stage is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Sides {
    /// All lines, none folded.
    pub unfolded: bool,
    /// The output and nothing else.
    pub output_alone: bool,
    /// Bytes, this many in a row.
    pub bytes: Option<u64>,
}

/// The content for a place of the river. `None` for a stage so large that its rows must be made
/// on another thread.
pub(crate) fn content_of(preview: &Preview, place: Place, sides: Sides) -> Option<Content> {
    let stream = |kept: Option<Arc<Kept>>| match (kept, sides.bytes) {
        (None, _) => Content::Empty,
        (Some(kept), Some(row)) => Content::Bytes { bytes: kept.bytes(), row, kept },
        (Some(kept), None) => Content::Stream { lines: kept.lines(), kept },
    };
    Some(match place {
        Place::Source => {
            let input = preview.stages.first().and_then(|stage| stage.inputs.first());
            stream(input.map(|input| input.kept.clone()))
        }
        Place::Stream(number) => stream(preview.stages.get(number).map(|stage| stage.out.clone())),
        Place::Stage(number) => match preview.stages.get(number) {
            None => Content::Empty,
            Some(stage) if sides.output_alone => stream(Some(stage.out.clone())),
            Some(stage) if sides.bytes.is_some() => {
                stream(stage.inputs.first().map(|input| input.kept.clone()))
            }
            Some(stage) if stage.input_lines().max(stage.out.lines()) > INLINE_LINES => {
                return None;
            }
            Some(stage) => {
                Content::Stage { stage: number, rows: Arc::new(rows_of(stage, sides.unfolded)) }
            }
        },
    })
}

/// The rows of a stage.
pub(crate) fn rows_of(stage: &StageResult, unfolded: bool) -> Alignment {
    let rows = Alignment::of(stage);
    if unfolded { rows } else { rows.folded() }
}

/// A line of the inputs of a stage, counted over all of them.
fn input_line(stage: &StageResult, flat: u64) -> Option<Bytes> {
    let (input, line) = stage.input_at(flat)?;
    stage.inputs.get(input)?.kept.line_start(line, LINE_START)
}

/// The texts of both sides of a row; a folded row has none at the left.
pub(crate) fn row_lines(
    preview: &Preview,
    content: &Content,
    row: usize,
) -> (Row, Option<Bytes>, Option<Bytes>) {
    match content {
        Content::Empty => (Row::default(), None, None),
        Content::Bytes { kept, row: length, .. } => {
            let bytes = kept.bytes_at(row as u64 * length, *length as usize);
            (Row::default(), Some(bytes.into()), None)
        }
        Content::Stream { kept, .. } => {
            let line = kept.line_start(row as u64, LINE_START);
            (Row { left: Some(row as u64), ..Row::default() }, line, None)
        }
        Content::Stage { stage, rows } => {
            let (Some(row), Some(stage)) = (rows.row(row), preview.stages.get(*stage)) else {
                return (Row::default(), None, None);
            };
            let shown = row.left.filter(|_| row.folded.is_none());
            let left = shown.and_then(|flat| input_line(stage, flat));
            let right = row.right.and_then(|line| stage.out.line_start(line, LINE_START));
            (row, left, right)
        }
    }
}

/// Places in a line where the query is. Letters match in either case unless the query has a
/// capital.
pub(crate) fn matches(line: &[u8], query: &str) -> Vec<std::ops::Range<usize>> {
    if query.is_empty() {
        return Vec::new();
    }
    if query.chars().any(char::is_uppercase) {
        let found = memchr::memmem::find_iter(line, query.as_bytes());
        return found.map(|at| at..at + query.len()).collect();
    }
    let lower = line.to_ascii_lowercase();
    let found = memchr::memmem::find_iter(&lower, query.as_bytes());
    found.map(|at| at..at + query.len()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_cursor_stays_on_screen_and_in_the_data() {
        let kept = Arc::new(Kept::of("x\n".repeat(100).as_bytes()));
        let mut lens = Lens { height: 10, ..Lens::default() };
        lens.show(Content::Stream { lines: kept.lines(), kept }, false);
        lens.step(15);
        assert_eq!((lens.cursor, lens.top), (15, 6));
        lens.go(usize::MAX);
        assert_eq!((lens.cursor, lens.top), (99, 90));
        lens.step(-200);
        assert_eq!((lens.cursor, lens.top), (0, 0));
    }

    #[test]
    fn at_the_end_it_follows_what_comes() {
        let stream = |lines: usize| {
            let kept = Arc::new(Kept::of("x\n".repeat(lines).as_bytes()));
            Content::Stream { lines: kept.lines(), kept }
        };
        let mut lens = Lens { height: 10, ..Lens::default() };
        lens.show(stream(30), false);
        lens.go(29);
        lens.show(stream(40), true);
        assert_eq!(lens.cursor, 29, "it is only where it happens to be");
        lens.go(usize::MAX);
        lens.show(stream(50), true);
        assert_eq!((lens.cursor, lens.top), (49, 40));
        lens.step(1);
        lens.show(stream(60), true);
        assert_eq!(lens.cursor, 59);
        lens.step(-1);
        lens.show(stream(70), true);
        assert_eq!(lens.cursor, 58);
        lens.go(usize::MAX);
        lens.show(stream(80), false);
        lens.show(stream(90), true);
        assert_eq!(lens.cursor, 0, "something else is looked at from its beginning");
    }

    #[test]
    fn matches_go_round() {
        let kept = Arc::new(Kept::of("x\n".repeat(9).as_bytes()));
        let mut lens = Lens::default();
        lens.show(Content::Stream { lines: kept.lines(), kept }, false);
        lens.search = Some(Search { rows: Arc::new(vec![2, 5]), ..Search::default() });
        assert_eq!(lens.next_match(true), Some(2));
        lens.go(2);
        assert_eq!(lens.next_match(true), Some(5));
        assert_eq!(lens.next_match(false), Some(5));
        assert_eq!(matches(b"Gate gate", "gate"), [0..4, 5..9]);
        assert_eq!(matches(b"Gate gate", "Gate"), [0..4]);
    }
}
