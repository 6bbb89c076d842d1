//! Who may start a program: the one place that decides. Nothing but a [`Launch`] can be started,
//! and only [`Policy::decide`] makes one.

mod arguments;
mod consent;
mod environment;
mod held_command;
mod named_files;
mod programs;
mod resolve;

use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

use stream::{Environment, WorkingFolder};

pub use consent::{Consent, Consents, Fed};
pub use environment::Change;
use environment::changes;
pub(crate) use environment::matters_unexported;
pub use held_command::HeldCommand;
pub use named_files::{Content, NamedFile};
pub use programs::listed_programs;
pub use resolve::{FileIdentity, Program};
use resolve::{Found, find, leads_through_roots};

/// A program that somebody wants to start.
#[derive(Clone)]
pub(crate) struct Start {
    words: Vec<Vec<u8>>,
    /// Where it would run; `None` for where the process is.
    directory: Option<WorkingFolder>,
    /// What differs from the environment the process began with.
    changes: Vec<Change>,
    /// The same of variables that it does not get, but the shell goes by.
    shell_changes: Vec<Change>,
}

impl Start {
    pub(crate) fn new(
        words: Vec<Vec<u8>>,
        directory: Option<WorkingFolder>,
        environment: &Environment,
    ) -> Self {
        Self {
            words,
            directory,
            changes: changes(&environment.set, &environment.unset),
            shell_changes: changes(&environment.shell_only, &[]),
        }
    }

    fn full_directory(&self) -> PathBuf {
        match &self.directory {
            Some(directory) => std::env::current_dir().unwrap_or_default().join(directory.path()),
            None => std::env::current_dir().unwrap_or_default(),
        }
    }

    /// The folder it would be started in.
    fn entered(&self) -> WorkingFolder {
        match &self.directory {
            Some(folder) if folder.handle().is_some() => folder.clone(),
            _ => self.full_directory().into(),
        }
    }

    /// The folders in which the text has programs looked for.
    fn path(&self) -> Vec<u8> {
        let mut all = self.shell_changes.iter().chain(&self.changes);
        match all.find(|(name, _)| name == "PATH") {
            Some((_, value)) => value.clone().unwrap_or_default(),
            None => resolve::own_path(),
        }
    }

    fn find(&self) -> Found {
        find(self.name(), &self.path(), &self.entered().at(Path::new("")))
    }

    /// The file that would be started.
    pub(crate) fn file(&self) -> Option<PathBuf> {
        match self.find() {
            Found::At(file) => Some(file),
            Found::NotExecutable | Found::Nothing => None,
        }
    }

    /// A file of this name in the folders where programs are looked for, be it executable or not.
    pub(crate) fn readable_file(&self) -> Option<PathBuf> {
        let (path, directory) = (self.path(), self.entered().at(Path::new("")));
        let folders = path.split(|&byte| byte == b':');
        folders
            .map(|folder| directory.join(OsStr::from_bytes(folder)))
            .map(|folder| folder.join(OsStr::from_bytes(self.name())))
            .find(|file| file.is_file())
    }

    /// The name of the program.
    pub(crate) fn name(&self) -> &[u8] {
        self.words.first().map_or(b"", Vec::as_slice)
    }

    /// The same for a message.
    pub(crate) fn shown_name(&self) -> String {
        String::from_utf8_lossy(self.name()).into_owned()
    }

    /// True where there is such a program.
    pub(crate) fn is_there(&self) -> bool {
        self.find() != Found::Nothing
    }

    /// It as a command that was held back where nobody has told which file that would be.
    pub(crate) fn as_held(&self, joined: bool) -> HeldCommand {
        let program = match self.find() {
            Found::At(file) => Program::of(&file).ok(),
            Found::NotExecutable | Found::Nothing => None,
        };
        let fed = if joined { Fed::Anything } else { Fed::Nothing };
        let files = program.as_ref().map(|program| self.named_files(program)).unwrap_or_default();
        HeldCommand { joined, ..self.held(program, fed, files) }
    }

    /// It as a command that is held back.
    fn held(&self, program: Option<Program>, fed: Fed, files: Vec<NamedFile>) -> HeldCommand {
        HeldCommand {
            words: self.words.clone(),
            directory: self.directory.as_ref().map(|folder| folder.path().to_owned()),
            changes: self.changes.clone(),
            files,
            program,
            fed,
            joined: fed != Fed::Nothing,
        }
    }

    /// The files that its arguments name, where the program may do what they say.
    fn named_files(&self, program: &Program) -> Vec<NamedFile> {
        if program.takes_data() {
            return Vec::new();
        }
        let folder = self.entered().at(Path::new(""));
        named_files::named_by(self.words.get(1..).unwrap_or_default(), &folder)
    }
}

