//! Which view takes the place of river and lens, and the state of the Pending view.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;

use insight::{Difference, difference};
use ratatui::crossterm::event::KeyCode;

use super::{App, Event, Focus};

/// What is shown between the command text and the notes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Screen {
    /// River and lens.
    #[default]
    Bench,
    /// Where the descriptors lead.
    Wiring,
    /// What would be written and run.
    Pending,
}

/// The state of the Pending view.
#[derive(Default)]
pub struct PendingView {
    /// The selected row: the files, then the commands.
    pub at: usize,
    /// The first row of the right side.
    pub top: usize,
    /// Files that are not to be written.
    pub left_out: BTreeSet<PathBuf>,
    /// What would change in the selected file: of which preview and row, once it is compared.
    pub difference: Option<(u64, usize, Arc<Difference>)>,
}

impl App {
    /// Rows of the Pending view: files and commands.
    pub fn pending_rows(&self) -> (usize, usize) {
        let counts =
            |preview: &Arc<engine::Preview>| (preview.pending.len(), preview.commands.len());
        self.preview.as_ref().map_or((0, 0), counts)
    }

    /// Opens a view, or goes back to the Bench from it.
    pub(crate) fn open_screen(&mut self, screen: Screen) {
        self.screen = if self.screen == screen { Screen::Bench } else { screen };
        self.message = None;
        if self.screen != Screen::Bench && self.focus == Focus::Lens {
            self.focus = Focus::River;
        }
        self.refresh_pending();
    }

    /// Keeps the selection inside the list, and compares the selected file in the background.
    pub(crate) fn refresh_pending(&mut self) {
        if self.screen != Screen::Pending {
            return;
        }
        let (files, commands) = self.pending_rows();
        self.pending.at = self.pending.at.min((files + commands).saturating_sub(1));
        let Some(preview) = self.preview.clone() else { return };
        let (generation, at) = (preview.generation, self.pending.at);
        let known = self.pending.difference.as_ref();
        if known.is_some_and(|known| (known.0, known.1) == (generation, at)) {
            return;
        }
        let Some(file) = preview.pending.get(at).cloned() else { return };
        let events = self.events.clone();
        std::thread::spawn(move || {
            let compared = Arc::new(difference(&file));
            // Nobody listens any more when the screen is gone.
            let _ = events.send(Event::Compared(generation, at, compared));
        });
    }

    /// A key of the Pending view; false where it means nothing there.
    pub(crate) fn pending_key(&mut self, code: KeyCode) -> bool {
        let (files, commands) = self.pending_rows();
        let last = (files + commands).saturating_sub(1);
        let before = self.pending.at;
        match code {
            KeyCode::Up => self.pending.at = before.saturating_sub(1),
            KeyCode::Down => self.pending.at = (before + 1).min(last),
            KeyCode::Home => self.pending.at = 0,
            KeyCode::End => self.pending.at = last,
            KeyCode::PageDown => self.pending.top = self.pending.top.saturating_add(8),
            KeyCode::PageUp => self.pending.top = self.pending.top.saturating_sub(8),
            KeyCode::Char('x') => self.leave_out(),
            KeyCode::Esc if self.writing => self.cancel_writing(),
            KeyCode::Esc => self.open_screen(Screen::Bench),
            _ => return false,
        }
        if self.pending.at != before {
            self.pending.top = 0;
            self.refresh_pending();
        }
        true
    }

    /// Leaves the selected file out, or takes it in again.
    fn leave_out(&mut self) {
        let preview = self.preview.as_ref();
        let Some(file) = preview.and_then(|preview| preview.pending.get(self.pending.at)) else {
            self.message = Some("only files can be left out here".to_owned());
            return;
        };
        if !self.pending.left_out.remove(&file.path) {
            self.pending.left_out.insert(file.path.clone());
        }
    }

    /// Takes the result of a comparison.
    pub(crate) fn compared(&mut self, generation: u64, at: usize, rows: Arc<Difference>) {
        let current = self.preview.as_ref().is_some_and(|preview| preview.generation == generation);
        if current && self.pending.at == at {
            self.pending.difference = Some((generation, at, rows));
        }
    }
}
