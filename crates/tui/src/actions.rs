//! Everything that can be done outside the text, each with its key and its words.

/// Something that can be done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // each is said in words in `ALL`
pub(crate) enum Action {
    EditText,
    EditStage,
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
    Dismiss,
    ChooseSample,
    Search,
    NextMatch,
    PreviousMatch,
    HideDropped,
    View,
    Wrap,
    TurnOver,
    RunAll,
    Export,
    Throughput,
    Compare,
    Wiring,
    Pending,
    Write,
    UndoWrite,
    Allow,
    Copy,
    CopyText,
    Reread,
    Save,
    SaveAs,
    Shelf,
    Actions,
    Help,
    Quit,
}

/// An action with its key, a short name for the last row, and a sentence for the help.
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

const fn entry(
    action: Action,
    key: &'static str,
    short: &'static str,
    says: &'static str,
) -> Entry {
    Entry { action, key, short, says }
}

/// All actions, in the order of the help.
pub(crate) const ALL: &[Entry] = &[
    entry(Action::EditText, "e", "edit text", "edit the command text"),
    entry(Action::EditStage, "Enter", "edit stage", "edit the text of the selected stage"),
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
    entry(Action::NewStage, "n", "new", "a new stage behind the selected one"),
    entry(Action::InsertStage, "i", "insert", "a new stage before the selected one"),
    entry(Action::DeleteStage, "d", "delete", "delete the selected stage"),
    entry(Action::MoveBack, "[", "move back", "exchange the stage with the one before it"),
    entry(Action::MoveOn, "]", "move on", "exchange the stage with the one behind it"),
    entry(Action::Toggle, "x", "on/off", "switch the stage off, or on again"),
    entry(Action::Undo, "u", "undo", "take back the last change of the text"),
    entry(Action::Redo, "U", "redo", "do it again"),
    entry(Action::Fix, "f", "fix", "change the text as the first note offers"),
    entry(Action::Dismiss, "D", "dismiss", "do not show the first note of this stage again"),
    entry(Action::ChooseSample, "s", "sample", "choose which lines of the data are worked on"),
    entry(Action::Search, "/", "search", "search in the lens"),
    entry(Action::NextMatch, ".", "next match", "to the next match of the search"),
    entry(Action::PreviousMatch, ",", "previous match", "to the match before"),
    entry(
        Action::HideDropped,
        "h",
        "hide dropped",
        "leave out lines the stage dropped, or show them",
    ),
    entry(Action::View, "v", "view", "text, text with marks, bytes in hexadecimal"),
    entry(Action::Wrap, "z", "wrap", "let long lines go on below, or run out to the right"),
    entry(Action::TurnOver, "o", "turn over", "on a narrow screen: the other side of the lens"),
    entry(
        Action::RunAll,
        "r",
        "run all",
        "run it on all of the data, after telling what that takes",
    ),
    entry(
        Action::Export,
        "X",
        "export",
        "hand over: diagram, chart, wiring, throughput, report, figures",
    ),
    entry(
        Action::Throughput,
        "T",
        "throughput",
        "the run on everything: rates, what holds it up, its output (F5 everywhere)",
    ),
    entry(
        Action::Compare,
        "K",
        "compare",
        "runs that were kept, two of them side by side (F6 everywhere)",
    ),
    entry(
        Action::Write,
        "w",
        "write files",
        "write the held-back files from all of the data, after asking",
    ),
    entry(Action::UndoWrite, "Z", "take back", "bring back what the files were before"),
    entry(
        Action::Pending,
        "P",
        "pending",
        "what is held back: files, their changes, commands with their arguments (F4 everywhere)",
    ),
    entry(
        Action::Wiring,
        "W",
        "wiring",
        "where the descriptors of each stage lead, redirection by redirection (F3 everywhere)",
    ),
    entry(Action::Allow, "y", "allow", "allow the selected program of this machine to be started"),
    entry(
        Action::Copy,
        "c",
        "copy",
        "the selected stream, or the line under the cursor of the lens, to the terminal's clipboard",
    ),
    entry(Action::CopyText, "C", "copy text", "the command text to the terminal's clipboard"),
    entry(Action::Reread, "R", "read again", "read all files anew"),
    entry(Action::Save, "Ctrl-S", "save", "save the pipeline as a script"),
    entry(Action::SaveAs, "A", "save as", "save it under another name"),
    entry(Action::Shelf, "S", "shelf", "the Shelf: open a saved pipeline (Ctrl-O everywhere)"),
    entry(Action::Actions, "Space", "actions", "all actions, with a search"),
    entry(Action::Help, "?", "help", "all keys"),
    entry(Action::Quit, "q", "quit", "leave; asks when something is not saved"),
];
