//! The keys worth showing where the cursor is: a table for each place.

use crate::actions::{Action, all};
use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::place::Focus;
use crate::state::purpose::Purpose;
use crate::state::run::Shows;
use crate::state::screen::Screen;

/// A key and what it does, in a word or two.
pub(crate) type Hint = (&'static str, &'static str);

/// While candidates for the word at the cursor are shown.
const COMPLETION: &[Hint] = &[("Tab", "next"), ("Shift-Tab", "previous"), ("Esc", "close")];

/// In the command text.
const TEXT: &[Hint] = &[
    ("Esc", "to the river"),
    ("Tab", "complete"),
    ("Enter", "result"),
    ("↑↓", "earlier lines"),
    ("Ctrl-R", "search them"),
    ("F9", "how do I …"),
    ("Alt-Enter", "new line"),
    ("Alt-u", "undo"),
    ("Ctrl-S", "save"),
    ("Ctrl-O", "open"),
    ("F1", "help"),
    ("Ctrl-Q", "quit"),
];

/// In the river of the Bench, after what fits the selected stage.
const RIVER: &[Action] = &[
    Action::Sheet,
    Action::EditText,
    Action::NewStage,
    Action::Toggle,
    Action::Columns,
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

const WIRING: &[Action] =
    &[Action::EditText, Action::Pending, Action::Actions, Action::Help, Action::Quit];

const PENDING: &[Action] = &[
    Action::Write,
    Action::UndoWrite,
    Action::EditText,
    Action::Wiring,
    Action::Actions,
    Action::Help,
    Action::Quit,
];

const COMPARE: &[Action] = &[
    Action::RunAll,
    Action::Throughput,
    Action::EditText,
    Action::Actions,
    Action::Help,
    Action::Quit,
];

const COLUMNS: &[Action] = &[
    Action::Guide,
    Action::Everything,
    Action::ChooseSample,
    Action::EditText,
    Action::Actions,
    Action::Help,
    Action::Quit,
];

const FIGURES: &[Action] = &[
    Action::RunAll,
    Action::Compare,
    Action::Export,
    Action::EditText,
    Action::Actions,
    Action::Help,
    Action::Quit,
];

const OUTPUT: &[Action] = &[Action::EditText, Action::Compare, Action::Actions, Action::Help];

/// The keys of actions, as the table of actions has them.
fn keys(actions: &[Action]) -> impl Iterator<Item = Hint> + '_ {
    let entry = |action: &Action| all().iter().find(|entry| entry.action == *action);
    actions.iter().filter_map(entry).map(|entry| (entry.key, entry.short))
}

fn with(first: &[Hint], actions: &[Action]) -> Vec<Hint> {
    first.iter().copied().chain(keys(actions)).collect()
}

/// The keys worth showing where the cursor is: key and short name.
pub(crate) fn hints(app: &App) -> Vec<Hint> {
    if let Some(drawer) = &app.drawer {
        let mut hints = drawer.hints();
        if let Drawer::Confirm(question) = drawer
            && app.has_safe_yes(question)
        {
            hints.insert(0, ("Enter", "yes"));
        }
        return hints;
    }
    match (app.focus, app.screen) {
        (Focus::Text, _) => in_text(app),
        (Focus::Lens, _) if app.lens.folded().is_some() => {
            with(&[("Enter", "open"), ("↑↓←→", "scroll"), ("Tab", "river")], LENS)
        }
        (Focus::Lens, _) => with(&[("Enter", "point"), ("↑↓←→", "scroll"), ("Tab", "river")], LENS),
        (Focus::River, Screen::Bench) => in_river(app),
        (Focus::River, Screen::Wiring) => {
            let mut actions = of_stage(app);
            actions.extend(WIRING);
            with(&[("↑↓", "select"), ("Esc", "back to the Bench")], &actions)
        }
        (Focus::River, Screen::Throughput) => in_throughput(app),
        (Focus::River, Screen::Compare) => with(
            &[
                ("↑↓", "select"),
                ("m", "mark as 1"),
                ("Enter", "use its text"),
                ("d", "delete"),
                ("Esc", "back to the Bench"),
                ("M", "compare results"),
            ],
            COMPARE,
        ),
        (Focus::River, Screen::Columns) => with(
            &[
                ("↑↓", "field"),
                ("Enter", "what to do with it"),
                ("←→", "splitting"),
                ("Tab", "next stream"),
                ("o", "order"),
                ("h", "all fields"),
                ("w", "to a file"),
                ("Esc", "back to the Bench"),
            ],
            COLUMNS,
        ),
        (Focus::River, Screen::Pending) => with(pending(app), PENDING),
    }
}

