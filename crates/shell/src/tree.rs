use std::ops::Range;

/// A range of bytes of the text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Span {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

impl Span {
    /// From `start` up to, not with, `end`.
    pub fn new(start: usize, end: usize) -> Self {
        Self { start, end }
    }

    /// As a range, for slicing.
    pub fn range(self) -> Range<usize> {
        self.start..self.end
    }

    /// The smallest span that holds both.
    #[must_use]
    pub fn to(self, other: Self) -> Self {
        Self { start: self.start.min(other.start), end: self.end.max(other.end) }
    }

    /// True when `at` lies in the span or directly behind it.
    pub fn touches(self, at: usize) -> bool {
        self.start <= at && at <= self.end
    }
}

/// A whole text: pipelines that run one after the other.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Script {
    /// The pipelines, in order.
    pub pipelines: Vec<Pipeline>,
    /// The comments, each from its `#` to the end of the line.
    pub comments: Vec<Span>,
}

/// Commands joined by `|`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pipeline {
    /// The commands, at least one.
    pub commands: Vec<Command>,
    /// Where each `|` is; one fewer than commands.
    pub pipes: Vec<Span>,
    /// From the first command to the last.
    pub span: Span,
}

/// A simple command: assignments, words and redirections.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Command {
    /// `NAME=value` before the first word.
    pub assignments: Vec<Assignment>,
    /// The name and its arguments; empty for a command of assignments or redirections alone.
    pub words: Vec<Word>,
    /// Redirections in the order they are performed.
    pub redirections: Vec<Redirection>,
    /// From the first token to the last.
    pub span: Span,
    /// The text of the stage that is switched off here, from the comment behind it.
    pub off: Option<Span>,
}

/// `NAME=value`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Assignment {
    /// The variable.
    pub name: String,
    /// Its new value, possibly without parts.
    pub value: Word,
    /// Name and value.
    pub span: Span,
}

/// A word before expansion.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Word {
    /// Its parts, side by side.
    pub parts: Vec<Part>,
    /// Where it is.
    pub span: Span,
}

/// A part of a word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Unquoted text; `*`, `?` and `[` in it make file name patterns.
    Text(String),
    /// `\x`.
    Escaped(char),
    /// `'…'`.
    Single(String),
    /// `"…"`, holding text, escaped characters and parameters.
    Double(Vec<Part>),
    /// `$x`, `${x}`.
    Parameter(Parameter, Span),
    /// `~` at the beginning of a word: the home directory.
    Home,
    /// `<( … )`, a whole word: a file to read that has what the pipeline writes.
    Substituted(Box<Pipeline>),
}

/// What stands behind `$`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Parameter {
    /// A variable.
    Variable(String),
    /// `$0`, `$1`, `${12}`.
    Position(usize),
    /// `$@`
    All,
    /// `$*`
    AllJoined,
    /// `$#`
    Count,
    /// `$?`
    Status,
    /// `$$`
    Process,
}

/// One redirection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Redirection {
    /// The descriptor it is for, 0 to 2.
    pub descriptor: u8,
    /// What is done to it.
    pub kind: RedirectionKind,
    /// Operator and target.
    pub span: Span,
}

/// What a redirection does.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RedirectionKind {
    /// `< word`
    Read(Word),
    /// `> word` and `>| word`
    Replace(Word),
    /// `>> word`
    Append(Word),
    /// `>&n`
    Duplicate(u8),
}

impl Word {
    /// The word's value where it is the same whatever is expanded: no parameters, no home, no
    /// unquoted pattern characters.
    pub fn literal(&self) -> Option<String> {
        let mut value = String::new();
        for part in &self.parts {
            match part {
                Part::Text(text) if text.contains(['*', '?', '[']) => return None,
                Part::Text(text) | Part::Single(text) => value.push_str(text),
                Part::Escaped(character) => value.push(*character),
                Part::Double(inner) => {
                    for part in inner {
                        match part {
                            Part::Text(text) => value.push_str(text),
                            Part::Escaped(character) => value.push(*character),
                            _ => return None,
                        }
                    }
                }
                Part::Parameter(..) | Part::Home | Part::Substituted(_) => return None,
            }
        }
        Some(value)
    }
}

impl Command {
    /// The command's name where it is plain text.
    pub fn name(&self) -> Option<String> {
        self.words.first().and_then(Word::literal)
    }
}
