//! What lies over the notes for a while: help, questions, prompts, the sample, the Shelf.

use std::path::{Path, PathBuf};

use engine::{HeldCommand, OnFailure, Sample};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::{Input, InputRequest};

use super::actions::{ALL, HowLong};
use super::{App, Focus};
use crate::store::{open_script, save_script};

/// One of them.
pub enum Drawer {
    /// All keys, scrolled by this many rows.
    Help(usize),
    /// Which lines are worked on.
    Sample(SampleForm),
    /// A line of text is asked for.
    Prompt(Prompt),
    /// A question to be answered by y or n.
    Confirm(Question),
    /// Saved pipelines.
    Shelf(List<ShelfEntry>),
    /// All actions.
    Actions(List<usize>),
    /// What can be handed over.
    Export(List<insight::Export>),
    /// A program of a stage.
    Program(Box<super::ProgramEditor>),
    /// What others have made of a file that was written, from this row on.
    Changes(Box<Changes>),
}

/// What a line of text is asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PromptKind {
    /// To search the lens.
    Search,
    /// A stage, to be put at this place.
    Stage(usize),
    /// A file to save to.
    SaveAs,
    /// A file for the output of the last run.
    KeepOutput,
    /// A file for a drawing or a document.
    Export(insight::Export),
}

/// A line of text being asked for.
pub struct Prompt {
    /// What for.
    pub kind: PromptKind,
    /// The text so far.
    pub input: Input,
}

/// A file that is not taken back because others have changed it.
pub struct Changes {
    /// The file.
    pub path: PathBuf,
    /// What was written, beside what is there now; `None` where that is too much.
    pub difference: Option<insight::Difference>,
    /// The first row shown.
    pub top: usize,
}

/// A question.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Question {
    /// Write the held-back files?
    Write,
    /// Run on everything?
    RunAll,
    /// Leave although something is not saved?
    Leave,
    /// Leave although a run goes on?
    EndRun,
    /// Open another pipeline although something is not saved?
    Open(PathBuf),
    /// Save over a file that is there?
    Overwrite(PathBuf),
    /// Start these held-back commands, by their numbers among all?
    Act(Vec<(usize, HeldCommand)>),
    /// Start this program?
    Allow(Box<HeldCommand>),
}

/// A saved pipeline.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ShelfEntry {
    /// The file.
    pub path: PathBuf,
    /// Its first comment, or its first line.
    pub says: String,
}

/// A list with a search.
pub struct List<T> {
    /// All entries with the text they are found by.
    pub all: Vec<(String, T)>,
    /// The search.
    pub query: Input,
    /// The entry selected, among those found.
    pub at: usize,
}

impl<T> List<T> {
    pub(crate) fn new(all: Vec<(String, T)>) -> Self {
        Self { all, query: Input::default(), at: 0 }
    }

    /// The entries that have every word of the search.
    pub fn found(&self) -> Vec<&(String, T)> {
        let query = self.query.value().to_lowercase();
        let has =
            |text: &str| query.split_whitespace().all(|word| text.to_lowercase().contains(word));
        self.all.iter().filter(|(text, _)| has(text)).collect()
    }

    /// Moves or searches; true for Enter.
    fn key(&mut self, key: KeyEvent) -> bool {
        let last = self.found().len().saturating_sub(1);
        match key.code {
            KeyCode::Up => self.at = self.at.saturating_sub(1),
            KeyCode::Down => self.at = (self.at + 1).min(last),
            KeyCode::PageUp => self.at = self.at.saturating_sub(10),
            KeyCode::PageDown => self.at = (self.at + 10).min(last),
            KeyCode::Enter => return true,
            _ => {
                if edit(&mut self.query, key) {
                    self.at = 0;
                }
            }
        }
        false
    }
}

/// The sample as a form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SampleForm {
    /// The row: first, last, every, random, everything.
    pub row: usize,
    /// Lines for first, last and random; the step for every.
    pub numbers: [u64; 4],
    /// The seed for random.
    pub seed: u64,
    /// True while digits go to the seed.
    pub on_seed: bool,
    /// The next digit begins the number anew.
    pub fresh: bool,
}

