//! A stage's input and output set side by side by the origins of its lines.

mod folds;
mod packed;
mod parts;

use engine::StageResult;
use stream::Origins;

use packed::{FOLDED, GOES_ON, GROUPED, NONE, Packed, flat};
use parts::Parts;

/// A row of the lens.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Row {
    /// The line over all inputs, from 0; of a folded row the first of its lines.
    pub left: Option<u64>,
    /// The line of the output, from 0.
    pub right: Option<u64>,
    /// The first line of the output that the line at the left is, or is a part of. Lines of a
    /// folded row have it together, or none of them has.
    pub part_of: Option<u64>,
    /// Part of a group of input lines that made one output line.
    pub grouped: bool,
    /// The group continues in the next row.
    pub goes_on: bool,
    /// How many lines of the input the row means, where it means more than it shows.
    pub folded: Option<u64>,
}

/// The rows of a stage. At the right is the output, whole and in order; at the left the inputs,
/// one after the other, whole and in order but for what is folded.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Alignment {
    rows: Vec<Packed>,
    /// The output line that each input line is part of, where rows do not tell it by themselves.
    parts: Vec<u32>,
    /// True when rows pair lines by origin; false when input and output are only shown beside
    /// each other, each in its own order.
    pub aligned: bool,
    /// Some line of output was made of several of the input.
    pub merges: bool,
    /// Input lines that made nothing.
    pub dropped: u64,
}

/// True when each line follows on the one before it.
fn neighbours(origins: Origins<'_>, starts: &[u64]) -> bool {
    match origins {
        Origins::List(list) => {
            list.windows(2).all(|pair| flat(starts, pair[0]) + 1 == flat(starts, pair[1]))
        }
        _ => true,
    }
}

impl Alignment {
    /// Pairs the lines of a stage. Sixteen bytes a row and four a line; at most 4 294 967 294
    /// lines.
    pub fn of(stage: &StageResult) -> Self {
        let starts: Vec<u64> = stage
            .inputs
            .iter()
            .scan(0, |sum, input| {
                let start = *sum;
                *sum += input.kept.lines();
                Some(start)
            })
            .collect();
        let (inputs, outputs) = (stage.input_lines(), stage.out.lines());
        let origins = stage.origins.lock();
        Self::pair(inputs, outputs, &starts, |line| origins.get(line))
    }

    fn pair<'o>(
        inputs: u64,
        outputs: u64,
        starts: &[u64],
        of: impl Fn(u64) -> Origins<'o>,
    ) -> Self {
        let mut rows: Vec<Packed> = Vec::with_capacity(inputs.max(outputs) as usize);
        let mut next = 0;
        let (mut dropped, mut merges) = (0, false);
        let mut last: Option<(u64, u64)> = None;
        for number in 0..outputs {
            let line = number as u32;
            let origins = of(number);
            let Some(first) = origins.first().map(|id| flat(starts, id)) else {
                rows.push(Packed::new(NONE, line, 0));
                continue;
            };
            let range = (first, first + origins.len().max(1) - 1);
            let (from, to) = range;
            // Only neighbouring lines can stand beside their result.
            let stands = to < inputs && neighbours(origins, starts);
            if stands && last == Some(range) {
                rows.push(Packed::new(NONE, line, 0));
                continue;
            }
            if !stands || from < next {
                return Self::apart(inputs, outputs, starts, of);
            }
            rows.extend((next..from).map(|left| Packed::new(left as u32, NONE, 0)));
            dropped += from - next;
            merges |= to > from;
            for left in from..=to {
                let right = if left == from { line } else { NONE };
                let grouped = if to > from { GROUPED } else { 0 };
                let goes_on = if left < to { GOES_ON } else { 0 };
                rows.push(Packed::new(left as u32, right, grouped | goes_on));
            }
            next = to + 1;
            last = Some(range);
        }
        rows.extend((next..inputs).map(|left| Packed::new(left as u32, NONE, 0)));
        dropped += inputs.saturating_sub(next);
        Self { rows, parts: Vec::new(), aligned: true, merges, dropped }
    }

    /// Both sides beside each other, each in its own order.
    fn apart<'o>(
        inputs: u64,
        outputs: u64,
        starts: &[u64],
        of: impl Fn(u64) -> Origins<'o>,
    ) -> Self {
        let mut parts = Parts::new(inputs);
        for line in 0..outputs {
            parts.add(line as u32, of(line), starts);
        }
        let merges = parts.merges;
        let parts = parts.finish();
        let dropped = parts.iter().filter(|part| **part == NONE).count() as u64;
        let rows = (0..inputs.max(outputs)).map(|number| {
            let side = |lines: u64| if number < lines { number as u32 } else { NONE };
            Packed::new(side(inputs), side(outputs), 0)
        });
        Self { rows: rows.collect(), parts, aligned: false, merges, dropped }
    }

    /// How many rows.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// True without rows.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// A row, if there are this many.
    pub fn row(&self, number: usize) -> Option<Row> {
        let packed = *self.rows.get(number)?;
        let side = |line: u32| (line != NONE).then_some(u64::from(line));
        Some(Row {
            left: side(packed.left),
            right: side(packed.right),
            part_of: self.part_of(number, packed),
            grouped: packed.has(GROUPED),
            goes_on: packed.has(GOES_ON),
            folded: packed.has(FOLDED).then_some(u64::from(packed.lefts)),
        })
    }

    fn part_of(&self, number: usize, packed: Packed) -> Option<u64> {
        if packed.left == NONE {
            return None;
        }
        let part = if !self.aligned {
            self.parts.get(packed.left as usize).copied()
        } else if packed.right != NONE {
            Some(packed.right)
        } else if packed.has(GROUPED) {
            // The group's first row has the line.
            self.rows[..number].iter().rev().map(|row| row.right).find(|right| *right != NONE)
        } else {
            None
        };
        part.filter(|line| *line != NONE).map(u64::from)
    }
}

