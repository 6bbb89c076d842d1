//! The command text: a line editor over several lines, with undo.

use ratatui::crossterm::event::KeyCode;
use shell::Span;
use tui_input::{Input, InputRequest};

/// Steps that can be undone.
const UNDO_MAX: usize = 500;

/// The text, its cursor, and how it was before.
#[derive(Debug, Default)]
pub(crate) struct Editor {
    input: Input,
    undo: Vec<(String, usize)>,
    redo: Vec<(String, usize)>,
    /// The kind of the last change; typing continues in one step.
    typing: bool,
    /// What was deleted last, but for single characters.
    killed: String,
}

/// What can be asked of the editor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Edit {
    /// A request to the line editor.
    Request(InputRequest),
    /// To the start of the line.
    LineStart,
    /// To the end of the line.
    LineEnd,
    /// Delete up to the end of the line.
    KillLine,
    /// Delete back to the blank before a word.
    KillWord,
    /// Put in what was deleted last.
    Yank,
}

/// Where the word before the cursor begins that is set apart by blanks.
pub(crate) fn word_before(before: &str) -> usize {
    let word = before.trim_end();
    word.rfind(char::is_whitespace)
        .map_or(0, |at| at + word[at..].chars().next().map_or(1, char::len_utf8))
}

/// The readline keys, for every place where text is typed.
pub(crate) fn readline(code: KeyCode, control: bool, alt: bool) -> Option<Edit> {
    use InputRequest as Ask;
    let ask = |request| Some(Edit::Request(request));
    match (code, control, alt) {
        (KeyCode::Left, false, false) | (KeyCode::Char('b'), true, false) => ask(Ask::GoToPrevChar),
        (KeyCode::Right, false, false) | (KeyCode::Char('f'), true, false) => {
            ask(Ask::GoToNextChar)
        }
        (KeyCode::Left, ..) | (KeyCode::Char('b'), false, true) => ask(Ask::GoToPrevWord),
        (KeyCode::Right, ..) | (KeyCode::Char('f'), false, true) => ask(Ask::GoToNextWord),
        (KeyCode::Home, ..) | (KeyCode::Char('a'), true, false) => Some(Edit::LineStart),
        (KeyCode::End, ..) | (KeyCode::Char('e'), true, false) => Some(Edit::LineEnd),
        (KeyCode::Backspace, _, true) => ask(Ask::DeletePrevWord),
        (KeyCode::Char('w'), true, false) => Some(Edit::KillWord),
        (KeyCode::Backspace, ..) | (KeyCode::Char('h'), true, false) => ask(Ask::DeletePrevChar),
        (KeyCode::Delete, ..) | (KeyCode::Char('d'), true, false) => ask(Ask::DeleteNextChar),
        (KeyCode::Char('d'), false, true) => ask(Ask::DeleteNextWord),
        (KeyCode::Char('k'), true, false) => Some(Edit::KillLine),
        (KeyCode::Char('u'), true, false) => ask(Ask::DeleteFromStart),
        (KeyCode::Char('y'), true, false) => Some(Edit::Yank),
        _ => None,
    }
}

impl Editor {
    /// An editor with this text and the cursor at its end.
    pub(crate) fn new(text: &str) -> Self {
        Self { input: Input::new(text.to_owned()), ..Self::default() }
    }

    /// An editor with this text and the cursor at its beginning.
    pub(crate) fn at_start(text: &str) -> Self {
        let mut editor = Self::new(text);
        editor.set_cursor(0);
        editor
    }

    /// The text.
    pub(crate) fn text(&self) -> &str {
        self.input.value()
    }

    /// The cursor as a byte of the text.
    pub(crate) fn cursor(&self) -> usize {
        let text = self.text();
        text.char_indices().nth(self.input.cursor()).map_or(text.len(), |(at, _)| at)
    }

    /// Puts the cursor at a byte of the text.
    pub(crate) fn set_cursor(&mut self, byte: usize) {
        let mut byte = byte.min(self.text().len());
        while !self.text().is_char_boundary(byte) {
            byte -= 1;
        }
        let characters = self.text()[..byte].chars().count();
        self.input.handle(InputRequest::SetCursor(characters));
        self.typing = false;
    }

