//! How the columns of the lens are divided.

use bytes::Bytes;
use insight::grouped;

use super::shown::Shown;
use crate::state::lens::Lens;
use crate::text::display::width;

/// Columns the heading of a side takes.
const HEADING: u16 = 34;

/// Which sides there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Shape {
    /// One side: a stream, or a stage that changes no line.
    One,
    /// Input and output beside each other, each line next to what was made of it.
    Pairs,
    /// Input and output beside each other, each in its own order.
    Apart,
}

/// Where everything is.
pub(super) struct Columns {
    /// Width of the numbers at the left.
    pub(super) gutter: u16,
    /// Where the left side begins, and how wide it is.
    pub(super) left: (u16, u16),
    /// Where brackets and marks stand; 0 without.
    pub(super) middle: u16,
    /// The right side.
    pub(super) right: Option<(u16, u16)>,
    /// Width of the numbers before the right side.
    pub(super) right_gutter: u16,
}

fn digits(number: i64) -> u16 {
    (grouped(number.unsigned_abs()).len() + usize::from(number < 0)) as u16
}

impl Columns {
    pub(super) fn new(area_width: u16, lens: &Lens, shape: Shape, rows: &[Shown]) -> Self {
        let widest = |each: &dyn Fn(&Shown) -> Option<u16>| rows.iter().filter_map(each).max();
        let number = |row: &Shown| {
            let origin = row.origin.as_ref()?;
            Some(digits(origin.number) + origin.name_width())
        };
        let gutter = widest(&number).unwrap_or(0).max(4) + 2;
        let start = gutter + 2;
        let room = area_width.saturating_sub(start);
        if shape == Shape::One {
            let left = (start, room);
            return Self { gutter, left, middle: 0, right: None, right_gutter: 0 };
        }
        let (middle, right_gutter) = if shape == Shape::Pairs {
            (5, 0)
        } else {
            let part = |row: &Shown| row.row.part_of.map(|line| digits(line as i64 + 1));
            let line = |row: &Shown| row.row.right.map(|line| digits(line as i64 + 1));
            (widest(&part).unwrap_or(0).max(1) + 4, widest(&line).unwrap_or(0).max(4) + 2)
        };
        let limit = usize::from(room);
        let of_side = |side: &dyn Fn(&Shown) -> Option<&Bytes>| {
            let line_width = |row: &Shown| Some(width(side(row)?, lens.view, limit) as u16);
            widest(&line_width).unwrap_or(0)
        };
        // Both sides as wide as their lines on screen, as far as there is room: the output between
        // its heading and half of it, the input what is left, so that partners stand close.
        let wanted = of_side(&|row| row.right.as_ref()) + right_gutter + 1;
        let right_room = wanted.max(HEADING).min(room / 2);
        let left_most = room - right_room;
        let left_room = if lens.wrap {
            left_most
        } else {
            let wanted = of_side(&|row| row.left.as_ref()) + middle + 1;
            wanted.clamp(HEADING.min(left_most), left_most)
        };
        let right_start = start + left_room + right_gutter;
        Self {
            gutter,
            left: (start, left_room.saturating_sub(middle)),
            middle: start + left_room.saturating_sub(middle - 1),
            right: Some((right_start, area_width.saturating_sub(right_start))),
            right_gutter,
        }
    }
}
