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
    Notes,
    Dismiss,
    ChooseSample,
    Everything,
    Parameters,
    NextCommand,
    PreviousCommand,
    Search,
    NextMatch,
    PreviousMatch,
    Unfold,
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
    History,
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
        Action::Throughput,
        "T",
        "throughput",
        "the full run: rates, bottleneck, output (F5 everywhere)",
    ),
    entry(Action::Compare, "K", "compare", "kept runs, two of them side by side (F6 everywhere)"),
    entry(
        Action::Write,
        "w",
        "write files",
        "write the planned files from all of the data, after asking",
    ),
    entry(Action::UndoWrite, "Z", "undo write", "restore the files as they were before"),
    entry(
        Action::Pending,
        "P",
        "pending",
        "planned changes: files with their differences, commands with their arguments (F4 everywhere)",
    ),
    entry(
        Action::Wiring,
        "W",
        "wiring",
        "where the descriptors of each stage lead, redirection by redirection (F3 everywhere)",
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
    entry(Action::Actions, "Space", "actions", "all actions, with a search"),
    entry(Action::Help, "?", "help", "all keys"),
    entry(Action::Quit, "q", "quit", "quit; asks when something is not saved"),
];
