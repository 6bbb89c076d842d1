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

/// Reads the Shelf in the background and shows it.
fn show(app: &mut App, query: Input, wanted: Option<PathBuf>) {
    app.points += 1;
    let number = app.points;
    let (shelves, past) = (app.kept.shelves.clone(), app.kept.past.clone());
    let history: Vec<String> = app.text.history.iter().rev().cloned().collect();
    app.in_background(Job::Shelf, move || {
        let (lines, trouble) = match past.map(|past| past.lines()) {
            Some(Err(error)) => (Vec::new(), Some(describe(&error))),
            Some(Ok(lines)) => (lines, None),
            None => (Vec::new(), None),
        };
        let all = entries(&shelves, lines, history);
        Event::then(move |app| read(app, number, all, trouble))
    });
    app.open_drawer(ShelfView::reading(number, query, wanted));
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
    let done = match &entry.shelved {
        Shelved::Saved(path) => {
            let Some(state) = app.kept.store.as_ref().map(|store| store.folder().to_owned()) else {
                app.message = Some("there is no folder to keep it in, so it stays".to_owned());
                return;
            };
            delete_script(path, &state).map(|deleted| {
                app.kept.taken_off.push(TakenOff::Script(deleted));
                format!("{} was deleted", path.display())
            })
        }
        Shelved::Past => forget_line(app, &entry.text).map(|()| {
            let forgotten = Forgotten { text: entry.text.clone(), last: entry.last.clone() };
            app.kept.taken_off.push(TakenOff::Past(Box::new(forgotten)));
            "the line is forgotten".to_owned()
        }),
    };
    app.message = Some(match done {
        Ok(done) => format!("{done}; Alt-u brings it back"),
        Err(error) => format!("not deleted: {}", describe(&error)),
    });
    show(app, view.query.clone(), None);
    if let Some(new) = app.drawer_of_mut::<ShelfView>() {
        new.at = view.at;
    }
}

/// Takes a line out of those evaluated before.
fn forget_line(app: &mut App, text: &str) -> std::io::Result<()> {
    if let Some(past) = &app.kept.past {
        past.remove(text)?;
    }
    if let Some(store) = &app.kept.store {
        store.forget(text)?;
    }
    app.text.history.retain(|line| line != text);
    Ok(())
}

/// Brings back what was taken off last.
fn put_back(app: &mut App, view: &ShelfView) {
    let mut wanted = None;
    let done = match app.kept.taken_off.pop() {
        None => {
            app.message = Some("nothing was deleted".to_owned());
            show(app, view.query.clone(), None);
            return;
        }
        Some(TakenOff::Script(deleted)) => {
            let restored = restore_script(&deleted);
            wanted = Some(deleted.was.clone());
            let name = deleted.was.display().to_string();
            if restored.is_err() {
                // It can be tried again.
                app.kept.taken_off.push(TakenOff::Script(deleted));
            }
            restored.map(|()| name)
        }
        Some(TakenOff::Past(line)) => {
            let past = app.kept.past.clone();
            app.remember(&line.text);
            match (&line.last, past) {
                (Some(last), Some(past)) => past.add(last),
                _ => Ok(()),
            }
            .map(|()| "the line".to_owned())
        }
    };
    app.message = Some(match done {
        Ok(what) => format!("{what} is back"),
        Err(error) => format!("not brought back: {}", describe(&error)),
    });
    show(app, view.query.clone(), wanted);
}

/// Gives a script of the Shelf another name.
pub(crate) fn rename(app: &mut App, path: &Path, name: &str) {
    let new = renamed(path, name.trim());
    let done = rename_script(path, &new);
    if done.is_ok() && app.text.path.as_deref() == Some(path) {
        app.text.path = Some(new.clone());
    }
    done_on(app, done, &format!("renamed to {}", new.display()), new);
}

/// Copies a script of the Shelf.
pub(crate) fn copy(app: &mut App, path: &Path, name: &str) {
    let new = renamed(path, name.trim());
    done_on(app, copy_script(path, &new), &format!("copied to {}", new.display()), new);
}

/// Puts another comment above a script of the Shelf.
pub(crate) fn set_comment(app: &mut App, path: &Path, comment: &str) {
    let done = open_script(path).and_then(|text| save_script(path, &with_comment(&text, comment)));
    done_on(app, done, "the comment is saved", path.to_owned());
}

fn done_on(app: &mut App, done: std::io::Result<()>, says: &str, wanted: PathBuf) {
    app.message = Some(match done {
        Ok(()) => says.to_owned(),
        Err(error) => format!("not done: {}", describe(&error)),
    });
    show(app, Input::default(), Some(wanted));
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
