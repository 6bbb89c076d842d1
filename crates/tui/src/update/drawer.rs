//! Keys and text for what lies over the notes.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::state::app::App;

impl App {
    /// A key while something lies over the notes: Esc, Ctrl-C and Ctrl-G close everything.
    pub(crate) fn drawer_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        if key.code == KeyCode::Esc || control && matches!(key.code, KeyCode::Char('c' | 'g')) {
            if let Some(mut drawer) = self.drawer.take() {
                drawer.left(self);
            }
            return;
        }
        self.with_drawer(|drawer, app| drawer.key(key, app));
    }
}
