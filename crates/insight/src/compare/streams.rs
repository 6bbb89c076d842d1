//! Two kept streams compared line by line, whatever their size.

use std::collections::VecDeque;
use std::time::{Duration, Instant};

use bytes::Bytes;
use engine::Kept;
use foldhash::HashSet;
use similar::{Algorithm, DiffOp, capture_diff_slices_deadline};
use stream::RunControl;

use super::difference::Side;

/// Lines of each side that are looked at together.
const WINDOW: usize = 2_048;

/// Where nothing in a window is the same, it grows up to this.
const WINDOW_MAX: usize = 32_768;

/// How long a window may take; a coarser result comes then.
const PATIENCE: Duration = Duration::from_millis(300);

/// Rows that are kept at most; what comes after them is counted only.
const ROWS_MAX: usize = 100_000;

/// Lines around a change that are shown.
const AROUND: usize = 2;

/// A row of a comparison: which lines it shows. Texts are read from the streams when it is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StreamRow {
    /// Which side has it.
    pub side: Side,
    /// Its line on the left, from 0.
    pub left: Option<u64>,
    /// Its line on the right, from 0.
    pub right: Option<u64>,
}

/// What differs between two streams.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct StreamDifference {
    /// Changes with a few lines around them; at most 100 000 rows.
    pub rows: Vec<StreamRow>,
    /// Lines that are the same on both sides.
    pub same: u64,
    /// Lines only the left has.
    pub only_left: u64,
    /// Lines only the right has.
    pub only_right: u64,
    /// The first lines that differ, left and right, from 0.
    pub first: Option<(u64, u64)>,
    /// Changes beyond the rows.
    pub more: bool,
    /// One of them has no newline at its end, and the other has.
    pub ends_differ: bool,
    /// True where all was compared.
    pub complete: bool,
}

impl StreamDifference {
    /// True where both are the same, byte for byte.
    pub fn is_same(&self) -> bool {
        self.complete && self.first.is_none() && !self.ends_differ
    }
}

/// What is put together while two streams are read.
struct Building {
    made: StreamDifference,
    /// The last lines that were the same and are not shown yet.
    before: VecDeque<(u64, u64)>,
    /// Lines that were the same and are left out before those.
    skipped: u64,
    /// Lines after a change that are still shown.
    after: usize,
}

impl Building {
    fn push(&mut self, side: Side, left: Option<u64>, right: Option<u64>) {
        if self.made.rows.len() >= ROWS_MAX {
            self.made.more = true;
            return;
        }
        self.made.rows.push(StreamRow { side, left, right });
    }

    fn same(&mut self, left: u64, right: u64) {
        self.made.same += 1;
        if self.after > 0 {
            self.after -= 1;
            self.push(Side::Both, Some(left), Some(right));
            return;
        }
        self.before.push_back((left, right));
        if self.before.len() > AROUND {
            self.before.pop_front();
            self.skipped += 1;
        }
    }

    fn changed(&mut self, side: Side, left: Option<u64>, right: Option<u64>) {
        if self.skipped > 0 {
            let skipped = usize::try_from(self.skipped).unwrap_or(usize::MAX);
            self.push(Side::Skipped(skipped), None, None);
            self.skipped = 0;
        }
        for (left, right) in std::mem::take(&mut self.before) {
            self.push(Side::Both, Some(left), Some(right));
        }
        self.after = AROUND;
        match side {
            Side::Old => self.made.only_left += 1,
            _ => self.made.only_right += 1,
        }
        self.push(side, left, right);
    }
}

