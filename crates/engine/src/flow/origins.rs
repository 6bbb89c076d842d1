//! Where the output of a part of the shell comes from: the lines it has taken from its input in
//! this round of its loop, or at all where there is no loop.

use parking_lot::Mutex;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use stream::{Block, LineId, Origin, OriginStore, Sink, SinkLayer, WriteError};

use crate::flow::descriptors::SharedInput;

/// What a part of the shell takes from its input, and since when that counts.
#[derive(Clone)]
pub(crate) struct InputCursor {
    input: Arc<SharedInput>,
    since: Arc<AtomicU64>,
}

impl InputCursor {
    pub(crate) fn of(input: Arc<SharedInput>) -> Self {
        Self { input, since: Arc::default() }
    }

    /// From which line on it counts.
    pub(crate) fn since(&self) -> u64 {
        self.since.load(Ordering::Relaxed)
    }

    /// Begins a round of a loop: what was taken before does not count any more.
    pub(crate) fn begin_round(&self) {
        self.since.store(self.input.lines_taken(), Ordering::Relaxed);
    }

    /// Ends a loop: all of its rounds count.
    pub(crate) fn end_loop(&self, since: u64) {
        self.since.store(since, Ordering::Relaxed);
    }

    fn origin(&self) -> Origin<'static> {
        let (since, until) = (self.since(), self.input.lines_taken());
        let id = |line| LineId::new(0, line);
        match until.saturating_sub(since) {
            // Nothing was read in this round: it is the lines before that are gone on with.
            0 if until > 0 => Origin::Line(id(until - 1)),
            0 => Origin::None,
            1 => Origin::Line(id(since)),
            _ => Origin::Range(id(since), id(until - 1)),
        }
    }
}

/// Notes the origins of what passes.
pub(crate) struct OriginSink {
    inner: Arc<dyn Sink>,
    origins: Arc<Mutex<OriginStore>>,
    taken: InputCursor,
    /// What was written last does not end a line.
    open: Mutex<bool>,
}

impl OriginSink {
    pub(crate) fn new(
        inner: Arc<dyn Sink>,
        origins: Arc<Mutex<OriginStore>>,
        taken: InputCursor,
    ) -> Self {
        Self { inner, origins, taken, open: Mutex::default() }
    }
}

impl SinkLayer for OriginSink {
    fn inner(&self) -> &dyn Sink {
        &*self.inner
    }

    fn pass(&self, block: Block) -> Result<(), WriteError> {
        if block.is_empty() {
            return self.inner.write(block);
        }
        let mut open = self.open.lock();
        let origin = self.taken.origin();
        let begun = block.newlines() + u64::from(!block.ends_line());
        let mut origins = self.origins.lock();
        if *open {
            origins.extend_last(origin);
        }
        origins.push(begun - u64::from(*open), origin);
        drop(origins);
        *open = !block.ends_line();
        self.inner.write(block)
    }
}
