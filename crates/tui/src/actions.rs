//! Everything that can be done outside the text, each with its key and its words.

use std::sync::OnceLock;

use thiserror::Error;

use crate::screen::view_name::ViewName;

/// Something that can be done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // each is said in words in `ALL`
pub(crate) enum Action {
    EditText,
    EditStage,
    Sheet,
    Open,
    Program,
    NewStage,
    InsertStage,
    DeleteStage,
    MoveBack,
    MoveOn,
    Toggle,
    Undo,
    Redo,
    Fix,
    Notes,
    Dismiss,
    ChooseSample,
    Everything,
    Parameters,
    NextCommand,
    PreviousCommand,
    Versions,
    Trail,
    Missed,
    Search,
    NextMatch,
    PreviousMatch,
    Unfold,
    View,
    Wrap,
    TurnOver,
    RunAll,
    Export,
    Guide,
    Write,
    UndoWrite,
    Allow,
    Copy,
    CopyText,
    Reread,
    History,
    Save,
    SaveAs,
    Shelf,
    Start,
    Actions,
    Help,
    Quit,
    /// Opens the view with this name.
    Show(ViewName),
}

/// An action with its key, a short name for the last row, and a sentence for the help.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Entry {
    /// What is done.
    pub action: Action,
    /// The key, as shown.
    pub key: &'static str,
    /// A word or two.
    pub short: &'static str,
    /// What it does.
    pub says: &'static str,
}

impl Entry {
    /// The name of the action in the configuration: `run-all`.
    pub(crate) fn name(&self) -> String {
        if let Action::Show(view) = self.action {
            return view.0.to_owned();
        }
        let mut name = String::new();
        for letter in format!("{:?}", self.action).chars() {
            if letter.is_ascii_uppercase() && !name.is_empty() {
                name.push('-');
            }
            name.push(letter.to_ascii_lowercase());
        }
        name
    }
}

/// An entry of the table.
pub(crate) const fn entry(
    action: Action,
    key: &'static str,
    short: &'static str,
    says: &'static str,
) -> Entry {
    Entry { action, key, short, says }
}

/// All actions with the keys of the user's choice, in the order of the help.
pub(crate) fn all() -> &'static [Entry] {
    CHOSEN.get().map_or_else(usual, Vec::as_slice)
}

/// All actions with their usual keys.
fn usual() -> &'static [Entry] {
    VIEWS.get().map_or(USUAL, |views| &views.all)
}

/// The key of an action.
pub(crate) fn key(action: Action) -> &'static str {
    all().iter().find(|entry| entry.action == action).map_or("", |entry| entry.key)
}

/// A text that names keys by their actions, with the keys that they have: in `{undo} undoes it`, `{undo}` is the
/// key of [`Action::Undo`]. All texts that tell a key of an action are made here.
pub(crate) fn keyed(text: &str) -> String {
    let mut said = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        let named = after.split_once('}').and_then(|(name, after)| {
            let entry = all().iter().find(|entry| entry.name() == name)?;
            Some((entry.key, after))
        });
        said.push_str(before);
        rest = match named {
            Some((key, after)) => {
                said.push_str(key);
                after
            }
            None => {
                said.push('{');
                after
            }
        };
    }
    said.push_str(rest);
    said
}

/// What the views bring along; set once, before anything is drawn.
static VIEWS: OnceLock<Views> = OnceLock::new();

/// The actions and letters of the views.
struct Views {
    /// All actions: those of the views stand before the one that allows a program.
    all: Vec<Entry>,
    own: Vec<Own>,
}

/// Letters that a view has for itself, with actions that are needed there.
pub(crate) struct Own {
    /// The letters.
    pub letters: &'static str,
    /// What they do.
    pub does: &'static str,
    /// The actions.
    pub needed: &'static [Action],
}

/// Takes the actions and letters of the views; only the first call counts.
pub(crate) fn know_views(entries: &[Entry], own: Vec<Own>) {
    let at = USUAL.iter().position(|entry| entry.action == Action::Allow).unwrap_or(0);
    let (before, after) = USUAL.split_at(at);
    let all = [before, entries, after].concat();
    // All calls in one process bring the same.
    let _ = VIEWS.set(Views { all, own });
}

/// What the user has chosen; set once, before anything is drawn.
static CHOSEN: OnceLock<Vec<Entry>> = OnceLock::new();

