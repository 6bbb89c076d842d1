//! Rows folded into one: long runs of lines that were dropped, and the rest of long groups.

use super::Alignment;
use super::packed::{FOLDED, GOES_ON, GROUPED, NONE, Packed};

/// Dropped lines that follow each other stay as they are up to this many.
const DROPPED_SHOWN: usize = 2;

/// Lines of a group that stay before its rest is folded.
const GROUP_SHOWN: usize = 3;

impl Alignment {
    /// With long runs of dropped lines, and all of a long group but its first lines, folded into a
    /// row each.
    #[must_use]
    pub fn folded(&self) -> Self {
        let rows = if self.aligned {
            fold(&self.rows, |row| row.right == NONE && !row.has(GROUPED))
        } else {
            let lefts: Vec<Packed> = self.lefts().collect();
            let dropped = |row: &Packed| self.parts.get(row.left as usize) == Some(&NONE);
            self.beside_output(&fold(&lefts, dropped))
        };
        Self { rows, ..self.clone() }
    }

    /// Shows the lines of a folded row again; gives how many, 0 for a row that has none folded.
    pub fn open(&mut self, number: usize) -> usize {
        let Some(fold) = self.rows.get(number).copied().filter(|row| row.has(FOLDED)) else {
            return 0;
        };
        let count = fold.lefts;
        let opened = (0..count).map(|offset| {
            let goes_on = if offset + 1 < count { GOES_ON } else { 0 };
            let flags = if fold.has(GROUPED) { GROUPED | goes_on } else { 0 };
            Packed::new(fold.left + offset, NONE, flags)
        });
        if self.aligned {
            self.rows.splice(number..=number, opened);
        } else {
            let mut lefts: Vec<Packed> = self.lefts().collect();
            lefts.splice(number..=number, opened);
            self.rows = self.beside_output(&lefts);
        }
        count as usize
    }

    /// The left side alone.
    fn lefts(&self) -> impl Iterator<Item = Packed> + '_ {
        let lefts = self.rows.iter().filter(|row| row.left != NONE);
        lefts.map(|row| Packed { right: NONE, ..*row })
    }

    /// This left side and the whole output beside each other.
    fn beside_output(&self, lefts: &[Packed]) -> Vec<Packed> {
        let outputs = self.rows.iter().filter(|row| row.right != NONE).count();
        let rows = (0..lefts.len().max(outputs)).map(|number| {
            let left = lefts.get(number).copied().unwrap_or(Packed::new(NONE, NONE, 0));
            let right = if number < outputs { number as u32 } else { NONE };
            Packed { right, ..left }
        });
        rows.collect()
    }
}

