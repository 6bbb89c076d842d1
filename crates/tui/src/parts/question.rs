//! A question that is answered by a letter, with all that a yes covers.

use ratatui::crossterm::event::{KeyCode, KeyEvent};
use ratatui::layout::{Position, Size};
use ratatui::style::Style;

use crate::screen::canvas::Canvas;
use crate::screen::list::scroll;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::text::display::at_blanks;

/// A row of a question: where its pieces begin after one another, and how they look.
pub(crate) type Row = Vec<(u16, String, Style)>;

/// Rows that a question has at most for its keys; what is shown ends where it ends.
const ROWS: usize = 100_000;

/// An answer: a letter, what it does in words, and what it does.
struct Answer {
    letter: char,
    does: Box<dyn FnOnce(&mut App)>,
}

/// A question. Esc leaves it unanswered.
pub(crate) struct Question {
    /// What is asked.
    pub title: String,
    /// What a yes covers.
    covers: Box<dyn Fn(&App) -> Vec<Row>>,
    answers: Vec<Answer>,
    hints: Vec<Hint>,
    /// True where the first answer changes nothing, so that Enter gives it too.
    is_safe: fn(&App) -> bool,
    /// What Esc does besides.
    escape: fn(&mut App),
    /// The fewest rows it takes.
    least: u16,
    /// The first row that is shown.
    top: usize,
}

impl Question {
    /// A question without answers yet.
    pub(crate) fn new(title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            covers: Box::new(|_| Vec::new()),
            answers: Vec::new(),
            hints: Vec::new(),
            is_safe: |_| false,
            escape: |_| {},
            least: 3,
            top: 0,
        }
    }

    /// A question for yes or no.
    pub(crate) fn yes_or_no(
        title: impl Into<String>,
        yes: impl FnOnce(&mut App) + 'static,
    ) -> Self {
        Self::new(title).answer('y', "yes", yes).answer('n', "no", |_| {})
    }

    /// With a letter, and what it does; the first answer is the yes.
    pub(crate) fn answer(
        self,
        letter: char,
        says: &'static str,
        does: impl FnOnce(&mut App) + 'static,
    ) -> Self {
        self.hint(name_of(letter), says).unsaid(letter, does)
    }

    /// With a letter of which nothing is said.
    pub(crate) fn unsaid(mut self, letter: char, does: impl FnOnce(&mut App) + 'static) -> Self {
        self.answers.push(Answer { letter, does: Box::new(does) });
        self
    }

    /// With words for a key.
    pub(crate) fn hint(mut self, key: &'static str, says: &'static str) -> Self {
        self.hints.push((key, says));
        self
    }

    /// With what a yes covers.
    pub(crate) fn covering(mut self, covers: impl Fn(&App) -> Vec<Row> + 'static) -> Self {
        self.covers = Box::new(covers);
        self
    }

    /// Enter gives the first answer where that changes nothing.
    pub(crate) fn safe_where(mut self, is_safe: fn(&App) -> bool) -> Self {
        self.is_safe = is_safe;
        self
    }

    /// With something that Esc does.
    pub(crate) fn on_escape(mut self, escape: fn(&mut App)) -> Self {
        self.escape = escape;
        self
    }

    /// With room for this many rows.
    pub(crate) fn at_least(mut self, rows: u16) -> Self {
        self.least = rows;
        self
    }

    /// What is asked and all that a yes covers, in rows as wide as the screen.
    fn all(&self, app: &App) -> Vec<Row> {
        let title = at_blanks(&self.title, usize::from(app.width().saturating_sub(2)));
        let title = title.into_iter().map(|text| vec![(1, text, app.theme.bright())]);
        title.chain((self.covers)(app)).collect()
    }
}

/// The name of a letter's key.
fn name_of(letter: char) -> &'static str {
    const NAMES: &[&str] = &["a", "d", "e", "g", "n", "o", "s", "t", "y"];
    NAMES.iter().find(|name| name.starts_with(letter)).copied().unwrap_or("")
}

impl Drawer<App> for Question {
    fn name(&self) -> &'static str {
        "question"
    }

    fn rows(&self, app: &App, size: Size) -> u16 {
        (self.all(app).len() as u16 + 1).clamp(self.least, most(size).max(self.least))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let area = canvas.area;
        let rows = self.all(app);
        let height = usize::from(area.height);
        let top = self.top.min(rows.len().saturating_sub(height));
        for (y, row) in (0..area.height).zip(rows.iter().skip(top)) {
            let mut x = 0;
            for (indent, text, style) in row {
                x = canvas.put(x + indent, y, text, *style);
            }
        }
        if rows.len() > height {
            let text = format!(" {}–{} of {}, ↑↓ ", top + 1, top + height, rows.len());
            canvas.put_right(area.width.saturating_sub(1), 0, &text, app.theme.quiet());
        }
        None
    }

    fn hints(&self, app: &App) -> Vec<Hint> {
        let enter = (self.is_safe)(app).then_some(("Enter", "yes"));
        enter.into_iter().chain(self.hints.iter().copied()).collect()
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if scroll(&mut self.top, key.code, ROWS) {
            return After::Stays;
        }
        let at = match key.code {
            KeyCode::Char(letter) => {
                let letter = letter.to_ascii_lowercase();
                self.answers.iter().position(|answer| answer.letter == letter)
            }
            KeyCode::Enter if (self.is_safe)(app) => Some(0),
            _ => None,
        };
        let Some(at) = at else { return After::Stays };
        (self.answers.remove(at).does)(app);
        After::Closes
    }

    fn left(&mut self, app: &mut App) {
        (self.escape)(app);
    }
}
