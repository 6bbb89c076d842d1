//! The state of the Compare view.

/// The state of the Compare view.
#[derive(Default)]
pub(crate) struct CompareView {
    /// The run selected in the list, newest first.
    pub at: usize,
    /// The run it is compared with; `None` for the one before it of the same text, or the one
    /// before it.
    pub marked: Option<String>,
}
