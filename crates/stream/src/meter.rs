//! What a stage has read and written, and how its time was spent.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};

use crate::{Block, METERED};

/// Counters of one stage, written by the stage's thread and read by anybody at any time.
///
/// Each counter is exact; a snapshot taken while the stage runs may catch one counter a block
/// ahead of another.
#[derive(Debug, Default)]
pub struct StageMeter {
    bytes_in: AtomicU64,
    lines_in: AtomicU64,
    bytes_out: AtomicU64,
    lines_out: AtomicU64,
    out_open: AtomicBool,
    waiting_ns: AtomicU64,
    held_up_ns: AtomicU64,
    /// When a wait began that is not over, and 0 where there is none.
    waiting_since_ns: AtomicU64,
    held_up_since_ns: AtomicU64,
    reading_ns: AtomicU64,
    writing_ns: AtomicU64,
    helped_ns: AtomicU64,
    processor_ns: AtomicU64,
    begun_ns: AtomicU64,
    elapsed_ns: AtomicU64,
    held_bytes: AtomicU64,
    peak_held_bytes: AtomicU64,
    queued_blocks: AtomicU64,
    /// One more than the number of the input that was standard input; 0 as long as there is none.
    standard_input: AtomicU64,
}

/// What a [`StageMeter`] showed at one moment.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StageFigures {
    /// Bytes the stage has read from all its inputs.
    pub bytes_in: u64,
    /// Lines the stage has read; an unterminated last line counts as one.
    pub lines_in: u64,
    /// Bytes the stage has written to standard output.
    pub bytes_out: u64,
    /// Lines the stage has written; an unterminated last line counts as one.
    pub lines_out: u64,
    /// Nanoseconds spent waiting for the stage before.
    pub waiting_ns: u64,
    /// Nanoseconds spent held up by the next stage.
    pub held_up_ns: u64,
    /// Nanoseconds spent in reading files, pipes and terminals: the copying and the waiting.
    pub reading_ns: u64,
    /// Nanoseconds spent in writing them.
    pub writing_ns: u64,
    /// Nanoseconds in which other threads worked for the stage, its own one with them or waiting.
    pub helped_ns: u64,
    /// Nanoseconds of processor time, all threads of the stage.
    pub processor_ns: u64,
    /// Nanoseconds from the start of the stage to its end (or to its last block while it runs).
    pub elapsed_ns: u64,
    /// Bytes of data the stage holds now.
    pub held_bytes: u64,
    /// The most bytes it has held.
    pub peak_held_bytes: u64,
    /// Blocks that wait in the link behind the stage.
    pub queued_blocks: u64,
}

/// How the time of a stage was spent; the three add up to [`StageFigures::elapsed_ns`].
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Shares {
    /// Nanoseconds at work, or ready for it while other stages had the processors.
    pub working_ns: u64,
    /// Nanoseconds waiting for input: from the stage before, a file, a pipe, a terminal.
    pub waiting_ns: u64,
    /// Nanoseconds in which what was written was not taken.
    pub held_up_ns: u64,
}

impl StageFigures {
    /// How the time was spent. Reading and writing outside of links counts as waiting as far as
    /// the stage used no processor meanwhile.
    pub fn shares(&self) -> Shares {
        let mut left = self.elapsed_ns;
        let mut take = |wanted: u64| {
            let taken = wanted.min(left);
            left -= taken;
            taken
        };
        let (linked, held) = (take(self.waiting_ns), take(self.held_up_ns));
        let mut blocked = left.saturating_sub(self.helped_ns).saturating_sub(self.processor_ns);
        let reading = self.reading_ns.min(blocked);
        blocked -= reading;
        let writing = self.writing_ns.min(blocked);
        let (waiting_ns, held_up_ns) = (linked + reading, held + writing);
        Shares { working_ns: self.elapsed_ns - waiting_ns - held_up_ns, waiting_ns, held_up_ns }
    }

    /// Adds the figures of another run of the same stage. Of what is held the most counts.
    pub fn add(&mut self, other: &Self) {
        self.bytes_in += other.bytes_in;
        self.lines_in += other.lines_in;
        self.bytes_out += other.bytes_out;
        self.lines_out += other.lines_out;
        self.waiting_ns += other.waiting_ns;
        self.held_up_ns += other.held_up_ns;
        self.reading_ns += other.reading_ns;
        self.writing_ns += other.writing_ns;
        self.helped_ns += other.helped_ns;
        self.processor_ns += other.processor_ns;
        self.elapsed_ns += other.elapsed_ns;
        self.held_bytes = other.held_bytes;
        self.peak_held_bytes = self.peak_held_bytes.max(other.peak_held_bytes);
        self.queued_blocks = other.queued_blocks;
    }
}

impl StageMeter {
    /// Notes that input `number` is standard input; of several openings the first one counts.
    pub fn note_standard_input(&self, number: usize) {
        let _ = self.standard_input.compare_exchange(0, number as u64 + 1, Relaxed, Relaxed);
    }

