use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};

use crate::Block;

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
    processor_ns: AtomicU64,
    elapsed_ns: AtomicU64,
    held_bytes: AtomicU64,
    peak_held_bytes: AtomicU64,
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
    /// Nanoseconds spent waiting for input.
    pub waiting_ns: u64,
    /// Nanoseconds spent held up by the next stage.
    pub held_up_ns: u64,
    /// Nanoseconds of processor time, all threads of the stage.
    pub processor_ns: u64,
    /// Nanoseconds from the start of the stage to its end (or to its last block while it runs).
    pub elapsed_ns: u64,
    /// Bytes of data the stage holds now.
    pub held_bytes: u64,
    /// The most bytes it has held.
    pub peak_held_bytes: u64,
}

impl StageFigures {
    /// Adds the figures of another run of the same stage. Of what is held the most counts.
    pub fn add(&mut self, other: &Self) {
        self.bytes_in += other.bytes_in;
        self.lines_in += other.lines_in;
        self.bytes_out += other.bytes_out;
        self.lines_out += other.lines_out;
        self.waiting_ns += other.waiting_ns;
        self.held_up_ns += other.held_up_ns;
        self.processor_ns += other.processor_ns;
        self.elapsed_ns += other.elapsed_ns;
        self.held_bytes = other.held_bytes;
        self.peak_held_bytes = self.peak_held_bytes.max(other.peak_held_bytes);
    }
}

impl StageMeter {
    /// Counts a block read.
    pub fn count_in(&self, block: &Block) {
        self.bytes_in.fetch_add(block.len() as u64, Relaxed);
        self.lines_in.fetch_add(block.newlines(), Relaxed);
    }

    /// Counts the unterminated last line of an input that has ended.
    pub fn count_open_end(&self) {
        self.lines_in.fetch_add(1, Relaxed);
    }

    /// Counts a block written.
    pub fn count_out(&self, block: &Block) {
        if block.is_empty() {
            return;
        }
        self.bytes_out.fetch_add(block.len() as u64, Relaxed);
        self.lines_out.fetch_add(block.newlines(), Relaxed);
        self.out_open.store(!block.ends_line(), Relaxed);
    }

    /// Adds time spent waiting for input.
    pub fn add_waiting(&self, nanoseconds: u64) {
        self.waiting_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// Adds time spent held up by the reader of the output.
    pub fn add_held_up(&self, nanoseconds: u64) {
        self.held_up_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// Adds processor time.
    pub fn add_processor(&self, nanoseconds: u64) {
        self.processor_ns.fetch_add(nanoseconds, Relaxed);
    }

    /// Sets the time since the stage started.
    pub fn set_elapsed(&self, nanoseconds: u64) {
        self.elapsed_ns.store(nanoseconds, Relaxed);
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
            processor_ns: self.processor_ns.load(Relaxed),
            elapsed_ns: self.elapsed_ns.load(Relaxed),
            held_bytes: self.held_bytes.load(Relaxed),
            peak_held_bytes: self.peak_held_bytes.load(Relaxed),
        }
    }
}
