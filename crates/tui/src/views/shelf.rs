//! The Shelf: finding, opening, renaming, copying, deleting and bringing back.

mod drawing;
pub(crate) mod state;

use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::screen::view_name::{SHELF, ViewName};
use crate::text::display::safe;
use ratatui::layout::{Position, Size};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use insight::{
    PastLine, ShelfEntry, Shelved, comment_of, copy_script, delete_script, rename_script, renamed,
    restore_script, scripts_in, with_comment,
};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use stream::describe;
use tui_input::Input;

use crate::screen::list::edit;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::{After, Drawer, Hint};
use crate::state::job::Job;
use crate::state::shelf::{Forgotten, TakenOff};
use crate::state::versions::Candidate;
use crate::storage::store::{open_script, save_script};
use crate::views::shelf::state::ShelfView;

/// Opens the Shelf.
pub(crate) fn open(app: &mut App) {
    show(app, Input::default(), None);
}

/// What is done with the state after a file was changed.
type Done = Box<dyn FnOnce(&mut App) + Send>;

/// Reads the Shelf in the background and shows it.
fn show(app: &mut App, query: Input, wanted: Option<PathBuf>) {
    let (number, read_all) = reading(app, query, wanted);
    app.in_background(Job::Shelf, move || {
        let (all, trouble) = read_all(None);
        Event::then(move |app| read(app, number, all, trouble))
    });
}

/// Changes what is on the Shelf and shows it then. Until that is done the Shelf is being read.
fn change(
    app: &mut App,
    query: Input,
    wanted: Option<PathBuf>,
    work: impl FnOnce() -> Result<Done, std::io::Error> + Send + 'static,
    gone: Option<String>,
    failed: &'static str,
) {
    let (number, read_all) = reading(app, query, wanted);
    app.with_files(Job::Writing, move || {
        let done = work();
        let (all, trouble) = read_all(gone.filter(|_| done.is_ok()));
        move |app: &mut App| {
            match done {
                Ok(done) => done(app),
                Err(error) => app.message = Some(format!("{failed}: {}", describe(&error))),
            }
            read(app, number, all, trouble);
        }
    });
}

/// Everything that is on the Shelf but a line that is gone, and why earlier lines are not.
type ReadAll = Box<dyn FnOnce(Option<String>) -> (Vec<ShelfEntry>, Option<String>) + Send>;

/// Shows the Shelf as one that is being read; gives its number, and what reads it.
fn reading(app: &mut App, query: Input, wanted: Option<PathBuf>) -> (u64, ReadAll) {
    app.points += 1;
    let number = app.points;
    let (shelves, past) = (app.kept.shelves.clone(), app.kept.past.clone());
    let history: Vec<String> = app.text.history.iter().rev().cloned().collect();
    app.open_drawer(ShelfView::reading(number, query, wanted));
    let read_all = move |gone: Option<String>| {
        let (lines, trouble) = match past.map(|past| past.lines()) {
            Some(Err(error)) => (Vec::new(), Some(describe(&error))),
            Some(Ok(lines)) => (lines, None),
            None => (Vec::new(), None),
        };
        let history = history.into_iter().filter(|line| Some(line) != gone.as_ref()).collect();
        (entries(&shelves, lines, history), trouble)
    };
    (number, Box::new(read_all))
}

/// Takes what is on the Shelf.
pub(crate) fn read(app: &mut App, number: u64, entries: Vec<ShelfEntry>, trouble: Option<String>) {
    let view = app.drawer_of_mut::<ShelfView>();
    let Some(view) = view.filter(|view| view.number == number) else { return };
    view.take(entries);
    let opens = view.opens;
    if let Some(trouble) = trouble {
        app.message = Some(format!("earlier lines cannot be read: {trouble}"));
    }
    if opens {
        app.press(KeyCode::Enter);
    }
}

