//! From keys to what they mean where the focus is.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::actions::{Action, all};
use crate::state::app::App;
use crate::state::event::Wish;
use crate::state::place::{Focus, Place};
use crate::state::purpose::Purpose;
use crate::state::screen::Screen;

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
            (KeyCode::F(3), _) => return self.act(Action::Wiring),
            (KeyCode::F(4), _) => return self.act(Action::Pending),
            (KeyCode::F(5), _) => return self.act(Action::Throughput),
            (KeyCode::F(6), _) => return self.act(Action::Compare),
            (KeyCode::F(7), _) => return self.act(Action::Fix),
            (KeyCode::F(8), _) => return self.act(Action::Columns),
            (KeyCode::F(9), _) => return self.act(Action::Guide),
            (KeyCode::PageDown, _) if self.screen.has_lens() => {
                return self.lens.step(self.lens.height.saturating_sub(1).max(1) as i64);
            }
            (KeyCode::PageUp, _) if self.screen.has_lens() => {
                return self.lens.step(-(self.lens.height.saturating_sub(1).max(1) as i64));
            }
            _ => {}
        }
        match self.focus {
            Focus::Text => self.text_key(key),
            _ if self.screen == Screen::Pending => {
                if !self.pending_key(key.code) {
                    self.letter(key);
                }
            }
            _ if self.screen == Screen::Throughput => {
                if !self.throughput_key(key.code) {
                    self.letter(key);
                }
            }
            _ if self.screen == Screen::Compare => {
                if !self.compare_key(key.code) {
                    self.letter(key);
                }
            }
            _ if self.screen == Screen::Columns => {
                if !self.columns_key(key.code) {
                    self.letter(key);
                }
            }
            Focus::River => {
                if !self.river_key(key.code, control) {
                    self.letter(key);
                }
            }
            Focus::Lens => {
                if !self.lens_key(key.code) {
                    self.letter(key);
                }
            }
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
            Some(entry)
                if entry.action == Action::Throughput && self.screen == Screen::Throughput => {}
            Some(entry) => self.act(entry.action),
            None => {
                self.message = Some(format!(
                    "{pressed} does nothing here; {} shows all keys",
                    crate::actions::key(Action::Help)
                ));
            }
        }
    }

    fn river_key(&mut self, code: KeyCode, control: bool) -> bool {
        match code {
            KeyCode::Up if control => self.lens.step(-1),
            KeyCode::Down if control => self.lens.step(1),
            KeyCode::Up => self.step_river(-1),
            KeyCode::Down => self.step_river(1),
            KeyCode::Left => self.select(Place::Stage(self.place.stage().saturating_sub(1))),
            KeyCode::Right => {
                let last = self.stage_count().saturating_sub(1);
                let next = if self.place == Place::Source { 0 } else { self.place.stage() + 1 };
                self.select(Place::Stage(next.min(last)));
            }
            KeyCode::Home => self.select(Place::Source),
            KeyCode::End => self.select(Place::Stage(self.stage_count().saturating_sub(1))),
            KeyCode::Tab if self.screen == Screen::Bench => self.focus = Focus::Lens,
            KeyCode::Esc if self.screen != Screen::Bench => self.open_screen(Screen::Bench),
            KeyCode::Esc if self.session.workbench.is_following() => {
                self.session.workbench.stop_following();
                self.message =
                    Some("no longer followed; any change of the text starts again".to_owned());
            }
            // Esc again and again leads back to the prompt, with nothing changed.
            KeyCode::Esc if self.purpose == Purpose::Prompt => self.leave(),
            KeyCode::Esc => self.message = None,
            _ => return false,
        }
        true
    }

    /// One row of the river up or down: source, stage, stream, stage, stream …
    fn step_river(&mut self, rows: i64) {
        if self.screen == Screen::Wiring {
            let last = self.stage_count().saturating_sub(1) as i64;
            let next = (self.place.stage() as i64 + rows).clamp(0, last);
            return self.select(Place::Stage(next as usize));
        }
        let last = self.stage_count() as i64 * 2;
        let at = match self.place {
            Place::Source => 0,
            Place::Stage(number) => number as i64 * 2 + 1,
            Place::Stream(number) => number as i64 * 2 + 2,
        };
        let next = (at + rows).clamp(0, last);
        self.select(match next {
            0 => Place::Source,
            odd if odd % 2 == 1 => Place::Stage((odd / 2) as usize),
            even => Place::Stream((even / 2 - 1) as usize),
        });
    }

    fn lens_key(&mut self, code: KeyCode) -> bool {
        match code {
            KeyCode::Up => self.lens.step(-1),
            KeyCode::Down => self.lens.step(1),
            KeyCode::Left => self.lens.sideways(-8),
            KeyCode::Right => self.lens.sideways(8),
            KeyCode::Home => self.lens.go(0),
            KeyCode::End => self.lens.go(usize::MAX),
            KeyCode::Tab | KeyCode::Esc => self.focus = Focus::River,
            KeyCode::Enter if self.lens.open_fold() => {
                if let Some(search) = self.lens.search.clone() {
                    self.start_search(&search.query);
                }
            }
            KeyCode::Enter => self.point_at_line(),
            _ => return false,
        }
        true
    }
}