/// Compares two streams as they are now. Memory: a window of each, at most 32 768 lines, and the
/// rows. Lines are paired only where they are the same; over long stretches without a common line
/// others may be paired than in the shortest list of changes. `progress` gets how many bytes of
/// both were read, of how many; `control` ends it, and what there is is given.
pub fn compare_streams(
    left: &Kept,
    right: &Kept,
    control: &RunControl,
    progress: &mut dyn FnMut(u64, u64),
) -> StreamDifference {
    let mut building = Building {
        made: StreamDifference::default(),
        before: VecDeque::new(),
        skipped: 0,
        after: 0,
    };
    let mut sides = [Reader::of(left), Reader::of(right)];
    let all = left.bytes() + right.bytes();
    let mut window = WINDOW;
    loop {
        if control.is_cancelled() {
            return building.made;
        }
        progress(sides[0].offset + sides[1].offset, all);
        let [one, other] = &mut sides;
        one.fill(window);
        other.fill(window);
        let same =
            one.lines.iter().zip(&other.lines).take_while(|(one, other)| one == other).count();
        for at in 0..same as u64 {
            building.same(one.at + at, other.at + at);
        }
        one.take(same as u64);
        other.take(same as u64);
        let ends = one.ended && other.ended;
        if one.lines.is_empty() && other.lines.is_empty() {
            if ends {
                break;
            }
            continue;
        }
        // One side may have lines still to come.
        if (one.lines.is_empty() && !one.ended) || (other.lines.is_empty() && !other.ended) {
            continue;
        }
        if building.made.first.is_none() {
            building.made.first = Some((one.at, other.at));
        }
        let common = has_common(&one.lines, &other.lines);
        if !common && !ends && window < WINDOW_MAX {
            window *= 4;
            continue;
        }
        let (old, new) = (one.lines.make_contiguous(), other.lines.make_contiguous());
        let operations = if common {
            let deadline = Instant::now() + PATIENCE;
            capture_diff_slices_deadline(Algorithm::Myers, old, new, Some(deadline))
        } else {
            let (old_len, new_len) = (old.len(), new.len());
            vec![DiffOp::Replace { old_index: 0, old_len, new_index: 0, new_len }]
        };
        // What comes after the last common part may pair with lines beyond the window.
        let last =
            operations.iter().rposition(|operation| matches!(operation, DiffOp::Equal { .. }));
        let taken = match last {
            Some(last) if !ends => last + 1,
            _ => operations.len(),
        };
        window = WINDOW;
        let (used, used_other) = apply(&mut building, &operations[..taken], (one.at, other.at));
        one.take(used);
        other.take(used_other);
    }
    let mut made = building.made;
    made.ends_differ =
        left.bytes() > 0 && right.bytes() > 0 && left.ends_open() != right.ends_open();
    made.complete = true;
    made
}

/// True where some line is on both sides.
fn has_common(one: &VecDeque<Bytes>, other: &VecDeque<Bytes>) -> bool {
    let known: HashSet<&Bytes> = one.iter().collect();
    other.iter().any(|line| known.contains(line))
}

/// Bytes that are read at once.
const PART: usize = 1 << 18;

/// The lines of a stream, from one on, a few ahead.
struct Reader<'k> {
    kept: &'k Kept,
    /// Bytes that were read.
    offset: u64,
    /// The beginning of a line that continues.
    begun: Vec<u8>,
    /// The number of the first line here.
    at: u64,
    lines: VecDeque<Bytes>,
    /// There are no more.
    ended: bool,
}

impl<'k> Reader<'k> {
    fn of(kept: &'k Kept) -> Self {
        Self { kept, offset: 0, begun: Vec::new(), at: 0, lines: VecDeque::new(), ended: false }
    }

    /// Reads until there are this many lines, or the end.
    fn fill(&mut self, wanted: usize) {
        while self.lines.len() < wanted && !self.ended {
            let part: Bytes = self.kept.bytes_at(self.offset, PART).into();
            self.offset += part.len() as u64;
            if part.is_empty() {
                self.ended = true;
                if !self.begun.is_empty() {
                    self.lines.push_back(std::mem::take(&mut self.begun).into());
                }
                return;
            }
            let mut from = 0;
            for at in memchr::memchr_iter(b'\n', &part) {
                if self.begun.is_empty() {
                    self.lines.push_back(part.slice(from..at));
                } else {
                    self.begun.extend_from_slice(&part[from..at]);
                    self.lines.push_back(std::mem::take(&mut self.begun).into());
                }
                from = at + 1;
            }
            self.begun.extend_from_slice(&part[from..]);
        }
    }

    fn take(&mut self, count: u64) {
        self.at += count;
        self.lines.drain(..(count as usize).min(self.lines.len()));
    }
}

