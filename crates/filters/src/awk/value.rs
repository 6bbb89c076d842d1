//! Values, variables and arrays, and the input lines they were made of.

use std::cell::RefCell;
use std::rc::Rc;

use foldhash::fast::RandomState;
use indexmap::IndexMap;
use stream::{LineId, Origin};

use super::text;

pub(super) type Text = Rc<Vec<u8>>;

/// A value (XCU awk, "Expressions in awk").
#[derive(Clone, Debug, Default)]
pub(super) enum Value {
    /// Never set: 0 and empty.
    #[default]
    Unset,
    Number(f64),
    Text(Text),
    /// A text from outside: it compares as a number where it looks like one.
    Input(Text),
}

impl Value {
    pub(super) fn text(bytes: impl Into<Vec<u8>>) -> Self {
        Self::Text(Rc::new(bytes.into()))
    }

    pub(super) fn input(bytes: &[u8]) -> Self {
        Self::Input(Rc::new(bytes.to_vec()))
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
pub(super) type Array = IndexMap<Rc<[u8]>, Slot, RandomState>;

pub(super) type SharedArray = Rc<RefCell<Array>>;

/// Most stretches of lines that one value remembers; what comes later is not remembered.
const STRETCHES_MAX: usize = 4096;

/// Input lines as stretches of neighbours, in the order in which they were first touched.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct LineSet(Vec<(LineId, LineId)>);

impl LineSet {
    pub(super) fn clear(&mut self) {
        self.0.clear();
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Adds the lines from the first to the second.
    pub(super) fn add(&mut self, from: LineId, to: LineId) {
        if let Some((first, last)) = self.0.last_mut() {
            if *first <= from && to <= *last {
                return;
            }
            if last.plus(1) == from || *first <= from && from <= *last {
                *last = to;
                return;
            }
        }
        if self.0.len() < STRETCHES_MAX
            && !self.0.iter().rev().take(8).any(|(first, last)| *first <= from && to <= *last)
        {
            self.0.push((from, to));
        }
    }

    pub(super) fn add_all(&mut self, other: &Self) {
        for (from, to) in &other.0 {
            self.add(*from, *to);
        }
    }

    /// Calls `each` with the set as an origin.
    pub(super) fn with_origin<T>(&self, each: impl FnOnce(Origin<'_>) -> T) -> T {
        match &self.0[..] {
            [] => each(Origin::None),
            [(from, to)] => each(Origin::Range(*from, *to)),
            several => {
                let mut all: Vec<LineId> = Vec::new();
                for (from, to) in several {
                    let count = to.line().saturating_sub(from.line()) + 1;
                    // A list takes memory for each line; beyond this the first ones stand for all.
                    all.extend((0..count.min(STRETCHES_MAX as u64)).map(|line| from.plus(line)));
                }
                each(Origin::List(&all))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neighbours_make_one_stretch() {
        let id = |line| LineId::new(0, line);
        let mut set = LineSet::default();
        set.add(id(1), id(1));
        set.add(id(2), id(3));
        set.add(id(2), id(2));
        set.add(id(9), id(9));
        assert_eq!(set, LineSet(vec![(id(1), id(3)), (id(9), id(9))]));
        for line in 0..20_000 {
            set.add(id(20 + line * 2), id(20 + line * 2));
        }
        assert_eq!(set.0.len(), STRETCHES_MAX);
    }

    #[test]
    fn texts_from_outside_compare_as_numbers_where_they_look_like_some() {
        assert_eq!(Value::input(b" 10 ").as_number(), Some(10.0));
        assert_eq!(Value::input(b"10x").as_number(), None);
        assert_eq!(Value::text("10").as_number(), None);
        assert!(!Value::input(b" 0.0 ").is_true());
        assert!(Value::text("0").is_true());
        assert!(!Value::Unset.is_true());
    }
}
