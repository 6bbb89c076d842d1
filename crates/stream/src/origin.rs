//! Which lines of the input each line of the output was made of.

/// A line of a stage's inputs: which input (in the order the stage opened them) and which line
/// of it, both from 0.
///
/// At most 65 536 inputs and 2^48 lines each; beyond that numbers wrap and lineage is wrong,
/// never the data.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LineId(u64);

impl LineId {
    /// Line `line` of input `input`.
    pub fn new(input: usize, line: u64) -> Self {
        Self(((input as u64) << 48) | (line & 0xffff_ffff_ffff))
    }

    /// The input's number.
    pub fn input(self) -> usize {
        (self.0 >> 48) as usize
    }

    /// The line's number within the input.
    pub fn line(self) -> u64 {
        self.0 & 0xffff_ffff_ffff
    }

    /// The line `count` lines further on in the same input.
    #[must_use]
    pub fn plus(self, count: u64) -> Self {
        Self(self.0.wrapping_add(count))
    }
}

/// Where written lines come from, as a filter states it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin<'a> {
    /// From no input line (`seq`, a total over nothing, a message).
    None,
    /// Every line written comes from this one.
    Line(LineId),
    /// The first line written comes from this one, the second from the next, and so on.
    Sequence(LineId),
    /// Every line written comes from all lines from the first to the second, both included.
    Range(LineId, LineId),
    /// Every line written comes from all of these.
    List(&'a [LineId]),
}

#[derive(Clone, Copy, Debug)]
enum Kind {
    None,
    Same(LineId),
    Sequence(LineId),
    Range(LineId, LineId),
    List { at: usize, length: usize },
}

#[derive(Clone, Copy, Debug)]
struct Run {
    start: u64,
    kind: Kind,
}

/// The origins of the lines of one stream, in runs: a filter that passes lines through costs a
/// few bytes a run, one that reorders them about 40 bytes a line.
#[derive(Debug, Default)]
pub struct OriginStore {
    runs: Vec<Run>,
    pool: Vec<LineId>,
    lines: u64,
}

/// The origins of one line, as read back from an [`OriginStore`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origins<'a> {
    /// None.
    None,
    /// One line.
    One(LineId),
    /// All lines from the first to the second, both included.
    Range(LineId, LineId),
    /// These lines.
    List(&'a [LineId]),
}

impl Origins<'_> {
    /// The first of the lines, if any.
    pub fn first(&self) -> Option<LineId> {
        match self {
            Self::None => None,
            Self::One(id) | Self::Range(id, _) => Some(*id),
            Self::List(list) => list.first().copied(),
        }
    }

    /// How many lines.
    pub fn len(&self) -> u64 {
        match self {
            Self::None => 0,
            Self::One(_) => 1,
            Self::Range(from, to) => to.0.saturating_sub(from.0) + 1,
            Self::List(list) => list.len() as u64,
        }
    }

    /// True when there is none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// All of them, in the order given.
    #[allow(clippy::iter_without_into_iter)] // a borrowed view; nobody loops over it by value
    pub fn iter(&self) -> Box<dyn Iterator<Item = LineId> + '_> {
        match self {
            Self::None => Box::new(std::iter::empty()),
            Self::One(id) => Box::new(std::iter::once(*id)),
            Self::Range(from, to) => Box::new((from.0..=to.0).map(LineId)),
            Self::List(list) => Box::new(list.iter().copied()),
        }
    }
}

impl OriginStore {
    /// Adds `count` lines of the given origin.
    pub fn push(&mut self, count: u64, origin: Origin<'_>) {
        if count == 0 {
            return;
        }
        let kind = match origin {
            Origin::None => Kind::None,
            Origin::Line(id) => Kind::Same(id),
            Origin::Sequence(id) => Kind::Sequence(id),
            Origin::Range(from, to) if from == to => Kind::Same(from),
            Origin::Range(from, to) => Kind::Range(from, to),
            Origin::List([]) => Kind::None,
            Origin::List([id]) => Kind::Same(*id),
            Origin::List(list) => {
                let at = self.pool.len();
                self.pool.extend_from_slice(list);
                Kind::List { at, length: list.len() }
            }
        };
        let start = self.lines;
        self.lines += count;
        if let Some(last) = self.runs.last_mut() {
            let before = start - last.start;
            match (last.kind, kind) {
                (Kind::Sequence(from), Kind::Sequence(id)) if from.plus(before) == id => return,
                (Kind::Sequence(from), Kind::Same(id)) if count == 1 && from.plus(before) == id => {
                    return;
                }
                (Kind::Same(from), Kind::Same(id))
                    if before == 1 && count == 1 && from.plus(1) == id =>
                {
                    last.kind = Kind::Sequence(from);
                    return;
                }
                (Kind::Same(from), Kind::Sequence(id)) if before == 1 && from.plus(1) == id => {
                    last.kind = Kind::Sequence(from);
                    return;
                }
                (Kind::None, Kind::None) => return,
                _ => {}
            }
        }
        self.runs.push(Run { start, kind });
    }

