//! Patterns that need no automaton: a plain text, or characters of one byte out of a set.

use std::ops::Range;

use memchr::memmem;
use regex_syntax::hir::{Class, Hir, HirKind};

/// A pattern without an automaton.
#[derive(Clone, Debug)]
pub(crate) enum Simple {
    /// This text.
    Literal(Box<memmem::Finder<'static>>),
    /// One byte of a set, or as many as there are.
    Bytes { set: Box<[bool; 256]>, many: bool },
}

impl Simple {
    /// `None` where an automaton is needed.
    pub(crate) fn new(hir: &Hir) -> Option<Self> {
        match hir.kind() {
            HirKind::Literal(literal) => {
                let finder = memmem::Finder::new(&literal.0).into_owned();
                if let [byte] = literal.0[..] {
                    return Some(Self::Bytes { set: Box::new(one(byte)), many: false });
                }
                Some(Self::Literal(Box::new(finder)))
            }
            HirKind::Class(_) => Some(Self::Bytes { set: set_of(hir)?, many: false }),
            HirKind::Repetition(part) if part.greedy && part.min == 1 && part.max.is_none() => {
                Some(Self::Bytes { set: set_of(&part.sub)?, many: true })
            }
            _ => None,
        }
    }

    /// The leftmost longest match from `from` on.
    #[inline]
    pub(crate) fn find(&self, text: &[u8], from: usize) -> Option<Range<usize>> {
        let rest = text.get(from..)?;
        match self {
            Self::Literal(finder) => {
                let start = from + finder.find(rest)?;
                Some(start..start + finder.needle().len())
            }
            Self::Bytes { set, many } => {
                let start = from + rest.iter().position(|byte| set[usize::from(*byte)])?;
                let length = if *many {
                    text[start..].iter().take_while(|byte| set[usize::from(**byte)]).count()
                } else {
                    1
                };
                Some(start..start + length)
            }
        }
    }
}

fn one(byte: u8) -> [bool; 256] {
    let mut set = [false; 256];
    set[usize::from(byte)] = true;
    set
}

/// The bytes of a class; `None` where some of its characters have more than one.
fn set_of(hir: &Hir) -> Option<Box<[bool; 256]>> {
    let mut set = Box::new([false; 256]);
    match hir.kind() {
        HirKind::Literal(literal) => match literal.0[..] {
            [byte] => set[usize::from(byte)] = true,
            _ => return None,
        },
        HirKind::Class(Class::Unicode(class)) => {
            for range in class.ranges() {
                if !range.end().is_ascii() {
                    return None;
                }
                for byte in range.start() as u8..=range.end() as u8 {
                    set[usize::from(byte)] = true;
                }
            }
        }
        HirKind::Class(Class::Bytes(class)) => {
            for range in class.ranges() {
                for byte in range.start()..=range.end() {
                    set[usize::from(byte)] = true;
                }
            }
        }
        _ => return None,
    }
    Some(set)
}
