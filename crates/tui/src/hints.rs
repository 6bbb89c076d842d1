//! The keys worth showing where the cursor is: a table for each place.

use crate::actions::{Action, all};
use crate::screen::place::Focus;
use crate::screen::view_name::BENCH;
use crate::state::app::App;
use crate::state::drawer::Hint;
use crate::state::purpose::Purpose;
use crate::state::view::View;

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

/// The keys of actions, as the table of actions has them.
fn keys(actions: &[Action]) -> impl Iterator<Item = Hint> + '_ {
    let entry = |action: &Action| all().iter().find(|entry| entry.action == *action);
    actions.iter().filter_map(entry).map(|entry| (entry.key, entry.short))
}

/// Keys of a view's own, and then those of actions.
pub(crate) fn with(first: &[Hint], actions: &[Action]) -> Vec<Hint> {
    first.iter().copied().chain(keys(actions)).collect()
}

/// The keys worth showing where the cursor is: key and short name.
pub(crate) fn hints(app: &App) -> Vec<Hint> {
    match &app.drawer {
        Some(drawer) => drawer.hints(app),
        None if app.focus == Focus::Text => in_text(app),
        None => app.view().hints(app),
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
    let keys =
        |view: &&dyn View<App>| Some((function_key(view.function_key()?), view.entry()?.short));
    if app.view == BENCH {
        let mut calling = app.registry.views.iter().filter(|view| view.calls(app));
        if let Some(hint) = calling.find_map(keys) {
            hints.insert(2, hint);
        }
    } else if let Some(number) = app.view().function_key() {
        hints.insert(1, (function_key(number), "back to the Bench"));
    }
    hints
}

/// The name of a function key.
fn function_key(number: u8) -> &'static str {
    const NAMES: [&str; 12] =
        ["F1", "F2", "F3", "F4", "F5", "F6", "F7", "F8", "F9", "F10", "F11", "F12"];
    NAMES.get(usize::from(number).wrapping_sub(1)).copied().unwrap_or("")
}

/// What can be done with the selected stage alone.
pub(crate) fn of_stage(app: &App) -> Vec<Action> {
    let offers = [
        (app.offers_fix(), Action::Fix),
        (app.needs_consent(), Action::Allow),
        (app.has_program(), Action::Program),
        (app.has_inside(), Action::Open),
    ];
    offers.into_iter().filter(|(offered, _)| *offered).map(|(_, action)| action).collect()
}
