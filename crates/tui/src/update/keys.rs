//! From keys to what they mean where the focus is.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::actions::{Action, all};
use crate::screen::place::Focus;
use crate::screen::view_name::THROUGHPUT;
use crate::state::app::App;
use crate::state::event::Wish;

/// Lets the tests see what becomes of the terminal when a thread panics: with
/// `YLOTROPE_TEST_PANIC` set, F11 panics on another thread and F12 on this one. Not part of a
/// release build.
#[cfg(debug_assertions)]
#[allow(clippy::panic)] // that is what it is for
fn fail_on_request(code: KeyCode) {
    if std::env::var_os("YLOTROPE_TEST_PANIC").is_none() {
        return;
    }
    match code {
        KeyCode::F(11) => {
            drop(engine::start_thread("asked", || panic!("another thread, as asked")));
        }
        KeyCode::F(12) => panic!("the screen's thread, as asked"),
        _ => {}
    }
}

/// The key that scrolls, for a letter that does so in the river, the lens and the lists, where it
/// has no other meaning.
fn scrolling(key: KeyEvent) -> Option<KeyCode> {
    match (key.code, key.modifiers) {
        (KeyCode::Char('j'), KeyModifiers::NONE) => Some(KeyCode::Down),
        (KeyCode::Char('k'), KeyModifiers::NONE) => Some(KeyCode::Up),
        (KeyCode::Char('g'), KeyModifiers::NONE) => Some(KeyCode::Home),
        (KeyCode::Char('G'), _) => Some(KeyCode::End),
        (KeyCode::Char('f'), KeyModifiers::CONTROL) => Some(KeyCode::PageDown),
        (KeyCode::Char('b'), KeyModifiers::CONTROL) => Some(KeyCode::PageUp),
        _ => None,
    }
}

impl App {
    pub(crate) fn key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        if control && key.code == KeyCode::Char('z') {
            self.wish = Wish::Suspend;
            return;
        }
        #[cfg(debug_assertions)]
        fail_on_request(key.code);
        if self.drawer.is_some() {
            self.drawer_key(key);
            return;
        }
        // Everywhere the same.
        match (key.code, control) {
            (KeyCode::Char('q'), true) => return self.act(Action::Quit),
            (KeyCode::Char('s'), true) => return self.act(Action::Save),
            (KeyCode::Char('o'), true) => return self.act(Action::Shelf),
            (KeyCode::Char('r'), true) => return self.act(Action::History),
            (KeyCode::Char('c'), true) => return self.interrupt(),
            (KeyCode::F(1), _) => return self.act(Action::Help),
            (KeyCode::F(2), _) => return self.act(Action::Program),
            (KeyCode::F(7), _) => return self.act(Action::Fix),
            (KeyCode::F(9), _) => return self.act(Action::Guide),
            (KeyCode::F(number), _) => {
                let mut views = self.registry.views.iter();
                let view = views.find(|view| view.function_key() == Some(number));
                return view.map_or((), |view| self.show_view(view.name()));
            }
            (KeyCode::PageDown, _) if self.view().has_lens() => {
                return self.lens.step(self.lens.height.saturating_sub(1).max(1) as i64);
            }
            (KeyCode::PageUp, _) if self.view().has_lens() => {
                return self.lens.step(-(self.lens.height.saturating_sub(1).max(1) as i64));
            }
            _ => {}
        }
        if self.focus == Focus::Text {
            self.text_key(key);
        } else if !self.view().key(key, self) {
            self.letter(key);
        }
    }

    /// Ctrl-C: stops what runs; it never loses anything.
    fn interrupt(&mut self) {
        if self.pending.acting {
            self.session.workbench.cancel_acting();
        } else if self.is_running() {
            self.cancel_run();
        } else if self.result.waiting.take().is_some() {
            self.session.workbench.cancel();
            self.message = Some("stopped; any change evaluates again".to_owned());
        } else {
            self.message = Some("Ctrl-Q quits".to_owned());
        }
    }

    /// Single letters and other keys of actions.
    fn letter(&mut self, key: KeyEvent) {
        if let Some(code) = scrolling(key) {
            return self.key(KeyEvent::new(code, KeyModifiers::NONE));
        }
        if key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT) {
            return;
        }
        self.message = None;
        let pressed = match key.code {
            KeyCode::Enter => "Enter".to_owned(),
            KeyCode::Char(' ') => "Space".to_owned(),
            KeyCode::Char(character) => character.to_string(),
            KeyCode::Delete => return self.act(Action::DeleteStage),
            _ => return,
        };
        match all().iter().find(|entry| entry.key == pressed) {
            // A run brings its view along: who then presses its letter wants to see it.
            Some(entry) if entry.action == Action::Show(THROUGHPUT) && self.view == THROUGHPUT => {}
            Some(entry) => self.act(entry.action),
            None => {
                self.message = Some(format!(
                    "{pressed} does nothing here; {} shows all keys",
                    crate::actions::key(Action::Help)
                ));
            }
        }
    }
}
