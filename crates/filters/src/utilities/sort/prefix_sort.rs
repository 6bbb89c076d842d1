//! Whole lines in order, eight bytes at a time.
//!
//! Comparing two lines means two reads from places far apart in memory. Here each line is read
//! once for every eight bytes that are needed to tell it from its neighbours: lines are sorted by
//! the first eight bytes as a number, then each group that shares them by the next eight.

use super::line_store::{Entry, Held};
use crate::utilities::sort::keys::Order;

/// Groups up to this size are sorted by comparing.
pub(super) const SMALL: usize = 24;

/// Levels after which lines are compared whole: what is still equal then is long and alike.
pub(super) const LEVELS: usize = 64;

/// Sorts entries whose lines share their first `depth` bytes. `STABLE` keeps equal lines in
/// order, which only their origins show.
pub(super) fn sort<const STABLE: bool>(
    entries: &mut [Entry],
    held: &Held,
    order: &Order,
    depth: usize,
    level: usize,
) {
    if entries.len() <= SMALL || level >= LEVELS {
        return compare_all::<STABLE>(entries, held, order);
    }
    for entry in entries.iter_mut() {
        entry.prefix = order.prefix(held.line(entry), depth.min(entry.length as usize));
    }
    if STABLE {
        entries.sort_by_key(|entry| entry.prefix);
    } else {
        entries.sort_unstable_by_key(|entry| entry.prefix);
    }
    let end = depth + 8;
    for group in entries.chunk_by_mut(|one, other| one.prefix == other.prefix) {
        if group.len() == 1 {
            continue;
        }
        // The end of a line counts as zeros in the number, so lines that end here may only seem
        // to be equal.
        if group.iter().any(|entry| (entry.length as usize) < end) {
            compare_all::<STABLE>(group, held, order);
        } else {
            sort::<STABLE>(group, held, order, end, level + 1);
        }
    }
}

/// Sorts entries by comparing their lines.
pub(super) fn compare_all<const STABLE: bool>(entries: &mut [Entry], held: &Held, order: &Order) {
    let compare = |one: &Entry, other: &Entry| order.compare(held.line(one), held.line(other));
    if STABLE {
        entries.sort_by(compare);
    } else {
        entries.sort_unstable_by(compare);
    }
}
