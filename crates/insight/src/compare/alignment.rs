//! A stage's input and output set side by side by the origins of its lines.

use engine::StageResult;

/// No line on this side.
const NONE: u32 = u32::MAX;

/// A row of the lens.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Row {
    /// The line over all inputs, from 0.
    pub left: Option<u64>,
    /// The line of the output, from 0.
    pub right: Option<u64>,
    /// Part of a group of input lines that made one output line.
    pub grouped: bool,
    /// The group goes on in the next row.
    pub goes_on: bool,
}

/// The rows of a stage.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Alignment {
    rows: Vec<(u32, u32, u8)>,
    /// True when rows pair lines by origin; false when input and output are only shown beside
    /// each other, each in its own order.
    pub aligned: bool,
    /// Input lines that made nothing.
    pub dropped: u64,
}

const GROUPED: u8 = 1;
const GOES_ON: u8 = 2;

/// The number of a line among those of all inputs, one input after the other; `starts` has the
/// first number of each.
fn flat(starts: &[u64], id: stream::LineId) -> u64 {
    starts.get(id.input()).map_or(0, |start| start + id.line())
}

/// True when each line follows on the one before it.
fn neighbours(origins: stream::Origins<'_>, starts: &[u64]) -> bool {
    match origins {
        stream::Origins::List(list) => {
            list.windows(2).all(|pair| flat(starts, pair[0]) + 1 == flat(starts, pair[1]))
        }
        _ => true,
    }
}

impl Alignment {
    /// Pairs the lines of a stage. Twelve bytes a row; at most 4 294 967 294 lines.
    pub fn of(stage: &StageResult) -> Self {
        let inputs = stage.input_lines();
        let outputs = stage.out.lines();
        let before: Vec<u64> = stage
            .inputs
            .iter()
            .scan(0, |sum, input| {
                let start = *sum;
                *sum += input.kept.lines();
                Some(start)
            })
            .collect();
        let origins = stage.origins.lock();
        let made = (0..outputs).map(|line| {
            let origins = origins.get(line);
            let first = origins.first().map(|id| flat(&before, id));
            let count = origins.len();
            // Only neighbouring lines can stand beside their result.
            let contiguous = neighbours(origins, &before);
            (first.map(|first| (first, first + count.max(1) - 1)), contiguous)
        });
        Self::pair(inputs, outputs, made)
    }

    fn pair(
        inputs: u64,
        outputs: u64,
        made: impl Iterator<Item = (Option<(u64, u64)>, bool)>,
    ) -> Self {
        let mut rows: Vec<(u32, u32, u8)> = Vec::with_capacity((inputs.max(outputs)) as usize);
        let mut next = 0;
        let mut dropped = 0;
        let mut last: Option<(u64, u64)> = None;
        let mut aligned = true;
        for (line, (origin, contiguous)) in made.enumerate() {
            let line = line as u32;
            match origin {
                None => rows.push((NONE, line, 0)),
                Some(range) if last == Some(range) => rows.push((NONE, line, 0)),
                Some((from, to)) => {
                    if from < next || !contiguous || to >= inputs {
                        aligned = false;
                        break;
                    }
                    rows.extend((next..from).map(|left| (left as u32, NONE, 0)));
                    dropped += from - next;
                    for left in from..=to {
                        let right = if left == from { line } else { NONE };
                        let mut flags = 0;
                        if to > from {
                            flags |= GROUPED;
                        }
                        if left < to {
                            flags |= GOES_ON;
                        }
                        rows.push((left as u32, right, flags));
                    }
                    next = to + 1;
                    last = Some((from, to));
                }
            }
        }
        if aligned {
            rows.extend((next..inputs).map(|left| (left as u32, NONE, 0)));
            dropped += inputs.saturating_sub(next);
            return Self { rows, aligned, dropped };
        }
        let rows = (0..inputs.max(outputs)).map(|number| {
            let side = |lines: u64| if number < lines { number as u32 } else { NONE };
            (side(inputs), side(outputs), 0)
        });
        Self { rows: rows.collect(), aligned, dropped: 0 }
    }