    /// Adds origins to the line pushed last: it was left open and more was appended to it.
    pub fn extend_last(&mut self, origin: Origin<'_>) {
        let Some(last_line) = self.lines.checked_sub(1) else { return };
        // The usual case, a line gathered from neighbours, without a list.
        if let (Some(run), Origin::Line(id) | Origin::Sequence(id)) = (self.runs.last_mut(), origin)
            && run.start == last_line
        {
            match run.kind {
                Kind::Same(from) | Kind::Sequence(from) if from.plus(1) == id => {
                    run.kind = Kind::Range(from, id);
                    return;
                }
                Kind::Range(from, to) if to.plus(1) == id => {
                    run.kind = Kind::Range(from, id);
                    return;
                }
                Kind::Same(last) | Kind::Sequence(last) | Kind::Range(_, last) if last == id => {
                    return;
                }
                _ => {}
            }
        }
        let mut all: Vec<LineId> = self.get(last_line).iter().collect();
        match origin {
            Origin::None => return,
            Origin::Line(id) | Origin::Sequence(id) => all.push(id),
            Origin::Range(from, to) => all.extend((from.0..=to.0).map(LineId)),
            Origin::List(list) => all.extend_from_slice(list),
        }
        all.dedup();
        self.lines = last_line;
        if self.runs.last().is_some_and(|run| run.start == last_line) {
            self.runs.pop();
        }
        let consecutive = all.windows(2).all(|pair| pair[0].plus(1) == pair[1]);
        match (all.first(), all.last()) {
            (Some(&from), Some(&to)) if consecutive => self.push(1, Origin::Range(from, to)),
            _ => self.push(1, Origin::List(&all)),
        }
    }

    /// How many lines have an entry.
    pub fn lines(&self) -> u64 {
        self.lines
    }

