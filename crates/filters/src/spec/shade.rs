//! The parts of programs that filters are given as arguments, for showing them: which bytes are
//! fields, patterns, texts, comments.

use std::ops::Range;

/// What a part of a program is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shade {
    /// A field, or what a group of a pattern matched.
    Field,
    /// A pattern.
    Pattern,
    /// A text that is taken as it is.
    Text,
    /// A word of the language.
    Word,
    /// A comment.
    Comment,
}

/// A program among the arguments of a filter.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    /// Which argument it is, from 0 for the first behind the name.
    pub word: usize,
    /// Its parts, in order, none overlapping; what is in none is plain.
    pub shades: Vec<(Range<usize>, Shade)>,
}
