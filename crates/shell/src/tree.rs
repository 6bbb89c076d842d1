//! The syntax tree: every node knows its place in the text.

use std::ops::Range;
use std::sync::{Arc, OnceLock};

/// A range of bytes of the text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
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

/// A whole text.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Script {
    /// What it does.
    pub list: List,
    /// The comments, each from its `#` to the end of the line.
    pub comments: Vec<Span>,
    /// The parameters it is given that it uses itself; those of its functions are not counted.
    pub uses: Uses,
}

/// Which of its parameters a script uses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Uses {
    /// The highest of `$1`, `$2`, …; 0 for none.
    pub highest: usize,
    /// All of them, or how many there are: `$@`, `$*`, `$#`.
    pub all: bool,
}

impl Uses {
    /// True where some are used.
    pub fn any(self) -> bool {
        self.highest > 0 || self.all
    }

    pub(crate) fn note(&mut self, parameter: &Parameter) {
        match parameter {
            Parameter::Position(number) => self.highest = self.highest.max(*number),
            Parameter::All | Parameter::AllJoined | Parameter::Count => self.all = true,
            _ => {}
        }
    }

    pub(crate) fn join(&mut self, other: Self) {
        self.highest = self.highest.max(other.highest);
        self.all |= other.all;
    }
}

impl Script {
    /// The pipelines that stand in no other command, in the order of the text.
    pub fn pipelines(&self) -> impl DoubleEndedIterator<Item = &Pipeline> {
        self.list.items.iter().flat_map(Item::pipelines)
    }

    /// The pipeline to look at when the cursor is at `at`: the last one that begins before it, but
    /// none of assignments alone; else the first one.
    pub fn shown(&self, at: usize) -> Option<&Pipeline> {
        let mut shown = self.pipelines().filter(|pipeline| !pipeline.only_assigns());
        let first = shown.next()?;
        Some(shown.rfind(|pipeline| pipeline.span.start <= at).unwrap_or(first))
    }
}

/// Commands one after the other (XCU 2.9.3).
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct List {
    /// What is between `;` and newlines.
    pub items: Vec<Item>,
}

/// Pipelines joined by `&&` and `||`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Item {
    /// The first one, which always runs.
    pub first: Pipeline,
    /// The others, and when each runs.
    pub rest: Vec<(Connector, Pipeline)>,
}

impl Item {
    /// The pipelines in the order of the text.
    pub fn pipelines(&self) -> impl DoubleEndedIterator<Item = &Pipeline> {
        std::iter::once(&self.first).chain(self.rest.iter().map(|(_, pipeline)| pipeline))
    }
}

/// When the pipeline behind it runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Connector {
    /// `&&`: when what is before ended with 0.
    And,
    /// `||`: when it did not.
    Or,
}

impl Connector {
    /// True where what is behind it runs after this status.
    pub fn goes_on(self, status: u8) -> bool {
        match self {
            Self::And => status == 0,
            Self::Or => status != 0,
        }
    }
}

/// Commands joined by `|`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pipeline {
    /// `!` before it: the status is turned around.
    pub negated: bool,
    /// `time` before it.
    pub timed: Option<TimeForm>,
    /// The commands, at least one.
    pub commands: Vec<Command>,
    /// Where each `|` or `|&` is; one fewer than commands.
    pub pipes: Vec<Span>,
    /// From the first command to the last.
    pub span: Span,
}

impl Pipeline {
    /// True for assignments and nothing else.
    pub fn only_assigns(&self) -> bool {
        let [only] = &self.commands[..] else { return false };
        let bare = only.words.is_empty() && only.redirections.is_empty();
        bare && only.compound.is_none()
    }
}

/// How `time` tells.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TimeForm {
    /// `time`
    Usual,
    /// `time -p`: as the standard has it.
    Portable,
}

/// A command: a simple one, of assignments, words and redirections, or a compound one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Command {
    /// `NAME=value` before the first word.
    pub assignments: Vec<Assignment>,
    /// The name and its arguments; empty for a command of assignments or redirections alone, and
    /// for a compound one.
    pub words: Vec<Word>,
    /// What a compound command does.
    pub compound: Option<Arc<Compound>>,
    /// Redirections in the order they are performed.
    pub redirections: Vec<Redirection>,
    /// True where `|&` is behind it: standard error goes into the pipe too.
    pub errors_too: bool,
    /// From the first token to the last.
    pub span: Span,
    /// The text of the stage that is switched off here, from the comment behind it.
    pub off: Option<Span>,
}

