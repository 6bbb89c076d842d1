//! Drawings and documents of the result or the run on screen.

use std::path::{Path, PathBuf};

use insight::{Export, export};

use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::list::List;

impl App {
    /// Asks what to hand over.
    pub(crate) fn ask_what_to_export(&mut self) {
        let all = Export::ALL.iter().map(|(what, name, says)| (format!("{name} {says}"), *what));
        self.drawer = Some(Drawer::Export(List::new(all.collect())));
    }

    /// Asks for the file to hand it over in.
    pub(crate) fn ask_where_to_export(&mut self, what: Export) {
        let name =
            Export::ALL.iter().find(|(one, ..)| *one == what).map_or("", |(_, name, _)| name);
        let script = self.text.path.as_ref().and_then(|path| path.file_stem());
        let stem = script.map_or("pipeline".into(), |stem| stem.to_string_lossy());
        let file = format!("{stem}-{name}.{}", what.usual_ending());
        self.drawer = Some(Drawer::prompt(PromptKind::Export(what), &file));
    }

    /// Writes it.
    pub(crate) fn export_to(&mut self, what: Export, path: &Path) {
        let preview = self.result.preview.clone();
        let record = match &self.running {
            Some(running) if running.end.is_some() => {
                Some(running.record(self.text.path.as_deref()))
            }
            _ => None,
        };
        if what.needs_run() && self.is_running() {
            self.message = Some("the run has not ended yet".to_owned());
            return;
        }
        let made = export(what, preview.as_deref(), record.as_ref(), path);
        self.message = Some(match made {
            Ok(()) => format!("written: {}", PathBuf::from(path).display()),
            Err(error) => format!("not written: {error}"),
        });
    }
}
