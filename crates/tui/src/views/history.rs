//! Earlier lines: those of this machine's sessions, and those of the shell where the user wants
//! them.

use std::collections::HashSet;
use std::path::PathBuf;

use ratatui::crossterm::event::{KeyCode, KeyEvent};
use ratatui::layout::{Position, Size};
use tui_input::Input;

use crate::parts::choice::{self, Choice, chosen};
use crate::screen::canvas::Canvas;
use crate::screen::list::List;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};
use crate::storage::shell_history;
use crate::text::display::safe;

/// Earlier lines, and whether those of the shell can be read too.
pub(crate) struct EarlierLines {
    /// The newest first.
    pub list: List<String>,
    /// A file of the shell that has not been read.
    pub offered: Option<PathBuf>,
}

/// Shows the earlier lines, the newest first.
pub(crate) fn open(app: &mut App) {
    let lines = app.text.history.iter().rev().cloned();
    let list = List::new(lines.map(|line| (line.clone(), line)).collect());
    // Offered once: who leaves the list without it is not asked again.
    let offered = app.kept.shell_history.take();
    let config = app.kept.config.clone().filter(|_| offered.is_some());
    app.open_drawer(EarlierLines { list, offered: offered.clone() });
    let (Some(config), Some(path)) = (config, offered) else { return };
    app.read_files(move || {
        let wanted = matches!(config.reads_shell_history(), Ok(true));
        let read = wanted.then(|| shell_history::read(&path));
        move |app: &mut App| {
            if let Some(read) = read {
                take_lines(app, path, read);
            }
        }
    });
}

/// Reads the lines of the shell's own file, and does so from now on.
fn read_shell_history(app: &mut App, earlier: &mut EarlierLines) {
    let Some(path) = earlier.offered.take() else { return };
    let config = app.kept.config.clone();
    app.read_files(move || {
        let read = shell_history::read(&path);
        let kept = read.as_ref().ok().and_then(|_| config?.read_shell_history().err());
        move |app: &mut App| {
            take_lines(app, path, read);
            if let Some(error) = kept {
                app.message = Some(error.to_string());
            }
        }
    });
}

/// Adds the lines of the shell's own file to the list on screen.
fn take_lines(app: &mut App, path: PathBuf, read: std::io::Result<Vec<String>>) {
    let lines = match read {
        Ok(lines) => lines,
        Err(error) => {
            app.message = Some(format!("{}: {}", path.display(), stream::describe(&error)));
            return;
        }
    };
    app.kept.shell_history = Some(path);
    let Some(earlier) = app.drawer_of_mut::<EarlierLines>() else { return };
    earlier.offered = None;
    let known: HashSet<&str> = earlier.list.all.iter().map(|(line, _)| &line[..]).collect();
    let new: Vec<String> =
        lines.into_iter().rev().filter(|line| !known.contains(&line[..])).collect();
    earlier.list.all.extend(new.into_iter().map(|line| (line.clone(), line)));
}

impl Drawer<App> for EarlierLines {
    fn name(&self) -> &'static str {
        "earlier lines"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        choice::rows_of(&self.list, size)
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let found = self.list.found();
        let name = |line: &String| (safe(&line.replace('\n', " ↵ ")), String::new());
        let names: Vec<(String, String)> = found.iter().map(|(_, line)| name(line)).collect();
        let title = match &self.offered {
            Some(path) => {
                format!("earlier lines (Tab reads {} too)", safe(&path.display().to_string()))
            }
            None => "earlier lines".to_owned(),
        };
        choice::draw(canvas, &title, &self.list, &names, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let mut hints = vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "take it")];
        hints.extend(self.offered.is_some().then_some(("Tab", "those of the shell too")));
        hints.push(("Esc", "close"));
        hints
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if key.code == KeyCode::Tab {
            read_shell_history(app, self);
            return After::Stays;
        }
        match chosen(&mut self.list, key) {
            Choice::None => return After::Stays,
            Choice::Nothing => {}
            Choice::Entry(line) => app.take_line(&line),
        }
        After::Closes
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.list.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.list.at)
    }
}
