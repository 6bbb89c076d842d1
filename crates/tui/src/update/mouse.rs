//! The mouse: what is clicked does what its key would do.

use ratatui::crossterm::event::{
    KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};

use crate::screen::place::Focus;
use crate::screen::target::{Target, Targets, at};
use crate::screen::view_name::SHELF;
use crate::state::app::App;
use crate::state::drawer::After;
use crate::state::lens::row_lines;
use crate::text::display::pieces;

/// Rows that one step of the wheel moves.
const WHEEL: i64 = 3;

/// The key that a name in the last row means; `None` for several at once, and for words.
fn key_named(name: &str) -> Option<KeyEvent> {
    let (modifiers, rest) = match name.split_once('-') {
        Some(("Ctrl", rest)) => (KeyModifiers::CONTROL, rest),
        Some(("Alt", rest)) => (KeyModifiers::ALT, rest),
        Some(("Shift", "Tab")) => return Some(KeyEvent::from(KeyCode::BackTab)),
        _ => (KeyModifiers::NONE, name),
    };
    let mut letters = rest.chars();
    let code = match (rest, letters.next(), letters.next()) {
        ("Enter", ..) => KeyCode::Enter,
        ("Esc", ..) => KeyCode::Esc,
        ("Tab", ..) => KeyCode::Tab,
        ("Space", ..) => KeyCode::Char(' '),
        (function, Some('F'), Some('1'..='9')) => KeyCode::F(function[1..].parse().ok()?),
        (_, Some(letter), None) if !"↑↓←→".contains(letter) => {
            KeyCode::Char(if modifiers.is_empty() { letter } else { letter.to_ascii_lowercase() })
        }
        _ => return None,
    };
    Some(KeyEvent::new(code, modifiers))
}

impl App {
    /// Takes what the last frame has drawn where.
    pub(crate) fn set_targets(&mut self, targets: Targets) {
        self.mouse.targets = targets;
    }

    /// Changes the state by the mouse.
    pub(crate) fn mouse(&mut self, event: MouseEvent) {
        let target = at(&self.mouse.targets, event.column, event.row).map(|(_, target)| target);
        match event.kind {
            MouseEventKind::ScrollDown => self.wheel(target.as_ref(), 1),
            MouseEventKind::ScrollUp => self.wheel(target.as_ref(), -1),
            MouseEventKind::Down(MouseButton::Left) => {
                self.mouse.down = None;
                if let Some(target) = target {
                    self.click(target, event.column);
                }
            }
            MouseEventKind::Up(MouseButton::Left) => {
                if let (Some(down), Some(target)) = (self.mouse.down.take(), target) {
                    self.mark_to(down, &target, event.column);
                }
            }
            _ => {}
        }
    }

    pub(crate) fn press(&mut self, code: KeyCode) {
        self.key(KeyEvent::from(code));
    }

    fn wheel(&mut self, target: Option<&Target>, step: i64) {
        let code = if step > 0 { KeyCode::Down } else { KeyCode::Up };
        match target {
            _ if self.drawer.is_some() => self.press(code),
            Some(Target::Line { .. }) => self.lens.step(step * WHEEL),
            Some(Target::Text) => {}
            // In the text the same keys would recall lines.
            _ if self.focus == Focus::Text => self.lens.step(step * WHEEL),
            _ => self.press(code),
        }
    }

    fn click(&mut self, target: Target, column: u16) {
        match target {
            Target::Key(name) => {
                if let Some(key) = key_named(name) {
                    self.key(key);
                }
            }
            Target::Entry(row) => self.click_entry(row),
            // What lies behind the drawer is not meant yet.
            _ if self.drawer.is_some() => self.press(KeyCode::Esc),
            Target::View(SHELF) => self.act(crate::actions::Action::Shelf),
            Target::View(view) if view == self.view => {}
            Target::View(view) => {
                self.show_view(view);
                self.leave_text();
            }
            Target::Text => self.focus = Focus::Text,
            Target::Place(place) => {
                self.leave_text();
                self.focus = Focus::River;
                if place == self.place {
                    self.press(KeyCode::Enter);
                } else {
                    self.select(place);
                }
            }
            Target::Line { row, .. } => self.click_line(row, &target, column),
            Target::Row(row) => self.click_row(row),
        }
    }

