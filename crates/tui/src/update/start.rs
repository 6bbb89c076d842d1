//! The place to begin: reading a folder, looking at its files, opening what is chosen.

use std::path::{Path, PathBuf};

use insight::{EntryKind, PastLine, ShelfEntry, Shelved};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use stream::describe;

use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::list::edit;
use crate::state::start::{Beginning, Item, Looked, StartView};
use crate::update::shelf::entries;

/// Files that are looked at in one go.
const LOOKED_AT: usize = 24;

impl App {
    /// Shows what there is to begin with in the folder this process is in.
    pub(crate) fn open_start(&mut self) {
        self.points += 1;
        let number = self.points;
        let (shelves, past) = (self.kept.shelves.clone(), self.kept.past.clone());
        let history: Vec<String> = self.text.history.iter().rev().cloned().collect();
        self.in_background(Job::Start, move || {
            let lines = past.and_then(|past| past.lines().ok()).unwrap_or_default();
            Event::StartRead(number, Box::new(beginning(&shelves, lines, history)))
        });
        self.drawer = Some(Drawer::Start(Box::new(StartView::reading(number))));
    }

    /// Takes what there is.
    pub(crate) fn start_read(&mut self, number: u64, all: Beginning) {
        let Some(Drawer::Start(view)) = &mut self.drawer else { return };
        if view.number != number {
            return;
        }
        view.take(all);
        self.look_on();
    }

    /// Looks at files that are on the screen and were not looked at yet.
    fn look_on(&mut self) {
        let Some(Drawer::Start(view)) = &mut self.drawer else { return };
        let missing = view.not_looked_at(LOOKED_AT);
        let Some(all) = view.all.as_ref().filter(|_| !missing.is_empty() && !view.is_looking)
        else {
            return;
        };
        let folder = all.folder.clone();
        let wanted: Vec<(usize, PathBuf)> = missing
            .into_iter()
            .filter_map(|number| Some((number, folder.join(&view.file(number)?.name))))
            .collect();
        view.is_looking = true;
        let number = view.number;
        self.in_background(Job::FirstLines, move || {
            let look = |(at, path): (usize, PathBuf)| -> Looked {
                (at, insight::look_at(&path).map_err(|error| describe(&error)))
            };
            Event::Looked(number, wanted.into_iter().map(look).collect())
        });
    }

    /// Takes looks at files.
    pub(crate) fn looked(&mut self, number: u64, looks: Vec<Looked>) {
        let Some(Drawer::Start(view)) = &mut self.drawer else { return };
        if view.number != number {
            return;
        }
        view.is_looking = false;
        view.looks.extend(looks);
        let opens =
            view.opens && view.wanted_files().iter().all(|number| view.looks.contains_key(number));
        if opens {
            self.press(KeyCode::Enter);
        }
        self.look_on();
    }

    /// A key in the place to begin; false where it is closed.
    pub(crate) fn start_key(&mut self, view: &mut StartView, key: KeyEvent) -> bool {
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
            KeyCode::Enter => return self.begin_with(view),
            KeyCode::Char('q') if key.modifiers.contains(KeyModifiers::CONTROL) => {
                self.leave();
                return false;
            }
            KeyCode::F(9) => {
                self.open_guide();
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

    /// After a key: what is on the screen now is looked at.
    pub(crate) fn after_start_key(&mut self) {
        self.look_on();
    }

    /// Begins with what is chosen; true where the view stays.
    fn begin_with(&mut self, view: &mut StartView) -> bool {
        let Some(all) = &view.all else {
            view.opens = true;
            return true;
        };
        let files = view.wanted_files();
        if !files.is_empty() {
            return self.begin_with_files(view, &files);
        }
        match view.chosen() {
            Some(Item::Above) => self.go_to(&all.folder.join("..")),
            Some(Item::Lately(number)) => match all.lately.get(number) {
                Some(ShelfEntry { shelved: Shelved::Saved(path), .. }) => {
                    self.ask_to_open(path.clone());
                }
                Some(entry) => self.begin_with_text(&entry.text),
                None => {}
            },
            Some(Item::Program(number)) => {
                if let Some(program) = all.programs.get(number) {
                    self.begin_with_text(program.line);
                }
            }
            Some(Item::Demo) => match self.demo {
                Some(demo) => match demo() {
                    Ok(path) => self.ask_to_open(path),
                    Err(why) => self.message = Some(why),
                },
                None => self.message = Some("“ylotrope demo” opens the demo".to_owned()),
            },
            Some(Item::File(_)) | None => return true,
        }
        false
    }

    fn begin_with_files(&mut self, view: &mut StartView, files: &[usize]) -> bool {
        let chosen: Vec<_> = files.iter().filter_map(|number| view.file(*number)).collect();
        if let [only] = chosen[..] {
            match only.kind {
                EntryKind::Folder => {
                    let folder = view.all.as_ref().map(|all| all.folder.join(&only.name));
                    self.go_to(&folder.unwrap_or_default());
                    return false;
                }
                EntryKind::Other => {
                    self.message =
                        Some("a pipe, a device or a link to nowhere is not opened".to_owned());
                    return true;
                }
                EntryKind::File if only.is_script => {
                    self.ask_to_open(PathBuf::from(&only.name));
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
                    let name =
                        view.file(*number).map(|file| file.name.to_string_lossy().into_owned());
                    self.message = Some(format!("{}: {why}", name.unwrap_or_default()));
                    return true;
                }
                Some(Ok(look)) => forms.push(look.compressed),
            }
        }
        let names: Option<Vec<&str>> = chosen.iter().map(|file| file.name.to_str()).collect();
        let Some(names) = names else {
            self.message = Some("a name that is not UTF-8 cannot be part of the text".to_owned());
            return true;
        };
        let files: Vec<_> = names.into_iter().zip(forms).collect();
        let Some(text) = insight::reading_command(&files) else {
            self.message =
                Some("files compressed in different ways are not opened together".to_owned());
            return true;
        };
        self.begin_with_text(&text);
        false
    }

    /// A text to begin with, which is of no file.
    fn begin_with_text(&mut self, text: &str) {
        self.remember_line();
        self.text.path = None;
        self.text.saved.clear();
        self.take_line(text);
    }

    /// Goes to another folder and shows what is there.
    fn go_to(&mut self, folder: &Path) {
        match std::env::set_current_dir(folder) {
            Ok(()) => self.open_start(),
            Err(error) => {
                self.message = Some(format!("{}: {}", folder.display(), describe(&error)));
                self.open_start();
            }
        }
    }
}

/// What there is in the folder this process is in.
fn beginning(shelves: &[PathBuf], lines: Vec<PastLine>, history: Vec<String>) -> Beginning {
    let folder = std::env::current_dir().unwrap_or_else(|_| PathBuf::from("."));
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