/// Commands made of others (XCU 2.9.4).
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Compound {
    /// `{ …; }`
    Group(List),
    /// `( … )`
    Subshell(List),
    /// `if …; then …; elif …; then …; else …; fi`
    If {
        /// Conditions and what follows them.
        branches: Vec<(List, List)>,
        /// Behind `else`.
        otherwise: Option<List>,
    },
    /// `while …; do …; done` and `until …; do …; done`
    Loop {
        /// True for `until`.
        until: bool,
        /// Runs before each round.
        condition: List,
        /// A round.
        body: List,
    },
    /// `for NAME in …; do …; done`
    For {
        /// The variable.
        name: String,
        /// Its values; `None` for the script's arguments.
        words: Option<Vec<Word>>,
        /// A round.
        body: List,
    },
    /// `case WORD in …) …;; esac`
    Case {
        /// What is compared.
        subject: Word,
        /// The patterns and what is done for them.
        arms: Vec<Arm>,
    },
    /// `NAME() …`
    Function {
        /// Its name.
        name: String,
        /// What it does.
        body: Arc<Command>,
    },
    /// `[[ … ]]`
    Test(Test),
}

/// A part of `case`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Arm {
    /// Any of these matches.
    pub patterns: Vec<Word>,
    /// What is done then.
    pub body: List,
}

/// What is in `[[ … ]]`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Test {
    /// A word alone: true when it is not empty.
    Word(Word),
    /// An operator before a word, such as `-f`.
    Unary(String, Word),
    /// An operator between words, such as `==`.
    Binary(Word, String, Word),
    /// `! …`
    Not(Box<Test>),
    /// `… && …`
    And(Box<Test>, Box<Test>),
    /// `… || …`
    Or(Box<Test>, Box<Test>),
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
#[derive(Clone, Debug, Default, PartialEq, Eq)]
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
    /// `$'…'`: what it means.
    Dollar(Vec<u8>),
    /// `"…"`, holding text, escaped characters and expansions.
    Double(Vec<Part>),
    /// `$x`, `${x}`.
    Parameter(Parameter, Span),
    /// `${x:-…}` and the like.
    Expansion(Box<Expansion>, Span),
    /// `$(…)` and `` `…` ``: what the commands write.
    Command(Arc<List>, Span),
    /// `$((…))`: the expression, as text in quotes.
    Arithmetic(Vec<Part>, Span),
    /// `~` or `~name` at the beginning of a word: a home directory.
    Home(Option<String>),
    /// `{a,b}`: a word for each.
    Alternatives(Vec<Word>),
    /// `{1..5}`, `{a..e..2}`: a word for each value.
    Sequence(Sequence),
    /// `<( … )` and `>( … )`: a file that has what the commands write, or that they read.
    Substituted(Direction, Arc<List>, Span),
}

/// `{FROM..TO..STEP}`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sequence {
    /// Whole numbers, with zeros before them up to a width.
    Numbers {
        /// The first.
        from: i64,
        /// The last that may be reached.
        to: i64,
        /// The distance; its sign does not count.
        step: i64,
        /// Digits at least, with the sign.
        width: usize,
    },
    /// Characters of ASCII.
    Characters {
        /// The first.
        from: char,
        /// The last that may be reached.
        to: char,
        /// The distance; its sign does not count.
        step: i64,
    },
}

/// Which way a substituted process is connected.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// `<( … )`: its output is read.
    Read,
    /// `>( … )`: it reads what is written.
    Write,
}

/// What is behind `$`.
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
    /// `$-`: the options in force.
    Options,
}

/// `${…}` with an operation (XCU 2.6.2).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expansion {
    /// Of what.
    pub parameter: Parameter,
    /// What is done.
    pub operation: Operation,
}

/// What is done to a parameter.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Operation {
    /// `${#x}`: how many characters.
    Length,
    /// `${x-w}`, `${x=w}`, `${x?w}`, `${x+w}`; with `:` also for an empty value.
    Otherwise {
        /// Which of them.
        how: Otherwise,
        /// True with `:`.
        or_empty: bool,
        /// The word.
        word: Word,
    },
    /// `${x#w}`, `${x##w}`, `${x%w}`, `${x%%w}`: a part is taken off.
    Remove {
        /// True for `%`: at the end.
        suffix: bool,
        /// True for the doubled sign: the longest part.
        longest: bool,
        /// The pattern.
        pattern: Word,
    },
}

