//! Pointing at a line, a field, a column, and doing something with it.

mod drawing;
pub(crate) mod state;

pub(crate) use drawing::place_in_words;

use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::text::display::safe;
use insight::Outcome;
use ratatui::layout::{Position, Size};
use std::sync::Arc;
use tui_input::Input;

use engine::Kept;
use insight::{Group, Splitting, beginning, replacing};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::screen::list::List;
use crate::screen::place::Place;
use crate::screen::view_name::BENCH;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint, most};
use crate::state::lens::{Content, row_lines};
use crate::state::put_at::PutAt;
use crate::state::trials::Trials;
use crate::update::trials::{LINE, ground_of};
use crate::views::point::state::{Entry, PointView, Tried};

/// Points at the line under the cursor of the lens.
pub(crate) fn point_at_line(app: &mut App) {
    let Some(preview) = app.result.preview.clone() else { return };
    if app.must_wait() {
        return;
    }
    let (row, left, right) = row_lines(&preview, &app.lens.content, app.lens.cursor);
    let output = |stage: usize| preview.stages.get(stage).map(|stage| stage.out.clone());
    let pointed = match (&app.lens.content, app.shown()) {
        (Content::Stream { .. }, Place::Source) => {
            app.stream_of(Place::Source).map(|kept| (PutAt::Source, kept, row.left, left))
        }
        (Content::Stream { .. }, place) => {
            let stage = place.stage();
            output(stage).map(|kept| (PutAt::After(stage), kept, row.left, left))
        }
        // A line that is dropped is pointed at where it comes in.
        (Content::Stage { stage, .. }, _) if row.right.is_some() => {
            output(*stage).map(|kept| (PutAt::After(*stage), kept, row.right, right))
        }
        (Content::Stage { stage, .. }, _) => {
            let result = preview.stages.get(*stage);
            let place = result.and_then(|result| result.input_at(row.left?));
            let at = stage.checked_sub(1).map_or(PutAt::Source, PutAt::After);
            result.zip(place).map(|(result, (input, line))| {
                (at, result.inputs[input].kept.clone(), Some(line), left)
            })
        }
        (Content::Bytes { .. } | Content::Empty, _) => None,
    };
    let Some((at, kept, Some(line), Some(text))) = pointed else {
        app.message = Some("no line here to point at".to_owned());
        return;
    };
    let text = text[..text.len().min(LINE)].to_vec();
    point(app, at, &kept, Some(line + 1), text, None, 0);
}

/// Points at a column of the Columns view.
pub(crate) fn point_at_column(
    app: &mut App,
    kept: &Arc<Kept>,
    splitting: Option<Splitting>,
    number: usize,
) {
    if app.must_wait() {
        return;
    }
    let at = PutAt::of(app.shown());
    point(app, at, kept, None, Vec::new(), splitting, number - 1);
}

fn point(
    app: &mut App,
    at: PutAt,
    kept: &Arc<Kept>,
    line: Option<u64>,
    text: Vec<u8>,
    splitting: Option<Splitting>,
    field: usize,
) {
    let exact = app.known_of(kept) == engine::Known::Exact;
    let (input, whole) = beginning(kept);
    let whole = whole && exact;
    let mut point = PointView {
        ground: ground_of(kept, splitting),
        line,
        other_line: app.range_end.filter(|(of, _)| *of == at).map(|(_, line)| line),
        text,
        field,
        marked: None,
        at,
        list: List::new(Vec::new()),
        examples: app.examples.marks.len(),
        offers: Vec::new(),
        outcomes: Vec::new(),
        input,
        whole,
        by_awk: false,
        trials: Trials::default(),
    };
    point.renew();
    try_offers(app, &mut point);
    app.open_drawer(point);
}

/// Tries all offers in the background.
fn try_offers(app: &mut App, point: &mut PointView) {
    let stages = point.offers.iter().map(|offer| offer.stages.clone());
    point.trials = app.try_all(stages.enumerate().collect(), point.input.clone(), tried);
}

/// A key while something is pointed at; false where that ends.
pub(crate) fn pressed(app: &mut App, point: &mut PointView, key: KeyEvent) -> bool {
    let shift = key.modifiers.contains(KeyModifiers::SHIFT);
    let other = key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
    let before = (point.field, point.marked.clone());
    match key.code {
        KeyCode::Left if shift => point.mark(false, false),
        KeyCode::Right if shift => point.mark(false, true),
        KeyCode::Left if other => point.mark(true, false),
        KeyCode::Right if other => point.mark(true, true),
        KeyCode::Left => point.step(-1),
        KeyCode::Right => point.step(1),
        KeyCode::Tab => point.by_awk = !point.by_awk,
        _ => {
            if point.list.key(key) {
                take_offer(app, point);
                return false;
            }
        }
    }
    if (point.field, point.marked.clone()) != before {
        try_offers(app, point);
    }
    true
}

/// Puts the selected offer into the text, or asks for what it needs.
fn take_offer(app: &mut App, point: &PointView) {
    let at = point.at;
    match point.entry() {
        Some(Entry::RangeEnd) => {
            app.range_end = point.line.map(|line| (at, line));
            app.message = Some("marked; point at the other end of the range".to_owned());
            return;
        }
        Some(Entry::Example) => return crate::views::patterns::add_example(app, point, false),
        Some(Entry::CounterExample) => {
            return crate::views::patterns::add_example(app, point, true);
        }
        _ => {}
    }
    let Some((offer, stages)) = point.chosen() else { return };
    if let Some(old) = &offer.replaces {
        let (old, title) = (old.clone(), format!("replace “{}” by", safe(old)));
        app.open_drawer(Prompt::new(title, "", "put it in", move |app, new| {
            app.put_stages(at, &replacing(&old, new));
        }));
        return;
    }
    let (stages, group) = (stages.to_owned(), offer.group);
    app.put_stages(at, &stages);
    // Where lines were chosen, their columns are what one wants to see next; else the result.
    if app.view != BENCH && group != Group::Lines {
        app.show_view(BENCH);
    }
}

/// Takes what came out of an offer.
fn tried(app: &mut App, number: u64, at: usize, made: Option<Outcome>) {
    let point = app.drawer_of_mut::<PointView>().filter(|point| point.trials.number == number);
    if let Some(place) = point.and_then(|point| point.outcomes.get_mut(at)) {
        *place = made.map_or(Tried::Impossible, Tried::Made);
    }
}

impl Drawer<App> for PointView {
    fn name(&self) -> &'static str {
        "point"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        drawing::rows(self, most(size))
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let field = if self.line.is_some() { "field" } else { "column" };
        let mut hints = vec![("Enter", "put it in"), ("Esc", "close"), ("←→", field)];
        hints.extend([("type", "to search"), ("↑↓", "choose")]);
        if self.line.is_some() {
            hints.push(("Shift-←→", "mark a piece"));
            hints.push(("Ctrl-←→", "its beginning"));
        }
        hints.push(("Tab", "as awk"));
        hints
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.list.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.list.at)
    }

    fn drawn_over(&mut self, from: usize, to: usize, app: &mut App) {
        if from == to {
            self.go_to(from);
        } else {
            self.mark_between(from, to);
        }
        try_offers(app, self);
    }
}