/// A key on the Shelf; false where it is closed.
pub(crate) fn pressed(app: &mut App, view: &mut ShelfView, key: KeyEvent) -> bool {
    let last = view.found.len().saturating_sub(1);
    if key.modifiers.contains(KeyModifiers::ALT) {
        return act(app, view, key.code);
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
                Shelved::Saved(path) => app.ask_to_open(path.clone()),
                Shelved::Past => {
                    let text = entry.text.clone();
                    app.take_line(&text);
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
fn act(app: &mut App, view: &mut ShelfView, code: KeyCode) -> bool {
    if code == KeyCode::Char('u') {
        put_back(app, view);
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
            let marked = app.kept.marked.take();
            crate::views::versions::open(
                app,
                marked.into_iter().chain([candidate(entry)]).collect(),
            );
            return false;
        }
        (KeyCode::Char('m'), _) => {
            let marked = candidate(entry);
            app.message = Some(format!("Alt-v compares another one with {}", marked.name));
            app.kept.marked = Some(marked);
        }
        (KeyCode::Char('d'), _) => {
            take_off(app, view);
            return false;
        }
        (KeyCode::Char('r'), Some(path)) => {
            let name = name(&path).unwrap_or_default();
            let title = format!("another name for {}", safe(&path.display().to_string()));
            app.open_drawer(Prompt::word(title, &name, "rename", move |app, text| {
                rename(app, &path, text);
            }));
            return false;
        }
        (KeyCode::Char('c'), Some(path)) => {
            let name = format!("copy-of-{}", name(&path).unwrap_or_default());
            let title = format!("copy {} to", safe(&path.display().to_string()));
            app.open_drawer(Prompt::word(title, &name, "copy", move |app, text| {
                copy(app, &path, text);
            }));
            return false;
        }
        (KeyCode::Char('t'), Some(path)) => {
            let comment = comment_of(&entry.text);
            let title = format!("comment above {}", safe(&path.display().to_string()));
            app.open_drawer(Prompt::new(title, &comment, "save", move |app, text| {
                set_comment(app, &path, text);
            }));
            return false;
        }
        (KeyCode::Char('r' | 'c' | 't'), None) => {
            app.message = Some("a line that was not saved has no file; Enter takes it".to_owned());
        }
        _ => {}
    }
    true
}

/// Deletes the selected script, or forgets the selected line.
fn take_off(app: &mut App, view: &ShelfView) {
    let Some(entry) = view.chosen() else { return };
    let text = entry.text.clone();
    let off = |app: &mut App, what: TakenOff, said: &str| {
        app.kept.taken_off.push(what);
        app.message = Some(format!("{said}; Alt-u brings it back"));
    };
    match &entry.shelved {
        Shelved::Saved(path) => {
            let Some(state) = app.kept.store.as_ref().map(|store| store.folder().to_owned()) else {
                app.message = Some("there is no folder to keep it in, so it stays".to_owned());
                return;
            };
            let path = path.clone();
            let work = move || -> std::io::Result<Done> {
                let deleted = delete_script(&path, &state)?;
                let said = format!("{} was deleted", path.display());
                Ok(Box::new(move |app| off(app, TakenOff::Script(deleted), &said)))
            };
            change(app, view.query.clone(), None, work, None, "not deleted");
        }
        Shelved::Past => {
            let forgotten = Forgotten { text: text.clone(), last: entry.last.clone() };
            let (past, store) = (app.kept.past.clone(), app.kept.store.clone());
            let line = text.clone();
            let work = move || -> std::io::Result<Done> {
                past.map_or(Ok(()), |past| past.remove(&line))?;
                store.map_or(Ok(()), |store| store.forget(&line))?;
                Ok(Box::new(move |app| {
                    app.text.history.retain(|one| *one != line);
                    off(app, TakenOff::Past(Box::new(forgotten)), "the line is forgotten");
                }))
            };
            change(app, view.query.clone(), None, work, Some(text), "not deleted");
        }
    }
    if let Some(new) = app.drawer_of_mut::<ShelfView>() {
        new.at = view.at;
    }
}

/// Brings back what was taken off last.
fn put_back(app: &mut App, view: &ShelfView) {
    let query = view.query.clone();
    let back = |app: &mut App, what: &str| app.message = Some(format!("{what} is back"));
    match app.kept.taken_off.pop() {
        None => {
            app.message = Some("nothing was deleted".to_owned());
            show(app, query, None);
        }
        Some(TakenOff::Script(deleted)) => {
            let wanted = Some(deleted.was.clone());
            let work = move || -> std::io::Result<Done> {
                let name = deleted.was.display().to_string();
                Ok(match restore_script(&deleted) {
                    Ok(()) => Box::new(move |app| back(app, &name)),
                    // It can be tried again.
                    Err(error) => Box::new(move |app| {
                        app.message = Some(format!("not brought back: {}", describe(&error)));
                        app.kept.taken_off.push(TakenOff::Script(deleted));
                    }),
                })
            };
            change(app, query, wanted, work, None, "not brought back");
        }
        Some(TakenOff::Past(line)) => {
            let past = app.kept.past.clone();
            app.remember(&line.text);
            let work = move || -> std::io::Result<Done> {
                if let (Some(last), Some(past)) = (&line.last, past) {
                    past.add(last)?;
                }
                Ok(Box::new(move |app| back(app, "the line")))
            };
            change(app, query, None, work, None, "not brought back");
        }
    }
}

/// Gives a script of the Shelf another name.
fn rename(app: &mut App, path: &Path, name: &str) {
    let (old, new) = (path.to_owned(), renamed(path, name.trim()));
    let to = new.clone();
    let work = move || -> std::io::Result<Done> {
        rename_script(&old, &new)?;
        Ok(Box::new(move |app| {
            app.message = Some(format!("renamed to {}", new.display()));
            if app.text.path.as_ref() == Some(&old) {
                app.text.path = Some(new);
            }
        }))
    };
    change(app, Input::default(), Some(to), work, None, "not done");
}

/// Copies a script of the Shelf.
fn copy(app: &mut App, path: &Path, name: &str) {
    let (old, new) = (path.to_owned(), renamed(path, name.trim()));
    let to = new.clone();
    let work = move || -> std::io::Result<Done> {
        copy_script(&old, &new)?;
        let said = format!("copied to {}", new.display());
        Ok(Box::new(move |app| app.message = Some(said)))
    };
    change(app, Input::default(), Some(to), work, None, "not done");
}

/// Puts another comment above a script of the Shelf.
fn set_comment(app: &mut App, path: &Path, comment: &str) {
    let (of, comment) = (path.to_owned(), comment.to_owned());
    let work = move || -> std::io::Result<Done> {
        save_script(&of, &with_comment(&open_script(&of)?, &comment))?;
        Ok(Box::new(|app| app.message = Some("the comment is saved".to_owned())))
    };
    change(app, Input::default(), Some(path.to_owned()), work, None, "not done");
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
pub(crate) fn entries(
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

impl Drawer<App> for ShelfView {
    fn name(&self) -> &'static str {
        "shelf"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        size.height
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![
            ("type", "to search"),
            ("Enter", "open"),
            ("Esc", "close"),
            ("Alt-d", "delete"),
            ("Alt-u", "bring back"),
            ("Alt-r", "rename"),
            ("Alt-c", "copy"),
            ("Alt-t", "comment"),
            ("Alt-v", "compare"),
            ("Alt-m", "mark to compare"),
            ("↑↓", "choose"),
        ]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.at)
    }

    fn shown_as(&self, _under: ViewName) -> ViewName {
        SHELF
    }

    fn is_whole(&self) -> bool {
        true
    }
}
