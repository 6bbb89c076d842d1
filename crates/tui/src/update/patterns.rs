//! Examples that are marked, and the patterns for them.

use insight::{Mark, finds};
use ratatui::crossterm::event::KeyCode;

use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::event::Event;
use crate::state::examples::{Examples, PatternView};
use crate::state::job::Job;
use crate::state::place::Focus;
use crate::state::point::PointView;

impl App {
    /// Takes what is pointed at as an example, and shows the patterns.
    pub(crate) fn add_example(&mut self, point: &PointView, must_not: bool) {
        let Some(piece) = point.piece() else {
            self.message = Some("nothing is marked here".to_owned());
            return;
        };
        self.message = None;
        let mark = Mark { line: point.text.clone(), piece };
        if must_not {
            self.examples.nots.push(mark);
        } else {
            self.examples.marks.push(mark);
        }
        let mut patterns =
            PatternView::new(&self.examples, point.at, point.input.clone(), point.whole);
        self.try_patterns(&mut patterns);
        self.drawer = Some(Drawer::Pattern(Box::new(patterns)));
    }

    /// Counts in the background what each pattern finds.
    fn try_patterns(&mut self, patterns: &mut PatternView) {
        self.points += 1;
        let number = self.points;
        patterns.tries = number;
        let all: Vec<String> = patterns.suggestions.iter().map(|one| one.pattern.clone()).collect();
        let input = patterns.input.clone();
        self.in_background(Job::Patterns, move || {
            let lines = input.lines_at(0, insight::TRIED);
            let found = all.iter().map(|one| finds(one, lines.iter().map(|line| &line[..])));
            Event::Finds(number, found.collect())
        });
    }

    /// Takes what the patterns find.
    pub(crate) fn patterns_tried(&mut self, number: u64, found: Vec<insight::Finds>) {
        if let Some(Drawer::Pattern(patterns)) = &mut self.drawer
            && patterns.tries == number
        {
            patterns.finds = found;
        }
    }

    /// A key while patterns are shown; false where that ends.
    pub(crate) fn pattern_key(&mut self, patterns: &mut PatternView, code: KeyCode) -> bool {
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
                self.focus = Focus::Lens;
                self.message = Some(
                    "go to another line, Enter there, and choose the example with ←→".to_owned(),
                );
                return false;
            }
            KeyCode::Char('x') => {
                self.examples = Examples::default();
                self.message = Some("the examples are forgotten".to_owned());
                return false;
            }
            KeyCode::Enter => return self.take_pattern(patterns, &uses),
            _ => {}
        }
        true
    }

    /// Puts the stage of the selected use in, or asks for what takes the place of the matches.
    fn take_pattern(&mut self, patterns: &PatternView, uses: &[(&'static str, String)]) -> bool {
        let Some(one) = patterns.suggestions.get(patterns.at) else { return true };
        let Some((_, stage)) = uses.get(patterns.using) else { return true };
        let (at, pattern) = (patterns.put_at, one.pattern.clone());
        if stage.is_empty() {
            self.drawer = Some(Drawer::prompt(PromptKind::Substitute { at, pattern }, ""));
        } else {
            self.put_stages(at, stage);
        }
        self.examples = Examples::default();
        false
    }
}