fn fold(rows: &[Packed], dropped: impl Fn(&Packed) -> bool) -> Vec<Packed> {
    let mut folded = Vec::new();
    let mut at = 0;
    while let Some(row) = rows.get(at) {
        let rest = &rows[at..];
        let (run, shown) = if dropped(row) {
            let run = rest.iter().take_while(|row| dropped(row)).count();
            (run, if run > DROPPED_SHOWN { 0 } else { run })
        } else if row.has(GROUPED) {
            let inside = rest.iter().position(|row| !row.has(GOES_ON)).unwrap_or(rest.len() - 1);
            let run = inside + 1;
            (run, if run > GROUP_SHOWN + 1 { GROUP_SHOWN } else { run })
        } else {
            (1, 1)
        };
        folded.extend_from_slice(&rest[..shown]);
        if shown < run {
            let first = rest[shown];
            let lefts = (run - shown) as u32;
            folded.push(Packed { lefts, flags: first.flags & GROUPED | FOLDED, ..first });
        }
        at += run;
    }
    folded
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use stream::{LineId, Origin, OriginStore};

    use super::*;
    use crate::compare::alignment::Row;

    const STARTS: [u64; 2] = [0, 40];
    const INPUTS: u64 = 70;

    fn id(flat: u64) -> LineId {
        if flat < STARTS[1] { LineId::new(0, flat) } else { LineId::new(1, flat - STARTS[1]) }
    }

    /// Output lines made of `count` input lines from `from` on; `step` lies between two of them.
    fn made() -> impl Strategy<Value = Vec<(u64, u64, u64)>> {
        let any = prop::collection::vec((0..INPUTS, 0_u64..9, 1_u64..3), 0..40);
        // In order, as most filters work.
        let ordered = prop::collection::vec((0_u64..12, 0_u64..9), 0..12).prop_map(|parts| {
            let mut next = 0;
            let line = |(skip, count): (u64, u64)| {
                let from = next + skip;
                next = from + count;
                (from, count, 1)
            };
            parts.into_iter().map(line).collect()
        });
        prop_oneof![any, ordered]
    }

    fn lines_of(&(from, count, step): &(u64, u64, u64)) -> Vec<u64> {
        (0..count).map(|number| from + number * step).filter(|line| *line < INPUTS).collect()
    }

    fn alignment(made: &[(u64, u64, u64)]) -> Alignment {
        let mut store = OriginStore::default();
        for line in made {
            let ids: Vec<LineId> = lines_of(line).into_iter().map(id).collect();
            store.push(1, Origin::List(&ids));
        }
        Alignment::pair(INPUTS, made.len() as u64, &STARTS, |line| store.get(line))
    }

    fn rows(alignment: &Alignment) -> Vec<Row> {
        (0..alignment.len()).map(|number| alignment.row(number).unwrap()).collect()
    }

    /// The output is whole and in order at the right, the input at the left with what is folded,
    /// and each line of it belongs to the first output line that is made of it.
    fn check(alignment: &Alignment, made: &[(u64, u64, u64)]) {
        let rows = rows(alignment);
        let rights = rows.iter().filter_map(|row| row.right);
        assert!(rights.eq(0..made.len() as u64));
        let mut next = 0;
        for row in &rows {
            let Some(left) = row.left else {
                assert_eq!((row.part_of, row.folded), (None, None));
                continue;
            };
            assert_eq!(left, next);
            next += row.folded.unwrap_or(1);
            for line in left..next {
                let part = made.iter().position(|of| lines_of(of).contains(&line));
                assert_eq!(row.part_of, part.map(|part| part as u64), "line {line}");
            }
            if alignment.aligned {
                assert!(row.right.is_none() || row.right == row.part_of);
            }
        }
        assert_eq!(next, INPUTS);
    }

    proptest! {
        #[test]
        fn all_of_the_output_stands_in_order_and_marks_are_exact(
            made in made(),
            opened in prop::collection::vec(any::<prop::sample::Index>(), 0..6),
        ) {
            let whole = alignment(&made);
            check(&whole, &made);
            prop_assert!(rows(&whole).iter().all(|row| row.folded.is_none()));
            let unused =
                (0..INPUTS).filter(|line| !made.iter().any(|of| lines_of(of).contains(line)));
            prop_assert_eq!(whole.dropped, unused.count() as u64);
            prop_assert_eq!(whole.merges, made.iter().any(|of| lines_of(of).len() > 1));
            let mut folded = whole.folded();
            check(&folded, &made);
            for row in opened {
                if !folded.is_empty() {
                    folded.open(row.index(folded.len()));
                    check(&folded, &made);
                }
            }
            // All opened, it is what it was.
            while let Some(row) = rows(&folded).iter().position(|row| row.folded.is_some()) {
                prop_assert!(folded.open(row) > 1);
            }
            prop_assert_eq!(rows(&folded), rows(&whole));
        }
    }

    #[test]
    fn few_lines_stay_and_many_are_folded() {
        let shape = |made: &[(u64, u64, u64)]| -> Vec<(Option<u64>, Option<u64>)> {
            let folded = alignment(made).folded();
            rows(&folded).iter().map(|row| (row.left, row.folded)).collect()
        };
        // Two dropped lines stay, three do not.
        assert_eq!(
            shape(&[(2, 1, 1), (6, 1, 1)]),
            [
                (Some(0), None),
                (Some(1), None),
                (Some(2), None),
                (Some(3), Some(3)),
                (Some(6), None),
                (Some(7), Some(63)),
            ]
        );
        // A group of four stays, of one of five two are folded.
        assert_eq!(
            shape(&[(0, 4, 1), (4, 5, 1)])[4..],
            [
                (Some(4), None),
                (Some(5), None),
                (Some(6), None),
                (Some(7), Some(2)),
                (Some(9), Some(61))
            ]
        );
        let mut folded = alignment(&[(0, 70, 1)]).folded();
        let last = folded.row(3).unwrap();
        assert_eq!((last.grouped, last.goes_on, last.part_of), (true, false, Some(0)));
        assert_eq!((folded.open(0), folded.open(9), folded.open(3)), (0, 0, 67));
        assert_eq!(folded.row(69).map(|row| (row.goes_on, row.part_of)), Some((false, Some(0))));
    }
}
