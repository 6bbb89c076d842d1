//! A row of the body of the river. Its edges run in eighths of a column, and where a stage makes it
//! narrower or wider they run over the stage's row as slopes, so that rows join into one shape.

use ratatui::style::{Modifier, Style};

use crate::screen::canvas::Canvas;

/// Eighths in a column and in a row.
const EIGHTHS: u32 = 8;

/// A column of which the first eighths are filled, by their number.
const FROM_LEFT: [&str; 9] = [" ", "▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"];

/// A column filled from below.
const FROM_BELOW: [&str; 9] = [" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];

/// A row of the body: as wide as this many lines at its upper and at its lower edge.
pub(super) struct Body {
    pub(super) top: u64,
    pub(super) bottom: u64,
    pub(super) style: Style,
    /// Lines are merged or split here: it is drawn in strands.
    pub(super) strands: bool,
}

/// What a column shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Cell {
    /// This many eighths from the left, or all but these.
    Left(u32, bool),
    /// This many eighths from below, or all but these.
    Below(u32, bool),
    Strand,
}

impl Body {
    /// Draws it over the first row of `canvas`; `most` lines are as wide as that.
    pub(super) fn draw(&self, canvas: &mut Canvas<'_>, most: u64, stale: bool) {
        let columns = u32::from(canvas.area.width);
        let width = |lines| width(lines, most, columns * EIGHTHS);
        let cells = cells(width(self.top), width(self.bottom), columns, self.strands);
        let style = if stale { self.style.add_modifier(Modifier::DIM) } else { self.style };
        for (x, cell) in (0..).zip(cells) {
            let (sign, inverse) = match cell {
                Cell::Left(eighths, inverse) => (FROM_LEFT[eighths as usize], inverse),
                Cell::Below(eighths, inverse) => (FROM_BELOW[eighths as usize], inverse),
                Cell::Strand => ("▌", false),
            };
            if sign == " " && !inverse {
                continue;
            }
            let style = match cell {
                _ if inverse => style.add_modifier(Modifier::REVERSED),
                // Not all fonts fill the whole place of a sign.
                Cell::Left(EIGHTHS, _) => Style { bg: style.fg, ..style },
                _ => style,
            };
            canvas.put(x, 0, sign, style);
        }
    }
}

/// Eighths of a column: the logarithm of the number of lines, at least one for one line.
fn width(lines: u64, most: u64, all: u32) -> u32 {
    if lines == 0 {
        return 0;
    }
    let share = ((lines + 1) as f64).ln() / ((most.max(1) + 1) as f64).ln();
    ((share * f64::from(all)).round() as u32).clamp(1, all.max(1))
}

/// The columns of a row that is `top` eighths wide above and `bottom` below, in the middle.
fn cells(top: u32, bottom: u32, columns: u32, strands: bool) -> Vec<Cell> {
    let all = columns * EIGHTHS;
    let edges = |width: u32| {
        let left = (all - width.min(all)) / 2;
        (left, left + width.min(all))
    };
    let (narrow, wide) = (edges(top.min(bottom)), edges(top.max(bottom)));
    // A slope needs a column; less is no more than an edge.
    let slopes = narrow.0 - wide.0 >= EIGHTHS;
    let (inner, outer) = if slopes { (narrow, wide) } else { (edges(bottom), edges(bottom)) };
    let cell = |column: u32| {
        let (from, to) = (column * EIGHTHS, (column + 1) * EIGHTHS);
        if from >= inner.0 && to <= inner.1 {
            return if strands { Cell::Strand } else { Cell::Left(EIGHTHS, false) };
        }
        if slopes {
            return slope(from + EIGHTHS / 2, inner, outer, bottom < top);
        }
        // The edge is in this column, or it is outside.
        match (inner.0 > from, inner.1 < to) {
            (true, _) if inner.0 >= to => Cell::Left(0, false),
            (_, true) if inner.1 <= from => Cell::Left(0, false),
            (true, true) => Cell::Left(inner.1 - inner.0, false),
            (true, false) => Cell::Left(inner.0 - from, true),
            _ => Cell::Left(inner.1 - from, false),
        }
    };
    (0..columns).map(cell).collect()
}