impl SampleForm {
    /// The form filled with a sample.
    pub fn of(sample: Sample) -> Self {
        let mut form =
            Self { row: 0, numbers: [5000, 5000, 100, 5000], seed: 1, on_seed: false, fresh: true };
        match sample {
            Sample::First(lines) => form.numbers[0] = lines,
            Sample::Last(lines) => (form.row, form.numbers[1]) = (1, lines),
            Sample::Every(step) => (form.row, form.numbers[2]) = (2, step),
            Sample::Random { lines, seed } => {
                (form.row, form.numbers[3], form.seed) = (3, lines, seed);
            }
            Sample::Everything => form.row = 4,
        }
        form
    }

    /// The sample it describes.
    pub fn sample(&self) -> Sample {
        let number = self.numbers.get(self.row).copied().unwrap_or(0).max(1);
        match self.row {
            0 => Sample::First(number),
            1 => Sample::Last(number),
            2 => Sample::Every(number),
            3 => Sample::Random { lines: number, seed: self.seed },
            _ => Sample::Everything,
        }
    }

    fn number(&mut self) -> Option<&mut u64> {
        if self.on_seed { Some(&mut self.seed) } else { self.numbers.get_mut(self.row) }
    }

    fn key(&mut self, code: KeyCode) {
        match code {
            KeyCode::Up => {
                self.row = self.row.saturating_sub(1);
                (self.fresh, self.on_seed) = (true, false);
            }
            KeyCode::Down => {
                self.row = (self.row + 1).min(4);
                (self.fresh, self.on_seed) = (true, false);
            }
            KeyCode::Tab if self.row == 3 => {
                self.on_seed = !self.on_seed;
                self.fresh = true;
            }
            KeyCode::Char(digit) if digit.is_ascii_digit() => {
                let fresh = std::mem::take(&mut self.fresh);
                let digit = u64::from(digit) - u64::from('0');
                if let Some(number) = self.number() {
                    let before = if fresh { 0 } else { *number };
                    *number = (before * 10 + digit).min(999_999_999);
                }
            }
            KeyCode::Backspace => {
                self.fresh = false;
                if let Some(number) = self.number() {
                    *number /= 10;
                }
            }
            _ => {}
        }
    }
}

/// The line editor's keys; true when the text has changed.
fn edit(input: &mut Input, key: KeyEvent) -> bool {
    use InputRequest as Ask;
    let control = key.modifiers.contains(KeyModifiers::CONTROL);
    let request = match (key.code, control) {
        (KeyCode::Char('a'), true) | (KeyCode::Home, _) => Ask::GoToStart,
        (KeyCode::Char('e'), true) | (KeyCode::End, _) => Ask::GoToEnd,
        (KeyCode::Char('w'), true) => Ask::DeletePrevWord,
        (KeyCode::Char('u'), true) => Ask::DeleteFromStart,
        (KeyCode::Char('k'), true) => Ask::DeleteTillEnd,
        (KeyCode::Char('b'), true) | (KeyCode::Left, _) => Ask::GoToPrevChar,
        (KeyCode::Char('f'), true) | (KeyCode::Right, _) => Ask::GoToNextChar,
        (KeyCode::Char('h'), true) | (KeyCode::Backspace, _) => Ask::DeletePrevChar,
        (KeyCode::Char('d'), true) | (KeyCode::Delete, _) => Ask::DeleteNextChar,
        (KeyCode::Char(character), false) => Ask::InsertChar(character),
        _ => return false,
    };
    input.handle(request).is_some_and(|changed| changed.value)
}

impl Drawer {
    pub(crate) fn prompt(kind: PromptKind, text: &str) -> Self {
        Self::Prompt(Prompt { kind, input: Input::new(text.to_owned()) })
    }

    pub(crate) fn actions() -> Self {
        let all = ALL.iter().enumerate();
        Self::Actions(List::new(
            all.map(|(at, entry)| (format!("{} {}", entry.says, entry.short), at)).collect(),
        ))
    }

