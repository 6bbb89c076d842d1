//! The keys worth showing where the cursor is.

use crate::actions::{ALL, Action};
use crate::state::app::App;
use crate::state::place::Focus;
use crate::state::run::Shows;
use crate::state::screen::Screen;

/// The keys worth showing where the cursor is: key and short name.
pub(crate) fn hints(app: &App) -> Vec<(&'static str, &'static str)> {
    let of = |action: Action| {
        ALL.iter().find(|entry| entry.action == action).map(|entry| (entry.key, entry.short))
    };
    if let Some(drawer) = &app.drawer {
        return drawer.hints();
    }
    let mut keys = Vec::new();
    let mut add = |actions: &[Action]| keys.extend(actions.iter().filter_map(|action| of(*action)));
    match app.focus {
        Focus::Text => {
            if app.text.completion.is_some() {
                return vec![("Tab", "next"), ("Shift-Tab", "previous"), ("Esc", "close")];
            }
            let mut keys = vec![
                ("Esc", "to the river"),
                ("Tab", "complete"),
                ("↑↓", "earlier lines"),
                ("Alt-Enter", "new line"),
                ("Alt-u", "undo"),
                ("Ctrl-S", "save"),
                ("Ctrl-O", "open"),
                ("F1", "help"),
                ("Ctrl-Q", "quit"),
            ];
            if app.has_program() {
                keys.insert(2, ("F2", "program"));
            }
            match app.screen {
                Screen::Bench if app.has_pending() => keys.insert(2, ("F4", "pending")),
                Screen::Bench => {}
                Screen::Wiring => keys.insert(1, ("F3", "back to the Bench")),
                Screen::Pending => keys.insert(1, ("F4", "back to the Bench")),
                Screen::Throughput => keys.insert(1, ("F5", "back to the Bench")),
                Screen::Compare => keys.insert(1, ("F6", "back to the Bench")),
            }
            return keys;
        }
        Focus::River => {
            if app.screen.has_lens() {
                if app.offers_fix() {
                    add(&[Action::Fix]);
                }
                if app.needs_consent() {
                    add(&[Action::Allow]);
                }
                if app.has_program() {
                    add(&[Action::Program]);
                }
                if app.has_inside() {
                    add(&[Action::Open]);
                }
            }
            match app.screen {
                Screen::Bench if app.has_pending() => add(&[Action::Pending]),
                Screen::Bench => {}
                Screen::Wiring => {
                    add(&[
                        Action::EditText,
                        Action::Pending,
                        Action::Actions,
                        Action::Help,
                        Action::Quit,
                    ]);
                    keys.insert(0, ("↑↓", "select"));
                    keys.insert(1, ("Esc", "back to the Bench"));
                    return keys;
                }
                Screen::Throughput => {
                    let output = app.throughput.shows == Shows::Output;
                    if output {
                        add(&[Action::EditText, Action::Compare, Action::Actions, Action::Help]);
                    } else {
                        add(&[
                            Action::RunAll,
                            Action::Compare,
                            Action::Export,
                            Action::EditText,
                            Action::Actions,
                            Action::Help,
                            Action::Quit,
                        ]);
                    }
                    let mut first = if output {
                        vec![("↑↓", "scroll"), ("o", "figures"), ("k", "save as a file")]
                    } else {
                        vec![("↑↓", "select"), ("o", "output")]
                    };
                    if app.is_running() {
                        let paused =
                            app.running.as_ref().is_some_and(|running| running.snapshot.paused);
                        let pause = if paused { "continue" } else { "pause" };
                        first.extend([("p", pause), ("x", "stop the run")]);
                    }
                    first.push(("Esc", "back"));
                    first.extend(keys);
                    return first;
                }
                Screen::Compare => {
                    add(&[
                        Action::RunAll,
                        Action::Throughput,
                        Action::EditText,
                        Action::Actions,
                        Action::Help,
                        Action::Quit,
                    ]);
                    keys.insert(0, ("↑↓", "select"));
                    keys.insert(1, ("m", "mark as 1"));
                    keys.insert(2, ("Enter", "use its text"));
                    keys.insert(3, ("d", "delete"));
                    keys.insert(4, ("Esc", "back to the Bench"));
                    return keys;
                }
                Screen::Pending => {
                    add(&[
                        Action::Write,
                        Action::UndoWrite,
                        Action::EditText,
                        Action::Wiring,
                        Action::Actions,
                        Action::Help,
                        Action::Quit,
                    ]);
                    keys.insert(0, ("↑↓", "select"));
                    keys.insert(1, ("x", "leave out"));
                    keys.insert(2, ("r", "run commands"));
                    keys.insert(3, ("Esc", "back to the Bench"));
                    return keys;
                }
            }
            add(&[
                Action::EditText,
                Action::NewStage,
                Action::Toggle,
                Action::ChooseSample,
                Action::RunAll,
                Action::Search,
                Action::Undo,
                Action::Actions,
                Action::Help,
                Action::Quit,
            ]);
            keys.insert(0, ("↑↓", "select"));
            keys.insert(1, ("Tab", "lens"));
        }
        Focus::Lens => {
            add(&[
                Action::Search,
                Action::NextMatch,
                Action::HideDropped,
                Action::View,
                Action::Wrap,
                Action::EditText,
                Action::Actions,
                Action::Help,
            ]);
            keys.insert(0, ("↑↓←→", "scroll"));
            keys.insert(1, ("Tab", "river"));
        }
    }
    keys
}
