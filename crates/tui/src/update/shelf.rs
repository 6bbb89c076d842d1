//! The Shelf: finding, opening, renaming, copying, deleting and bringing back.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use insight::{
    PastLine, ShelfEntry, Shelved, comment_of, copy_script, delete_script, rename_script, renamed,
    restore_script, scripts_in, with_comment,
};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use stream::describe;
use tui_input::Input;

use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::list::edit;
use crate::state::shelf::{Forgotten, ShelfView, TakenOff};
use crate::state::versions::Candidate;
use crate::storage::store::{open_script, save_script};

impl App {
    /// Opens the Shelf.
    pub(crate) fn open_shelf(&mut self) {
        self.show_shelf(Input::default(), None);
    }

    /// Reads the Shelf in the background and shows it.
    fn show_shelf(&mut self, query: Input, wanted: Option<PathBuf>) {
        self.points += 1;
        let number = self.points;
        let (shelves, past) = (self.kept.shelves.clone(), self.kept.past.clone());
        let history: Vec<String> = self.text.history.iter().rev().cloned().collect();
        self.in_background(Job::Shelf, move || {
            let (lines, trouble) = match past.map(|past| past.lines()) {
                Some(Err(error)) => (Vec::new(), Some(describe(&error))),
                Some(Ok(lines)) => (lines, None),
                None => (Vec::new(), None),
            };
            Event::ShelfRead(number, entries(&shelves, lines, history), trouble)
        });
        self.drawer = Some(Drawer::Shelf(Box::new(ShelfView::reading(number, query, wanted))));
    }

    /// Takes what is on the Shelf.
    pub(crate) fn shelf_read(
        &mut self,
        number: u64,
        entries: Vec<ShelfEntry>,
        trouble: Option<String>,
    ) {
        let Some(Drawer::Shelf(view)) = &mut self.drawer else { return };
        if view.number != number {
            return;
        }
        view.take(entries);
        let opens = view.opens;
        if let Some(trouble) = trouble {
            self.message = Some(format!("earlier lines cannot be read: {trouble}"));
        }
        if opens {
            self.press(KeyCode::Enter);
        }
    }

    /// A key on the Shelf; false where it is closed.
    pub(crate) fn shelf_key(&mut self, view: &mut ShelfView, key: KeyEvent) -> bool {
        let last = view.found.len().saturating_sub(1);
        if key.modifiers.contains(KeyModifiers::ALT) {
            return self.shelf_action(view, key.code);
        }
        match key.code {
            KeyCode::Up => view.at = view.at.saturating_sub(1),
            KeyCode::Down => view.at = (view.at + 1).min(last),
            KeyCode::PageUp => view.at = view.at.saturating_sub(10),
            KeyCode::PageDown => view.at = (view.at + 10).min(last),
            KeyCode::Enter if view.entries.is_none() => view.opens = true,
            KeyCode::Enter => {
                let Some(entry) = view.chosen() else { return true };
                match &entry.shelved {
                    Shelved::Saved(path) => self.ask_to_open(path.clone()),
                    Shelved::Past => {
                        let text = entry.text.clone();
                        self.take_line(&text);
                    }
                }
                return false;
            }
            _ => {
                if edit(&mut view.query, key) {
                    view.at = 0;
                    view.search();
                }
            }
        }
        true
    }

    /// Something is done with the selected entry; false where the Shelf is closed for it.
    fn shelf_action(&mut self, view: &mut ShelfView, code: KeyCode) -> bool {
        if code == KeyCode::Char('u') {
            self.put_back(view);
            return false;
        }
        let Some(entry) = view.chosen() else { return true };
        let path = match &entry.shelved {
            Shelved::Saved(path) => Some(path.clone()),
            Shelved::Past => None,
        };
        let name = |path: &Path| path.file_name().map(|name| name.to_string_lossy().into_owned());
        match (code, path) {
            (KeyCode::Char('v'), _) => {
                let marked = self.kept.marked.take();
                self.open_versions(marked.into_iter().chain([candidate(entry)]).collect());
                return false;
            }
            (KeyCode::Char('m'), _) => {
                let marked = candidate(entry);
                self.message = Some(format!("Alt-v compares another one with {}", marked.name));
                self.kept.marked = Some(marked);
            }
            (KeyCode::Char('d'), _) => {
                self.take_off(view);
                return false;
            }
            (KeyCode::Char('r'), Some(path)) => {
                let name = name(&path).unwrap_or_default();
                self.drawer = Some(Drawer::prompt(PromptKind::Rename(path), &name));
                return false;
            }
            (KeyCode::Char('c'), Some(path)) => {
                let name = format!("copy-of-{}", name(&path).unwrap_or_default());
                self.drawer = Some(Drawer::prompt(PromptKind::CopyAs(path), &name));
                return false;
            }
            (KeyCode::Char('t'), Some(path)) => {
                let comment = comment_of(&entry.text);
                self.drawer = Some(Drawer::prompt(PromptKind::Comment(path), &comment));
                return false;
            }
            (KeyCode::Char('r' | 'c' | 't'), None) => {
                self.message =
                    Some("a line that was not saved has no file; Enter takes it".to_owned());
            }
            _ => {}
        }
        true
    }

