//! Asking the Guide.

use std::collections::HashMap;
use std::sync::Arc;

use engine::Kept;
use insight::beginning;
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use tui_input::Input;

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::guide::{Found, GuideView, PageView};
use crate::state::list::edit;
use crate::state::place::Focus;
use crate::state::point::PutAt;
use crate::state::screen::Screen;
use crate::state::trials::Trials;
use crate::update::trials::ground_of;

/// Recipes that are tried: as many as a screen shows.
const TRIED: usize = 40;

impl App {
    /// Opens the Guide for the selected stream.
    pub(crate) fn open_guide(&mut self) {
        // With a mistake in the text there are still the samples to look at.
        let wrong = self.text.problem.is_some();
        if !wrong && self.must_wait() {
            return;
        }
        let kept = self.stream_of(self.shown()).filter(|kept| !wrong && kept.lines() > 0);
        let at = PutAt::of(self.shown());
        let ground = kept.as_ref().map(|kept| ground_of(kept, None));
        let (input, whole) = match &kept {
            Some(kept) => {
                let (input, whole) = beginning(kept);
                (input, whole && self.known_of(kept) == engine::Known::Exact)
            }
            None => (Arc::new(Kept::of(b"")), true),
        };
        // In the Columns view, the column that is selected there.
        let selected = self.columns.rows().get(self.columns.at).map(|column| column.number);
        let field = selected.filter(|_| self.screen == Screen::Columns).unwrap_or(1);
        let mut guide = GuideView {
            ground,
            at,
            field,
            query: Input::default(),
            found: Vec::new(),
            selected: 0,
            forms: Vec::new(),
            outcomes: HashMap::new(),
            input,
            whole,
            trials: Trials::default(),
        };
        guide.renew();
        self.try_recipes(&mut guide);
        self.drawer = Some(Drawer::Guide(Box::new(guide)));
    }

    /// Tries the recipes around the selected one in the background.
    fn try_recipes(&mut self, guide: &mut GuideView) {
        if guide.ground.is_none() {
            return;
        }
        let from = guide.selected.saturating_sub(TRIED * 3 / 4);
        let wanted = guide.found.iter().skip(from).take(TRIED).filter_map(|found| match found {
            Found::Recipe(recipe) if !guide.outcomes.contains_key(recipe) => {
                Some((*recipe, guide.forms[*recipe].stages.clone()))
            }
            _ => None,
        });
        guide.trials = self.try_all(wanted.collect(), guide.input.clone());
    }

    /// A key in the Guide; false where it is closed.
    pub(crate) fn guide_key(&mut self, guide: &mut GuideView, key: KeyEvent) -> bool {
        let last = guide.found.len().saturating_sub(1);
        match key.code {
            KeyCode::Up => guide.selected = guide.selected.saturating_sub(1),
            KeyCode::Down => guide.selected = (guide.selected + 1).min(last),
            KeyCode::PageUp => guide.selected = guide.selected.saturating_sub(10),
            KeyCode::PageDown => guide.selected = (guide.selected + 10).min(last),
            KeyCode::Tab | KeyCode::BackTab => {
                let fields = guide.fields().max(1);
                let step = if key.code == KeyCode::Tab { 1 } else { fields - 1 };
                guide.field = (guide.field - 1 + step) % fields + 1;
                let selected = guide.selected;
                guide.renew();
                guide.selected = selected.min(guide.found.len().saturating_sub(1));
            }
            KeyCode::Enter => return self.take_recipe(guide),
            _ => {
                if edit(&mut guide.query, key) {
                    guide.search();
                }
            }
        }
        self.try_recipes(guide);
        true
    }

    /// Puts the selected recipe in, or opens the selected page.
    fn take_recipe(&mut self, guide: &mut GuideView) -> bool {
        let Some(found) = guide.chosen() else { return true };
        let (title, text) = match found {
            Found::Recipe(recipe) => {
                let stages = guide.forms[recipe].stages.clone();
                self.put_stages(guide.at, &stages);
                if guide.ground.is_some() {
                    self.focus = Focus::River;
                }
                return false;
            }
            Found::Filter(definition) => {
                (definition.spec.name.to_owned(), filters::guide(definition.spec))
            }
            Found::Topic(topic) => (topic.title.to_owned(), topic.text.to_owned()),
        };
        let lines = text.lines().map(str::to_owned).collect();
        // The page leads back to the list it was opened from.
        let list = std::mem::take(guide);
        self.drawer = Some(Drawer::Page(PageView { title, lines, top: 0, guide: Box::new(list) }));
        false
    }
}
