//! Asking the Guide, and its pages.

mod drawing;
pub(crate) mod state;

use crate::screen::canvas::Canvas;
use crate::views::columns;
use insight::Outcome;
use ratatui::layout::{Position, Size};
use std::collections::HashMap;
use std::sync::Arc;

use engine::Kept;
use insight::beginning;
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use tui_input::Input;

use crate::screen::list::{edit, scroll};
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::state::put_at::PutAt;
use crate::state::trials::Trials;
use crate::update::trials::ground_of;
use crate::views::guide::state::{Found, GuideView, PageView};

/// Recipes that are tried: as many as a screen shows.
const TRIED: usize = 40;

/// Opens the Guide for the selected stream.
pub(crate) fn open(app: &mut App) {
    // With a mistake in the text there are still the samples to look at.
    let wrong = app.text.problem.is_some();
    if !wrong && app.must_wait() {
        return;
    }
    let kept = app.stream_of(app.shown()).filter(|kept| !wrong && kept.lines() > 0);
    let at = PutAt::of(app.shown());
    let ground = kept.as_ref().map(|kept| ground_of(kept, None));
    let (input, whole) = match &kept {
        Some(kept) => {
            let (input, whole) = beginning(kept);
            (input, whole && app.known_of(kept) == engine::Known::Exact)
        }
        None => (Arc::new(Kept::of(b"")), true),
    };
    // In the Columns view, the column that is selected there.
    let field = columns::selected(app).unwrap_or(1);
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
    try_recipes(app, &mut guide);
    app.open_drawer(guide);
}

/// Tries the recipes around the selected one in the background.
fn try_recipes(app: &mut App, guide: &mut GuideView) {
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
    guide.trials = app.try_all(wanted.collect(), guide.input.clone(), tried);
}

/// A key in the Guide; false where it is closed.
pub(crate) fn pressed(app: &mut App, guide: &mut GuideView, key: KeyEvent) -> bool {
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
        KeyCode::Enter => return take_recipe(app, guide),
        _ => {
            if edit(&mut guide.query, key) {
                guide.search();
            }
        }
    }
    try_recipes(app, guide);
    true
}

/// Puts the selected recipe in, or opens the selected page.
fn take_recipe(app: &mut App, guide: &mut GuideView) -> bool {
    let Some(found) = guide.chosen() else { return true };
    let (title, text) = match found {
        Found::Recipe(recipe) => {
            let stages = guide.forms[recipe].stages.clone();
            app.put_stages(guide.at, &stages);
            if guide.ground.is_some() {
                app.focus = Focus::River;
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
    app.open_drawer(PageView { title, lines, top: 0, guide: Box::new(list) });
    false
}

/// Takes what came out of a recipe.
fn tried(app: &mut App, number: u64, at: usize, made: Option<Outcome>) {
    let guide = app.drawer_of_mut::<GuideView>();
    if let Some(guide) = guide.filter(|guide| guide.trials.number == number) {
        guide.outcomes.insert(at, made);
    }
}

impl Drawer<App> for GuideView {
    fn name(&self) -> &'static str {
        "guide"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        // On a narrow screen the last ones have no room.
        let mut hints = vec![("type", "what you want"), ("Enter", "put it in"), ("Esc", "close")];
        hints.push(("↑↓", "choose"));
        hints.extend((self.fields() > 1).then_some(("Tab", "another field")));
        hints
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.selected)
    }
}

impl Drawer<App> for PageView {
    fn name(&self) -> &'static str {
        "page"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::page_rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::page(canvas, self, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "scroll"), ("Enter", "back to the list"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if key.code != KeyCode::Enter {
            scroll(&mut self.top, key.code, self.lines.len());
            return After::Stays;
        }
        app.open_drawer(std::mem::take(&mut *self.guide));
        After::Closes
    }
}
