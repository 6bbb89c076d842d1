//! Values, variables and arrays, and the input lines they were made of.

use std::cell::RefCell;
use std::rc::Rc;

use foldhash::fast::RandomState;
use indexmap::IndexMap;

use super::shared_text::SharedText;
use super::text;
use crate::common::input::line_set::LineSet;

/// A value (XCU awk, "Expressions in awk").
#[derive(Clone, Debug, Default)]
pub(super) enum Value {
    /// Never set: 0 and empty.
    #[default]
    Unset,
    Number(f64),
    Text(SharedText),
    /// A text from outside: it compares as a number where it looks like one.
    Input(SharedText),
}

impl Value {
    pub(super) fn text(bytes: impl Into<SharedText>) -> Self {
        Self::Text(bytes.into())
    }

    pub(super) fn input(bytes: &[u8]) -> Self {
        Self::Input(bytes.into())
    }

    #[inline]
    pub(super) fn number(&self) -> f64 {
        match self {
            Self::Unset => 0.0,
            Self::Number(number) => *number,
            Self::Text(text) | Self::Input(text) => text::to_number(text),
        }
    }

    /// True where the value is not 0 and not empty.
    pub(super) fn is_true(&self) -> bool {
        match self {
            Self::Unset => false,
            Self::Number(number) => *number != 0.0,
            Self::Text(text) => !text.is_empty(),
            Self::Input(text) => {
                text::looks_numeric(text).map_or(!text.is_empty(), |number| number != 0.0)
            }
        }
    }

    /// Bytes of memory its text takes of its own.
    pub(super) fn text_bytes(&self) -> usize {
        match self {
            Self::Unset | Self::Number(_) => 0,
            Self::Text(text) | Self::Input(text) => text.own_bytes(),
        }
    }

    /// The number it compares as; `None` for a text.
    pub(super) fn as_number(&self) -> Option<f64> {
        match self {
            Self::Unset => Some(0.0),
            Self::Number(number) => Some(*number),
            Self::Text(_) => None,
            Self::Input(text) => text::looks_numeric(text),
        }
    }
}

/// A variable or an element, and the lines it was made of where a run keeps them.
#[derive(Clone, Debug, Default)]
pub(super) struct Slot {
    pub(super) value: Value,
    pub(super) lines: Option<Box<LineSet>>,
}

/// An array: its elements in the order in which they came.
pub(super) type Array = IndexMap<SharedText, Slot, RandomState>;

/// The element under `key`. Arrays are often lists, counted from 1: then it is in its place, and
/// nothing needs to be looked up.
pub(super) fn find<'a>(array: &'a Array, key: &[u8]) -> Option<&'a Slot> {
    let digits = key.iter().map(|byte| usize::from(byte.wrapping_sub(b'0')));
    if key.len() < 10 {
        let number = digits.fold(0_usize, |number, digit| number * 10 + digit);
        if let Some((known, slot)) = array.get_index(number.wrapping_sub(1))
            && **known == *key
        {
            return Some(slot);
        }
    }
    array.get(key)
}

pub(super) type SharedArray = Rc<RefCell<Array>>;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_from_outside_compare_as_numbers_where_they_look_like_some() {
        assert_eq!(Value::input(b" 10 ").as_number(), Some(10.0));
        assert_eq!(Value::input(b"10x").as_number(), None);
        assert_eq!(Value::text(&b"10"[..]).as_number(), None);
        assert!(!Value::input(b" 0.0 ").is_true());
        assert!(Value::text(&b"0"[..]).is_true());
        assert!(!Value::Unset.is_true());
    }
}
