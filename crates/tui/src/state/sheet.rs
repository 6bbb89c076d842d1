//! The options of a stage, to be set one by one.

use std::ops::Range;

use engine::Figure;
use insight::{Sheet, SheetRow};
use tui_input::Input;

/// Fields that are picked from a line.
pub(crate) struct Pick {
    /// The line.
    pub line: Vec<u8>,
    /// Where its fields are.
    pub fields: Vec<Range<usize>>,
    /// Which of them are chosen.
    pub chosen: Vec<bool>,
    /// The field the cursor is on.
    pub at: usize,
    /// The list went to the end of every line.
    pub to_end: bool,
}

/// The sheet of a stage.
pub(crate) struct SheetView {
    /// Which stage.
    pub stage: usize,
    /// The text as it was, and the cursor in it.
    pub before: (String, usize),
    /// Lines that came out before anything was changed.
    pub lines_before: Option<Figure>,
    /// Its options as they are now: switches first, then those with a value.
    pub sheet: Sheet,
    /// The selected row.
    pub at: usize,
    /// The value that is being typed.
    pub typed: Option<Input>,
    /// The fields that are being picked.
    pub pick: Option<Pick>,
}

impl SheetView {
    /// The options in the order of the rows.
    pub(crate) fn rows(&self) -> Vec<&SheetRow> {
        let (switches, values): (Vec<&SheetRow>, Vec<&SheetRow>) =
            self.sheet.rows.iter().partition(|row| row.option.value.is_none());
        switches.into_iter().chain(values).collect()
    }

    /// True where the selected option is a list of fields, to be picked from a line.
    pub(crate) fn picks_fields(&self) -> bool {
        self.sheet.spec.name == "cut"
            && self.rows().get(self.at).is_some_and(|row| row.option.short == 'f')
    }

    /// How many of the rows are switches.
    pub(crate) fn switches(&self) -> usize {
        self.sheet.rows.iter().filter(|row| row.option.value.is_none()).count()
    }
}
