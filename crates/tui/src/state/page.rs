//! The size of the screen and what has room on it.

/// The size of the screen and what has room on it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Page {
    /// Of the whole screen.
    pub size: ratatui::layout::Size,
    /// Rows of data in the lens.
    pub lens_rows: usize,
    /// Columns of the lens.
    pub lens_columns: usize,
    /// The lens has room for one side only.
    pub narrow: bool,
}