    /// Without the input lines that made nothing.
    #[must_use]
    pub fn without_dropped(&self) -> Self {
        if !self.aligned {
            return self.clone();
        }
        let rows = self.rows.iter().copied();
        let kept = rows.filter(|(_, right, flags)| *right != NONE || flags & GROUPED != 0);
        Self { rows: kept.collect(), aligned: true, dropped: self.dropped }
    }

    /// How many rows.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// True without rows.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// A row, if there are so many.
    pub fn row(&self, number: usize) -> Option<Row> {
        let (left, right, flags) = *self.rows.get(number)?;
        let side = |line: u32| (line != NONE).then_some(u64::from(line));
        Some(Row {
            left: side(left),
            right: side(right),
            grouped: flags & GROUPED != 0,
            goes_on: flags & GOES_ON != 0,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_neighbours_stand_beside_their_result() {
        let id = |input, line| stream::LineId::new(input, line);
        let starts = [0, 10];
        let neighbours = |list: &[stream::LineId]| neighbours(stream::Origins::List(list), &starts);
        assert!(neighbours(&[id(0, 3), id(0, 4), id(0, 5)]));
        // The last line of an input and the first of the next one.
        assert!(neighbours(&[id(0, 9), id(1, 0)]));
        assert!(!neighbours(&[id(0, 3), id(0, 5)]));
        assert!(!neighbours(&[id(0, 3), id(0, 3)]));
        assert!(!neighbours(&[id(0, 3), id(0, 4), id(0, 3)]));
    }

    fn pairs(inputs: u64, made: &[Option<(u64, u64)>]) -> (bool, Vec<(Option<u64>, Option<u64>)>) {
        let list = made.iter().map(|origin| (*origin, true));
        let alignment = Alignment::pair(inputs, made.len() as u64, list);
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
    fn another_order_is_shown_side_by_side() {
        let (aligned, rows) = pairs(3, &[Some((2, 2)), Some((0, 0))]);
        assert!(!aligned);
        assert_eq!(rows, [(Some(0), Some(0)), (Some(1), Some(1)), (Some(2), None)]);
    }

    #[test]
    fn lines_that_made_one_together_are_grouped_and_hidden_ones_leave_groups_whole() {
        let list = [Some((1, 3)), None, Some((5, 5)), Some((5, 5))];
        let made = list.iter().map(|origin| (*origin, true));
        let alignment = Alignment::pair(7, 4, made);
        let rows = |alignment: &Alignment| -> Vec<(Option<u64>, Option<u64>, bool, bool)> {
            let row = |number| alignment.row(number).unwrap();
            let flat = |row: Row| (row.left, row.right, row.grouped, row.goes_on);
            (0..alignment.len()).map(|number| flat(row(number))).collect()
        };
        let kept = [
            (Some(1), Some(0), true, true),
            (Some(2), None, true, true),
            (Some(3), None, true, false),
            (None, Some(1), false, false),
            (Some(5), Some(2), false, false),
            (None, Some(3), false, false),
        ];
        assert_eq!(rows(&alignment.without_dropped()), kept);
        assert_eq!(rows(&alignment)[0], (Some(0), None, false, false));
        assert_eq!((alignment.len(), alignment.dropped), (9, 3));
        assert!(alignment.row(9).is_none() && !alignment.is_empty());
        assert_eq!(alignment.without_dropped().dropped, 3);
        // Lines side by side that have nothing to do with each other: nothing is hidden.
        let turned = [Some((2, 2)), Some((0, 0))];
        let made = turned.iter().map(|origin| (*origin, true));
        let beside = Alignment::pair(4, 2, made);
        assert!(!beside.aligned);
        assert_eq!((beside.len(), beside.dropped), (4, 0));
        assert_eq!(rows(&beside.without_dropped()), rows(&beside));
        assert_eq!(rows(&beside)[2], (Some(2), None, false, false));
        assert!(Alignment::pair(0, 0, std::iter::empty()).is_empty());
    }

    #[test]
    fn an_origin_past_the_input_leaves_the_sides_apart() {
        assert!(pairs(3, &[Some((0, 2))]).0);
        assert!(!pairs(3, &[Some((0, 3))]).0);
        assert!(!pairs(3, &[Some((3, 3))]).0);
        let apart = Alignment::pair(4, 1, std::iter::once((Some((0, 2)), false)));
        assert!(!apart.aligned);
    }
}
