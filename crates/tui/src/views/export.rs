//! Drawings and documents of the result or the run on screen.

use std::path::PathBuf;

use insight::{Export, export};
use ratatui::crossterm::event::KeyEvent;
use ratatui::layout::{Position, Size};
use tui_input::Input;

use crate::parts::choice::{self, Choice, chosen};
use crate::parts::prompt::Prompt;
use crate::screen::canvas::Canvas;
use crate::screen::list::List;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};
use crate::storage::folders::at_home;

/// What can be handed over.
pub(crate) struct ExportList(pub List<Export>);

/// Asks what to hand over.
pub(crate) fn open(app: &mut App) {
    let all = Export::ALL.iter().map(|(what, name, says)| (format!("{name} {says}"), *what));
    app.open_drawer(ExportList(List::new(all.collect())));
}

/// The name and the words of what can be handed over.
fn named(what: Export) -> (String, String) {
    let entry = Export::ALL.iter().find(|(one, ..)| *one == what);
    entry.map(|(_, name, says)| ((*name).to_owned(), (*says).to_owned())).unwrap_or_default()
}

/// Asks for the file to hand it over in.
pub(crate) fn ask_where(app: &mut App, what: Export) {
    let script = app.text.path.as_ref().and_then(|path| path.file_stem());
    let stem = script.map_or("pipeline".into(), |stem| stem.to_string_lossy());
    let file = format!("{stem}-{}.{}", named(what).0, what.usual_ending());
    app.open_drawer(Prompt::word("write it to", &file, "write it", move |app, name| {
        write(app, what, at_home(name));
    }));
}

/// Writes it.
fn write(app: &mut App, what: Export, path: PathBuf) {
    if what.needs_run() && app.is_running() {
        app.message = Some("the run has not ended yet".to_owned());
        return;
    }
    let preview = app.result.preview.clone();
    let ended = app.running.as_ref().filter(|running| running.end.is_some());
    let record = ended.map(|running| running.record(app.text.path.as_deref()));
    app.write_file(move || match export(what, preview.as_deref(), record.as_ref(), &path) {
        Ok(()) => format!("written: {}", path.display()),
        Err(error) => format!("not written: {error}"),
    });
}

impl Drawer<App> for ExportList {
    fn name(&self) -> &'static str {
        "export"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        choice::rows_of(&self.0, size)
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        let names: Vec<(String, String)> =
            self.0.found().iter().map(|(_, what)| named(*what)).collect();
        choice::draw(canvas, "export", &self.0, &names, app)
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "run it"), ("Esc", "close")]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        match chosen(&mut self.0, key) {
            Choice::None => return After::Stays,
            Choice::Nothing => {}
            Choice::Entry(what) => ask_where(app, what),
        }
        After::Closes
    }

    fn input(&mut self) -> Option<&mut Input> {
        Some(&mut self.0.query)
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.0.at)
    }
}
