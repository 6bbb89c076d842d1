//! Input lines that something was made of.

use stream::{LineId, Origin};

/// Most stretches of lines that one value remembers; what comes later is not remembered.
const STRETCHES_MAX: usize = 1 << 20;

/// Most of them that are copied from one value to another with each assignment.
const COPIED_MAX: usize = 4096;

/// Most lines that one value names one by one.
const LINES_MAX: u64 = 1 << 22;

/// Input lines as stretches of neighbours, in the order in which they were first touched.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct LineSet(Vec<(LineId, LineId)>);

impl LineSet {
    pub(crate) fn clear(&mut self) {
        self.0.clear();
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Adds the lines from the first to the second.
    pub(crate) fn add(&mut self, from: LineId, to: LineId) {
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

    pub(crate) fn add_all(&mut self, other: &Self) {
        for (from, to) in &other.0 {
            self.add(*from, *to);
        }
    }

    /// A copy for a value that is assigned, of not more stretches than can be copied each time.
    pub(crate) fn copy(&self) -> Self {
        Self(self.0[..self.0.len().min(COPIED_MAX)].to_vec())
    }

    /// Calls `each` with the set as an origin.
    pub(crate) fn with_origin<T>(&self, each: impl FnOnce(Origin<'_>) -> T) -> T {
        match &self.0[..] {
            [] => each(Origin::None),
            [(from, to)] => each(Origin::Range(*from, *to)),
            several => {
                let mut all: Vec<LineId> = Vec::new();
                for (from, to) in several {
                    let count = to.line().saturating_sub(from.line()) + 1;
                    // A list takes memory for each line.
                    let room = LINES_MAX.saturating_sub(all.len() as u64);
                    all.extend((0..count.min(room)).map(|line| from.plus(line)));
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
        assert_eq!((set.0.len(), set.copy().0.len()), (20_002, COPIED_MAX));
        // Each line is named, however many there are.
        let lines = set.with_origin(|origin| match origin {
            Origin::List(all) => all.len(),
            _ => 0,
        });
        assert_eq!(lines, 20_004);
    }
}
