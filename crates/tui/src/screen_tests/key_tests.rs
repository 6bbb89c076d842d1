//! What each key does on each screen: a table, so that a key that is lost or taken twice is seen.

use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::stand::Stand;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::ViewName;

const LINE: &str = "grep refused DIR/gate.log | cut -d' ' -f2 | sort > DIR/out";

/// Where the keys are pressed.
#[derive(Clone, Copy, Debug, PartialEq)]
enum At {
    Text,
    River,
    Lens,
    Wiring,
    Pending,
    Throughput,
    Compare,
}

const EVERYWHERE: [At; 7] =
    [At::Text, At::River, At::Lens, At::Wiring, At::Pending, At::Throughput, At::Compare];

fn stand(at: At) -> Stand {
    let mut stand = Stand::new(LINE);
    stand.settle();
    if at == At::Text {
        return stand;
    }
    stand.key(KeyCode::Esc);
    match at {
        At::Lens => stand.key(KeyCode::Tab),
        At::Wiring => stand.letters("W"),
        At::Pending => stand.letters("P"),
        At::Throughput => stand.letters("T"),
        At::Compare => stand.letters("K"),
        At::Text | At::River => {}
    }
    stand
}

/// What a key has changed, in one word.
fn effect(stand: &mut Stand, before: &Before) -> String {
    let app = &stand.app;
    let mut all = Vec::new();
    if let Some(drawer) = &app.drawer {
        all.push(drawer.name().to_owned());
    }
    if app.view != before.view {
        all.push(format!("to {:?}", app.view));
    }
    if app.focus != before.focus {
        all.push(format!("focus {:?}", app.focus));
    }
    if app.place != before.place {
        all.push(format!("{:?}", app.place));
    }
    if app.text.editor.text() != before.text {
        all.push("text".to_owned());
    } else if app.text.editor.cursor() != before.cursor {
        all.push("cursor".to_owned());
    }
    if app.lens.cursor != before.lens {
        all.push("lens".to_owned());
    }
    if app.wish() != crate::state::event::Wish::Stay {
        all.push(format!("{:?}", app.wish()));
    }
    if all.is_empty() {
        all.push(app.message.clone().map_or("-".to_owned(), |message| format!("“{message}”")));
    }
    all.join(", ")
}

struct Before {
    view: ViewName,
    focus: Focus,
    place: Place,
    text: String,
    cursor: usize,
    lens: usize,
}

fn before(stand: &Stand) -> Before {
    let app = &stand.app;
    Before {
        view: app.view,
        focus: app.focus,
        place: app.place,
        text: app.text.editor.text().to_owned(),
        cursor: app.text.editor.cursor(),
        lens: app.lens.cursor,
    }
}

#[test]
fn each_key_does_the_same_on_each_screen_each_time() {
    let plain = |code| (code, KeyModifiers::NONE);
    let control = |letter| (KeyCode::Char(letter), KeyModifiers::CONTROL);
    let mut keys: Vec<(KeyCode, KeyModifiers)> = "efnmidxuUDsh/.,vzor=XTKwZPWycCRASp?q[]{}> "
        .chars()
        .map(KeyCode::Char)
        .map(plain)
        .collect();
    keys.extend((1..=7).map(KeyCode::F).map(plain));
    keys.extend("qgsocr".chars().map(control));
    keys.extend(
        [KeyCode::Up, KeyCode::Down, KeyCode::Left, KeyCode::Right, KeyCode::Home, KeyCode::End]
            .map(plain),
    );
    keys.extend([KeyCode::Tab, KeyCode::Esc, KeyCode::Enter].map(plain));
    let mut table = String::new();
    for at in EVERYWHERE {
        table.push_str(&format!("── {at:?}\n"));
        for (code, modifiers) in &keys {
            let mut stand = stand(at);
            let then = before(&stand);
            stand.press(*code, *modifiers);
            let name =
                if modifiers.is_empty() { format!("{code}") } else { format!("Ctrl-{code}") };
            table.push_str(&format!("{name:<10} {}\n", effect(&mut stand, &then)));
        }
    }
    let folder = std::path::Path::new("/tmp").display().to_string();
    let table = table.replace(&format!("{folder}/.stand-"), "/tmp/.stand-");
    insta::assert_snapshot!("keys", table);
}

#[test]
fn every_hint_is_a_key_that_does_something() {
    for at in EVERYWHERE {
        let mut shown = stand(at);
        let hints = crate::hints::hints(&shown.app);
        assert!(!hints.is_empty(), "{at:?}");
        shown.screen(160, 50);
        for (key, says) in hints {
            let code = match key {
                "Esc" => KeyCode::Esc,
                "Tab" => KeyCode::Tab,
                "Enter" => KeyCode::Enter,
                "Space" => KeyCode::Char(' '),
                one if one.chars().count() == 1 => KeyCode::Char(one.chars().next().unwrap()),
                // Arrows, and keys with others held, are in the table of keys.
                _ => continue,
            };
            let mut stand = stand(at);
            let then = before(&stand);
            stand.press(code, KeyModifiers::NONE);
            let effect = effect(&mut stand, &then);
            assert!(!effect.contains("does nothing here"), "{at:?} {key} {says}: {effect}");
        }
    }
}
