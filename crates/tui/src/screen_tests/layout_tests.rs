//! Which part of the screen is where, at the sizes at which that changes.

use ratatui::layout::{Position, Rect};
use ratatui::{Terminal, backend::TestBackend};

use super::stand::Stand;
use crate::frame::areas::areas;

#[test]
fn parts_of_the_screen_at_the_sizes_at_which_they_change() {
    let mut stand = Stand::new("grep refused DIR/gate.log | sort");
    stand.settle();
    let mut table = String::new();
    for (width, height) in [
        (20, 8),
        (49, 24),
        (50, 24),
        (51, 24),
        (76, 24),
        (80, 24),
        (80, 27),
        (80, 28),
        (103, 35),
        (104, 36),
        (149, 50),
        (150, 50),
    ] {
        let parts = areas(Rect::new(0, 0, width, height), &stand.app);
        let at = |name: &str, area: Rect| {
            format!(" {name} {},{} {}x{}", area.x, area.y, area.width, area.height)
        };
        table += &format!("{width}x{height}:");
        table += &at("command", parts.command);
        table += &at("river", parts.river);
        table += &at("lens", parts.lens);
        table += &at("notes", parts.notes);
        table += &at("message", parts.message);
        table += &at("keys", parts.keys);
        table += "\n";
    }
    insta::assert_snapshot!(table);
}

/// Where the cursor is shown on a screen of this width.
fn cursor(stand: &mut Stand, width: u16) -> Position {
    let mut terminal = Terminal::new(TestBackend::new(width, 30)).unwrap();
    terminal.draw(|frame| drop(crate::frame::draw(frame, &stand.app))).unwrap();
    terminal.get_cursor_position().unwrap()
}

#[test]
fn the_cursor_is_where_the_next_letter_will_be() {
    let mut stand = Stand::new("");
    // A row of the text has three columns less than the screen.
    let (width, row) = (40, 37);
    assert_eq!(cursor(&mut stand, width), Position::new(1, 1));
    for typed in 1..row * 2 + 3 {
        stand.letters("x");
        let (full, rest) = (typed / row, typed % row);
        // At the very end of a full row it stays there until there is more.
        let at = if rest == 0 { (full - 1, row) } else { (full, rest) };
        let expected = Position::new(1 + at.1, 1 + at.0 * 2);
        assert_eq!(cursor(&mut stand, width), expected, "{typed}");
    }
    // Inside the text, the place where a full row is cut is the start of the next one.
    for _ in 0..2 {
        stand.key(ratatui::crossterm::event::KeyCode::Left);
    }
    assert_eq!(cursor(&mut stand, width), Position::new(1, 5));
}