/// A column between the inner and the outer edge: filled from above where the body gets narrower,
/// from below where it gets wider.
fn slope(middle: u32, inner: (u32, u32), outer: (u32, u32), narrows: bool) -> Cell {
    let (run, done) = if middle < inner.0 {
        (inner.0 - outer.0, middle.saturating_sub(outer.0))
    } else if middle >= inner.1 {
        (outer.1 - inner.1, outer.1.saturating_sub(middle))
    } else {
        (1, 1)
    };
    let filled = (done * EIGHTHS / run.max(1)).min(EIGHTHS);
    match (narrows, filled) {
        (_, 0) => Cell::Below(0, false),
        (true, filled) if filled < EIGHTHS => Cell::Below(EIGHTHS - filled, true),
        (_, filled) => Cell::Below(filled, false),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// The cells as signs; what is inverse is between brackets.
    fn drawn(top: u32, bottom: u32, columns: u32) -> String {
        let sign = |cell: Cell| match cell {
            Cell::Left(eighths, false) => FROM_LEFT[eighths as usize].to_owned(),
            Cell::Below(eighths, false) => FROM_BELOW[eighths as usize].to_owned(),
            Cell::Left(eighths, true) => format!("[{}]", FROM_LEFT[eighths as usize]),
            Cell::Below(eighths, true) => format!("[{}]", FROM_BELOW[eighths as usize]),
            Cell::Strand => "‖".to_owned(),
        };
        cells(top, bottom, columns, false).into_iter().map(sign).collect()
    }

    #[test]
    fn edges_run_in_eighths() {
        assert_eq!(drawn(80, 80, 10), "██████████");
        assert_eq!(drawn(64, 64, 10), " ████████ ");
        assert_eq!(drawn(68, 68, 10), "[▊]████████▎");
        assert_eq!(drawn(1, 1, 3), " ▏ ");
        assert_eq!(drawn(0, 0, 3), "   ");
        assert_eq!(drawn(0, 0, 0), "");
    }

    #[test]
    fn what_is_lost_is_a_slope() {
        assert_eq!(drawn(80, 16, 10), "[▇][▅][▃][▁]██[▁][▃][▅][▇]");
        assert_eq!(drawn(16, 80, 10), "▁▃▅▇██▇▅▃▁");
        // Less than a column is an edge.
        assert_eq!(drawn(80, 78, 10), "[▏]████████▉");
        // To nothing, and from nothing.
        assert_eq!(drawn(32, 0, 4), "[▆][▂][▂][▆]");
        assert_eq!(drawn(0, 32, 4), "▂▆▆▂");
    }

    #[test]
    fn widths_are_logarithmic_and_never_vanish() {
        assert_eq!(width(0, 1000, 240), 0);
        assert_eq!(width(1_000_000, 1_000_000, 240), 240);
        assert!(width(1, u64::MAX - 1, 240) >= 1);
        let (five, all) = (width(5, 1_000_000, 240), width(1_000_000, 1_000_000, 240));
        assert!(five > 16 && five < all);
    }

    proptest! {
        #[test]
        fn rows_of_any_width_have_their_columns(
            top in 0_u32..200, bottom in 0_u32..200, columns in 0_u32..20, strands in any::<bool>(),
        ) {
            prop_assert_eq!(cells(top, bottom, columns, strands).len(), columns as usize);
        }

        #[test]
        fn the_area_is_what_the_widths_say(top in 0_u32..=160, bottom in 0_u32..=160) {
            let eighths = |cell: Cell| match cell {
                Cell::Left(part, inverse) | Cell::Below(part, inverse) => {
                    if inverse { EIGHTHS - part } else { part }
                }
                Cell::Strand => EIGHTHS,
            };
            let area: u32 = cells(top, bottom, 20, false).into_iter().map(eighths).sum();
            let expected = f64::from(top + bottom) / 2.0;
            // Each column of a slope is rounded down, at most to an eighth.
            prop_assert!((f64::from(area) - expected).abs() <= 20.0, "{} {}", area, expected);
        }
    }
}
