//! A parsed pattern, before it becomes an automaton or a program.

use regex_syntax::hir::{self, Hir, Repetition};

use crate::bracket;

/// A parsed pattern or a part of one.
#[derive(Clone, Debug)]
pub(crate) enum Node {
    /// A character, a class, an assertion, or nothing.
    Leaf(Hir),
    /// A group that is remembered, by its number from 1.
    Group(u32, Box<Node>),
    /// One after the other.
    Concat(Vec<Node>),
    /// One of them.
    Alternation(Vec<Node>),
    /// So often.
    Repeat { min: u32, max: Option<u32>, node: Box<Node> },
    /// What a group matched, once more; and whether that may hold newlines.
    BackReference(u32, bool),
}

impl Node {
    /// True where a back-reference is somewhere inside.
    pub(crate) fn has_back_reference(&self) -> bool {
        match self {
            Self::Leaf(_) => false,
            Self::BackReference(..) => true,
            Self::Group(_, node) | Self::Repeat { node, .. } => node.has_back_reference(),
            Self::Concat(nodes) | Self::Alternation(nodes) => {
                nodes.iter().any(Self::has_back_reference)
            }
        }
    }

    /// As an expression of the regular-expression crate, with or without its groups. A
    /// back-reference becomes anything its group may match: every match of the pattern is a
    /// match of that, not the other way round. `groups` has what each group holds.
    pub(crate) fn expression(&self, captures: bool, groups: &[Node]) -> Hir {
        match self {
            Self::Leaf(hir) => hir.clone(),
            Self::Group(number, node) => {
                let sub = node.expression(captures, groups);
                if !captures {
                    return sub;
                }
                Hir::capture(hir::Capture { index: *number, name: None, sub: Box::new(sub) })
            }
            Self::Concat(nodes) => {
                Hir::concat(nodes.iter().map(|node| node.expression(captures, groups)).collect())
            }
            Self::Alternation(nodes) => Hir::alternation(
                nodes.iter().map(|node| node.expression(captures, groups)).collect(),
            ),
            Self::Repeat { min, max, node } => Hir::repetition(Repetition {
                min: *min,
                max: *max,
                greedy: true,
                sub: Box::new(node.expression(captures, groups)),
            }),
            Self::BackReference(number, newlines) => groups
                .get(*number as usize - 1)
                .filter(|node| !node.has_back_reference())
                .map_or_else(
                    || anything(*newlines),
                    |node| without_looks(&node.expression(false, groups), *newlines),
                ),
        }
    }
}

/// Any text.
fn anything(newlines: bool) -> Hir {
    let any = bracket::any();
    let class = if newlines { any } else { bracket::no_newline(any) };
    let sub = Box::new(Hir::class(hir::Class::Unicode(class)));
    Hir::repetition(Repetition { min: 0, max: None, greedy: true, sub })
}

/// The expression without its assertions: they held where the group matched, not here.
fn without_looks(hir: &Hir, newlines: bool) -> Hir {
    if hir.properties().look_set().is_empty() { hir.clone() } else { anything(newlines) }
}
