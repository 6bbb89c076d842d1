//! A row of the lens with all that is shown of it.

use bytes::Bytes;
use insight::Row;

/// Where a line comes from.
pub(super) struct Line {
    /// Its number, from 1; below 0 counted from the end.
    pub(super) number: i64,
    /// The file it is of, where the stage reads several.
    pub(super) name: Option<String>,
}

impl Line {
    pub(super) fn name_width(&self) -> u16 {
        use unicode_width::UnicodeWidthStr;
        self.name.as_ref().map_or(0, |name| name.width() as u16 + 1)
    }
}

pub(super) struct Shown {
    pub(super) row: Row,
    pub(super) number: usize,
    pub(super) left: Option<Bytes>,
    pub(super) right: Option<Bytes>,
    /// Where the line at the left comes from.
    pub(super) origin: Option<Line>,
    /// The line at the left, and at the right, has no newline at its end.
    pub(super) open: (bool, bool),
}

impl Shown {
    /// The line whose fields are counted.
    pub(super) fn looked_at(&self) -> Option<&[u8]> {
        self.left.as_deref()
    }

    /// What is at the left is at the right as well.
    pub(super) fn is_unchanged(&self) -> bool {
        match (&self.left, &self.right) {
            (Some(left), Some(right)) => left == right,
            _ => true,
        }
    }
}