/// What happens where a parameter has no value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Otherwise {
    /// `-`: the word is used.
    Use,
    /// `=`: it is also assigned.
    Assign,
    /// `?`: the shell ends with the word as message.
    Fail,
    /// `+`: the word is used where there is a value, else nothing.
    Instead,
}

/// One redirection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Redirection {
    /// The descriptor it is for, 0 to 9.
    pub descriptor: u8,
    /// What is done to it.
    pub kind: RedirectionKind,
    /// Operator and target.
    pub span: Span,
}

/// What a redirection does (XCU 2.7).
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RedirectionKind {
    /// `< word`
    Read(Word),
    /// `> word` and `>| word`
    Replace(Word),
    /// `>> word`
    Append(Word),
    /// `<> word`: opened to read and write.
    ReadWrite(Word),
    /// `&> word`: standard output and standard error.
    ReplaceBoth(Word),
    /// `&>> word`
    AppendBoth(Word),
    /// `>&n`, `<&n`
    Duplicate(u8),
    /// `>&-`, `<&-`
    Close,
    /// `<< word` and what follows it.
    Document(Document),
    /// `<<< word`
    Text(Word),
}

impl RedirectionKind {
    /// The word behind the operator, where it is expanded: a file's name or a text.
    pub fn word(&self) -> Option<&Word> {
        match self {
            Self::Read(word)
            | Self::Replace(word)
            | Self::Append(word)
            | Self::ReadWrite(word)
            | Self::ReplaceBoth(word)
            | Self::AppendBoth(word)
            | Self::Text(word) => Some(word),
            Self::Duplicate(_) | Self::Close | Self::Document(_) => None,
        }
    }
}

/// A here-document; its body is behind the line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Document {
    /// The line that ends it.
    pub delimiter: String,
    /// True where the delimiter is quoted: nothing is expanded.
    pub quoted: bool,
    /// `<<-`: tabs at the beginning of lines are left out.
    pub strips_tabs: bool,
    pub(crate) body: Arc<OnceLock<(Vec<Part>, Span)>>,
}

impl Document {
    /// What it holds, as text in quotes.
    pub fn parts(&self) -> &[Part] {
        self.body.get().map_or(&[], |(parts, _)| parts)
    }

    /// Where that is, the line that ends it included.
    pub fn span(&self) -> Span {
        self.body.get().map_or(Span::default(), |(_, span)| *span)
    }
}

impl Command {
    /// True where it is the same whatever comes before it: no parameter, command or pattern is
    /// expanded in it.
    pub fn is_constant(&self) -> bool {
        let redirected = self.redirections.iter().filter_map(|one| one.kind.word());
        let values = self.assignments.iter().map(|assignment| &assignment.value);
        let mut words = self.words.iter().chain(values).chain(redirected);
        let documents = |one: &Redirection| matches!(one.kind, RedirectionKind::Document(_));
        self.compound.is_none()
            && words.all(|word| word.literal().is_some())
            && !self.redirections.iter().any(documents)
    }
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
                Part::Dollar(bytes) => value.push_str(std::str::from_utf8(bytes).ok()?),
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
                _ => return None,
            }
        }
        Some(value)
    }

    /// Its text where nothing of it is quoted or expanded: only such words are reserved.
    pub fn plain(&self) -> Option<&str> {
        match &self.parts[..] {
            [Part::Text(plain)] => Some(plain),
            _ => None,
        }
    }

    /// True where it is this text, and nothing of it is quoted or expanded.
    pub fn is_plain(&self, text: &str) -> bool {
        self.plain() == Some(text)
    }
}

impl Command {
    /// The command's name where it is plain text.
    pub fn name(&self) -> Option<String> {
        self.words.first().and_then(Word::literal)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cursor_on_a_span_or_right_after_it_touches_it() {
        let touched: Vec<usize> = (0..9).filter(|&at| Span::new(3, 5).touches(at)).collect();
        assert_eq!(touched, [3, 4, 5]);
        assert_eq!(Span::new(3, 5).to(Span::new(4, 9)), Span::new(3, 9));
    }
}
