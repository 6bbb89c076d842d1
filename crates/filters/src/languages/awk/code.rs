//! The compiled form of an awk program: names are places, constants are folded, patterns compiled.

use std::collections::BTreeSet;
use std::ops::Range;

use pattern::Pattern;

use super::tree::{Arithmetic, Builtin, Comparison, Redirection};

/// A variable the language itself uses.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Special {
    Argc,
    Convfmt,
    Filename,
    Fnr,
    Fs,
    Nf,
    Nr,
    Ofmt,
    Ofs,
    Ors,
    Rlength,
    Rs,
    Rstart,
    Subsep,
}

pub(super) const SPECIALS: &[(&str, Special)] = &[
    ("ARGC", Special::Argc),
    ("CONVFMT", Special::Convfmt),
    ("FILENAME", Special::Filename),
    ("FNR", Special::Fnr),
    ("FS", Special::Fs),
    ("NF", Special::Nf),
    ("NR", Special::Nr),
    ("OFMT", Special::Ofmt),
    ("OFS", Special::Ofs),
    ("ORS", Special::Ors),
    ("RLENGTH", Special::Rlength),
    ("RS", Special::Rs),
    ("RSTART", Special::Rstart),
    ("SUBSEP", Special::Subsep),
];

/// The places of the two arrays the language fills.
pub(super) const ARGV: usize = 0;
pub(super) const ENVIRON: usize = 1;

#[derive(Debug, Default)]
pub(super) struct Code {
    pub(super) begin: Vec<Vec<Step>>,
    pub(super) rules: Vec<Rule>,
    pub(super) end: Vec<Vec<Step>>,
    pub(super) functions: Vec<Function>,
    pub(super) patterns: Vec<Pattern>,
    pub(super) texts: Vec<Vec<u8>>,
    /// The names of the variables that are no arrays, by their places.
    pub(super) globals: Vec<String>,
    pub(super) arrays: usize,
    /// The names of the arrays, by their places.
    pub(super) array_names: Vec<String>,
    /// The fields read by their number.
    pub(super) columns: BTreeSet<usize>,
    /// How often the program names `FS` or `RS`.
    pub(super) separators_named: usize,
    /// How many rules have a range.
    pub(super) ranges: usize,
    /// Where the program does nothing but for records that match this pattern: no others need be
    /// looked at.
    pub(super) only: Option<Pattern>,
}

impl Code {
    /// What fields are separated by from the first line on, if that is set once, to a text, before
    /// anything is read; `None` where the program may set it otherwise.
    pub(super) fn separator(&self) -> Option<&[u8]> {
        let set = self.begin.iter().flatten().find_map(|step| match step {
            Step::Run(Node::Assign(assigned)) => match &**assigned {
                (Place::Special(Special::Fs), Node::Text(text)) => Some(*text),
                _ => None,
            },
            _ => None,
        })?;
        self.texts.get(set).filter(|_| self.separators_named == 1).map(Vec::as_slice)
    }
}

#[derive(Debug)]
pub(super) struct Rule {
    pub(super) when: When,
    /// Where its condition is in the text.
    pub(super) at: Range<usize>,
    /// `None` prints the record.
    pub(super) body: Option<Vec<Step>>,
}

#[derive(Debug)]
pub(super) enum When {
    Always,
    Matches(Node),
    /// Two conditions, and the place of the state.
    Range(Node, Node, usize),
}

#[derive(Debug)]
pub(super) struct Function {
    /// For each parameter, whether it is an array.
    pub(super) arrays: Vec<bool>,
    pub(super) body: Vec<Step>,
}

/// A statement.
#[derive(Debug)]
pub(super) enum Step {
    Run(Node),
    Print {
        values: Box<[Node]>,
        to: Option<Box<Target>>,
    },
    Printf {
        values: Box<[Node]>,
        to: Option<Box<Target>>,
        at: usize,
    },
    /// The condition and where it is in the text, what is done where it holds, and where not.
    If(Node, Range<usize>, Box<[Step]>, Box<[Step]>),
    Loop {
        condition: Option<Node>,
        step: Option<Box<Step>>,
        body: Box<[Step]>,
        first: bool,
    },
    ForIn {
        variable: Place,
        array: ArrayPlace,
        body: Box<[Step]>,
    },
    Next(usize),
    NextFile(usize),
    Exit(Option<Node>),
    Return(Option<Node>),
    Break,
    Continue,
    Delete(ArrayPlace, Box<[Node]>),
    Clear(ArrayPlace),
}

#[derive(Debug)]
pub(super) struct Target {
    pub(super) how: Redirection,
    pub(super) name: Node,
    pub(super) at: usize,
}

/// What can be assigned to.
#[derive(Debug)]
pub(super) enum Place {
    Global(usize),
    Local(usize),
    Special(Special),
    Field(Node, usize),
    Element(ArrayPlace, Box<[Node]>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ArrayPlace {
    Global(usize),
    Local(usize),
}

/// An expression.
#[derive(Debug)]
pub(super) enum Node {
    Number(f64),
    Text(usize),
    Global(usize),
    Local(usize),
    Special(Special),
    /// A field whose number is known.
    Column(usize),
    Field(Box<Node>, usize),
    Element(ArrayPlace, Box<[Node]>),
    In(ArrayPlace, Box<[Node]>),
    Assign(Box<(Place, Node)>),
    /// Adds texts to the end of what the place holds.
    Append(Box<(Place, Box<[Node]>)>),
    Update(Arithmetic, Box<(Place, Node)>, usize),
    Increment {
        place: Box<Place>,
        by: f64,
        before: bool,
    },
    Negate(Box<Node>),
    Plus(Box<Node>),
    Not(Box<Node>),
    Arithmetic(Arithmetic, Box<(Node, Node)>, usize),
    Compare(Comparison, Box<(Node, Node)>),
    Match {
        subject: Box<Node>,
        pattern: Matcher,
        negated: bool,
    },
    And(Box<(Node, Node)>),
    Or(Box<(Node, Node)>),
    Conditional(Box<(Node, Node, Node)>),
    Concat(Box<[Node]>),
    Call(usize, Box<[Argument]>, usize),
    Builtin(Box<BuiltinCall>),
    Getline(Box<Getline>),
}

/// A pattern known beforehand, or a text that becomes one.
#[derive(Debug)]
pub(super) enum Matcher {
    Known(usize),
    Made(Box<Node>, usize),
}

#[derive(Debug)]
pub(super) enum Argument {
    Value(Node),
    Array(ArrayPlace),
}

#[derive(Debug)]
pub(super) struct BuiltinCall {
    pub(super) builtin: Builtin,
    pub(super) values: Vec<Node>,
    /// For those that take a pattern.
    pub(super) matcher: Option<Matcher>,
    /// What `sub` and `gsub` change, what `split` fills, what `length` counts.
    pub(super) place: Option<Place>,
    pub(super) array: Option<ArrayPlace>,
    pub(super) at: usize,
}

#[derive(Debug)]
pub(super) struct Getline {
    pub(super) from: From,
    pub(super) place: Option<Place>,
}

#[derive(Debug)]
pub(super) enum From {
    Input,
    File(Node),
    Command(Node),
}
