//! The Bench: the river of stages, and the lens on what passes them.

pub(crate) mod lens;
pub(crate) mod river;

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::Rect;

use crate::actions::{Action, Entry};
use crate::hints::{of_stage, with};
use crate::parts::notes;
use crate::screen::canvas::Canvas;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::{BENCH, PENDING, ViewName};
use crate::state::app::App;
use crate::state::drawer::Hint;
use crate::state::purpose::Purpose;
use crate::state::view::{OwnLetters, Signs, View};
use crate::views::{columns, point};

/// In the river, after what fits the selected stage.
const RIVER: &[Action] = &[
    Action::Sheet,
    Action::EditText,
    Action::NewStage,
    Action::Toggle,
    Action::Show(columns::NAME),
    Action::Guide,
    Action::Missed,
    Action::ChooseSample,
    Action::RunAll,
    Action::Search,
    Action::Undo,
    Action::Actions,
    Action::Help,
    Action::Quit,
];

/// In the lens.
const LENS: &[Action] = &[
    Action::Trail,
    Action::Search,
    Action::NextMatch,
    Action::Unfold,
    Action::TurnOver,
    Action::View,
    Action::Wrap,
    Action::EditText,
    Action::Actions,
    Action::Help,
];

/// The view of river and lens.
pub(crate) struct Bench;

/// Where the river is in a body, the rule beside it, and the lens.
pub(crate) fn split(body: Rect, app: &App) -> (Rect, Rect, Rect) {
    let width = river::width(app, body.width).min(body.width);
    let lens = (width + 2).min(body.width);
    (
        Rect { width, ..body },
        Rect { x: body.x + width, width: 1.min(body.width - width), ..body },
        Rect { x: body.x + lens, width: body.width - lens, ..body },
    )
}

impl View<App> for Bench {
    fn name(&self) -> ViewName {
        BENCH
    }

    fn title(&self) -> &'static str {
        "Bench"
    }

    fn entry(&self) -> Option<Entry> {
        None
    }

    fn function_key(&self) -> Option<u8> {
        None
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        None
    }

    fn actions(&self) -> &'static [Action] {
        RIVER
    }

    fn signs(&self) -> Signs {
        SIGNS
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        let (river, rule, lens) = split(canvas.area, app);
        river::draw(&mut canvas.within(river), app);
        let mut middle = canvas.within(rule);
        for y in 0..rule.height {
            middle.put(0, y, "│", app.theme.rule());
        }
        lens::draw(&mut canvas.within(lens), app);
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        notes::draw(canvas, app);
    }

    fn hints(&self, app: &App) -> Vec<Hint> {
        if app.focus == Focus::Lens {
            let enter = if app.lens.folded().is_some() { "open" } else { "point" };
            return with(&[("Enter", enter), ("↑↓←→", "scroll"), ("Tab", "river")], LENS);
        }
        let mut actions = of_stage(app);
        actions.extend(app.has_pending().then_some(Action::Show(PENDING)));
        actions.extend(app.is_from_part().then_some(Action::Everything));
        actions.extend(app.uses_parameters().then_some(Action::Parameters));
        actions.extend((app.text.commands().0.len() > 1).then_some(Action::NextCommand));
        actions.extend(RIVER);
        with(&[("↑↓", "select"), ("Tab", "lens")], &actions)
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        if app.focus == Focus::Lens {
            return lens_key(app, key.code);
        }
        river_key(app, key.code, key.modifiers.contains(KeyModifiers::CONTROL))
    }

    fn has_lens(&self) -> bool {
        true
    }
}

/// The signs of river and lens.
const SIGNS: Signs = &[
    ("▌ ▏", "what is selected, where the keys go and elsewhere"),
    ("███", "the data, from its source down; the width is the logarithm of its lines"),
    ("▌▌▌", "lines are merged or split here"),
    ("≈", "with all of the data this may be another figure: the stage has seen a part"),
    ("≥", "at least this number: who reads them had enough, and nobody read more"),
    ("!", "trouble or a warning; · is a hint"),
    ("›", "this line of input is in the output, next to it or in line N of it"),
    ("┐ │ ┘", "the lines of input that made one line of output together"),
    ("⋮", "lines that are not shown here: Enter opens them, {unfold} shows all"),
    ("« »", "the line continues to the left or to the right; ← → scroll, {wrap} wraps"),
    ("└─2─┘", "field 2 of the line the cursor is on, as the stage counts fields"),
    ("1  ╷  10", "the numbers of its characters or bytes, where the stage counts those"),
    ("^[ \\x9B", "bytes that are no text; {view} shows blanks, tabs and ends of lines as · → ¶"),
    ("┆", "a command inside a stage, with how often it ran"),
    ("↧", "a file that would be written"),
    ("^^^", "the place of a mistake in the text"),
    ("…", "something is cut off here"),
];
fn river_key(app: &mut App, code: KeyCode, control: bool) -> bool {
    match code {
        KeyCode::Up if control => app.lens.step(-1),
        KeyCode::Down if control => app.lens.step(1),
        KeyCode::Up => step_river(app, -1),
        KeyCode::Down => step_river(app, 1),
        KeyCode::Left => app.select(Place::Stage(app.place.stage().saturating_sub(1))),
        KeyCode::Right => {
            let last = app.stage_count().saturating_sub(1);
            let next = if app.place == Place::Source { 0 } else { app.place.stage() + 1 };
            app.select(Place::Stage(next.min(last)));
        }
        KeyCode::Home => app.select(Place::Source),
        KeyCode::End => app.select(Place::Stage(app.stage_count().saturating_sub(1))),
        KeyCode::Tab => app.focus = Focus::Lens,
        KeyCode::Esc if app.session.workbench.is_following() => {
            app.session.workbench.stop_following();
            app.message =
                Some("no longer followed; any change of the text starts again".to_owned());
        }
        // Esc again and again leads back to the prompt, with nothing changed.
        KeyCode::Esc if app.purpose == Purpose::Prompt => app.leave(),
        KeyCode::Esc => app.message = None,
        _ => return false,
    }
    true
}

/// One row of the river up or down: source, stage, stream, stage, stream …
fn step_river(app: &mut App, rows: i64) {
    let last = app.stage_count() as i64 * 2;
    let at = match app.place {
        Place::Source => 0,
        Place::Stage(number) => number as i64 * 2 + 1,
        Place::Stream(number) => number as i64 * 2 + 2,
    };
    let next = (at + rows).clamp(0, last);
    app.select(match next {
        0 => Place::Source,
        odd if odd % 2 == 1 => Place::Stage((odd / 2) as usize),
        even => Place::Stream((even / 2 - 1) as usize),
    });
}

fn lens_key(app: &mut App, code: KeyCode) -> bool {
    match code {
        KeyCode::Up => app.lens.step(-1),
        KeyCode::Down => app.lens.step(1),
        KeyCode::Left => app.lens.sideways(-8),
        KeyCode::Right => app.lens.sideways(8),
        KeyCode::Home => app.lens.go(0),
        KeyCode::End => app.lens.go(usize::MAX),
        KeyCode::Tab | KeyCode::Esc => app.focus = Focus::River,
        KeyCode::Enter if app.lens.open_fold() => {
            if let Some(search) = app.lens.search.clone() {
                app.start_search(&search.query);
            }
        }
        KeyCode::Enter => point::point_at_line(app),
        _ => return false,
    }
    true
}
