//! Saving and opening scripts.

use std::path::PathBuf;

use crate::parts::prompt::Prompt;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::event::Wish;
use crate::state::job::Job;
use crate::storage::folders;
use crate::storage::store::{open_script, save_script};
use crate::update::questions;

impl App {
    /// Changes files beside the keys: however long their system takes, no key waits. What `work` gives is done
    /// with the state then. Changes are made in their order; scripts do not wait for other files.
    pub(crate) fn with_files<D: FnOnce(&mut Self) + Send + 'static>(
        &mut self,
        job: Job,
        work: impl FnOnce() -> D + Send + 'static,
    ) {
        self.writing += 1;
        self.in_background(job, move || {
            let done = work();
            Event::then(move |app| {
                app.writing = app.writing.saturating_sub(1);
                done(app);
            })
        });
    }

    /// Reads something that was asked for beside the keys; only what was asked for last counts.
    pub(crate) fn read_files<D: FnOnce(&mut Self) + Send + 'static>(
        &mut self,
        work: impl FnOnce() -> D + Send + 'static,
    ) {
        self.points += 1;
        let number = self.points;
        self.opening = Some(number);
        self.in_background(Job::Opening, move || {
            let done = work();
            Event::then(move |app| {
                if app.opening.take_if(|newest| *newest == number).is_some() {
                    done(app);
                }
            })
        });
    }

    /// Writes a file that was asked for; says then what became of it.
    pub(crate) fn write_file(&mut self, write: impl FnOnce() -> String + Send + 'static) {
        self.message = Some("writing …".to_owned());
        self.with_files(Job::Writing, move || {
            let said = write();
            move |app: &mut Self| app.message = Some(said)
        });
    }

    /// Saves the text where it came from, or asks for a name.
    pub(crate) fn save(&mut self) {
        match self.text.path.clone() {
            Some(path) => self.save_to(path, |_| {}),
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
            let path = folders::at_home(text);
            if Some(&path) == app.text.path.as_ref() {
                return app.save_to(path, |_| {});
            }
            app.read_files(move || {
                let is_there = folders::is_there(&path);
                move |app: &mut Self| {
                    if is_there {
                        app.open_drawer(questions::overwrite(path));
                    } else {
                        app.save_to(path, |_| {});
                    }
                }
            });
        });
        self.open_drawer(prompt.or_else("do not save"));
    }

    /// Saves the text in a file; `then` is done where that succeeded.
    pub(super) fn save_to(&mut self, path: PathBuf, then: fn(&mut Self)) {
        let text = self.text.editor.text().to_owned();
        self.message = Some("saving …".to_owned());
        self.with_files(Job::Saving, move || {
            let saved = save_script(&path, &text);
            move |app: &mut Self| match saved {
                Ok(()) => {
                    app.saved(path, text);
                    then(app);
                }
                Err(error) => {
                    let why = stream::describe(&error);
                    app.message = Some(format!("not saved: {}: {why}", path.display()));
                }
            }
        });
    }

    /// The text is saved: what was typed since is a change again.
    fn saved(&mut self, path: PathBuf, text: String) {
        self.message = Some(format!("saved as {}", path.display()));
        self.remember(&text);
        self.text.saved = text;
        self.text.path = Some(path);
        if let Some(recovery) = self.kept.recovery.as_ref().filter(|_| !self.text.is_changed()) {
            recovery.forget_now();
        }
    }

    pub(super) fn save_and_leave(&mut self) {
        match self.text.path.clone() {
            Some(path) => self.save_to(path, |app| app.leave_now(Wish::Leave)),
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_to_open(&mut self, path: PathBuf) {
        if self.would_lose_text() {
            self.open_drawer(questions::open(path));
        } else {
            self.open(path);
        }
    }

    /// Reads a script and puts it in the place of the text, unless that was changed meanwhile.
    pub(super) fn open(&mut self, path: PathBuf) {
        let before = self.text.editor.text().to_owned();
        self.message = Some(format!("opening {} …", path.display()));
        self.read_files(move || {
            let read = open_script(&path);
            move |app: &mut Self| match read {
                Ok(_) if app.text.editor.text() != before => {
                    let name = path.display();
                    app.message =
                        Some(format!("not opened: {name}: the text was changed meanwhile"));
                }
                Ok(text) => app.opened(path, text),
                Err(error) => {
                    let why = stream::describe(&error);
                    app.message = Some(format!("not opened: {}: {why}", path.display()));
                }
            }
        });
    }

    fn opened(&mut self, path: PathBuf, text: String) {
        self.remember_line();
        self.text.editor.set_text(&text, text.len());
        self.text.saved = text;
        self.message = Some(format!("opened {}", path.display()));
        self.text.path = Some(path);
        // Those of another script have nothing to do with it.
        self.session.variables = self.session.variables.with_positional(Vec::new());
        self.text_changed();
        self.ask_missing_parameters();
    }
}
