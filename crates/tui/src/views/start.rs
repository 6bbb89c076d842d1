//! The place to begin: reading a folder, looking at its files, opening what is chosen.

mod drawing;
pub(crate) mod state;

use crate::screen::canvas::Canvas;
use crate::screen::view_name::{BENCH, ViewName};
use ratatui::layout::{Position, Size};
use std::path::PathBuf;
use tui_input::Input;

use insight::{EntryKind, PastLine, ShelfEntry, Shelved};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use stream::describe;

use crate::screen::list::edit;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::{After, Drawer, Hint};
use crate::state::job::Job;
use crate::storage::folders;
use crate::views::shelf::entries;
use crate::views::start::state::{Beginning, Item, Looked, StartView};

/// Files that are looked at in one go.
const LOOKED_AT: usize = 24;

/// Shows what there is to begin with in the folder this process is in.
pub(crate) fn open(app: &mut App) {
    app.points += 1;
    let number = app.points;
    let (shelves, past) = (app.kept.shelves.clone(), app.kept.past.clone());
    let history: Vec<String> = app.text.history.iter().rev().cloned().collect();
    app.in_background(Job::Start, move || {
        let lines = past.and_then(|past| past.lines().ok()).unwrap_or_default();
        let all = beginning(&shelves, lines, history);
        Event::then(move |app| read(app, number, all))
    });
    app.open_drawer(StartView::reading(number));
}

/// Takes what there is.
pub(crate) fn read(app: &mut App, number: u64, all: Beginning) {
    app.with_drawer_of::<StartView>(|view, app| {
        if view.number == number {
            view.take(all);
            look_on(app, view);
        }
    });
}

/// Looks at files that are on the screen and were not looked at yet.
fn look_on(app: &App, view: &mut StartView) {
    let missing = view.not_looked_at(LOOKED_AT);
    let Some(all) = view.all.as_ref().filter(|_| !missing.is_empty() && !view.is_looking) else {
        return;
    };
    let folder = all.folder.clone();
    let wanted: Vec<(usize, PathBuf)> = missing
        .into_iter()
        .filter_map(|number| Some((number, folder.join(&view.file(number)?.name))))
        .collect();
    view.is_looking = true;
    let number = view.number;
    app.in_background(Job::FirstLines, move || {
        let look = |(at, path): (usize, PathBuf)| -> Looked {
            (at, insight::look_at(&path).map_err(|error| describe(&error)))
        };
        let looks = wanted.into_iter().map(look).collect();
        Event::then(move |app| looked(app, number, looks))
    });
}

/// Takes looks at files.
pub(crate) fn looked(app: &mut App, number: u64, looks: Vec<Looked>) {
    let view = app.drawer_of_mut::<StartView>();
    let Some(view) = view.filter(|view| view.number == number) else { return };
    view.is_looking = false;
    view.looks.extend(looks);
    let opens =
        view.opens && view.wanted_files().iter().all(|number| view.looks.contains_key(number));
    if opens {
        app.press(KeyCode::Enter);
    }
    app.with_drawer_of::<StartView>(|view, app| look_on(app, view));
}

