//! A bc program, parsed.

use std::ops::Range;
use std::rc::Rc;

/// Names are numbers here; see `Names`.
pub(super) type Name = usize;

/// Something that is at the top of a program.
#[derive(Debug)]
pub(super) enum Item {
    Statements(Vec<Statement>),
    Define(Name, Rc<Function>),
}

#[derive(Debug)]
pub(super) struct Function {
    pub(super) parameters: Vec<Parameter>,
    pub(super) autos: Vec<Parameter>,
    pub(super) body: Vec<Statement>,
}

/// A variable, or an array.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Parameter {
    pub(super) name: Name,
    pub(super) is_array: bool,
}

#[derive(Debug)]
pub(super) enum Statement {
    /// Its value is written, unless it is an assignment.
    Expression(Expr, bool),
    Text(String),
    Print(Vec<Printed>),
    Block(Vec<Statement>),
    If(Expr, Box<Statement>, Option<Box<Statement>>),
    While(Expr, Box<Statement>),
    For(Option<Expr>, Option<Expr>, Option<Expr>, Box<Statement>),
    Break,
    Continue,
    Return(Option<Expr>),
    Halt,
    Quit,
    Limits,
}

#[derive(Debug)]
pub(super) enum Printed {
    Text(String),
    Value(Expr),
}

#[derive(Debug)]
pub(super) struct Expr {
    pub(super) kind: ExprKind,
    pub(super) span: Range<usize>,
}

#[derive(Debug)]
pub(super) enum ExprKind {
    /// As written; what it is depends on the base when it is read.
    Number(Vec<u8>),
    Read(Place),
    Assign(Box<Place>, Option<Operator>, Box<Expr>),
    Increment {
        place: Box<Place>,
        up: bool,
        before: bool,
    },
    Negate(Box<Expr>),
    Not(Box<Expr>),
    Power(Box<Expr>, Box<Expr>),
    /// Operations of the same rank, from left to right.
    Row(Box<Expr>, Vec<(Operator, Expr)>),
    Compare(Comparison, Box<Expr>, Box<Expr>),
    And(Box<Expr>, Box<Expr>),
    Or(Box<Expr>, Box<Expr>),
    Call(Name, Vec<Argument>),
    Builtin(Builtin, Option<Box<Expr>>),
}

#[derive(Debug)]
pub(super) enum Argument {
    Value(Expr),
    Array(Name),
}

#[derive(Debug)]
pub(super) enum Place {
    Variable(Name),
    Element(Name, Box<Expr>),
    Scale,
    InputBase,
    OutputBase,
    Last,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Operator {
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

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Builtin {
    Length,
    Scale,
    SquareRoot,
    Read,
}

/// The names of a program.
#[derive(Debug, Default)]
pub(super) struct Names(Vec<String>);

impl Names {
    /// The number of a name.
    pub(super) fn number(&mut self, name: &str) -> Name {
        self.0.iter().position(|known| known == name).unwrap_or_else(|| {
            self.0.push(name.to_owned());
            self.0.len() - 1
        })
    }

    pub(super) fn name(&self, number: Name) -> &str {
        self.0.get(number).map_or("", String::as_str)
    }

    pub(super) fn len(&self) -> usize {
        self.0.len()
    }
}
