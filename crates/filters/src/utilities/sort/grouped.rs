//! Data with few different lines, where each single line must still be known: equal lines are
//! found by hashing while they are read, and only one of each kind is compared.

use std::collections::HashMap;

use super::keys::Order;
use super::line_store::{Entry, Held};

/// Lines looked at before the decision whether there are enough repeats.
const TRIAL: usize = 1 << 12;

/// Lines by kind. Only for orders in which lines that compare as equal are the same.
#[derive(Default)]
pub(super) struct Grouping {
    known: HashMap<Box<[u8]>, u32, foldhash::fast::RandomState>,
    /// One entry of each kind, and how many there are.
    kinds: Vec<(Entry, usize)>,
    entries: Vec<Entry>,
    kind_of: Vec<u32>,
}

impl Grouping {
    /// Takes in the lines of a chunk. False when more than half of the lines so far are of a
    /// kind of their own: then grouping is not worth its memory.
    pub(super) fn add(&mut self, held: &Held, chunk: usize) -> bool {
        let from = self.entries.len();
        held.scan(chunk, &mut self.entries, &mut None);
        for entry in &self.entries[from..] {
            let line = held.line(entry);
            let kind = if let Some(&kind) = self.known.get(line) {
                kind
            } else {
                let kind = self.kinds.len() as u32;
                self.known.insert(line.into(), kind);
                self.kinds.push((*entry, 0));
                kind
            };
            self.kinds[kind as usize].1 += 1;
            self.kind_of.push(kind);
        }
        self.entries.len() < TRIAL || self.kinds.len() <= self.entries.len() / 2
    }

    /// The entries in order, equal lines in the order they came.
    pub(super) fn sorted(self, held: &Held, order: &Order) -> Vec<Entry> {
        let Self { kinds, entries, kind_of, known: _ } = self;
        let mut sorted: Vec<usize> = (0..kinds.len()).collect();
        sorted.sort_by(|one, other| {
            order.compare(held.line(&kinds[*one].0), held.line(&kinds[*other].0))
        });
        // Where the next entry of each kind goes.
        let mut places = vec![0; kinds.len()];
        let mut place = 0;
        for kind in sorted {
            places[kind] = place;
            place += kinds[kind].1;
        }
        let mut result = entries.clone();
        for (entry, kind) in entries.iter().zip(kind_of) {
            let place = &mut places[kind as usize];
            result[*place] = *entry;
            *place += 1;
        }
        result
    }
}
