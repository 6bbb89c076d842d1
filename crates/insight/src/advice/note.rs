//! What a note is.

use shell::Span;

use crate::edit::stages::TextEdit;

/// How sure a note is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Cannot be wrong: shown with `!`.
    Warning,
    /// A hint: shown with `·`.
    Hint,
    /// How it went, where nothing is to be mended: shown with `·`.
    Remark,
}

impl Severity {
    /// Its name, which stays the same from version to version.
    pub fn id(self) -> &'static str {
        match self {
            Self::Warning => "warning",
            Self::Hint => "hint",
            Self::Remark => "remark",
        }
    }
}

/// What a note rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Basis {
    /// The data that went through.
    Data,
    /// The text alone.
    Line,
    /// What it takes: time, memory, programs.
    Cost,
    /// What other systems have; said on request only.
    Portability,
}

impl Basis {
    /// Its name, which stays the same from version to version.
    pub fn id(self) -> &'static str {
        match self {
            Self::Data => "data",
            Self::Line => "text",
            Self::Cost => "cost",
            Self::Portability => "portability",
        }
    }
}

/// Makes the kinds of notes, their names, and the list of all.
macro_rules! kinds {
    ($($(#[doc = $doc:literal])* $kind:ident = $id:literal,)*) => {
        /// What a note is about.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum NoteKind {
            $($(#[doc = $doc])* $kind,)*
        }

        impl NoteKind {
            /// All of them.
            pub const ALL: &'static [Self] = &[$(Self::$kind,)*];

            /// Its name, which stays the same from version to version.
            pub fn id(self) -> &'static str {
                match self {
                    $(Self::$kind => $id,)*
                }
            }
        }
    };
}

kinds! {
    /// Equal lines are apart, where only those beside each other are looked at.
    RepeatsApart = "repeats-apart",
    /// The delimiter is in none of the lines.
    DelimiterAbsent = "delimiter-absent",
    /// Delimiters come in runs, so fields are empty.
    EmptyFields = "empty-fields",
    /// A field that lines do not have.
    FieldMissing = "field-missing",
    /// Delimiters within quotes.
    QuotedCsv = "quoted-csv",
    /// Nothing matches, but something near it does.
    NothingMatched = "nothing-matched",
    /// A pattern that matches nothing at all matches every line.
    AlwaysMatches = "always-matches",
    /// A dot matched what is not a dot.
    DotAny = "dot-any",
    /// The shell makes file names of a pattern.
    UnquotedGlob = "unquoted-glob",
    /// The shell takes `$1` out of a program.
    UnquotedDollar = "unquoted-dollar",
    /// `tr` changes characters, not words.
    TrWords = "tr-words",
    /// The second set of `tr` is shorter.
    TrLengths = "tr-lengths",
    /// A file is emptied before it is read.
    SameFile = "same-file",
    /// A file that is there is replaced.
    Replaces = "replaces",
    /// Errors still go to the terminal.
    ErrorOrder = "error-order",
    /// Errors go into the data.
    ErrorInOutput = "error-in-output",
    /// Messages are thrown away.
    ErrorHidden = "error-hidden",
    /// A file is opened without the rights of the command.
    Privilege = "privilege",
    /// All items go to one command that does not take them.
    BatchArguments = "batch-args",
    /// Items with blanks or quotes are split.
    SplitItems = "split-items",
    /// Numbers are ordered as text.
    NumericOrder = "numeric-order",
    /// Sizes are ordered without their suffixes.
    SizeOrder = "size-order",
    /// Versions are ordered as text.
    VersionOrder = "version-order",
    /// A stage can keep nothing after the one before it.
    NeverKeeps = "never-keeps",
    /// A total over a column that is not there, or is no number.
    TotalOfNothing = "total-of-nothing",
    /// The data is compressed.
    Compressed = "compressed",
    /// Empty lines are ordered or counted with the others.
    BlankLines = "blank-lines",
    /// Lines end in a carriage return.
    CarriageReturns = "crlf",
    /// The data begins with a mark of the byte order.
    ByteOrderMark = "byte-order-mark",
    /// The last line has no newline.
    NoFinalNewline = "no-final-newline",
    /// The data has NUL bytes.
    NulBytes = "nul-bytes",
    /// The data is not UTF-8.
    InvalidText = "invalid-utf8",
    /// Nothing comes in.
    NothingComes = "nothing-comes",
    /// A file is passed on by `cat` to what could read it.
    NeedlessCat = "needless-cat",
    /// Lines are counted by another stage.
    CountByWc = "count-by-wc",
    /// Repeats are removed by another stage.
    SortUniq = "sort-uniq",
    /// Repeats of a key are removed by another stage.
    SortUniqueKey = "sort-unique-key",
    /// Lines are dropped after they were ordered.
    LateFilter = "late-filter",
    /// The order is not needed, or made again.
    UndoneOrder = "undone-order",
    /// Two stages that one can do.
    TwoInOne = "two-in-one",
    /// A selection and a column, in one awk.
    GrepAndColumn = "grep-and-column",
    /// An awk program that cut or grep do.
    SimplerThanAwk = "simpler-than-awk",
    /// Lines are changed that are then not taken.
    EarlyHead = "early-head",
    /// A file is read for each line of another one.
    LoopOfGrep = "loop-of-grep",
    /// A file is read twice.
    ReadTwice = "read-twice",
    /// Other systems order otherwise.
    LocaleOrder = "locale-order",
    /// An option or a filter that POSIX does not have.
    NotPosix = "not-posix",
    /// It was ended because nobody reads what it writes.
    ClosedPipe = "closed-pipe",
    /// It was ended by a limit of the preview.
    CutOff = "cut-off",
    /// A file changed while it was read.
    Changed = "changed",
    /// Nothing is written before everything is read.
    HoldsEverything = "holds-everything",
    /// The figures are those of a sample.
    SampleOnly = "sample-only",
    /// What a command says on standard error.
    Message = "message",
}

/// Something worth knowing about a stage.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Note {
    /// What it is about.
    pub kind: NoteKind,
    /// The stage it is about.
    pub stage: usize,
    /// How sure it is.
    pub severity: Severity,
    /// The place in the text it is about.
    pub span: Span,
    /// How many lines or items it is about, where a change may leave some; otherwise 1.
    pub count: u64,
    /// One sentence, with the figures of this data.
    pub text: String,
    /// What one key would change. Offered once it was tried; see [`crate::Proofs`].
    pub fix: Option<Fix>,
    /// Why the change is right for any data, where it only has to give the same.
    pub always: Option<&'static str>,
}

/// A change of the text that a note offers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What it does, in a few words.
    pub label: String,
    /// The change.
    pub edits: Vec<TextEdit>,
}

impl Fix {
    pub(super) fn new(label: impl Into<String>, edits: Vec<TextEdit>) -> Self {
        Self { label: label.into(), edits }
    }
}

/// What a trial of a change has to show before it is offered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Proof {
    /// The note is not said of the changed text any more, and nothing fails that did not before.
    Cures,
    /// As that, and the changed text shows messages of the stage, of which the note then speaks.
    Shows,
    /// The changed text gives the same, bytes, status, messages, files, and is not slower. Without
    /// this there is no note at all.
    Same,
    /// It gives the same and is much faster, where there is enough data to tell.
    Faster,
}
