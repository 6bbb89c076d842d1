//! The options of a stage, to be set one by one.

use std::collections::BTreeMap;
use std::ops::Range;

use engine::Figure;
use filters::OptionId;
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
    /// What is searched for among the options, while a switch is selected.
    pub search: String,
    /// The values of options that were switched off here.
    pub kept: BTreeMap<OptionId, String>,
    /// How often each option is used.
    pub uses: BTreeMap<OptionId, usize>,
}

impl SheetView {
    /// The options in the order of the rows: those that are used often first, switches before values.
    pub(crate) fn rows(&self) -> Vec<&SheetRow> {
        let mut rows: Vec<&SheetRow> = self.sheet.rows.iter().collect();
        let uses = |row: &SheetRow| self.uses.get(&row.option.id).copied().unwrap_or(0);
        rows.sort_by_key(|row| (row.option.value.is_some(), std::cmp::Reverse(uses(row))));
        rows
    }

    /// Goes to the first option that has what is searched for: its letter, or else its name or meaning.
    /// False where none has it.
    pub(crate) fn find(&mut self) -> bool {
        let query = self.search.to_lowercase();
        let rows = self.rows();
        let mut letter = self.search.chars();
        let only = letter.next().filter(|_| letter.next().is_none());
        let by_letter = rows.iter().position(|row| only.is_some_and(|only| row.option.id == only));
        let has = |text: &str| text.to_lowercase().contains(&query);
        let by_name = rows.iter().position(|row| row.option.long.starts_with(&query));
        let by_meaning =
            rows.iter().position(|row| has(row.option.long) || has(row.option.meaning));
        let found = by_letter.or(by_name).or(by_meaning);
        self.at = found.unwrap_or(self.at);
        found.is_some()
    }

    /// True where the selected option is a list of fields, to be picked from a line.
    pub(crate) fn picks_fields(&self) -> bool {
        self.sheet.spec.name == "cut"
            && self.rows().get(self.at).is_some_and(|row| row.option.id == 'f')
    }

    /// How many of the rows are switches.
    pub(crate) fn switches(&self) -> usize {
        self.sheet.rows.iter().filter(|row| row.option.value.is_none()).count()
    }
}
