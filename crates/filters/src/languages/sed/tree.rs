//! A sed script, parsed.

use pattern::Pattern;

use crate::common::substitution::Replacement;

#[derive(Debug, Default)]
pub(super) struct Script {
    pub(super) commands: Vec<Command>,
    pub(super) patterns: Vec<Pattern>,
    /// Their texts, and whether case counts not.
    pub(super) texts: Vec<(Vec<u8>, bool)>,
    /// Files that are written, each once.
    pub(super) written: Vec<Vec<u8>>,
    /// True for a script that begins with `#n`.
    pub(super) quiet: bool,
    /// True where some command asks whether this is the last line.
    pub(super) looks_ahead: bool,
    /// True where some pattern is the one used last.
    pub(super) uses_last_pattern: bool,
    /// How many ranges there are.
    pub(super) ranges: usize,
}

#[derive(Debug)]
pub(super) struct Command {
    pub(super) when: When,
    pub(super) negated: bool,
    pub(super) action: Action,
}

#[derive(Debug)]
pub(super) enum When {
    Always,
    At(Address),
    /// The range's first and last line, and the place of its state.
    Range(Address, End, usize),
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Address {
    Line(u64),
    /// `first~step`
    Step(u64, u64),
    Last,
    Pattern(PatternUse),
    /// `0` before a pattern: the range begins before the first line.
    Start,
}

/// A pattern by its number, or the one used last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum PatternUse {
    Known(usize),
    Last,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum End {
    Line(u64),
    Last,
    Pattern(PatternUse),
    /// `+n`
    After(u64),
    /// `~n`
    Multiple(u64),
}

#[derive(Debug)]
pub(super) enum Action {
    /// Goes on behind the block's end where the address does not select.
    Block(usize),
    Nothing,
    Append(Vec<u8>),
    Insert(Vec<u8>),
    Change(Vec<u8>),
    /// `None` is the end of the script.
    Branch(Option<usize>),
    BranchIfChanged(Option<usize>),
    BranchUnlessChanged(Option<usize>),
    Delete,
    DeleteFirst,
    FileName,
    CopyFromHold,
    AppendFromHold,
    CopyToHold,
    AppendToHold,
    Exchange,
    List(Option<usize>),
    Next,
    AppendNext,
    Print,
    PrintFirst,
    Quit(u8),
    QuitSilently(u8),
    ReadFile(Vec<u8>),
    ReadLine(Vec<u8>),
    Substitute(Box<Substitution>),
    WriteFile(usize),
    WriteFirst(usize),
    Translate(Box<Translation>),
    Number,
    Empty,
}

#[derive(Debug)]
pub(super) struct Substitution {
    pub(super) pattern: PatternUse,
    pub(super) replacement: Replacement,
    /// From which match on, from 1.
    pub(super) from: usize,
    pub(super) all: bool,
    pub(super) print: bool,
    pub(super) write: Option<usize>,
}

#[derive(Debug)]
pub(super) struct Translation {
    /// For text of single bytes.
    pub(super) bytes: [u8; 256],
    /// All pairs; used where some have more than one byte.
    pub(super) wide: Option<Vec<(Vec<u8>, Vec<u8>)>>,
}
