//! A command that is not started until somebody says so.

use std::path::PathBuf;

use stream::Environment;

use super::consent::{Consent, Fed};
use super::environment::Change;
use super::named_files::NamedFile;
use super::resolve::Program;

/// A command that was not started because it may change something, with all that would be started.
///
/// Two are the same where the same would be started, whatever is in the files that they name by then.
#[derive(Clone, Debug)]
pub struct HeldCommand {
    /// Its name and its arguments.
    pub words: Vec<Vec<u8>>,
    /// Where it would run, where that is not where the process is.
    pub directory: Option<PathBuf>,
    /// What differs from the environment that the process began with.
    pub changes: Vec<Change>,
    /// The file that would be started; `None` for a line of a shell that holds filters only.
    pub program: Option<Program>,
    /// What it would be fed.
    pub fed: Fed,
    /// The files that its arguments name, as they were when it was held.
    pub files: Vec<NamedFile>,
    /// True where it reads or writes data of the text, so that it cannot be started alone.
    pub joined: bool,
}

impl PartialEq for HeldCommand {
    fn eq(&self, other: &Self) -> bool {
        let Self { words, directory, changes, program, fed, files: _, joined } = self;
        (words, directory, changes) == (&other.words, &other.directory, &other.changes)
            && (program, fed, joined) == (&other.program, &other.fed, &other.joined)
    }
}

impl Eq for HeldCommand {}

impl HeldCommand {
    /// What a yes to this covers; `None` where no program would be started.
    pub fn consent(&self) -> Option<Consent> {
        let own = || std::env::current_dir().unwrap_or_default();
        let directory = match &self.directory {
            None => own(),
            Some(directory) if directory.is_absolute() => directory.clone(),
            Some(directory) => own().join(directory),
        };
        Some(Consent {
            program: self.program.clone()?,
            words: self.words.clone(),
            directory,
            changes: self.changes.clone(),
            fed: self.fed,
            files: self.files.clone(),
        })
    }

    /// Its variables.
    pub(crate) fn environment(&self) -> Environment {
        let mut environment = Environment::default();
        for (name, value) in &self.changes {
            match value {
                Some(value) => environment.set.push((name.clone(), value.clone())),
                None => environment.unset.push(name.clone()),
            }
        }
        environment
    }
}