    /// Which of the stage's inputs is standard input, once it has been opened.
    pub fn standard_input(&self) -> Option<usize> {
        self.standard_input.load(Relaxed).checked_sub(1).map(|number| number as usize)
    }

    /// Counts a block read.
    pub fn count_in(&self, block: &Block) {
        if !METERED {
            return;
        }
        self.bytes_in.fetch_add(block.len() as u64, Relaxed);
        self.lines_in.fetch_add(block.newlines(), Relaxed);
    }

    /// Takes back what was counted of a block that the stage has left to others.
    pub fn uncount_in(&self, block: &Block) {
        if !METERED {
            return;
        }
        self.bytes_in.fetch_sub(block.len() as u64, Relaxed);
        self.lines_in.fetch_sub(block.newlines(), Relaxed);
    }

    /// Counts the unterminated last line of an input that has ended.
    pub fn count_open_end(&self) {
        if !METERED {
            return;
        }
        self.lines_in.fetch_add(1, Relaxed);
    }

    /// Counts a block written.
    pub fn count_out(&self, block: &Block) {
        if !METERED {
            return;
        }
        if block.is_empty() {
            return;
        }
        self.bytes_out.fetch_add(block.len() as u64, Relaxed);
        self.lines_out.fetch_add(block.newlines(), Relaxed);
        self.out_open.store(!block.ends_line(), Relaxed);
    }

    /// A wait for the stage before begins. Two waits of the same kind do not overlap.
    pub fn begin_waiting(&self, now_ns: u64) {
        if !METERED {
            return;
        }
        self.waiting_since_ns.store(now_ns.max(1), Relaxed);
    }

    /// It is over.
    pub fn end_waiting(&self, now_ns: u64) {
        if !METERED {
            return;
        }
        end(&self.waiting_since_ns, &self.waiting_ns, now_ns);
    }

    /// The link behind the stage is full: a wait for room begins.
    pub fn begin_held_up(&self, now_ns: u64) {
        if !METERED {
            return;
        }
        self.held_up_since_ns.store(now_ns.max(1), Relaxed);
    }

    /// It is over.
    pub fn end_held_up(&self, now_ns: u64) {
        if !METERED {
            return;
        }
        end(&self.held_up_since_ns, &self.held_up_ns, now_ns);
    }