    /// Deletes the selected script, or forgets the selected line.
    fn take_off(&mut self, view: &ShelfView) {
        let Some(entry) = view.chosen() else { return };
        let done = match &entry.shelved {
            Shelved::Saved(path) => {
                let Some(state) = self.kept.store.as_ref().map(|store| store.folder().to_owned())
                else {
                    self.message = Some("there is no folder to keep it in, so it stays".to_owned());
                    return;
                };
                delete_script(path, &state).map(|deleted| {
                    self.kept.taken_off.push(TakenOff::Script(deleted));
                    format!("{} was deleted", path.display())
                })
            }
            Shelved::Past => self.forget_line(&entry.text).map(|()| {
                let forgotten = Forgotten { text: entry.text.clone(), last: entry.last.clone() };
                self.kept.taken_off.push(TakenOff::Past(Box::new(forgotten)));
                "the line is forgotten".to_owned()
            }),
        };
        self.message = Some(match done {
            Ok(done) => format!("{done}; Alt-u brings it back"),
            Err(error) => format!("not deleted: {}", describe(&error)),
        });
        self.show_shelf(view.query.clone(), None);
        if let Some(Drawer::Shelf(new)) = &mut self.drawer {
            new.at = view.at;
        }
    }

    /// Takes a line out of those evaluated before.
    fn forget_line(&mut self, text: &str) -> std::io::Result<()> {
        if let Some(past) = &self.kept.past {
            past.remove(text)?;
        }
        if let Some(store) = &self.kept.store {
            store.forget(text)?;
        }
        self.text.history.retain(|line| line != text);
        Ok(())
    }

    /// Brings back what was taken off last.
    fn put_back(&mut self, view: &ShelfView) {
        let mut wanted = None;
        let done = match self.kept.taken_off.pop() {
            None => {
                self.message = Some("nothing was deleted".to_owned());
                self.show_shelf(view.query.clone(), None);
                return;
            }
            Some(TakenOff::Script(deleted)) => {
                let restored = restore_script(&deleted);
                wanted = Some(deleted.was.clone());
                let name = deleted.was.display().to_string();
                if restored.is_err() {
                    // It can be tried again.
                    self.kept.taken_off.push(TakenOff::Script(deleted));
                }
                restored.map(|()| name)
            }
            Some(TakenOff::Past(line)) => {
                let past = self.kept.past.clone();
                self.remember(&line.text);
                match (&line.last, past) {
                    (Some(last), Some(past)) => past.add(last),
                    _ => Ok(()),
                }
                .map(|()| "the line".to_owned())
            }
        };
        self.message = Some(match done {
            Ok(what) => format!("{what} is back"),
            Err(error) => format!("not brought back: {}", describe(&error)),
        });
        self.show_shelf(view.query.clone(), wanted);
    }

    /// Gives a script of the Shelf another name.
    pub(crate) fn rename_on_shelf(&mut self, path: &Path, name: &str) {
        let new = renamed(path, name.trim());
        let done = rename_script(path, &new);
        if done.is_ok() && self.text.path.as_deref() == Some(path) {
            self.text.path = Some(new.clone());
        }
        self.after_shelf(done, &format!("renamed to {}", new.display()), new);
    }

    /// Copies a script of the Shelf.
    pub(crate) fn copy_on_shelf(&mut self, path: &Path, name: &str) {
        let new = renamed(path, name.trim());
        self.after_shelf(copy_script(path, &new), &format!("copied to {}", new.display()), new);
    }

    /// Puts another comment above a script of the Shelf.
    pub(crate) fn comment_on_shelf(&mut self, path: &Path, comment: &str) {
        let done =
            open_script(path).and_then(|text| save_script(path, &with_comment(&text, comment)));
        self.after_shelf(done, "the comment is saved", path.to_owned());
    }

    fn after_shelf(&mut self, done: std::io::Result<()>, says: &str, wanted: PathBuf) {
        self.message = Some(match done {
            Ok(()) => says.to_owned(),
            Err(error) => format!("not done: {}", describe(&error)),
        });
        self.show_shelf(Input::default(), Some(wanted));
    }
}

/// An entry as one of two versions that are compared.
fn candidate(entry: &ShelfEntry) -> Candidate {
    Candidate { name: path_name(entry), text: entry.text.clone(), at: usize::MAX, figures: None }
}

/// What a saved entry is called.
fn path_name(entry: &ShelfEntry) -> String {
    match &entry.shelved {
        Shelved::Saved(path) => path.display().to_string(),
        Shelved::Past => "the earlier line".to_owned(),
    }
}

/// What is in the folders, and what was evaluated before, the newest first.
pub(super) fn entries(
    shelves: &[PathBuf],
    lines: Vec<PastLine>,
    history: Vec<String>,
) -> Vec<ShelfEntry> {
    let mut known: HashMap<&str, &PastLine> = HashMap::new();
    for line in &lines {
        known.entry(line.text.trim()).or_insert(line);
    }
    let mut all: Vec<ShelfEntry> = Vec::new();
    for path in shelves.iter().flat_map(|folder| scripts_in(folder)) {
        let text = open_script(&path).unwrap_or_default();
        let last = known.get(text.trim()).map(|line| (*line).clone());
        all.push(ShelfEntry::saved(path, text, last));
    }
    let saved: std::collections::HashSet<String> =
        all.iter().map(|entry| entry.text.trim().to_owned()).collect();
    let figured: std::collections::HashSet<String> =
        lines.iter().map(|line| line.text.trim().to_owned()).collect();
    for line in lines {
        if !saved.contains(line.text.trim()) {
            all.push(ShelfEntry::past(line.text.clone(), Some(line)));
        }
    }
    for text in history {
        if !saved.contains(text.trim()) && !figured.contains(text.trim()) {
            all.push(ShelfEntry::past(text, None));
        }
    }
    all
}
