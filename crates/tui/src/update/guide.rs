//! Asking the Guide.

use std::collections::HashMap;
use std::sync::Arc;

use engine::Kept;
use insight::{Ground, beginning, candidates, outcome};
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use tui_input::Input;

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::event::Event;
use crate::state::guide::{Found, GuideView, PageView};
use crate::state::list::edit;
use crate::state::place::{Focus, Place};
use crate::state::point::PutAt;
use crate::state::screen::Screen;

/// Lines whose form is looked at.
const LOOKED_AT: usize = 2_000;

/// Recipes that are tried: as many as a screen shows.
const TRIED: usize = 40;

impl App {
    /// Opens the Guide for the selected stream.
    pub(crate) fn open_guide(&mut self) {
        let kept = self.stream_of(self.shown()).filter(|kept| kept.lines() > 0);
        let at = match self.shown() {
            Place::Source => PutAt::Source,
            Place::Stage(number) | Place::Stream(number) => PutAt::After(number),
        };
        let ground = kept.as_ref().map(|kept| {
            let first = kept.lines_at(0, LOOKED_AT);
            let first: Vec<&[u8]> = first.iter().map(|line| &line[..]).collect();
            Arc::new(Ground::of(&first, candidates(&first)[0].splitting.clone()))
        });
        let (input, whole) = match &kept {
            Some(kept) => beginning(kept),
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
            tries: self.points,
            trying: None,
        };
        guide.renew();
        self.try_recipes(&mut guide);
        self.drawer = Some(Drawer::Guide(Box::new(guide)));
    }

    /// Tries the recipes around the selected one in the background.
    fn try_recipes(&mut self, guide: &mut GuideView) {
        if let Some(trying) = guide.trying.take() {
            trying.cancel();
        }
        if guide.ground.is_none() {
            return;
        }
        self.points += 1;
        guide.tries = self.points;
        let number = guide.tries;
        let control = stream::RunControl::default();
        guide.trying = Some(control.clone());
        let from = guide.selected.saturating_sub(TRIED * 3 / 4);
        let wanted = guide.found.iter().skip(from).take(TRIED).filter_map(|found| match found {
            Found::Recipe(recipe) if !guide.outcomes.contains_key(recipe) => {
                Some((*recipe, guide.forms[*recipe].stages.clone()))
            }
            _ => None,
        });
        let wanted: Vec<(usize, String)> = wanted.collect();
        let (input, events) = (guide.input.clone(), self.session.events.clone());
        self.in_background("guide", move || {
            for (recipe, stages) in wanted {
                if control.is_cancelled() {
                    break;
                }
                let made = outcome(&stages, &input, &stream::RunControl::default());
                // Nobody listens any more when the screen is gone.
                let _ = events.send(Event::Tried(number, recipe, made));
            }
            Event::Tried(number, usize::MAX, None)
        });
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