    /// Adds time spent in reading something that is not a link.
    pub fn add_reading(&self, nanoseconds: u64) {
        if !METERED {
            return;
        }
        self.reading_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// Adds time spent in writing something that is not a link.
    pub fn add_writing(&self, nanoseconds: u64) {
        if !METERED {
            return;
        }
        self.writing_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// Adds time in which other threads worked for the stage.
    pub fn add_helped(&self, nanoseconds: u64) {
        self.helped_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// States how many blocks wait in the link behind the stage.
    pub fn set_queued(&self, blocks: usize) {
        if !METERED {
            return;
        }
        self.queued_blocks.store(blocks as u64, Relaxed);
    }

    /// The stage begins.
    pub fn begin(&self, now_ns: u64) {
        self.begun_ns.store(now_ns.max(1), Relaxed);
    }

    /// States all processor time, where somebody else adds it up.
    pub fn set_processor(&self, nanoseconds: u64) {
        self.processor_ns.store(nanoseconds, Relaxed);
    }

    /// Adds processor time.
    pub fn add_processor(&self, nanoseconds: u64) {
        self.processor_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// The stage has ended.
    pub fn end(&self, now_ns: u64) {
        let begun = self.begun_ns.swap(0, Relaxed);
        if begun != 0 {
            self.elapsed_ns.fetch_add(now_ns.saturating_sub(begun), Relaxed);
        }
    }

    /// True once the stage has begun and ended.
    pub fn has_ended(&self) -> bool {
        self.begun_ns.load(Relaxed) == 0 && self.elapsed_ns.load(Relaxed) > 0
    }

    /// States how many bytes of data the stage holds now.
    pub fn set_held(&self, bytes: u64) {
        self.held_bytes.store(bytes, Relaxed);
        self.peak_held_bytes.fetch_max(bytes, Relaxed);
    }

    /// All counters at this moment.
    pub fn figures(&self) -> StageFigures {
        StageFigures {
            bytes_in: self.bytes_in.load(Relaxed),
            lines_in: self.lines_in.load(Relaxed),
            bytes_out: self.bytes_out.load(Relaxed),
            lines_out: self.lines_out.load(Relaxed) + u64::from(self.out_open.load(Relaxed)),
            waiting_ns: self.waiting_ns.load(Relaxed),
            held_up_ns: self.held_up_ns.load(Relaxed),
            reading_ns: self.reading_ns.load(Relaxed),
            writing_ns: self.writing_ns.load(Relaxed),
            helped_ns: self.helped_ns.load(Relaxed),
            processor_ns: self.processor_ns.load(Relaxed),
            elapsed_ns: self.elapsed_ns.load(Relaxed),
            held_bytes: self.held_bytes.load(Relaxed),
            peak_held_bytes: self.peak_held_bytes.load(Relaxed),
            queued_blocks: self.queued_blocks.load(Relaxed),
        }
    }

    /// All counters at this moment, with the times of what is going on.
    pub fn figures_at(&self, now_ns: u64) -> StageFigures {
        // Since when is looked at first: a wait that ends meanwhile is missed for this once
        // rather than counted twice.
        let since = |at: &AtomicU64| match at.load(Relaxed) {
            0 => 0,
            since => now_ns.saturating_sub(since),
        };
        let (waiting, held_up) = (since(&self.waiting_since_ns), since(&self.held_up_since_ns));
        let mut figures = self.figures();
        figures.elapsed_ns += since(&self.begun_ns);
        figures.waiting_ns += waiting;
        figures.held_up_ns += held_up;
        figures
    }
}

fn end(since: &AtomicU64, all: &AtomicU64, now_ns: u64) {
    let begun = since.swap(0, Relaxed);
    if begun != 0 {
        all.fetch_add(now_ns.saturating_sub(begun), Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Figures that all differ.
    fn all(from: u64) -> StageFigures {
        StageFigures {
            bytes_in: from + 1,
            lines_in: from + 2,
            bytes_out: from + 3,
            lines_out: from + 4,
            waiting_ns: from + 5,
            held_up_ns: from + 6,
            reading_ns: from + 7,
            writing_ns: from + 8,
            helped_ns: from + 9,
            processor_ns: from + 10,
            elapsed_ns: from + 11,
            held_bytes: from + 12,
            peak_held_bytes: from + 13,
            queued_blocks: from + 14,
        }
    }

    #[test]
    fn figures_of_several_runs_add_up_but_for_what_is_held() {
        let mut sum = all(100);
        sum.add(&all(1_000));
        let both = StageFigures {
            bytes_in: 1_102,
            lines_in: 1_104,
            bytes_out: 1_106,
            lines_out: 1_108,
            waiting_ns: 1_110,
            held_up_ns: 1_112,
            reading_ns: 1_114,
            writing_ns: 1_116,
            helped_ns: 1_118,
            processor_ns: 1_120,
            elapsed_ns: 1_122,
            held_bytes: 1_012,
            peak_held_bytes: 1_013,
            queued_blocks: 1_014,
        };
        assert_eq!(sum, both);
        sum.add(&all(0));
        assert_eq!((sum.held_bytes, sum.peak_held_bytes, sum.queued_blocks), (12, 1_013, 14));
    }

    #[test]
    fn a_stage_has_ended_only_after_it_has_begun() {
        let meter = StageMeter::default();
        assert!(!meter.has_ended());
        meter.begin(1_000);
        assert!(!meter.has_ended());
        meter.end(1_500);
        assert!(meter.has_ended());
        meter.begin(2_000);
        assert!(!meter.has_ended());
    }

    #[test]
    fn a_wait_counts_while_it_lasts() {
        let meter = StageMeter::default();
        meter.begin(1_000);
        meter.begin_waiting(1_200);
        let figures = meter.figures_at(1_500);
        assert_eq!((figures.elapsed_ns, figures.waiting_ns), (500, 300));
        meter.end_waiting(1_600);
        meter.begin_held_up(1_700);
        let shares = meter.figures_at(2_000).shares();
        assert_eq!(shares, Shares { working_ns: 300, waiting_ns: 400, held_up_ns: 300 });
        meter.end_held_up(2_000);
        meter.end(2_100);
        assert_eq!(meter.figures().elapsed_ns, 1_100);
        assert_eq!(meter.figures_at(9_999), meter.figures());
    }

    #[test]
    fn shares_add_up_whatever_the_counters_say() {
        for seed in 0..2_000_u64 {
            let mut state = seed;
            let mut next = || {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(99);
                (state >> 33) % 1_000
            };
            let figures = StageFigures {
                elapsed_ns: next(),
                waiting_ns: next(),
                held_up_ns: next(),
                reading_ns: next(),
                writing_ns: next(),
                helped_ns: next(),
                processor_ns: next(),
                ..StageFigures::default()
            };
            let shares = figures.shares();
            let sum = shares.working_ns + shares.waiting_ns + shares.held_up_ns;
            assert_eq!(sum, figures.elapsed_ns, "{figures:?}");
        }
    }

    #[test]
    fn reading_with_the_processor_busy_is_work() {
        let busy = StageFigures { elapsed_ns: 100, reading_ns: 90, ..StageFigures::default() };
        assert_eq!(busy.shares().waiting_ns, 90);
        let busy = StageFigures { processor_ns: 100, ..busy };
        assert_eq!(busy.shares().working_ns, 100);
    }
}
