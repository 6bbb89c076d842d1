//! Lines by their keys, one number at a time.
//!
//! Finding the keys of two lines for each comparison costs far more than the comparison. Here
//! each key is found once for every eight bytes of it that are needed, or once where it is a
//! number: lines are sorted by that, then each group that shares it by the next eight bytes, the
//! next key, or at last the whole lines.

use std::sync::atomic::{AtomicBool, Ordering};

use stream::Processors;

use super::keys::Order;
use super::keys::numeric_keys::Told;
use super::line_store::{Entry, Held};
use super::partition::deal;
use super::prefix_sort::{self, LEVELS, SMALL, compare_all};

/// The entries in order, in parts that follow each other. All lines share their first `skip`
/// bytes.
pub(super) fn sorted(
    mut entries: Vec<Vec<Entry>>,
    held: &Held,
    order: &Order,
    parts: usize,
    skip: usize,
    processors: &dyn Processors,
) -> Vec<Vec<Entry>> {
    let exact = AtomicBool::new(true);
    let jobs = entries.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
        let exact = &exact;
        Box::new(move || {
            let mut unclear = 0;
            for entry in part.iter_mut() {
                let (number, told) = order.told(held.line(entry), 0);
                entry.prefix = number;
                unclear += usize::from(told != Told::All);
            }
            exact.fetch_and(unclear == 0, Ordering::Relaxed);
        })
    });
    processors.run(jobs.collect());
    let exact = exact.into_inner();
    let mut dealt = deal(entries, parts, |one, other| {
        let by_line = || order.compare(held.line(one), held.line(other));
        one.prefix.cmp(&other.prefix).then_with(by_line)
    });
    let keys = Keys { held, tails: order.tails(), whole: order.last_resort(), skip };
    let jobs = dealt.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
        let keys = &keys;
        Box::new(move || {
            if order.keeps_equal() {
                keys.by_prefix::<true>(part, Level::default(), exact);
            } else {
                keys.by_prefix::<false>(part, Level::default(), exact);
            }
        })
    });
    processors.run(jobs.collect());
    dealt
}

struct Keys<'h> {
    held: &'h Held,
    /// The order without its first key, without the first two, and so on.
    tails: Vec<Order>,
    /// What decides between lines whose keys are equal.
    whole: Order,
    skip: usize,
}

/// How far lines of a group are known to be equal.
#[derive(Clone, Copy, Default)]
struct Level {
    /// In this many keys,
    key: usize,
    /// and in this many bytes of the next.
    depth: usize,
    /// Levels above this one.
    above: usize,
}

impl Keys<'_> {
    /// Sorts by the prefixes, which are set, and what they do not tell. `exact` is true where
    /// they tell all there is to say about the key. `STABLE` keeps lines with equal keys in order.
    fn by_prefix<const STABLE: bool>(&self, entries: &mut [Entry], level: Level, exact: bool) {
        if STABLE {
            entries.sort_by_key(|entry| entry.prefix);
        } else {
            entries.sort_unstable_by_key(|entry| entry.prefix);
        }
        let order = &self.tails[level.key];
        for group in entries.chunk_by_mut(|one, other| one.prefix == other.prefix) {
            if group.len() == 1 {
                continue;
            }
            let told = |entry: &Entry| order.told(self.held.line(entry), level.depth).1;
            let first = if exact { Told::All } else { told(&group[0]) };
            let alike = exact || group[1..].iter().all(|entry| told(entry) == first);
            let above = level.above + 1;
            match first {
                Told::All if alike => {
                    self.sort::<STABLE>(group, Level { key: level.key + 1, depth: 0, above });
                }
                Told::Eight if alike => {
                    self.sort::<STABLE>(group, Level { depth: level.depth + 8, above, ..level });
                }
                // Also where keys that end here stand among such that go on.
                _ => compare_all::<STABLE>(group, self.held, order),
            }
        }
    }

    fn sort<const STABLE: bool>(&self, entries: &mut [Entry], level: Level) {
        let Some(order) = self.tails.get(level.key) else {
            if !STABLE {
                prefix_sort::sort::<false>(entries, self.held, &self.whole, self.skip, 0);
            }
            return;
        };
        if entries.len() <= SMALL || level.above >= LEVELS {
            return compare_all::<STABLE>(entries, self.held, order);
        }
        for entry in entries.iter_mut() {
            entry.prefix = order.told(self.held.line(entry), level.depth).0;
        }
        self.by_prefix::<STABLE>(entries, level, false);
    }
}
