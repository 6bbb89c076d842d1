//! Examples that are marked, and the patterns for them.

mod drawing;
pub(crate) mod state;

use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::text::display::safe;
use insight::{Mark, finds};
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use ratatui::layout::{Position, Size};

use crate::screen::place::Focus;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::state::examples::Examples;
use crate::state::job::Job;
use crate::views::patterns::state::PatternView;
use crate::views::point::state::PointView;

/// Takes what is pointed at as an example, and shows the patterns.
pub(crate) fn add_example(app: &mut App, point: &PointView, must_not: bool) {
    let Some(piece) = point.piece() else {
        app.message = Some("nothing is marked here".to_owned());
        return;
    };
    app.message = None;
    let mark = Mark { line: point.text.clone(), piece };
    if must_not {
        app.examples.nots.push(mark);
    } else {
        app.examples.marks.push(mark);
    }
    let mut patterns = PatternView::new(&app.examples, point.at, point.input.clone(), point.whole);
    try_patterns(app, &mut patterns);
    app.open_drawer(patterns);
}

/// Counts in the background what each pattern finds.
fn try_patterns(app: &mut App, patterns: &mut PatternView) {
    app.points += 1;
    let number = app.points;
    patterns.tries = number;
    let all: Vec<String> = patterns.suggestions.iter().map(|one| one.pattern.clone()).collect();
    let input = patterns.input.clone();
    app.in_background(Job::Patterns, move || {
        let lines = input.lines_at(0, insight::TRIED);
        let found = all.iter().map(|one| finds(one, lines.iter().map(|line| &line[..])));
        let found = found.collect();
        Event::then(move |app| tried(app, number, found))
    });
}

/// Takes what the patterns find.
pub(crate) fn tried(app: &mut App, number: u64, found: Vec<insight::Finds>) {
    let patterns = app.drawer_of_mut::<PatternView>();
    if let Some(patterns) = patterns.filter(|patterns| patterns.tries == number) {
        patterns.finds = found;
    }
}

/// A key while patterns are shown; false where that ends.
pub(crate) fn pressed(app: &mut App, patterns: &mut PatternView, code: KeyCode) -> bool {
    let last = patterns.suggestions.len().saturating_sub(1);
    let uses = patterns.uses();
    match code {
        KeyCode::Up => patterns.at = patterns.at.saturating_sub(1),
        KeyCode::Down => patterns.at = (patterns.at + 1).min(last),
        KeyCode::Home => patterns.at = 0,
        KeyCode::End => patterns.at = last,
        KeyCode::Left => patterns.using = patterns.using.saturating_sub(1),
        KeyCode::Right => {
            patterns.using = (patterns.using + 1).min(uses.len().saturating_sub(1));
        }
        KeyCode::Char('m' | 'n') => {
            app.focus = Focus::Lens;
            app.message =
                Some("go to another line, Enter there, and choose the example with ←→".to_owned());
            return false;
        }
        KeyCode::Char('x') => {
            app.examples = Examples::default();
            app.message = Some("the examples are forgotten".to_owned());
            return false;
        }
        KeyCode::Enter => return take_pattern(app, patterns, &uses),
        _ => {}
    }
    true
}

/// Puts the stage of the selected use in, or asks for what takes the place of the matches.
fn take_pattern(app: &mut App, patterns: &PatternView, uses: &[(&'static str, String)]) -> bool {
    let Some(one) = patterns.suggestions.get(patterns.at) else { return true };
    let Some((_, stage)) = uses.get(patterns.using) else { return true };
    let (at, pattern) = (patterns.put_at, one.pattern.clone());
    if stage.is_empty() {
        let title = format!("replace what {} matches by", safe(&pattern));
        app.open_drawer(Prompt::new(title, "", "put it in", move |app, text| {
            app.put_stages(at, &insight::substituting(&pattern, text));
        }));
    } else {
        app.put_stages(at, stage);
    }
    app.examples = Examples::default();
    false
}

impl Drawer<App> for PatternView {
    fn name(&self) -> &'static str {
        "pattern"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![
            ("Enter", "put it in"),
            ("Esc", "close"),
            ("↑↓", "pattern"),
            ("←→", "what to do with it"),
            ("m", "mark one more"),
            ("x", "forget the examples"),
        ]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key.code))
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.at)
    }
}
