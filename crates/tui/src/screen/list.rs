//! A list with a search, and the keys of a line of text.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::{Input, InputRequest};

use crate::text::editor::{Edit, readline, word_before};

/// A list with a search.
pub(crate) struct List<T> {
    /// All entries with the text they are found by.
    pub all: Vec<(String, T)>,
    /// The search.
    pub query: Input,
    /// The entry selected, among those found.
    pub at: usize,
}

impl<T> List<T> {
    pub(crate) fn new(all: Vec<(String, T)>) -> Self {
        Self { all, query: Input::default(), at: 0 }
    }

    /// The entries that have every word of the search.
    pub(crate) fn found(&self) -> Vec<&(String, T)> {
        let query = self.query.value().to_lowercase();
        let has =
            |text: &str| query.split_whitespace().all(|word| text.to_lowercase().contains(word));
        self.all.iter().filter(|(text, _)| has(text)).collect()
    }

    /// Moves or searches; true for Enter.
    pub(crate) fn key(&mut self, key: KeyEvent) -> bool {
        let last = self.found().len().saturating_sub(1);
        match key.code {
            KeyCode::Up => self.at = self.at.saturating_sub(1),
            KeyCode::Down => self.at = (self.at + 1).min(last),
            KeyCode::PageUp => self.at = self.at.saturating_sub(10),
            KeyCode::PageDown => self.at = (self.at + 10).min(last),
            KeyCode::Enter => return true,
            _ => {
                if edit(&mut self.query, key) {
                    self.at = 0;
                }
            }
        }
        false
    }
}

/// Moves the first row of something that scrolls; false for a key that does something else.
pub(crate) fn scroll(top: &mut usize, code: KeyCode, rows: usize) -> bool {
    *top = match code {
        KeyCode::Up => top.saturating_sub(1),
        KeyCode::Down => (*top + 1).min(rows),
        KeyCode::PageDown | KeyCode::Char(' ') => (*top + 10).min(rows),
        KeyCode::PageUp => top.saturating_sub(10),
        _ => return false,
    };
    true
}

/// The line editor's keys; true when the text has changed.
pub(crate) fn edit(input: &mut Input, key: KeyEvent) -> bool {
    use InputRequest as Ask;
    let control = key.modifiers.contains(KeyModifiers::CONTROL);
    let alt = key.modifiers.contains(KeyModifiers::ALT);
    let request = match (readline(key.code, control, alt), key.code) {
        (Some(Edit::LineStart), _) => Ask::GoToStart,
        (Some(Edit::LineEnd), _) => Ask::GoToEnd,
        (Some(Edit::KillLine), _) => Ask::DeleteTillEnd,
        (Some(Edit::KillWord), _) => {
            let text = input.value().to_owned();
            let cursor = input.cursor();
            let end = text.char_indices().nth(cursor).map_or(text.len(), |(at, _)| at);
            let start = word_before(&text[..end]);
            let left = format!("{}{}", &text[..start], &text[end..]);
            *input = Input::new(left).with_cursor(text[..start].chars().count());
            return start < end;
        }
        (Some(Edit::Yank), _) => Ask::Yank,
        (Some(Edit::Request(request)), _) => request,
        (None, KeyCode::Char(character)) if !control && !alt => Ask::InsertChar(character),
        (None, _) => return false,
    };
    input.handle(request).is_some_and(|changed| changed.value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_changed_search_begins_again_at_the_first_entry() {
        let mut list = List::new(["sort", "sed", "seq"].map(|name| (name.to_owned(), ())).into());
        let press = |list: &mut List<()>, code| list.key(KeyEvent::new(code, KeyModifiers::NONE));
        for code in [KeyCode::Char('s'), KeyCode::Down, KeyCode::Down, KeyCode::F(5), KeyCode::Left]
        {
            assert!(!press(&mut list, code));
        }
        assert_eq!((list.query.value(), list.at), ("s", 2));
        press(&mut list, KeyCode::Char('e'));
        assert_eq!((list.query.value(), list.at), ("es", 0));
        assert!(press(&mut list, KeyCode::Enter));
    }
}
