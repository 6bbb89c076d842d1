//! The options of a stage, to be set one by one.

use insight::{Sheet, SheetRow};
use tui_input::Input;

/// The sheet of a stage.
pub(crate) struct SheetView {
    /// Which stage.
    pub stage: usize,
    /// The text as it was, and the cursor in it.
    pub before: (String, usize),
    /// Lines that came out before anything was changed.
    pub lines_before: Option<u64>,
    /// Its options as they are now: switches first, then those with a value.
    pub sheet: Sheet,
    /// The selected row.
    pub at: usize,
    /// The value that is being typed.
    pub typed: Option<Input>,
}

impl SheetView {
    /// The options in the order of the rows.
    pub(crate) fn rows(&self) -> Vec<&SheetRow> {
        let (switches, values): (Vec<&SheetRow>, Vec<&SheetRow>) =
            self.sheet.rows.iter().partition(|row| row.option.value.is_none());
        switches.into_iter().chain(values).collect()
    }

    /// How many of the rows are switches.
    pub(crate) fn switches(&self) -> usize {
        self.sheet.rows.iter().filter(|row| row.option.value.is_none()).count()
    }
}
