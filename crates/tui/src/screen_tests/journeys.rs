//! Ways through the Bench as somebody goes them: keys one after the other, and what is then in the
//! text, in the state and in files.

mod asking;
mod drawers;
mod files;
mod late;
mod looking;
mod mouse;
mod pointing;
mod sentences;
mod stages;
mod starting;
mod told;
mod writing;

use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::stand::Stand;

/// Presses keys by their names: `Esc`, `Down`, `Ctrl-s`, `Alt-u`, or a character.
fn press(stand: &mut Stand, keys: &str) {
    for name in keys.split_whitespace() {
        let (modifiers, name) = match name.split_once('-') {
            Some(("Ctrl", rest)) => (KeyModifiers::CONTROL, rest),
            Some(("Alt", rest)) => (KeyModifiers::ALT, rest),
            Some(("Shift", rest)) => (KeyModifiers::SHIFT, rest),
            _ => (KeyModifiers::NONE, name),
        };
        let code = match name {
            "Esc" => KeyCode::Esc,
            "Enter" => KeyCode::Enter,
            "Tab" => KeyCode::Tab,
            "BackTab" => KeyCode::BackTab,
            "Space" => KeyCode::Char(' '),
            "Up" => KeyCode::Up,
            "Down" => KeyCode::Down,
            "Left" => KeyCode::Left,
            "Right" => KeyCode::Right,
            "Home" => KeyCode::Home,
            "End" => KeyCode::End,
            "PageUp" => KeyCode::PageUp,
            "PageDown" => KeyCode::PageDown,
            "Backspace" => KeyCode::Backspace,
            "Delete" => KeyCode::Delete,
            "F2" => KeyCode::F(2),
            "F3" => KeyCode::F(3),
            "F5" => KeyCode::F(5),
            "F8" => KeyCode::F(8),
            "F9" => KeyCode::F(9),
            one => {
                let mut characters = one.chars();
                let only = characters.next().filter(|_| characters.as_str().is_empty());
                KeyCode::Char(only.unwrap_or_else(|| panic!("no key {one}")))
            }
        };
        stand.press(code, modifiers);
    }
}

/// A Bench on this text, its result known, the river in focus.
fn river(text: &str) -> Stand {
    let mut stand = Stand::new(text);
    stand.settle();
    press(&mut stand, "Esc");
    stand
}

/// The command text, with the folder of the test as `DIR`.
fn text(stand: &Stand) -> String {
    let folder = stand.folder.path().display().to_string();
    stand.app.text.editor.text().replace(&folder, "DIR")
}

/// The message, with the folder of the test as `DIR`; empty where there is none.
fn message(stand: &Stand) -> String {
    let folder = stand.folder.path().display().to_string();
    stand.app.message.clone().unwrap_or_default().replace(&folder, "DIR")
}

/// What the last stage of the result writes.
fn written(stand: &mut Stand) -> String {
    stand.settle();
    let preview = stand.app.result.preview.as_ref().expect("a result");
    let last = preview.stages.last().expect("a stage");
    String::from_utf8(last.out.contents()).expect("text")
}
