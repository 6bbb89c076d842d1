//! Patterns that need no automaton: a plain text, or characters of one byte out of a set.

use std::ops::Range;

use memchr::{memchr, memmem};
use regex_syntax::hir::{Class, Hir, HirKind, Look};

use crate::folded::rarity;

/// Texts up to this length are searched by the rarest byte: a search of the whole takes longer to
/// begin.
const SHORT: usize = 128;

/// A pattern without an automaton.
#[derive(Clone, Debug)]
pub(crate) enum Simple {
    /// This text, and the place of its rarest byte in it.
    Literal(Box<memmem::Finder<'static>>, usize),
    /// One byte of a set, or as many as there are.
    Bytes { set: Box<[bool; 256]>, many: bool },
    /// Nothing, anywhere.
    Nothing,
    /// Nothing, at the beginning of the text.
    Start,
    /// Nothing, at its end.
    End,
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
                let rarest = (0..literal.0.len()).max_by_key(|at| rarity(literal.0[*at]))?;
                Some(Self::Literal(Box::new(finder), rarest))
            }
            HirKind::Empty => Some(Self::Nothing),
            HirKind::Look(Look::Start) => Some(Self::Start),
            HirKind::Look(Look::End) => Some(Self::End),
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
            Self::Literal(finder, rarest) => {
                let needle = finder.needle();
                let start = if rest.len() <= SHORT {
                    from + find_by_byte(rest, needle, *rarest)?
                } else {
                    from + finder.find(rest)?
                };
                Some(start..start + needle.len())
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
            Self::Nothing => Some(from..from),
            Self::Start => (from == 0).then_some(0..0),
            Self::End => Some(text.len()..text.len()),
        }
    }
}

/// Where `needle` is first, found by its byte at `rarest`.
fn find_by_byte(text: &[u8], needle: &[u8], rarest: usize) -> Option<usize> {
    let byte = needle[rarest];
    let mut at = rarest;
    loop {
        at += memchr(byte, text.get(at..)?)?;
        let start = at - rarest;
        if text.get(start..start + needle.len())? == needle {
            return Some(start);
        }
        at += 1;
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn short_texts_are_searched_as_long_ones_are(
            needle in "[abx]{2,4}", text in "[abx]{0,40}", from in 0usize..5,
        ) {
            let rarest = needle.len() - 1;
            for rarest in [0, rarest] {
                let found = text.as_bytes().get(from..).and_then(|rest| {
                    find_by_byte(rest, needle.as_bytes(), rarest)
                });
                let expected = text.get(from..).and_then(|rest| rest.find(&needle));
                prop_assert_eq!(found, expected);
            }
        }
    }
}