    /// The origins of line `line` (from 0); none for a line beyond the end.
    pub fn get(&self, line: u64) -> Origins<'_> {
        if line >= self.lines {
            return Origins::None;
        }
        let at = self.runs.partition_point(|run| run.start <= line);
        let Some(run) = at.checked_sub(1).and_then(|at| self.runs.get(at)) else {
            return Origins::None;
        };
        match run.kind {
            Kind::None => Origins::None,
            Kind::Same(id) => Origins::One(id),
            Kind::Sequence(id) => Origins::One(id.plus(line - run.start)),
            Kind::Range(from, to) => Origins::Range(from, to),
            Kind::List { at, length } => Origins::List(&self.pool[at..at + length]),
        }
    }

    /// Bytes of memory the store takes.
    pub fn memory_bytes(&self) -> usize {
        self.runs.capacity() * size_of::<Run>() + self.pool.capacity() * size_of::<LineId>()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn id(line: u64) -> LineId {
        LineId::new(0, line)
    }

    #[test]
    fn sequences_join_into_one_run() {
        let mut store = OriginStore::default();
        store.push(3, Origin::Sequence(id(4)));
        store.push(1, Origin::Line(id(7)));
        store.push(2, Origin::Sequence(id(8)));
        assert_eq!(store.runs.len(), 1);
        assert_eq!(store.get(5), Origins::One(id(9)));
        assert_eq!(store.get(6), Origins::None);
    }

    #[test]
    fn an_open_line_gathers_origins() {
        let mut store = OriginStore::default();
        store.push(2, Origin::Sequence(id(0)));
        store.extend_last(Origin::Line(LineId::new(1, 0)));
        assert_eq!(store.get(0), Origins::One(id(0)));
        assert_eq!(store.get(1), Origins::List(&[id(1), LineId::new(1, 0)]));
        assert_eq!(store.lines(), 2);
    }

    #[test]
    fn a_line_gathered_from_neighbours_takes_no_list() {
        let mut store = OriginStore::default();
        store.push(1, Origin::Line(id(3)));
        for line in [3, 4, 4, 5, 6, 6] {
            store.extend_last(Origin::Line(id(line)));
            assert!(store.pool.is_empty());
        }
        assert_eq!((store.get(0), store.runs.len()), (Origins::Range(id(3), id(6)), 1));
        // One that is not next to the others ends that.
        store.extend_last(Origin::Line(id(9)));
        assert_eq!(store.get(0), Origins::List(&[id(3), id(4), id(5), id(6), id(9)]));
        // An open line at the end of a run of several leaves the others as they are.
        store.push(3, Origin::Sequence(id(20)));
        store.extend_last(Origin::Line(id(23)));
        assert_eq!(
            (store.get(2), store.get(3)),
            (Origins::One(id(21)), Origins::Range(id(22), id(23)))
        );
        store.extend_last(Origin::None);
        assert_eq!((store.get(3), store.lines()), (Origins::Range(id(22), id(23)), 4));
        let mut empty = OriginStore::default();
        empty.extend_last(Origin::Line(id(1)));
        assert_eq!(empty.lines(), 0);
    }

    #[test]
    fn what_follows_on_joins_the_run_before_it() {
        use Origin::{Line, None, Range, Sequence};
        let runs = |pushed: &[(u64, Origin<'_>)]| {
            let mut store = OriginStore::default();
            for (count, origin) in pushed {
                store.push(*count, *origin);
            }
            store.runs.len()
        };
        assert_eq!(runs(&[(2, None), (1, None)]), 1);
        assert_eq!(runs(&[(0, None), (0, Line(id(1)))]), 0);
        assert_eq!(runs(&[(1, Line(id(1))), (1, Line(id(2))), (1, Line(id(3)))]), 1);
        assert_eq!(runs(&[(1, Line(id(1))), (4, Sequence(id(2)))]), 1);
        assert_eq!(runs(&[(1, Range(id(1), id(1))), (1, Line(id(2)))]), 1, "a range of one line");
        // Two lines of the same origin are no sequence, nor is one that skips a line.
        assert_eq!(runs(&[(2, Line(id(1))), (1, Line(id(2)))]), 2);
        assert_eq!(runs(&[(1, Line(id(1))), (2, Line(id(2)))]), 2);
        assert_eq!(runs(&[(2, Line(id(1))), (2, Sequence(id(2)))]), 2);
        assert_eq!(runs(&[(2, Sequence(id(1))), (2, Line(id(3)))]), 2);
        assert_eq!(runs(&[(2, Sequence(id(1))), (1, Line(id(4)))]), 2);
        assert_eq!(runs(&[(2, Sequence(id(1))), (1, Sequence(id(4)))]), 2);
    }

    proptest! {
        #[test]
        fn what_was_pushed_is_read_back(
            parts in prop::collection::vec((0u64..4, 0u64..6, 0u8..6, any::<bool>()), 0..40),
        ) {
            let mut store = OriginStore::default();
            let mut model: Vec<Vec<LineId>> = Vec::new();
            for (count, from, kind, extends) in parts {
                let list = [id(from), id(from + 3)];
                let (origin, of) = match kind {
                    0 => (Origin::None, vec![]),
                    1 => (Origin::Line(id(from)), vec![id(from)]),
                    2 => (Origin::Sequence(id(from)), vec![id(from)]),
                    3 => (Origin::Range(id(from), id(from + 1)), vec![id(from), id(from + 1)]),
                    4 => (Origin::List(&list[..1]), vec![id(from)]),
                    _ => (Origin::List(&list), list.to_vec()),
                };
                if extends {
                    store.extend_last(origin);
                    if let Some(last) = model.last_mut() {
                        last.extend(of);
                        last.dedup();
                    }
                    continue;
                }
                store.push(count, origin);
                for line in 0..count {
                    model.push(if kind == 2 { vec![id(from + line)] } else { of.clone() });
                }
            }
            prop_assert_eq!(store.lines(), model.len() as u64);
            for (line, expected) in model.iter().enumerate() {
                let origins = store.get(line as u64);
                let found: Vec<LineId> = origins.iter().collect();
                prop_assert_eq!(&found, expected);
                prop_assert_eq!(origins.len(), expected.len() as u64);
                prop_assert_eq!(origins.is_empty(), expected.is_empty());
                prop_assert_eq!(origins.first(), expected.first().copied());
            }
        }
    }
}
