//! What lies over the notes for a while: what all drawers have in common.

use std::any::Any;

use ratatui::crossterm::event::{KeyCode, KeyEvent};
use ratatui::layout::{Position, Size};
use tui_input::{Input, InputRequest};

use crate::screen::canvas::Canvas;
use crate::screen::view_name::ViewName;

/// A key and what it does, in a word or two.
pub(crate) type Hint = (&'static str, &'static str);

/// What becomes of a drawer after a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum After {
    /// It stays.
    Stays,
    /// It is closed.
    Closes,
}

impl After {
    /// Stays where this is so.
    pub(crate) fn stays_if(stays: bool) -> Self {
        if stays { Self::Stays } else { Self::Closes }
    }
}

/// Something that lies over the notes, or over all but the text. While it has a key it is taken out of the
/// state `S`, so that it can change both.
pub(crate) trait Drawer<S>: Any {
    /// What it is, for the log and the tests.
    fn name(&self) -> &'static str;

    /// Rows it takes on a screen of this size.
    fn rows(&self, app: &S, size: Size) -> u16;

    /// Draws it; gives the place of the cursor where text is typed.
    fn draw(&self, canvas: &mut Canvas<'_>, app: &S) -> Option<Position>;

    /// The keys that mean something in it, the most important ones first.
    fn hints(&self, app: &S) -> Vec<Hint>;

    /// A key that does not close every drawer.
    fn key(&mut self, key: KeyEvent, app: &mut S) -> After;

    /// The line that is typed in it.
    fn input(&mut self) -> Option<&mut Input> {
        None
    }

    /// The selected row, where it has a list.
    fn selected(&mut self) -> Option<&mut usize> {
        None
    }

    /// Text was pasted: it is typed, without what a line has not.
    fn pasted(&mut self, text: &str, _app: &mut S) {
        let Some(input) = self.input() else { return };
        for character in text.chars().filter(|character| !character.is_control()) {
            input.handle(InputRequest::InsertChar(character));
        }
    }

    /// A row of its list was clicked: it is selected first, and taken then.
    fn clicked(&mut self, row: usize, app: &mut S) -> After {
        let again = self.selected().is_some_and(|selected| std::mem::replace(selected, row) == row);
        if again { self.key(KeyEvent::from(KeyCode::Enter), app) } else { After::Stays }
    }

    /// The line it was opened for was clicked at a byte, or drawn over between two.
    fn drawn_over(&mut self, _from: usize, _to: usize, _app: &mut S) {}

    /// The view that the head names while it is open, over this one.
    fn shown_as(&self, under: ViewName) -> ViewName {
        under
    }

    /// What the head says in the place of the file's name, where there is no text yet to be seen.
    fn instead_of_text(&self) -> Option<String> {
        None
    }

    /// It was closed by Esc.
    fn left(&mut self, _app: &mut S) {}

    /// It takes the whole screen but for the command text.
    fn is_whole(&self) -> bool {
        false
    }
}

/// The most rows of a drawer that leaves something of what is above.
pub(crate) fn most(size: Size) -> u16 {
    size.height * 3 / 5
}