/// Why keys cannot be as they were chosen.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub(crate) enum KeyError {
    /// There is no such action.
    #[error("there is no action “{0}”")]
    NoAction(String),
    /// What cannot be a key of an action.
    #[error("“{key}” cannot be the key of “{action}”: a single letter, digit or sign can")]
    NoKey {
        /// The action.
        action: String,
        /// The key.
        key: String,
    },
    /// A letter that has a meaning of its own where the action is needed.
    #[error("“{key}” cannot be the key of “{action}”: it {does}")]
    Reserved {
        /// The action.
        action: String,
        /// The key.
        key: String,
        /// What it does.
        does: &'static str,
    },
    /// Two actions have the same key.
    #[error("“{0}” is the key of two actions, “{1}” and “{2}”")]
    Twice(String, String, String),
}

/// The actions with these keys in the place of the usual ones, by the names of the actions.
///
/// # Errors
/// Names and keys that are none, a key for two actions.
pub(crate) fn with_keys<'k>(
    keys: impl Iterator<Item = (&'k str, &'k str)>,
) -> Result<Vec<Entry>, KeyError> {
    let mut all = usual().to_vec();
    for (name, key) in keys {
        let entry = all.iter_mut().find(|entry| entry.name() == name);
        let entry = entry.ok_or_else(|| KeyError::NoAction(name.to_owned()))?;
        let mut letters = key.chars();
        let is_one = letters.next().is_some_and(|letter| letter.is_ascii_graphic())
            && letters.next().is_none();
        if !is_one {
            let (action, key) = (name.to_owned(), key.to_owned());
            return Err(KeyError::NoKey { action, key });
        }
        if let Some(does) = reserved(entry.action, key) {
            let (action, key) = (name.to_owned(), key.to_owned());
            return Err(KeyError::Reserved { action, key, does });
        }
        // It is needed as long as the program runs.
        entry.key = Box::leak(key.to_owned().into_boxed_str());
    }
    for (at, one) in all.iter().enumerate() {
        if let Some(other) = all[at + 1..].iter().find(|other| other.key == one.key) {
            return Err(KeyError::Twice(one.key.to_owned(), one.name(), other.name()));
        }
    }
    Ok(all)
}

/// Letters that scroll, in all views.
const SCROLLING: &str = "jkgG";

/// What a key does already where an action is needed.
fn reserved(action: Action, key: &str) -> Option<&'static str> {
    if SCROLLING.contains(key) {
        return Some("scrolls");
    }
    let everywhere = matches!(action, Action::Actions | Action::Help | Action::Quit);
    let mut own = VIEWS.get().map(|views| views.own.iter()).into_iter().flatten();
    let taken =
        |one: &&Own| one.letters.contains(key) && (everywhere || one.needed.contains(&action));
    own.find(taken).map(|one| one.does)
}

/// Uses these keys from now on; only the first call counts.
pub(crate) fn choose(all: Vec<Entry>) {
    // A second choice in one process has nobody who could expect it.
    let _ = CHOSEN.set(all);
}