    /// Out of the text, so that letters and arrows mean what is looked at.
    fn leave_text(&mut self) {
        if self.focus == Focus::Text {
            self.focus = Focus::River;
        }
    }

    /// A line is gone to first, and pointed at then.
    fn click_line(&mut self, row: usize, target: &Target, column: u16) {
        let again = self.focus == Focus::Lens && self.lens.cursor == row;
        self.focus = Focus::Lens;
        self.lens.go(row);
        self.mouse.down = self.byte_at(target, column).map(|byte| (row, byte));
        if again {
            self.press(KeyCode::Enter);
            if let Some((_, byte)) = self.mouse.down {
                self.drawn_over(byte, byte);
            }
        }
    }

    /// What was drawn over with the mouse is marked.
    fn mark_to(&mut self, (row, from): (usize, usize), target: &Target, column: u16) {
        let Some(to) = self.byte_at(target, column) else { return };
        let same = matches!(target, Target::Line { row: here, .. } if *here == row);
        if !same || to == from || self.drawer.is_some() {
            return;
        }
        self.press(KeyCode::Enter);
        self.drawn_over(from.min(to), from.max(to));
    }

    /// The byte of a line that is drawn at a column of the screen, where it is the line that would
    /// be pointed at.
    fn byte_at(&self, target: &Target, column: u16) -> Option<usize> {
        let Target::Line { row, start, output } = target else { return None };
        let preview = self.result.preview.as_ref()?;
        let (shown, left, right) = row_lines(preview, &self.lens.content, *row);
        let line = match (output, shown.right.is_some()) {
            (true, _) => right?,
            // The input beside an output is not what is pointed at.
            (false, true) if left != right => return None,
            (false, _) => left.or(right)?,
        };
        let at = usize::from(column.checked_sub(*start)?) + self.lens.column_of(*output);
        let mut x = 0;
        for piece in pieces(&line, self.lens.view, 0, at + 1) {
            x += piece.width;
            if x > at {
                return Some(piece.at.min(line.len()));
            }
        }
        Some(line.len())
    }

    /// A piece of the line that a drawer was opened for is meant.
    fn drawn_over(&mut self, from: usize, to: usize) {
        self.with_drawer(|drawer, app| {
            drawer.drawn_over(from, to, app);
            After::Stays
        });
    }

    /// A row of the view's list.
    fn click_row(&mut self, row: usize) {
        self.leave_text();
        self.view().clicked(row, self);
    }

    /// A row of the drawer's list.
    fn click_entry(&mut self, row: usize) {
        self.with_drawer(|drawer, app| drawer.clicked(row, app));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_keys_are_the_keys() {
        let key = |name: &str| key_named(name).map(|key| (key.code, key.modifiers));
        let plain = |code: KeyCode| Some((code, KeyModifiers::NONE));
        assert_eq!(key("Enter"), plain(KeyCode::Enter));
        assert_eq!(key("F9"), plain(KeyCode::F(9)));
        assert_eq!(key("x"), plain(KeyCode::Char('x')));
        assert_eq!(key("?"), plain(KeyCode::Char('?')));
        assert_eq!(key("H"), plain(KeyCode::Char('H')));
        assert_eq!(key("Ctrl-S"), Some((KeyCode::Char('s'), KeyModifiers::CONTROL)));
        assert_eq!(key("Alt-u"), Some((KeyCode::Char('u'), KeyModifiers::ALT)));
        for several in ["↑↓", "←→", "type", "Shift-←→", "0-9", "↑↓←→"] {
            assert_eq!(key(several), None, "{several}");
        }
    }
}
