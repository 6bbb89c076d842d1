//! Saving and opening scripts.

use std::path::{Path, PathBuf};

use crate::parts::prompt::Prompt;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::event::Wish;
use crate::state::job::Job;
use crate::storage::store::{open_script, save_script};
use crate::update::questions;

impl App {
    /// Writes a file that was asked for, beside the keys; says then what became of it.
    pub(crate) fn write_file(&mut self, write: impl FnOnce() -> String + Send + 'static) {
        self.writing += 1;
        self.message = Some("writing …".to_owned());
        self.in_background(Job::Writing, move || {
            let said = write();
            Event::then(move |app| {
                app.writing = app.writing.saturating_sub(1);
                app.message = Some(said);
            })
        });
    }

    pub(crate) fn save(&mut self) {
        match self.text.path.clone() {
            Some(path) => {
                self.save_to(path);
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_name(&mut self) {
        let name = self
            .text
            .path
            .as_ref()
            .map_or_else(|| "pipeline.sh".to_owned(), |path| path.display().to_string());
        let title = "save as a script for sh, with the name";
        let prompt = Prompt::word(title, &name, "save", |app, text| {
            let path = expand_home(text);
            if path.exists() && Some(&path) != app.text.path.as_ref() {
                app.open_drawer(questions::overwrite(path));
            } else {
                app.save_to(path);
            }
        });
        self.open_drawer(prompt.or_else("do not save"));
    }

    pub(super) fn save_to(&mut self, path: PathBuf) -> bool {
        match save_script(&path, self.text.editor.text()) {
            Ok(()) => {
                self.message = Some(format!("saved as {}", path.display()));
                self.text.saved = self.text.editor.text().to_owned();
                self.text.path = Some(path);
                self.remember_line();
                if let Some(recovery) = &self.kept.recovery {
                    recovery.forget_now();
                }
                true
            }
            Err(error) => {
                self.message =
                    Some(format!("not saved: {}: {}", path.display(), stream::describe(&error)));
                false
            }
        }
    }

    pub(super) fn save_and_leave(&mut self) {
        match self.text.path.clone() {
            Some(path) => {
                if self.save_to(path) {
                    self.leave_now(Wish::Leave);
                }
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_to_open(&mut self, path: PathBuf) {
        if self.would_lose_text() {
            self.open_drawer(questions::open(path));
        } else {
            self.open(&path);
        }
    }

    pub(super) fn open(&mut self, path: &Path) {
        match open_script(path) {
            Ok(text) => {
                self.remember_line();
                self.text.editor.set_text(&text, text.len());
                self.text.saved = text;
                self.text.path = Some(path.to_owned());
                self.message = Some(format!("opened {}", path.display()));
                // Those of another script have nothing to do with it.
                self.session.variables = self.session.variables.with_positional(Vec::new());
                self.text_changed();
                self.ask_missing_parameters();
            }
            Err(error) => {
                self.message =
                    Some(format!("not opened: {}: {}", path.display(), stream::describe(&error)));
            }
        }
    }
}

/// The path that is meant by a text that may begin in the home folder.
pub(crate) fn expand_home(text: &str) -> PathBuf {
    match (text.strip_prefix("~/"), std::env::var_os("HOME")) {
        (Some(rest), Some(home)) => PathBuf::from(home).join(rest),
        _ => PathBuf::from(text),
    }
}
