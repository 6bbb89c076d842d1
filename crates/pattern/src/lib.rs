//! POSIX basic and extended regular expressions (POSIX.1-2017, Base Definitions, chapter 9), with
//! the escapes ``\w \W \s \S \b \B \< \> \` \'`` and, in basic syntax, `\+ \? \|`.
//!
//! The parser is our own and makes a syntax tree for `regex-automata`, whose automata do the
//! matching in time linear in the text. See [`Pattern::find`] for how the longest match is found,
//! and [`Pattern::captures`] for what groups match. Back-references are matched by a backtracking
//! machine of our own with a step limit, after the same automata have found the lines where a
//! match is possible. Patterns of Perl are translated for `fancy-regex`, with a step limit too.
//!
//! A pattern is usually meant for lines: nothing in it ever matches a newline, `^` and `$` hold at
//! line ends, so one search may run over a whole block of lines. See [`Subject`] for the others.

mod bracket;
mod decode;
mod folded;
mod glob;
mod matcher;
mod parser;
mod perl;
mod program;
mod simple;
mod tree;

use std::ops::Range;

use thiserror::Error;

pub use glob::{Interrupted, glob_matches, glob_part};
pub use matcher::Pattern;

/// What a pattern matched.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Captures(Vec<Option<Range<usize>>>);

impl Captures {
    /// The whole match.
    pub fn whole(&self) -> Range<usize> {
        self.0.first().cloned().flatten().unwrap_or(0..0)
    }

    /// What group `number` matched last (0 is the whole); `None` where it took no part.
    pub fn group(&self, number: usize) -> Option<Range<usize>> {
        self.0.get(number).cloned().flatten()
    }
}

/// A search was given up: back-references can make it take time without bounds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[error("the pattern takes too many steps on this line")]
pub struct TooManySteps;

/// How pattern text is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Syntax {
    /// Basic regular expressions: `\(`, `\{`, and `+` as itself.
    #[default]
    Basic,
    /// Extended regular expressions.
    Extended,
    /// Extended regular expressions as awk reads them: escapes such as `\n`, `\/` and `\101` stand
    /// for characters, in bracket expressions too, `\y` is a word boundary, and there are no
    /// back-references.
    Awk,
    /// The text itself, no special characters.
    Fixed,
    /// Patterns of Perl: one text, searched one way after the other for a limited number of
    /// steps. Words, digits and blanks are those of ASCII. Of several ways to match the first
    /// counts, not the longest.
    Perl,
}

/// How a pattern is to match.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Options {
    /// Letters match in either case.
    pub ignore_case: bool,
    /// Matches must not touch a word character on either side.
    pub whole_word: bool,
    /// Matches must take in the whole line.
    pub whole_line: bool,
    /// What the text is that is searched.
    pub subject: Subject,
    /// `[:space:]` outside brackets is an error, not a set of its characters.
    pub refuse_bare_class: bool,
}

/// What a searched text is: what newlines in it mean.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Subject {
    /// One line or many; nothing matches a newline, anchors hold at line ends.
    #[default]
    Line,
    /// One text; a newline is a character like any other, anchors hold at the ends of the text.
    Text,
    /// One text of several lines; `.` and `[^…]` match no newline, `^` and `$` hold at line ends,
    /// `` \` `` and `\'` at the ends of the text.
    Lines,
}

/// A pattern that cannot be used, and where in its text the trouble is.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{kind}")]
pub struct PatternError {
    /// What is wrong.
    pub kind: PatternErrorKind,
    /// Which of the texts given, from 0.
    pub text: usize,
    /// The bytes of it that are meant.
    pub span: Range<usize>,
}

/// What can be wrong with a pattern.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum PatternErrorKind {
    /// `(` or `\(` without its end.
    #[error("Unmatched ( or \\(")]
    OpenGroup,
    /// `)` or `\)` without its beginning.
    #[error("Unmatched ) or \\)")]
    CloseGroup,
    /// `[` without its end.
    #[error("Unmatched [, [^, [:, [., or [=")]
    OpenBracket,
    /// `\{` without its end.
    #[error("Unmatched {{ or \\{{")]
    OpenInterval,
    /// `{…}` that is no interval.
    #[error("Invalid content of \\{{\\}}")]
    BadInterval,
    /// A repetition with nothing to repeat.
    #[error("Invalid preceding regular expression")]
    NothingToRepeat,
    /// `z-a`.
    #[error("Invalid range end")]
    BadRange,
    /// `[:name:]` with an unknown name.
    #[error("Invalid character class name")]
    UnknownClass,
    /// `[:name:]` that is not within brackets.
    #[error("character class syntax is [[:space:]], not [:space:]")]
    BareClass,
    /// `[.name.]` or `[=name=]` that names no single character.
    #[error("Invalid collation character")]
    UnknownCollating,
    /// `\` at the end.
    #[error("Trailing backslash")]
    TrailingBackslash,
    /// `\1` to `\9` without such a group before it.
    #[error("Invalid back reference")]
    BackReference,
    /// Bytes that are no UTF-8 where a character is needed.
    #[error("bytes that are not UTF-8 in a bracket expression")]
    NotText,
    /// Something of Perl's patterns that is not done here.
    #[error("{0} is not supported in patterns of Perl")]
    NotSupported(String),
    /// What is no pattern of Perl, and why.
    #[error("{0}")]
    Perl(String),
    /// Groups within groups, or repetitions of repetitions, beyond what any stack holds.
    #[error("nested too deeply")]
    TooDeep,
    /// More states than allowed.
    #[error("Regular expression too big")]
    TooBig,
}
