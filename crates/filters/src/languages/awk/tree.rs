//! An awk program as it was written, every part with its place.

use std::ops::Range;

/// Something wrong in a program text: bytes of it and what was expected.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Fault {
    pub(super) span: Range<usize>,
    pub(super) message: String,
}

impl Fault {
    pub(super) fn new(span: Range<usize>, message: impl Into<String>) -> Self {
        Self { span, message: message.into() }
    }
}

#[derive(Debug, Default)]
pub(super) struct Program {
    pub(super) rules: Vec<Rule>,
    pub(super) functions: Vec<Function>,
}

#[derive(Debug)]
pub(super) struct Rule {
    pub(super) when: When,
    /// `None` prints the record.
    pub(super) body: Option<Vec<Statement>>,
}

#[derive(Debug)]
pub(super) enum When {
    Begin,
    End,
    Always,
    Matches(Expr),
    Range(Expr, Expr),
}

#[derive(Debug)]
pub(super) struct Function {
    pub(super) name: String,
    pub(super) parameters: Vec<String>,
    pub(super) body: Vec<Statement>,
    pub(super) span: Range<usize>,
}

#[derive(Debug)]
pub(super) enum Statement {
    Expression(Expr),
    Print {
        values: Vec<Expr>,
        to: Option<(Redirection, Expr)>,
    },
    Printf {
        values: Vec<Expr>,
        to: Option<(Redirection, Expr)>,
        span: Range<usize>,
    },
    If {
        condition: Expr,
        then: Box<Statement>,
        otherwise: Option<Box<Statement>>,
    },
    While {
        condition: Expr,
        body: Box<Statement>,
    },
    Do {
        body: Box<Statement>,
        condition: Expr,
    },
    For {
        first: Option<Box<Statement>>,
        condition: Option<Expr>,
        step: Option<Box<Statement>>,
        body: Box<Statement>,
    },
    ForIn {
        variable: String,
        array: String,
        span: Range<usize>,
        body: Box<Statement>,
    },
    Block(Vec<Statement>),
    Next(Range<usize>),
    NextFile(Range<usize>),
    Exit(Option<Expr>),
    Return(Option<Expr>),
    Break,
    Continue,
    Delete {
        array: String,
        key: Vec<Expr>,
        span: Range<usize>,
    },
}

/// Where `print` writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Redirection {
    File,
    Append,
    Pipe,
}

#[derive(Debug)]
pub(super) struct Expr {
    pub(super) kind: ExprKind,
    pub(super) span: Range<usize>,
}

#[derive(Debug)]
pub(super) enum ExprKind {
    Number(f64),
    Text(Vec<u8>),
    Pattern(Vec<u8>),
    Name(String),
    Field(Box<Expr>),
    Element(String, Vec<Expr>),
    Group(Box<Expr>),
    In(Vec<Expr>, String),
    Assign(Box<Expr>, Option<Arithmetic>, Box<Expr>),
    Increment { place: Box<Expr>, by: f64, before: bool },
    Negate(Box<Expr>),
    Plus(Box<Expr>),
    Not(Box<Expr>),
    Arithmetic(Arithmetic, Box<Expr>, Box<Expr>),
    Compare(Comparison, Box<Expr>, Box<Expr>),
    Match { subject: Box<Expr>, pattern: Box<Expr>, negated: bool },
    And(Box<Expr>, Box<Expr>),
    Or(Box<Expr>, Box<Expr>),
    Conditional(Box<Expr>, Box<Expr>, Box<Expr>),
    Concat(Box<Expr>, Box<Expr>),
    Call(String, Vec<Expr>),
    Builtin(Builtin, Vec<Expr>),
    Getline { from: GetlineFrom, place: Option<Box<Expr>> },
}

#[derive(Debug)]
pub(super) enum GetlineFrom {
    Input,
    File(Box<Expr>),
    Command(Box<Expr>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Arithmetic {
    Add,
    Subtract,
    Multiply,
    Divide,
    Remainder,
    Power,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Comparison {
    Less,
    LessOrEqual,
    Equal,
    NotEqual,
    Greater,
    GreaterOrEqual,
}

/// The functions of the language.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Builtin {
    Atan2,
    Close,
    Cos,
    Exp,
    Fflush,
    Gensub,
    Gsub,
    Index,
    Int,
    Length,
    Log,
    Match,
    Mktime,
    Rand,
    Sin,
    Split,
    Sprintf,
    Sqrt,
    Srand,
    Strftime,
    Sub,
    Substr,
    System,
    Systime,
    Tolower,
    Toupper,
}

/// Each function's name, itself, and the fewest and most arguments it takes.
pub(super) const BUILTINS: &[(&str, Builtin, usize, usize)] = &[
    ("atan2", Builtin::Atan2, 2, 2),
    ("close", Builtin::Close, 1, 1),
    ("cos", Builtin::Cos, 1, 1),
    ("exp", Builtin::Exp, 1, 1),
    ("fflush", Builtin::Fflush, 0, 1),
    ("gensub", Builtin::Gensub, 3, 4),
    ("gsub", Builtin::Gsub, 2, 3),
    ("index", Builtin::Index, 2, 2),
    ("int", Builtin::Int, 1, 1),
    ("length", Builtin::Length, 0, 1),
    ("log", Builtin::Log, 1, 1),
    ("match", Builtin::Match, 2, 2),
    ("mktime", Builtin::Mktime, 1, 1),
    ("rand", Builtin::Rand, 0, 0),
    ("sin", Builtin::Sin, 1, 1),
    ("split", Builtin::Split, 2, 3),
    ("sprintf", Builtin::Sprintf, 1, usize::MAX),
    ("sqrt", Builtin::Sqrt, 1, 1),
    ("srand", Builtin::Srand, 0, 1),
    ("strftime", Builtin::Strftime, 0, 3),
    ("sub", Builtin::Sub, 2, 3),
    ("substr", Builtin::Substr, 2, 3),
    ("system", Builtin::System, 1, 1),
    ("systime", Builtin::Systime, 0, 0),
    ("tolower", Builtin::Tolower, 1, 1),
    ("toupper", Builtin::Toupper, 1, 1),
];