    fn remember(&mut self) {
        if self.undo.len() >= UNDO_MAX {
            self.undo.remove(0);
        }
        self.undo.push((self.text().to_owned(), self.cursor()));
        self.redo.clear();
    }

    /// Types one character.
    pub(crate) fn insert(&mut self, character: char) {
        // A word is one step of undo.
        if !self.typing || character.is_whitespace() {
            self.remember();
        }
        self.input.handle(InputRequest::InsertChar(character));
        self.typing = true;
    }

    /// Inserts text at the cursor as one step: a paste.
    pub(crate) fn insert_text(&mut self, text: &str) {
        let at = self.cursor();
        self.replace(Span::new(at, at), text);
    }

    /// Replaces bytes as one step; the cursor goes behind the new text.
    pub(crate) fn replace(&mut self, span: Span, with: &str) {
        let mut text = self.text().to_owned();
        text.replace_range(span.range(), with);
        self.set_text(&text, span.start + with.len());
    }

    /// Replaces bytes as a part of the step before, or as a step of its own.
    pub(crate) fn amend(&mut self, span: Span, with: &str, own_step: bool) {
        if own_step {
            self.remember();
        }
        let mut text = self.text().to_owned();
        let end = span.end.min(text.len());
        text.replace_range(span.start.min(end)..end, with);
        self.input = Input::new(text);
        self.set_cursor(span.start + with.len());
    }

    /// Sets the whole text as one step.
    pub(crate) fn set_text(&mut self, text: &str, cursor: usize) {
        if text != self.text() {
            self.remember();
        }
        self.input = Input::new(text.to_owned());
        self.set_cursor(cursor);
    }

    /// Moves or deletes. True when the text has changed.
    pub(crate) fn edit(&mut self, edit: Edit) -> bool {
        let before = self.text().to_owned();
        let cursor = self.cursor();
        self.typing = false;
        match edit {
            Edit::LineStart => {
                let start = before[..cursor].rfind('\n').map_or(0, |at| at + 1);
                self.set_cursor(start);
            }
            Edit::LineEnd => {
                let end = before[cursor..].find('\n').map_or(before.len(), |at| cursor + at);
                self.set_cursor(end);
            }
            Edit::KillLine => {
                let end = before[cursor..].find('\n').map_or(before.len(), |at| cursor + at);
                if end == before.len() {
                    self.input.handle(InputRequest::DeleteTillEnd);
                } else {
                    let end = if end == cursor { end + 1 } else { end };
                    before[cursor..end].clone_into(&mut self.killed);
                    self.replace(Span::new(cursor, end), "");
                    return true;
                }
            }
            Edit::KillWord => {
                let start = word_before(&before[..cursor]);
                if start < cursor {
                    before[start..cursor].clone_into(&mut self.killed);
                    self.replace(Span::new(start, cursor), "");
                    return true;
                }
            }
            Edit::Yank => {
                let killed = self.killed.clone();
                if !killed.is_empty() {
                    self.insert_text(&killed);
                    return true;
                }
            }
            Edit::Request(request) => {
                self.input.handle(request);
            }
        }
        let changed = self.text() != before;
        if changed {
            let one = matches!(
                edit,
                Edit::Request(InputRequest::DeletePrevChar | InputRequest::DeleteNextChar)
            );
            if let Some(gone) = before.len().checked_sub(self.text().len()).filter(|_| !one) {
                let at = self.cursor();
                before.get(at..at + gone).unwrap_or_default().clone_into(&mut self.killed);
            }
            if self.undo.len() >= UNDO_MAX {
                self.undo.remove(0);
            }
            self.undo.push((before, cursor));
            self.redo.clear();
        }
        changed
    }

    /// The line and the column of the cursor, in characters.
    pub(crate) fn place(&self) -> (usize, usize) {
        let before = &self.text()[..self.cursor()];
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        (before.matches('\n').count(), before[start..].chars().count())
    }