    pub(crate) fn paste(&mut self, text: &str) {
        let input = match self {
            Self::Prompt(prompt) => &mut prompt.input,
            Self::Shelf(list) => &mut list.query,
            Self::Actions(list) => &mut list.query,
            Self::Export(list) => &mut list.query,
            Self::Help(_)
            | Self::Sample(_)
            | Self::Confirm(_)
            | Self::Program(_)
            | Self::Changes(_) => return,
        };
        for character in text.chars().filter(|character| !character.is_control()) {
            input.handle(InputRequest::InsertChar(character));
        }
    }

    /// The keys that mean something in it.
    pub fn hints(&self) -> Vec<(&'static str, &'static str)> {
        match self {
            Self::Help(_) | Self::Changes(_) => vec![("↑↓", "scroll"), ("Esc", "close")],
            Self::Sample(form) if form.row == 3 => {
                vec![
                    ("↑↓", "choose"),
                    ("0-9", "number"),
                    ("Tab", "number or seed"),
                    ("Enter", "apply"),
                    ("Esc", "leave as it is"),
                ]
            }
            Self::Sample(_) => vec![
                ("↑↓", "choose"),
                ("0-9", "number"),
                ("Enter", "apply"),
                ("Esc", "leave as it is"),
            ],
            Self::Prompt(prompt) => match prompt.kind {
                PromptKind::Search => vec![("Enter", "search"), ("Esc", "close")],
                PromptKind::Stage(_) => vec![("Enter", "add the stage"), ("Esc", "close")],
                PromptKind::SaveAs => vec![("Enter", "save"), ("Esc", "do not save")],
                PromptKind::Export(_) => vec![("Enter", "write it"), ("Esc", "close")],
                PromptKind::KeepOutput => vec![("Enter", "keep it"), ("Esc", "close")],
            },
            Self::Confirm(Question::Leave) => {
                vec![("s", "save and leave"), ("y", "leave without saving"), ("n", "stay")]
            }
            Self::Confirm(Question::Allow(_)) => vec![
                ("o", "once"),
                ("s", "for this session"),
                ("a", "always, kept in the configuration"),
                ("n", "no"),
            ],
            Self::Confirm(Question::Act(_)) => vec![
                ("s", "start them, stop at the first that fails"),
                ("g", "go on when one fails"),
                ("n", "no"),
            ],
            Self::Confirm(Question::RunAll) => {
                vec![("y", "run"), ("d", "run, but write no files"), ("n", "no")]
            }
            Self::Confirm(_) => vec![("y", "yes"), ("n", "no")],
            Self::Program(_) => vec![
                ("type", "applied at once"),
                ("Esc", "close"),
                ("Enter", "new line"),
                ("Ctrl-U", "undo"),
                ("Ctrl-R", "redo"),
            ],
            Self::Shelf(_) => {
                vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "open"), ("Esc", "close")]
            }
            Self::Actions(_) | Self::Export(_) => {
                vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "do it"), ("Esc", "close")]
            }
        }
    }
}