/// On Pending, only what there is something for: no `r` without a command.
fn pending(app: &App) -> &'static [Hint] {
    match app.pending_rows() {
        (0, 0) => &[("Esc", "back to the Bench")],
        (_, 0) => &[("↑↓", "select"), ("x", "leave out"), ("Esc", "back to the Bench")],
        _ => &[
            ("↑↓", "select"),
            ("x", "leave out"),
            ("r", "run commands"),
            ("Esc", "back to the Bench"),
        ],
    }
}

fn in_text(app: &App) -> Vec<Hint> {
    if app.text.completion.is_some() {
        return COMPLETION.to_vec();
    }
    let mut hints = TEXT.to_vec();
    let leaving = match app.purpose {
        Purpose::Work => None,
        Purpose::Pipe => Some("quit, passing the result on"),
        Purpose::Prompt => Some("back to the prompt"),
    };
    if let Some(leaving) = leaving {
        hints.retain(|hint| hint.0 != "Ctrl-Q");
        hints.insert(0, ("Ctrl-Q", leaving));
    }
    if app.has_program() {
        hints.insert(2, ("F2", "program"));
    }
    match app.screen {
        Screen::Bench if app.has_pending() => hints.insert(2, ("F4", "pending")),
        Screen::Bench => {}
        Screen::Wiring => hints.insert(1, ("F3", "back to the Bench")),
        Screen::Pending => hints.insert(1, ("F4", "back to the Bench")),
        Screen::Throughput => hints.insert(1, ("F5", "back to the Bench")),
        Screen::Compare => hints.insert(1, ("F6", "back to the Bench")),
        Screen::Columns => hints.insert(1, ("F8", "back to the Bench")),
    }
    hints
}

/// What can be done with the selected stage alone.
fn of_stage(app: &App) -> Vec<Action> {
    let offers = [
        (app.offers_fix(), Action::Fix),
        (app.needs_consent(), Action::Allow),
        (app.has_program(), Action::Program),
        (app.has_inside(), Action::Open),
    ];
    offers.into_iter().filter(|(offered, _)| *offered).map(|(_, action)| action).collect()
}

fn in_river(app: &App) -> Vec<Hint> {
    let mut actions = of_stage(app);
    actions.extend(app.has_pending().then_some(Action::Pending));
    actions.extend(app.is_from_part().then_some(Action::Everything));
    actions.extend(app.uses_parameters().then_some(Action::Parameters));
    actions.extend((app.text.commands().0.len() > 1).then_some(Action::NextCommand));
    actions.extend(RIVER);
    with(&[("↑↓", "select"), ("Tab", "lens")], &actions)
}

fn in_throughput(app: &App) -> Vec<Hint> {
    let output = app.throughput.shows == Shows::Output;
    let mut first = if output {
        vec![("↑↓", "scroll"), ("o", "figures"), ("k", "save as a file")]
    } else {
        vec![("↑↓", "select"), ("o", "output")]
    };
    if app.is_running() {
        let paused = app.running.as_ref().is_some_and(|running| running.snapshot.paused);
        first.extend([("p", if paused { "continue" } else { "pause" }), ("x", "stop the run")]);
    }
    first.push(("Esc", "back"));
    with(&first, if output { OUTPUT } else { FIGURES })
}