/// All actions, in the order of the help.
const USUAL: &[Entry] = &[
    entry(Action::EditText, "e", "edit text", "edit the command text"),
    entry(
        Action::Sheet,
        "Enter",
        "options",
        "the options of the selected stage, each to be switched or given a value",
    ),
    entry(Action::EditStage, "E", "edit stage", "edit the text of the selected stage"),
    entry(
        Action::Open,
        ">",
        "open",
        "show the commands inside a compound stage with their figures, or hide them",
    ),
    entry(
        Action::Program,
        "p",
        "program",
        "the program of the stage (awk, sed) in an editor of its own (F2 everywhere)",
    ),
    entry(Action::NewStage, "n", "new", "add a stage after the selected one"),
    entry(Action::InsertStage, "i", "insert", "add a stage before the selected one"),
    entry(Action::DeleteStage, "d", "delete", "delete the selected stage"),
    entry(Action::MoveBack, "[", "move back", "swap with the previous stage"),
    entry(Action::MoveOn, "]", "move on", "swap with the next stage"),
    entry(Action::Toggle, "x", "on/off", "switch the stage off or on"),
    entry(Action::Undo, "u", "undo", "undo the last change of the text"),
    entry(Action::Redo, "U", "redo", "redo the change that was undone"),
    entry(Action::Fix, "f", "fix", "change the text as the first note offers (F7 everywhere)"),
    entry(Action::Notes, "m", "notes", "all notes of all stages, whole"),
    entry(Action::Dismiss, "D", "dismiss", "do not show the first note of this stage again"),
    entry(Action::ChooseSample, "s", "sample", "choose which lines of the data to work on"),
    entry(
        Action::Everything,
        "a",
        "all data",
        "work on all of the data, however long it takes; once more: only where that is quick",
    ),
    entry(
        Action::Parameters,
        "=",
        "parameters",
        "the parameters that the script is given: $1, $2, …",
    ),
    entry(
        Action::NextCommand,
        "}",
        "next command",
        "in a text of several commands: look at the next one",
    ),
    entry(Action::PreviousCommand, "{", "previous", "look at the command before it"),
    entry(Action::Search, "/", "search", "search in the lens"),
    entry(Action::NextMatch, ".", "next match", "go to the next match"),
    entry(Action::PreviousMatch, ",", "previous match", "go to the previous match"),
    entry(
        Action::Unfold,
        "h",
        "all lines",
        "show every line in the lens, or fold long runs of dropped and merged ones (Enter opens one)",
    ),
    entry(
        Action::Trail,
        "t",
        "trail",
        "follow this line: what it is made of, what becomes of it, where it ends and why",
    ),
    entry(
        Action::Missed,
        "Y",
        "why not",
        "why a text is not in the result: at which stage its lines are lost",
    ),
    entry(Action::View, "v", "view", "text, text with marks, bytes in hexadecimal"),
    entry(Action::Wrap, "z", "wrap", "wrap long lines, or let them run out to the right"),
    entry(
        Action::TurnOver,
        "o",
        "output alone",
        "the output alone over the whole width, or both sides; on a narrow screen one or the other",
    ),
    entry(Action::RunAll, "r", "run all", "run it on all of the data, after showing an estimate"),
    entry(
        Action::Export,
        "X",
        "export",
        "export a diagram, chart, wiring, throughput, report or figures",
    ),
    entry(
        Action::Write,
        "w",
        "write files",
        "write the planned files from all of the data, after asking",
    ),
    entry(
        Action::Versions,
        "M",
        "versions",
        "versions of the text side by side: earlier ones, each stage off",
    ),
    entry(Action::UndoWrite, "Z", "undo write", "restore the files as they were before"),
    entry(
        Action::Guide,
        "H",
        "how do I …",
        "the Guide: say what you want to do, and put it in (F9 everywhere)",
    ),
    entry(Action::Allow, "y", "allow", "allow the selected external program to run"),
    entry(
        Action::Copy,
        "c",
        "copy",
        "the selected stream, or the line under the cursor of the lens, to the terminal's clipboard",
    ),
    entry(Action::CopyText, "C", "copy text", "the command text to the terminal's clipboard"),
    entry(Action::Reread, "R", "read again", "read all files again"),
    entry(Action::History, "Ctrl-R", "earlier lines", "search the earlier lines, and take one"),
    entry(Action::Save, "Ctrl-S", "save", "save the pipeline as a script"),
    entry(Action::SaveAs, "A", "save as", "save it under another name"),
    entry(Action::Shelf, "S", "shelf", "the Shelf: open a saved pipeline (Ctrl-O everywhere)"),
    entry(
        Action::Start,
        "O",
        "open",
        "the place to begin: files of this folder, what was done lately, programs as sources",
    ),
    entry(Action::Actions, "Space", "actions", "all actions, with a search"),
    entry(Action::Help, "?", "help", "all keys"),
    entry(Action::Quit, "q", "quit", "quit; asks when something is not saved"),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_can_be_chosen_but_not_twice() {
        crate::views::register();
        assert_eq!(USUAL.iter().filter(|entry| entry.name() == "run-all").count(), 1);
        let all = with_keys([("run-all", "L"), ("copy-text", "&")].into_iter()).unwrap();
        let of = |name: &str| all.iter().find(|entry| entry.name() == name).unwrap().key;
        assert_eq!((of("run-all"), of("copy-text"), of("quit")), ("L", "&", "q"));
        for (keys, error) in [
            (("fly", "L"), KeyError::NoAction("fly".to_owned())),
            (
                ("run-all", "q"),
                KeyError::Twice("q".to_owned(), "run-all".to_owned(), "quit".to_owned()),
            ),
        ] {
            assert_eq!(with_keys([keys].into_iter()).unwrap_err(), error);
        }
        for (name, key, does) in [
            ("edit-text", "j", "scrolls"),
            ("quit", "G", "scrolls"),
            ("write", "x", "leaves a row out or runs commands in Pending"),
            ("help", "p", "has a meaning of its own in Throughput"),
        ] {
            let (action, key) = (name.to_owned(), key.to_owned());
            let error = with_keys([(name, &*key)].into_iter()).unwrap_err();
            assert_eq!(error, KeyError::Reserved { action, key: key.clone(), does });
        }
        for key in ["", "ab", " ", "é"] {
            let error = with_keys([("run-all", key)].into_iter()).unwrap_err();
            assert!(matches!(error, KeyError::NoKey { .. }), "{key}");
        }
    }

    #[test]
    fn texts_name_the_keys_of_their_actions() {
        assert_eq!(keyed("stage added; {undo} undoes it"), "stage added; u undoes it");
        assert_eq!(keyed("{write}{quit}"), "wq");
        assert_eq!(keyed("{ } {nothing} {"), "{ } {nothing} {");
    }
}
