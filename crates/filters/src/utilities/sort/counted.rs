//! Lines held once with their number of repeats, for data with few different lines.

use std::collections::HashMap;

use bytes::Bytes;
use stream::{LineId, Lines};

use super::line_store::ENTRY;

/// Lines looked at before the decision whether there are enough repeats.
const TRIAL: u64 = 1 << 14;

/// Bytes of memory for a different line, without its bytes: its place and count in the table, which
/// is half empty after it has grown, the head of its own piece of memory, its newline and its count.
const COUNTED: u64 = 96;

/// Different lines with their counts.
#[derive(Default)]
pub(super) struct CountedLines {
    counts: HashMap<Box<[u8]>, u64, foldhash::fast::RandomState>,
    total: u64,
    bytes: u64,
    /// What was read during the trial, to go back to.
    kept: Vec<Lines>,
    decided: bool,
}

impl CountedLines {
    /// Counts lines. False when the trial shows that less than half are repeats; the lines then
    /// come back from [`CountedLines::into_kept`], with these among them.
    pub(super) fn add(&mut self, lines: &Lines) -> bool {
        for (_, line) in lines.iter() {
            self.total += 1;
            if let Some(count) = self.counts.get_mut(line) {
                *count += 1;
            } else {
                self.bytes += line.len() as u64;
                self.counts.insert(line.into(), 1);
            }
        }
        if self.decided {
            return true;
        }
        self.kept.push(lines.clone());
        if self.total >= TRIAL {
            if self.counts.len() as u64 > self.total / 2 {
                return false;
            }
            self.decided = true;
            self.kept = Vec::new();
        }
        true
    }

    /// Bytes of memory held, with those that sorting will take.
    pub(super) fn memory(&self) -> u64 {
        let different = self.counts.len() as u64;
        2 * self.bytes
            + different * (COUNTED + ENTRY)
            + self.kept.iter().map(|lines| lines.bytes.len() as u64).sum::<u64>()
    }

    /// All lines read so far, after a failed trial.
    pub(super) fn into_kept(self) -> Vec<Lines> {
        self.kept
    }

    /// The different lines, as one chunk, and the count of each.
    pub(super) fn into_lines(self) -> (Vec<Lines>, Vec<u64>) {
        let mut text = Vec::with_capacity(self.bytes as usize + self.counts.len());
        let mut counts = Vec::with_capacity(self.counts.len());
        for (line, count) in self.counts {
            text.extend_from_slice(&line);
            text.push(b'\n');
            counts.push(count);
        }
        (
            vec![Lines {
                newlines: memchr::memchr_iter(b'\n', &text).count() as u64,
                bytes: Bytes::from(text),
                first: LineId::new(0, 0),
            }],
            counts,
        )
    }
}
