//! Which view takes the place of river and lens.

/// What is shown between the command text and the notes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Screen {
    /// River and lens.
    #[default]
    Bench,
    /// Where the descriptors lead.
    Wiring,
    /// What would be written and run.
    Pending,
    /// The run on everything.
    Throughput,
    /// Kept runs side by side.
    Compare,
    /// What the columns of the selected stream hold.
    Columns,
}

impl Screen {
    /// True where the keys that scroll the lens mean it.
    pub(crate) fn has_lens(self) -> bool {
        matches!(self, Self::Bench | Self::Wiring)
    }
}

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