/// A program that may be started, exactly as it was decided.
pub(crate) struct Launch {
    file: PathBuf,
    words: Vec<Vec<u8>>,
    directory: Option<WorkingFolder>,
    /// The whole environment, where it is not that of the process.
    environment: Option<Vec<(OsString, OsString)>>,
    changes: Vec<Change>,
    pub(crate) group: Group,
}

/// Which process group a program is in, and what becomes of what it started there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Group {
    /// That of this process, with its terminal, as a shell does it.
    Shared,
    /// One of its own without a terminal. It is ended as a whole with the run; what the program
    /// leaves running when it ends by itself continues, as after a shell.
    Own,
    /// One of its own without a terminal, and ended with the program: looking leaves nothing
    /// running.
    Ended,
}

impl Group {
    /// True where the program has nothing to do with the terminal.
    pub(crate) fn is_own(self) -> bool {
        self != Self::Shared
    }
}

impl Launch {
    /// The name it is called by.
    pub(crate) fn name(&self) -> String {
        let name = self.words.first().map_or(b"".as_slice(), Vec::as_slice);
        String::from_utf8_lossy(name).into_owned()
    }

    /// The command, without its descriptors.
    pub(crate) fn command(&self) -> std::process::Command {
        use std::os::unix::process::CommandExt;
        let mut command = std::process::Command::new(&self.file);
        let mut words = self.words.iter().map(|word| OsStr::from_bytes(word));
        command.arg0(words.next().unwrap_or_default()).args(words);
        if let Some(environment) = &self.environment {
            command.env_clear().envs(environment.iter().map(|(name, value)| (name, value)));
        } else {
            for (name, value) in &self.changes {
                match value {
                    Some(value) => command.env(name, OsStr::from_bytes(value)),
                    None => command.env_remove(name),
                };
            }
        }
        if let Some(directory) = &self.directory {
            command.current_dir(directory.at(Path::new("")));
        }
        command
    }
}

/// What becomes of a program that somebody wants to start.
pub(crate) enum Decision {
    /// It is started like this.
    Start(Launch),
    /// There is no such program.
    NotFound,
    /// There is a file, but it may not be executed.
    NotExecutable,
    /// It is not started. Somebody decides later about exactly this.
    Hold(Box<HeldCommand>),
    /// It may be started with what it is fed now, or not: that must be gathered first, and then be
    /// asked about again.
    Gather,
}

impl Decision {
    /// In one word, for the log.
    fn name(&self) -> &'static str {
        match self {
            Self::Start(_) => "start",
            Self::Hold(_) => "hold",
            Self::Gather => "gather",
            Self::NotFound => "not found",
            Self::NotExecutable => "not executable",
        }
    }
}

/// By which rule programs are started.
#[derive(Clone, Default)]
pub(crate) enum Policy {
    /// As a shell does: the user has said so by running the text for real.
    AsShell,
    /// Nothing at all.
    Nothing,
    /// Only what the allow list lets through.
    #[default]
    ListOnly,
    /// What the allow list lets through, and what the user has consented to.
    Consented {
        consents: Arc<Consents>,
        /// A program without consent is asked about with what it would have been fed.
        shows_input: bool,
        /// Set once a program was let through that only the user has let through.
        used: Arc<AtomicBool>,
    },
    /// One command that the user was shown, and nothing else.
    Shown(Arc<HeldCommand>),
}

impl Policy {
    /// What is consented to, in a preview.
    pub(crate) fn in_preview(consents: &Consents) -> Self {
        Self::consented(consents, true)
    }

    /// What is consented to, in a full run.
    pub(crate) fn in_run(consents: &Consents) -> Self {
        Self::consented(consents, false)
    }

    fn consented(consents: &Consents, shows_input: bool) -> Self {
        let consents = Arc::new(consents.clone());
        Self::Consented { consents, shows_input, used: Arc::default() }
    }

    /// True where what is run is meant, and not only looked at.
    pub(crate) fn is_for_real(&self) -> bool {
        matches!(self, Self::AsShell | Self::Consented { shows_input: false, .. } | Self::Shown(_))
    }

    /// True where a program was let through that only the user has let through.
    pub(crate) fn has_used_consent(&self) -> bool {
        matches!(self, Self::Consented { used, .. } if used.load(Relaxed))
    }

    /// The group of a program that is not started as a shell does it: only a run for real may
    /// leave something running.
    fn group(&self) -> Group {
        match self {
            Self::Consented { shows_input: false, .. } | Self::Shown(_) => Group::Own,
            Self::Consented { .. } | Self::ListOnly | Self::Nothing => Group::Ended,
            Self::AsShell => Group::Shared,
        }
    }