impl App {
    pub(crate) fn drawer_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        if key.code == KeyCode::Esc || control && matches!(key.code, KeyCode::Char('c' | 'g')) {
            self.drawer = None;
            return;
        }
        let Some(mut drawer) = self.drawer.take() else { return };
        match &mut drawer {
            Drawer::Help(top) => match key.code {
                KeyCode::Up => *top = top.saturating_sub(1),
                KeyCode::Down => *top = (*top + 1).min(ALL.len()),
                KeyCode::PageDown | KeyCode::Char(' ') => *top = (*top + 10).min(ALL.len()),
                KeyCode::PageUp => *top = top.saturating_sub(10),
                _ => return,
            },
            Drawer::Changes(changes) => {
                let rows = changes.difference.as_ref().map_or(0, |one| one.rows.len());
                match key.code {
                    KeyCode::Up => changes.top = changes.top.saturating_sub(1),
                    KeyCode::Down => changes.top = (changes.top + 1).min(rows),
                    KeyCode::PageDown => changes.top = (changes.top + 10).min(rows),
                    KeyCode::PageUp => changes.top = changes.top.saturating_sub(10),
                    _ => return,
                }
            }
            Drawer::Sample(form) => {
                if key.code == KeyCode::Enter {
                    self.sample = form.sample();
                    self.text_changed();
                    return;
                }
                form.key(key.code);
            }
            Drawer::Program(editor) => {
                if control && key.code == KeyCode::Char('s') {
                    self.save();
                } else {
                    self.program_key(editor, key);
                }
            }
            Drawer::Prompt(prompt) => {
                if key.code == KeyCode::Enter {
                    let (kind, text) = (prompt.kind.clone(), prompt.input.value().to_owned());
                    self.answered(&kind, &text);
                    return;
                }
                edit(&mut prompt.input, key);
            }
            Drawer::Confirm(question) => {
                let question = question.clone();
                if let Question::Act(commands) = question {
                    match key.code {
                        KeyCode::Char('s' | 'S') => self.act_now(commands, OnFailure::Stop),
                        KeyCode::Char('g' | 'G') => self.act_now(commands, OnFailure::GoOn),
                        KeyCode::Char('n' | 'N') | KeyCode::Esc => {}
                        _ => self.drawer = Some(Drawer::Confirm(Question::Act(commands))),
                    }
                    return;
                }
                if let Question::Allow(command) = question {
                    let howlong = match key.code {
                        KeyCode::Char('o' | 'O') => HowLong::Once,
                        KeyCode::Char('y' | 'Y' | 's' | 'S') => HowLong::Session,
                        KeyCode::Char('a' | 'A') => HowLong::Always,
                        KeyCode::Char('n' | 'N') | KeyCode::Esc => return,
                        _ => {
                            self.drawer = Some(Drawer::Confirm(Question::Allow(command)));
                            return;
                        }
                    };
                    return self.allow(&command, howlong);
                }
                match key.code {
                    KeyCode::Char('y' | 'Y') => return self.agreed(question),
                    KeyCode::Char('s' | 'S') if question == Question::Leave => {
                        return self.save_and_leave();
                    }
                    KeyCode::Char('d' | 'D') if question == Question::RunAll => {
                        self.run_all(false, true);
                        self.show_run();
                        return;
                    }
                    KeyCode::Char('n' | 'N') => return,
                    _ => {}
                }
            }
            Drawer::Shelf(list) => {
                if list.key(key) {
                    if let Some((_, entry)) = list.found().get(list.at) {
                        let path = entry.path.clone();
                        self.ask_to_open(path);
                    }
                    return;
                }
            }
            Drawer::Export(list) => {
                if list.key(key) {
                    if let Some((_, what)) = list.found().get(list.at) {
                        let what = *what;
                        self.ask_where_to_export(what);
                    }
                    return;
                }
            }
            Drawer::Actions(list) => {
                if list.key(key) {
                    let chosen = list.found().get(list.at).map(|(_, at)| ALL[*at].action);
                    if self.focus == Focus::Text {
                        self.focus = Focus::River;
                    }
                    if let Some(action) = chosen {
                        self.act(action);
                    }
                    return;
                }
            }
        }
        self.drawer = Some(drawer);
    }

    fn answered(&mut self, kind: &PromptKind, text: &str) {
        match kind {
            PromptKind::Search => self.start_search(text),
            PromptKind::Stage(at) => self.add_stage(*at, text),
            PromptKind::Export(what) => {
                if !text.trim().is_empty() {
                    self.export_to(*what, &expand_home(text.trim()));
                }
            }
            PromptKind::KeepOutput => {
                if !text.trim().is_empty() {
                    self.keep_output(&expand_home(text.trim()));
                }
            }
            PromptKind::SaveAs => {
                let path = expand_home(text.trim());
                if text.trim().is_empty() {
                    return;
                }
                if path.exists() && Some(&path) != self.path.as_ref() {
                    self.drawer = Some(Drawer::Confirm(Question::Overwrite(path)));
                } else {
                    self.save_to(path);
                }
            }
        }
    }

    fn agreed(&mut self, question: Question) {
        match question {
            // What there is now is written, also of a file that is followed.
            Question::Write => self.run_all(true, false),
            Question::RunAll => match self.may_not_write() {
                Some(why) => self.message = Some(format!("not run: {why}; d runs without files")),
                None => {
                    self.run_all(true, true);
                    self.show_run();
                }
            },
            Question::Leave => self.leave_now(),
            Question::EndRun => {
                self.cancel_run();
                if self.is_changed() && !self.editor.text().trim().is_empty() {
                    self.drawer = Some(Drawer::Confirm(Question::Leave));
                } else {
                    self.leave_now();
                }
            }
            Question::Open(path) => self.open(&path),
            Question::Overwrite(path) => {
                self.save_to(path);
            }
            // Answered where the keys are.
            Question::Act(_) | Question::Allow(_) => {}
        }
    }

    pub(crate) fn save(&mut self) {
        match self.path.clone() {
            Some(path) => {
                self.save_to(path);
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_name(&mut self) {
        let name = self
            .path
            .as_ref()
            .map_or_else(|| "pipeline.sh".to_owned(), |path| path.display().to_string());
        self.drawer = Some(Drawer::prompt(PromptKind::SaveAs, &name));
    }

    fn save_to(&mut self, path: PathBuf) -> bool {
        match save_script(&path, self.editor.text()) {
            Ok(()) => {
                self.message = Some(format!("saved as {}", path.display()));
                self.saved = self.editor.text().to_owned();
                self.path = Some(path);
                self.remember_line();
                if let Some(store) = &self.store {
                    store.clear_recovery();
                }
                true
            }
            Err(error) => {
                self.message =
                    Some(format!("not saved: {}: {}", path.display(), stream::describe(&error)));
                false
            }
        }
    }

    fn save_and_leave(&mut self) {
        match self.path.clone() {
            Some(path) => {
                if self.save_to(path) {
                    self.leave_now();
                }
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn open_shelf(&mut self) {
        let mut folders = vec![PathBuf::from(".")];
        folders.extend(self.shelves.iter().cloned());
        let mut entries: Vec<(String, ShelfEntry)> = Vec::new();
        for folder in folders {
            let Ok(files) = std::fs::read_dir(&folder) else { continue };
            let mut scripts: Vec<PathBuf> = files
                .flatten()
                .map(|file| file.path())
                .filter(|path| path.extension().is_some_and(|extension| extension == "sh"))
                .collect();
            scripts.sort();
            for path in scripts {
                let path = path.strip_prefix("./").map(Path::to_owned).unwrap_or(path);
                let says = open_script(&path).map(|text| first_words(&text)).unwrap_or_default();
                entries.push((format!("{} {says}", path.display()), ShelfEntry { path, says }));
            }
        }
        self.drawer = Some(Drawer::Shelf(List::new(entries)));
    }

    fn ask_to_open(&mut self, path: PathBuf) {
        if self.is_changed() && !self.editor.text().trim().is_empty() {
            self.drawer = Some(Drawer::Confirm(Question::Open(path)));
        } else {
            self.open(&path);
        }
    }

    fn open(&mut self, path: &Path) {
        match open_script(path) {
            Ok(text) => {
                self.remember_line();
                self.editor.set_text(&text, text.len());
                self.saved = text;
                self.path = Some(path.to_owned());
                self.message = Some(format!("opened {}", path.display()));
                self.text_changed();
            }
            Err(error) => {
                self.message =
                    Some(format!("not opened: {}: {}", path.display(), stream::describe(&error)));
            }
        }
    }
}

fn expand_home(text: &str) -> PathBuf {
    match (text.strip_prefix("~/"), std::env::var_os("HOME")) {
        (Some(rest), Some(home)) => PathBuf::from(home).join(rest),
        _ => PathBuf::from(text),
    }
}

/// The first comment of a script, or its first line.
fn first_words(text: &str) -> String {
    let comment = text.lines().find_map(|line| line.strip_prefix("# "));
    comment
        .or_else(|| text.lines().find(|line| !line.trim().is_empty()))
        .unwrap_or_default()
        .to_owned()
}