    /// Moves a line up or down; false at the first or last line.
    pub(crate) fn vertical(&mut self, down: bool) -> bool {
        let (text, cursor) = (self.text(), self.cursor());
        let start = text[..cursor].rfind('\n').map_or(0, |at| at + 1);
        let column = text[start..cursor].chars().count();
        let target = if down {
            match text[cursor..].find('\n') {
                Some(at) => cursor + at + 1,
                None => return false,
            }
        } else {
            match start.checked_sub(1) {
                Some(end) => text[..end].rfind('\n').map_or(0, |at| at + 1),
                None => return false,
            }
        };
        let line = text[target..].split('\n').next().unwrap_or_default();
        let offset = line.char_indices().nth(column).map_or(line.len(), |(at, _)| at);
        self.set_cursor(target + offset);
        true
    }

    /// Back to how it was before the last step.
    pub(crate) fn undo(&mut self) -> bool {
        let Some((text, cursor)) = self.undo.pop() else { return false };
        self.redo.push((self.text().to_owned(), self.cursor()));
        self.input = Input::new(text);
        self.set_cursor(cursor);
        true
    }

    /// Forward again.
    pub(crate) fn redo(&mut self) -> bool {
        let Some((text, cursor)) = self.redo.pop() else { return false };
        self.undo.push((self.text().to_owned(), self.cursor()));
        self.input = Input::new(text);
        self.set_cursor(cursor);
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_between_blanks_are_deleted_and_put_back() {
        let press = |editor: &mut Editor, code, control, alt| {
            editor.edit(readline(code, control, alt).unwrap())
        };
        let mut editor = Editor::new("cat /var/log/gate.log  ");
        assert!(press(&mut editor, KeyCode::Char('w'), true, false));
        assert_eq!((editor.text(), editor.cursor()), ("cat ", 4));
        assert!(press(&mut editor, KeyCode::Char('y'), true, false));
        assert_eq!(editor.text(), "cat /var/log/gate.log  ");
        press(&mut editor, KeyCode::Backspace, false, true);
        assert_eq!(editor.text(), "cat /var/log/", "the small word");
        press(&mut editor, KeyCode::Char('u'), true, false);
        assert_eq!(editor.text(), "");
        assert!(!press(&mut editor, KeyCode::Char('w'), true, false));
        press(&mut editor, KeyCode::Char('y'), true, false);
        assert_eq!(editor.text(), "cat /var/log/");
        for (before, start) in [("", 0), ("  ", 0), ("a", 0), ("a b", 2), ("é  ü", 4), ("a\nb ", 2)]
        {
            assert_eq!(word_before(before), start, "{before:?}");
        }
    }

    #[test]
    fn typing_is_undone_word_by_word_and_done_again() {
        let mut editor = Editor::default();
        for character in "sort -r".chars() {
            editor.insert(character);
        }
        assert!(editor.undo());
        assert_eq!(editor.text(), "sort");
        assert!(editor.undo());
        assert_eq!(editor.text(), "");
        assert!(editor.redo() && editor.redo());
        assert_eq!(editor.text(), "sort -r");
        assert!(!editor.redo());
    }

    #[test]
    fn the_oldest_steps_are_forgotten() {
        let mut editor = Editor::default();
        for _ in 0..UNDO_MAX + 5 {
            // A blank is a step of its own.
            editor.insert(' ');
        }
        let steps = std::iter::from_fn(|| editor.undo().then_some(())).count();
        assert_eq!((steps, editor.text().len()), (UNDO_MAX, 5));
    }

    #[test]
    fn lines_have_starts_ends_and_neighbours() {
        let mut editor = Editor::new("sort é |\nhead -n 5");
        editor.edit(Edit::LineStart);
        assert_eq!(editor.cursor(), 10);
        assert!(editor.vertical(false));
        assert_eq!(editor.cursor(), 0);
        assert!(!editor.vertical(false));
        editor.edit(Edit::LineEnd);
        assert_eq!(&editor.text()[..editor.cursor()], "sort é |");
        assert!(editor.edit(Edit::KillLine));
        assert_eq!(editor.text(), "sort é |head -n 5");
        assert!(editor.edit(Edit::KillLine));
        assert_eq!(editor.text(), "sort é |");
        assert!(editor.edit(Edit::Request(InputRequest::Yank)));
        assert_eq!(editor.text(), "sort é |head -n 5");
    }
}
