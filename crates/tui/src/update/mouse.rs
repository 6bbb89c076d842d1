//! The mouse: what is clicked does what its key would do.

use ratatui::crossterm::event::{
    KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::lens::row_lines;
use crate::state::place::Focus;
use crate::state::screen::Screen;
use crate::state::target::{Target, Targets, at};
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

    pub(super) fn press(&mut self, code: KeyCode) {
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
            Target::View(None) => self.act(crate::actions::Action::Shelf),
            Target::View(Some(screen)) if screen == self.screen => {}
            Target::View(Some(screen)) => {
                self.open_screen(screen);
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
            let byte = self.mouse.down.map(|(_, byte)| byte);
            if let (Some(byte), Some(Drawer::Point(point))) = (byte, &mut self.drawer) {
                point.go_to(byte);
            }
            self.renew_point();
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
        if let Some(Drawer::Point(point)) = &mut self.drawer {
            point.mark_between(from.min(to), from.max(to));
        }
        self.renew_point();
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

    /// A row of the view is selected first; of the columns, a second click opens it.
    fn click_row(&mut self, row: usize) {
        self.leave_text();
        let selected = match self.screen {
            Screen::Columns => &mut self.columns.at,
            Screen::Compare => &mut self.compare.at,
            Screen::Pending => &mut self.pending.at,
            Screen::Throughput => &mut self.throughput.at,
            Screen::Bench | Screen::Wiring => return,
        };
        let again = std::mem::replace(selected, row) == row;
        if again && self.screen == Screen::Columns {
            self.press(KeyCode::Enter);
        }
        self.refresh_pending();
    }

    /// A row of the drawer is selected first, and taken then; an option is switched.
    fn click_entry(&mut self, row: usize) {
        let Some(drawer) = &mut self.drawer else { return };
        let switches = matches!(drawer, Drawer::Sheet(_));
        if let Drawer::Sheet(view) = drawer {
            view.typed = None;
            view.pick = None;
        }
        if let Drawer::Trail(view) = drawer {
            if view.click(row) {
                self.press(KeyCode::Enter);
            }
            return;
        }
        if let Drawer::Versions(view) = drawer {
            let step = row as i64 - view.at as i64;
            let key = if step < 0 { KeyCode::Up } else { KeyCode::Down };
            (0..step.abs()).for_each(|_| self.press(key));
            if step == 0 {
                self.press(KeyCode::Enter);
            }
            return;
        }
        let before = drawer.selected().map(|selected| std::mem::replace(selected, row));
        match (before == Some(row), switches) {
            (true, true) => self.press(KeyCode::Char(' ')),
            (true, false) => self.press(KeyCode::Enter),
            (false, _) => {}
        }
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