    /// Decides about a program; `fed` is what it would read.
    pub(crate) fn decide(&self, start: &Start, fed: Feed) -> Decision {
        let decision = self.judge(start, fed);
        tracing::debug!(program = start.shown_name(), decision = decision.name(), "decided");
        decision
    }

    fn judge(&self, start: &Start, fed: Feed) -> Decision {
        let found = match start.find() {
            Found::At(file) => file,
            Found::NotExecutable => return Decision::NotExecutable,
            Found::Nothing => return Decision::NotFound,
        };
        if let Self::AsShell = self {
            // From the folder it runs in: a script is told this name.
            let file = match found.strip_prefix(start.entered().at(Path::new(""))) {
                Ok(from_there) => Path::new(".").join(from_there),
                Err(_) => found,
            };
            return Decision::Start(Launch {
                file,
                words: start.words.clone(),
                directory: start.directory.clone(),
                environment: None,
                changes: start.changes.clone(),
                group: Group::Shared,
            });
        }
        let Ok(program) = Program::of(&found) else { return Decision::NotFound };
        let launch = |environment| {
            Decision::Start(Launch {
                file: program.path.clone(),
                words: start.words.clone(),
                directory: Some(start.entered()),
                environment,
                changes: start.changes.clone(),
                group: self.group(),
            })
        };
        if !matches!(self, Self::Nothing) && is_listed(start, &found, &program) {
            return launch(Some(environment::scrubbed(&start.changes)));
        }
        let known = match fed {
            Feed::Nothing => Some(Fed::Nothing),
            Feed::Known(fed) => Some(fed),
            Feed::Unknown if program.takes_data() => Some(Fed::Anything),
            Feed::Unknown => None,
        };
        let files = start.named_files(&program);
        let asked = |fed| Consent {
            program: program.clone(),
            words: start.words.clone(),
            directory: start.full_directory(),
            changes: start.changes.clone(),
            fed,
            files: files.clone(),
        };
        match self {
            Self::AsShell | Self::Nothing | Self::ListOnly => {}
            Self::Consented { consents, shows_input, used } => match known {
                Some(fed) if consents.covers(&asked(fed)) => {
                    used.store(true, Relaxed);
                    return launch(None);
                }
                Some(_) => {}
                // For one run the user may have said: whatever it is fed.
                None if consents.covers(&asked(Fed::Anything)) => {
                    used.store(true, Relaxed);
                    return launch(None);
                }
                None if *shows_input || consents.may_cover(&asked(Fed::Nothing)) => {
                    return Decision::Gather;
                }
                None => {}
            },
            Self::Shown(held) => {
                // What is in the files that it names was looked at when the list began: commands before
                // this one may have changed that, as was shown.
                let shown = held.consent().map(|consent| Consent { files: Vec::new(), ..consent });
                let now = Consent { files: Vec::new(), ..asked(known.unwrap_or(Fed::Anything)) };
                if shown == Some(now) {
                    return launch(None);
                }
            }
        }
        Decision::Hold(Box::new(start.held(Some(program), known.unwrap_or(Fed::Anything), files)))
    }
}

/// What is known of the data that a program would read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Feed {
    /// There are none.
    Nothing,
    /// There are some.
    Unknown,
    /// Exactly these.
    Known(Fed),
}

/// True for a program of root's, found by way of root's folders and links alone, on the list with
/// just these arguments, that no variable changes.
fn is_listed(start: &Start, found: &Path, program: &Program) -> bool {
    let Some((name, arguments)) = start.words.split_first() else { return false };
    let mut changes = start.changes.iter().chain(&start.shell_changes);
    // By its name alone, looked for where the process began: anything else may be anything.
    if name.contains(&b'/') || !changes.all(environment::is_harmless) {
        return false;
    }
    let Some(forms) = programs::forms(name) else { return false };
    let directory = start.entered().at(Path::new(""));
    programs::is_meant(name, program.file_name())
        && leads_through_roots(found)
        && program.is_roots()
        && forms.iter().any(|form| form.takes(arguments, &directory))
}

impl HeldCommand {
    /// True where the files that its arguments name are as they were when it was held.
    pub(crate) fn names_the_same_files(&self) -> bool {
        let start = Start::new(
            self.words.clone(),
            self.directory.clone().map(Into::into),
            &self.environment(),
        );
        let named = |program: &Program| start.named_files(program) == self.files;
        self.program.as_ref().is_none_or(named)
    }

    /// The command that these words would start, as it would be held; `None` where there is no such
    /// program, or it only looks.
    pub fn of_words(words: &[Vec<u8>]) -> Option<Self> {
        let start = Start::new(words.to_vec(), None, &Environment::default());
        match Policy::ListOnly.decide(&start, Feed::Nothing) {
            Decision::Hold(held) => Some(*held),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests;
