//! The Shelf: saved pipelines and everything that was evaluated before.

use std::path::PathBuf;

use insight::{ShelfEntry, Shelved, search_shelf};
use tui_input::Input;

/// The Shelf on screen.
pub(crate) struct ShelfView {
    /// Which reading of it: only the newest counts.
    pub number: u64,
    /// What is on it; `None` while it is read.
    pub entries: Option<Vec<ShelfEntry>>,
    /// What is searched for.
    pub query: Input,
    /// The entries found, by their numbers.
    pub found: Vec<usize>,
    /// The selected one of those.
    pub at: usize,
    /// Enter was pressed before it was read.
    pub opens: bool,
    /// The one to be selected when it has been read again.
    pub wanted: Option<PathBuf>,
}

impl ShelfView {
    /// One that is being read.
    pub(crate) fn reading(number: u64, query: Input, wanted: Option<PathBuf>) -> Self {
        Self { number, entries: None, query, found: Vec::new(), at: 0, opens: false, wanted }
    }

    /// Searches again.
    pub(crate) fn search(&mut self) {
        let query = self.query.value().to_owned();
        self.found = self.entries.as_ref().map(|all| search_shelf(all, &query)).unwrap_or_default();
        self.at = self.at.min(self.found.len().saturating_sub(1));
    }

    /// Takes what was read.
    pub(crate) fn take(&mut self, entries: Vec<ShelfEntry>) {
        self.entries = Some(entries);
        self.search();
        if let Some(wanted) = self.wanted.take() {
            let is_it = |number: &usize| {
                let entry = self.entries.as_ref().and_then(|all| all.get(*number));
                entry.is_some_and(|entry| entry.shelved == Shelved::Saved(wanted.clone()))
            };
            self.at = self.found.iter().position(is_it).unwrap_or(self.at);
        }
    }

    /// The selected entry.
    pub(crate) fn chosen(&self) -> Option<&ShelfEntry> {
        self.entries.as_ref()?.get(*self.found.get(self.at)?)
    }
}