#[cfg(test)]
mod tests {
    use stream::LineId;

    use super::*;

    #[test]
    fn only_neighbours_stand_beside_their_result() {
        let id = |input, line| LineId::new(input, line);
        let starts = [0, 10];
        let neighbours = |list: &[LineId]| neighbours(Origins::List(list), &starts);
        assert!(neighbours(&[id(0, 3), id(0, 4), id(0, 5)]));
        // The last line of an input and the first of the next one.
        assert!(neighbours(&[id(0, 9), id(1, 0)]));
        assert!(!neighbours(&[id(0, 3), id(0, 5)]));
        assert!(!neighbours(&[id(0, 3), id(0, 3)]));
        assert!(!neighbours(&[id(0, 3), id(0, 4), id(0, 3)]));
    }

    /// Output lines made of the input lines from one to another, both included.
    fn pair(inputs: u64, made: &[Option<(u64, u64)>]) -> Alignment {
        let id = |line| LineId::new(0, line);
        Alignment::pair(inputs, made.len() as u64, &[0], |line| match made[line as usize] {
            None => Origins::None,
            Some((from, to)) if from == to => Origins::One(id(from)),
            Some((from, to)) => Origins::Range(id(from), id(to)),
        })
    }

    fn pairs(inputs: u64, made: &[Option<(u64, u64)>]) -> (bool, Vec<(Option<u64>, Option<u64>)>) {
        let alignment = pair(inputs, made);
        let rows = (0..alignment.len()).filter_map(|number| alignment.row(number));
        (alignment.aligned, rows.map(|row| (row.left, row.right)).collect())
    }

    #[test]
    fn dropped_merged_and_split_lines_stand_where_they_belong() {
        let (aligned, rows) = pairs(4, &[Some((1, 1)), Some((3, 3))]);
        assert!(aligned);
        assert_eq!(
            rows,
            [(Some(0), None), (Some(1), Some(0)), (Some(2), None), (Some(3), Some(1))]
        );
        let (_, rows) = pairs(3, &[Some((0, 1)), Some((2, 2))]);
        assert_eq!(rows, [(Some(0), Some(0)), (Some(1), None), (Some(2), Some(1))]);
        let (_, rows) = pairs(1, &[Some((0, 0)), Some((0, 0))]);
        assert_eq!(rows, [(Some(0), Some(0)), (None, Some(1))]);
    }

    #[test]
    fn another_order_is_shown_side_by_side_with_what_each_line_is_part_of() {
        let (aligned, rows) = pairs(3, &[Some((2, 2)), Some((0, 0))]);
        assert!(!aligned);
        assert_eq!(rows, [(Some(0), Some(0)), (Some(1), Some(1)), (Some(2), None)]);
        let alignment = pair(3, &[Some((2, 2)), Some((0, 0))]);
        let parts = (0..3).map(|row| alignment.row(row).unwrap().part_of);
        assert!(parts.eq([Some(1), None, Some(0)]));
        assert_eq!((alignment.dropped, alignment.merges), (1, false));
    }

    #[test]
    fn an_origin_past_the_input_leaves_the_sides_apart() {
        assert!(pairs(3, &[Some((0, 2))]).0);
        assert!(!pairs(3, &[Some((0, 3))]).0);
        assert!(!pairs(3, &[Some((3, 3))]).0);
        let list = [LineId::new(0, 0), LineId::new(0, 2)];
        let of = |_| Origins::List(&list);
        assert!(!Alignment::pair(4, 1, &[0], of).aligned);
        assert!(Alignment::pair(0, 0, &[], of).is_empty());
    }
}
