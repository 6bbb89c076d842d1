//! A line of text that is asked for.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::{Position, Size};
use tui_input::Input;

use crate::screen::canvas::Canvas;
use crate::screen::input::input;
use crate::screen::list::edit;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};

/// What is done with the line.
type Answered = Box<dyn FnOnce(&mut App, &str)>;

/// A line of text being asked for.
pub(crate) struct Prompt {
    /// What for.
    pub title: String,
    /// The text so far.
    pub input: Input,
    /// It was there to begin with and gives way to what is typed.
    pub offered: bool,
    /// What Enter and Esc do.
    hints: [Hint; 2],
    /// What Enter does; none after it.
    answered: Option<Answered>,
}

impl Prompt {
    /// Asks for a line that begins with this text; `enter` says what Enter does.
    pub(crate) fn new(
        title: impl Into<String>,
        text: &str,
        enter: &'static str,
        answered: impl FnOnce(&mut App, &str) + 'static,
    ) -> Self {
        Self {
            title: title.into(),
            input: Input::new(text.to_owned()),
            offered: !text.is_empty(),
            hints: [("Enter", enter), ("Esc", "close")],
            answered: Some(Box::new(answered)),
        }
    }

    /// As [`Prompt::new`] where a line of blanks is no answer; they are taken off its ends.
    pub(crate) fn word(
        title: impl Into<String>,
        text: &str,
        enter: &'static str,
        answered: impl FnOnce(&mut App, &str) + 'static,
    ) -> Self {
        Self::new(title, text, enter, |app, line| {
            if !line.trim().is_empty() {
                answered(app, line.trim());
            }
        })
    }

    /// With other words for what Esc does.
    pub(crate) fn or_else(mut self, escape: &'static str) -> Self {
        self.hints[1].1 = escape;
        self
    }
}

impl Drawer<App> for Prompt {
    fn name(&self) -> &'static str {
        "prompt"
    }

    fn rows(&self, _app: &App, _size: Size) -> u16 {
        3
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let x = canvas.put(1, 0, &self.title, app.theme.quiet());
        if self.offered {
            canvas.put(x + 2, 0, "typing replaces it, ← edits it", app.theme.ink());
        }
        input(canvas, 1, self.input.value(), self.input.visual_cursor())
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        self.hints.to_vec()
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if key.code == KeyCode::Enter {
            if let Some(answered) = self.answered.take() {
                answered(app, self.input.value());
            }
            return After::Closes;
        }
        let typed = matches!(key.code, KeyCode::Char(_))
            && !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        if std::mem::take(&mut self.offered) && typed {
            self.input = Input::default();
        }
        edit(&mut self.input, key);
        After::Stays
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }
}