/// Takes changes of a window; gives how many lines of each side they are.
fn apply(building: &mut Building, operations: &[DiffOp], (left, right): (u64, u64)) -> (u64, u64) {
    let (mut used_left, mut used_right) = (0, 0);
    for operation in operations {
        let (old, new) = (operation.old_range(), operation.new_range());
        if let DiffOp::Equal { .. } = operation {
            for (old, new) in old.clone().zip(new.clone()) {
                building.same(left + old as u64, right + new as u64);
            }
        } else {
            for old in old.clone() {
                building.changed(Side::Old, Some(left + old as u64), None);
            }
            for new in new.clone() {
                building.changed(Side::New, None, Some(right + new as u64));
            }
        }
        // A deletion does not always say where it is on the other side.
        used_left = used_left.max(old.end as u64);
        used_right = used_right.max(new.end as u64);
    }
    (used_left, used_right)
}

/// The line of a stream, for a row.
pub fn row_text(row: &StreamRow, left: &Kept, right: &Kept) -> Option<Bytes> {
    match (row.left, row.right) {
        (Some(line), _) => left.line_start(line, 1 << 16),
        (None, Some(line)) => right.line_start(line, 1 << 16),
        (None, None) => None,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn compared(left: &str, right: &str) -> StreamDifference {
        let (left, right) = (Kept::of(left.as_bytes()), Kept::of(right.as_bytes()));
        compare_streams(&left, &right, &RunControl::default(), &mut |_, _| {})
    }

    #[test]
    fn changes_have_a_few_lines_around_them() {
        use Side::{Both, New, Old, Skipped};
        let left: String = (0..20).map(|at| format!("{at}\n")).collect();
        let right = left.replace("\n9\n", "\nnine\n");
        let made = compared(&left, &right);
        assert_eq!((made.same, made.only_left, made.only_right), (19, 1, 1));
        assert_eq!(made.first, Some((9, 9)));
        let sides: Vec<Side> = made.rows.iter().map(|row| row.side).collect();
        assert_eq!(sides, [Skipped(7), Both, Both, Old, New, Both, Both]);
        assert!(compared(&left, &left).is_same());
        assert!(compared("", "").is_same());
        let open = compared("a\n", "a");
        assert!(open.ends_differ && !open.is_same());
    }

    #[test]
    fn many_lines_without_anything_in_common_come_to_an_end() {
        let left: String = (0..70_000).map(|at| format!("a{at}\n")).collect();
        let right: String = (0..70_000).map(|at| format!("b{at}\n")).collect();
        let made = compared(&left, &right);
        assert_eq!((made.same, made.only_left, made.only_right), (0, 70_000, 70_000));
        assert!(made.more && made.rows.len() == ROWS_MAX);
    }

    #[test]
    fn who_ends_it_has_what_there_is() {
        let left: String = (0..90_000).map(|at| format!("{at}\n")).collect();
        let control = RunControl::default();
        let (one, other) = (Kept::of(left.as_bytes()), Kept::of(left.as_bytes()));
        let made = compare_streams(&one, &other, &control, &mut |done, _| {
            if done > 0 {
                control.cancel();
            }
        });
        assert!(!made.complete && made.same > 2_000);
    }

    proptest! {
        /// Each line of both sides is in the comparison once, in order, and pairs are equal.
        #[test]
        fn both_sides_can_be_read_from_it(
            left in proptest::collection::vec("[abc]", 0..40),
            right in proptest::collection::vec("[abc]", 0..40),
        ) {
            let text = |lines: &[String]| lines.iter().map(|line| format!("{line}\n")).collect::<String>();
            let made = compared(&text(&left), &text(&right));
            prop_assert_eq!(made.same + made.only_left, left.len() as u64);
            prop_assert_eq!(made.same + made.only_right, right.len() as u64);
            prop_assert_eq!(made.is_same(), left == right);
            let (mut at_left, mut at_right) = (0, 0);
            for row in &made.rows {
                match row.side {
                    Side::Skipped(count) => {
                        prop_assert_eq!(&left[at_left..at_left + count], &right[at_right..at_right + count]);
                        at_left += count;
                        at_right += count;
                    }
                    Side::Both => {
                        prop_assert_eq!(row.left, Some(at_left as u64));
                        prop_assert_eq!(row.right, Some(at_right as u64));
                        prop_assert_eq!(&left[at_left], &right[at_right]);
                        at_left += 1;
                        at_right += 1;
                    }
                    Side::Old => {
                        prop_assert_eq!(row.left, Some(at_left as u64));
                        at_left += 1;
                    }
                    Side::New => {
                        prop_assert_eq!(row.right, Some(at_right as u64));
                        at_right += 1;
                    }
                }
            }
        }
    }
}