/// A key in the place to begin; false where it is closed.
pub(crate) fn pressed(app: &mut App, view: &mut StartView, key: KeyEvent) -> bool {
    let last = view.found.len().saturating_sub(1);
    view.opens = false;
    match key.code {
        KeyCode::Up => view.at = view.at.saturating_sub(1),
        KeyCode::Down => view.at = (view.at + 1).min(last),
        KeyCode::PageUp => view.at = view.at.saturating_sub(10),
        KeyCode::PageDown => view.at = (view.at + 10).min(last),
        KeyCode::Tab => {
            if let Some(Item::File(number)) = view.chosen()
                && view.file(number).is_some_and(|file| file.kind == EntryKind::File)
            {
                if !view.marked.remove(&number) {
                    view.marked.insert(number);
                }
                view.at = (view.at + 1).min(last);
            }
        }
        KeyCode::Enter => return begin_with(app, view),
        KeyCode::Char('q') if key.modifiers.contains(KeyModifiers::CONTROL) => {
            app.leave();
            return false;
        }
        KeyCode::F(9) => {
            crate::views::guide::open(app);
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

/// Begins with what is chosen; true where the view stays.
fn begin_with(app: &mut App, view: &mut StartView) -> bool {
    let Some(all) = &view.all else {
        view.opens = true;
        return true;
    };
    let files = view.wanted_files();
    if !files.is_empty() {
        return begin_with_files(app, view, &files);
    }
    match view.chosen() {
        Some(Item::Above) => {
            go_to(app, all.folder.join(".."));
            return true;
        }
        Some(Item::Lately(number)) => match all.lately.get(number) {
            Some(ShelfEntry { shelved: Shelved::Saved(path), .. }) => {
                app.ask_to_open(path.clone());
            }
            Some(entry) => begin_with_text(app, &entry.text),
            None => {}
        },
        Some(Item::Program(number)) => {
            if let Some(program) = all.programs.get(number) {
                begin_with_text(app, program.line);
            }
        }
        Some(Item::Demo) => match app.demo {
            Some(demo) => {
                app.message = Some("laying out the demo …".to_owned());
                app.with_files(Job::Writing, move || {
                    let made = demo();
                    move |app: &mut App| match made {
                        Ok(path) => app.ask_to_open(path),
                        Err(why) => app.message = Some(why),
                    }
                });
            }
            None => app.message = Some("“ylotrope demo” opens the demo".to_owned()),
        },
        Some(Item::File(_)) | None => return true,
    }
    false
}

fn begin_with_files(app: &mut App, view: &mut StartView, files: &[usize]) -> bool {
    let chosen: Vec<_> = files.iter().filter_map(|number| view.file(*number)).collect();
    if let [only] = chosen[..] {
        match only.kind {
            EntryKind::Folder => {
                let folder = view.all.as_ref().map(|all| all.folder.join(&only.name));
                go_to(app, folder.unwrap_or_default());
                return true;
            }
            EntryKind::Other => {
                app.message =
                    Some("a pipe, a device or a link to nowhere is not opened".to_owned());
                return true;
            }
            EntryKind::File if only.is_script => {
                app.ask_to_open(PathBuf::from(&only.name));
                return false;
            }
            EntryKind::File => {}
        }
    }
    let mut forms = Vec::new();
    for number in files {
        match view.looks.get(number) {
            None => {
                view.opens = true;
                return true;
            }
            Some(Err(why)) => {
                let name = view.file(*number).map(|file| file.name.to_string_lossy().into_owned());
                app.message = Some(format!("{}: {why}", name.unwrap_or_default()));
                return true;
            }
            Some(Ok(look)) => forms.push(look.compressed),
        }
    }
    let names: Option<Vec<&str>> = chosen.iter().map(|file| file.name.to_str()).collect();
    let Some(names) = names else {
        app.message = Some("a name that is not UTF-8 cannot be part of the text".to_owned());
        return true;
    };
    let files: Vec<_> = names.into_iter().zip(forms).collect();
    let Some(text) = insight::reading_command(&files) else {
        app.message = Some("files compressed in different ways are not opened together".to_owned());
        return true;
    };
    begin_with_text(app, &text);
    false
}

/// A text to begin with, which is of no file.
fn begin_with_text(app: &mut App, text: &str) {
    app.remember_line();
    app.text.path = None;
    app.text.saved.clear();
    app.take_line(text);
}

/// Goes to another folder and shows what is there. It is opened beside the keys; a folder that takes its time
/// is not gone to any more when something else was asked for meanwhile.
fn go_to(app: &mut App, folder: PathBuf) {
    app.read_files(move || {
        let opened = folders::open(&folder);
        move |app: &mut App| {
            let gone = opened.and_then(|folder| folders::go_to(&folder));
            if let Err(error) = gone {
                app.message = Some(format!("{}: {}", folder.display(), describe(&error)));
            }
            open(app);
        }
    });
}

/// What there is in the folder this process is in.
fn beginning(shelves: &[PathBuf], lines: Vec<PastLine>, history: Vec<String>) -> Beginning {
    let folder = folders::here();
    let files = insight::list_folder(&folder).map_err(|error| describe(&error));
    let mut lately: Vec<ShelfEntry> = entries(shelves, lines, history);
    // What has a time comes first, the newest of it; then lines as they were written.
    lately.retain(|entry| entry.last.is_some() || entry.shelved == Shelved::Past);
    lately.sort_by_key(|entry| std::cmp::Reverse(entry.last.as_ref().map(|last| last.when)));
    let path = std::env::var("PATH").unwrap_or_default();
    let listed: Vec<&str> = engine::listed_programs().collect();
    let programs = insight::source_programs(&path, |name| listed.contains(&name));
    Beginning { folder, files, lately, programs }
}

impl Drawer<App> for StartView {
    fn name(&self) -> &'static str {
        "the place to begin"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        size.height
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![
            ("Enter", "open"),
            ("↑↓", "choose"),
            ("type", "to search"),
            ("Tab", "several"),
            ("F9", "how do I …"),
            ("Esc", "an empty text"),
            ("Ctrl-Q", "quit"),
        ]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        let stays = pressed(app, self, key);
        // What is on the screen now is looked at.
        look_on(app, self);
        After::stays_if(stays)
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.at)
    }

    fn shown_as(&self, _under: ViewName) -> ViewName {
        // Nothing is shown yet that has a view.
        BENCH
    }

    fn instead_of_text(&self) -> Option<String> {
        let folder = self.all.as_ref().map(|all| insight::folder_name(&all.folder));
        Some(folder.unwrap_or_else(|| "this folder".to_owned()))
    }

    fn is_whole(&self) -> bool {
        true
    }
}
