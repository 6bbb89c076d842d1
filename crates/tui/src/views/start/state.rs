//! The place to begin: the files of a folder, what was done lately, programs as sources.

use std::collections::{BTreeSet, HashMap};
use std::path::PathBuf;

use insight::{EntryKind, FileLook, FolderEntry, ShelfEntry, SourceProgram};
use tui_input::Input;

/// Earlier lines that are shown.
pub(crate) const LATELY: usize = 5;

/// What is known of a folder, without opening a file.
pub(crate) struct Beginning {
    /// The folder.
    pub folder: PathBuf,
    /// What is in it; or why that is not known.
    pub files: Result<Vec<FolderEntry>, String>,
    /// What was done lately, the newest first.
    pub lately: Vec<ShelfEntry>,
    /// Programs of this machine.
    pub programs: Vec<SourceProgram>,
}

/// Something to begin with, by its number in its list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Item {
    /// A file or folder.
    File(usize),
    /// The folder above.
    Above,
    /// An earlier line or saved pipeline.
    Lately(usize),
    /// A program.
    Program(usize),
    /// The demo.
    Demo,
}

/// A look at a file, or why there is none.
pub(crate) type Looked = (usize, Result<FileLook, String>);

/// The place to begin, on screen.
pub(crate) struct StartView {
    /// Which reading of it: only the newest counts.
    pub number: u64,
    /// What there is; `None` while it is read.
    pub all: Option<Beginning>,
    /// What is known of the content of files.
    pub looks: HashMap<usize, Result<FileLook, String>>,
    /// Files are being looked at.
    pub is_looking: bool,
    /// What is searched for.
    pub query: Input,
    /// What was found.
    pub found: Vec<Item>,
    /// The selected one of those.
    pub at: usize,
    /// Files that are to be opened together.
    pub marked: BTreeSet<usize>,
    /// Enter was pressed before it was known how a file is read.
    pub opens: bool,
}

impl StartView {
    /// One that is being read.
    pub(crate) fn reading(number: u64) -> Self {
        Self {
            number,
            all: None,
            looks: HashMap::new(),
            is_looking: false,
            query: Input::default(),
            found: Vec::new(),
            at: 0,
            marked: BTreeSet::new(),
            opens: false,
        }
    }

    /// Takes what was read.
    pub(crate) fn take(&mut self, all: Beginning) {
        self.all = Some(all);
        self.search();
    }

    /// Searches again: every word of the search must be in a name, a line or its comment.
    pub(crate) fn search(&mut self) {
        self.found.clear();
        let Some(all) = &self.all else { return };
        let query = self.query.value().to_lowercase();
        let hidden = query.starts_with('.');
        let has =
            |text: &str| query.split_whitespace().all(|word| text.to_lowercase().contains(word));
        let files = all.files.as_deref().unwrap_or_default();
        for (number, file) in files.iter().enumerate() {
            let name = file.name.to_string_lossy();
            if has(&name) && (hidden || !name.starts_with('.')) {
                self.found.push(Item::File(number));
            }
        }
        if has("..") && all.folder.parent().is_some() {
            self.found.push(Item::Above);
        }
        let lately = all
            .lately
            .iter()
            .enumerate()
            .filter(|(_, entry)| has(&format!("{} {}", entry.text, entry.comment())));
        let most = if query.is_empty() { LATELY } else { usize::MAX };
        self.found.extend(lately.take(most).map(|(number, _)| Item::Lately(number)));
        let programs = all.programs.iter().enumerate();
        let programs = programs.filter(|(_, one)| has(&format!("{} {}", one.line, one.says)));
        self.found.extend(programs.map(|(number, _)| Item::Program(number)));
        if has("demo") {
            self.found.push(Item::Demo);
        }
        self.at = self.at.min(self.found.len().saturating_sub(1));
    }

    /// The selected item.
    pub(crate) fn chosen(&self) -> Option<Item> {
        self.found.get(self.at).copied()
    }

    /// A file by its number.
    pub(crate) fn file(&self, number: usize) -> Option<&FolderEntry> {
        self.all.as_ref()?.files.as_ref().ok()?.get(number)
    }

    /// Regular files near the selected one that were not looked at yet, at most this many.
    pub(crate) fn not_looked_at(&self, most: usize) -> Vec<usize> {
        /// Rows before and after the selected one that may be on the screen.
        const NEAR: usize = 80;
        let near = self.found.iter().skip(self.at.saturating_sub(NEAR)).take(2 * NEAR);
        let files = near.filter_map(|item| match item {
            Item::File(number) => Some(*number),
            _ => None,
        });
        let is_file =
            |number: &usize| self.file(*number).is_some_and(|file| file.kind == EntryKind::File);
        let chosen = match self.chosen() {
            Some(Item::File(number)) => Some(number),
            _ => None,
        };
        let wanted = chosen.into_iter().chain(self.marked.iter().copied()).chain(files);
        let mut missing: Vec<usize> =
            wanted.filter(is_file).filter(|number| !self.looks.contains_key(number)).collect();
        let mut seen = BTreeSet::new();
        missing.retain(|number| seen.insert(*number));
        missing.truncate(most);
        missing
    }

    /// The files that Enter opens: those that are marked, or the selected one.
    pub(crate) fn wanted_files(&self) -> Vec<usize> {
        match self.chosen() {
            _ if !self.marked.is_empty() => self.marked.iter().copied().collect(),
            Some(Item::File(number)) => vec![number],
            _ => Vec::new(),
        }
    }
}
