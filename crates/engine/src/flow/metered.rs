//! What a stage reads and writes, counted and timed.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::thread::ThreadId;

use bytes::Bytes;
use stream::{
    Block, METERED, Next, ReadError, RunControl, Sink, SinkLayer, Source, SourceLayer, StageMeter,
    Tail, WriteError,
};

use crate::base::clock::{now_ns, run_ns, thread_time};
use crate::flow::read_ahead::ReadAhead;

/// How often a thread that works looks how much processor time it has used.
const LOOK_NS: u64 = 20_000_000;

/// The time of one stage, from when this is made to when it is dropped: the elapsed time, and the
/// processor time of the thread that made it.
pub(crate) struct StageClock {
    meter: Arc<StageMeter>,
    control: RunControl,
    thread: ThreadId,
    /// Processor time of the thread that was added already.
    seen_ns: AtomicU64,
    /// When it was looked at last.
    looked_ns: AtomicU64,
}

impl StageClock {
    pub(crate) fn start(meter: &Arc<StageMeter>, control: &RunControl) -> Arc<Self> {
        meter.begin(run_ns(control));
        Arc::new(Self {
            meter: meter.clone(),
            control: control.clone(),
            thread: std::thread::current().id(),
            seen_ns: AtomicU64::new(thread_time()),
            looked_ns: AtomicU64::new(now_ns()),
        })
    }

    /// Adds the processor time used since the last look, where this is the stage's own thread and
    /// that is some time ago.
    fn look_now_and_then(&self, now_ns: u64) {
        let due = now_ns.saturating_sub(self.looked_ns.load(Relaxed)) >= LOOK_NS;
        if due && std::thread::current().id() == self.thread {
            self.looked_ns.store(now_ns, Relaxed);
            self.look();
        }
    }

    fn look(&self) {
        let now = thread_time();
        let seen = self.seen_ns.swap(now, Relaxed);
        self.meter.add_processor(now.saturating_sub(seen));
    }

    /// The stage has ended.
    pub(crate) fn end(&self) {
        self.look();
        self.meter.end(run_ns(&self.control));
    }
}

/// Counts what is written, and looks whether the run is cancelled.
pub(crate) struct MeteredSink {
    inner: Arc<dyn Sink>,
    meter: Arc<StageMeter>,
    control: RunControl,
    /// `None` where the stage is a program.
    clock: Option<Arc<StageClock>>,
}

impl MeteredSink {
    pub(crate) fn new(
        inner: Arc<dyn Sink>,
        meter: &Arc<StageMeter>,
        control: &RunControl,
        clock: &Arc<StageClock>,
    ) -> Self {
        Self { clock: Some(clock.clone()), ..Self::of_program(inner, meter, control) }
    }

    /// Counts only.
    pub(crate) fn of_program(
        inner: Arc<dyn Sink>,
        meter: &Arc<StageMeter>,
        control: &RunControl,
    ) -> Self {
        Self { inner, meter: meter.clone(), control: control.clone(), clock: None }
    }

    /// Writes on. A reader that has gone because the run was cancelled did not have enough: that is
    /// not a closed pipe.
    fn hand_on(&self, block: Block) -> Result<(), WriteError> {
        self.inner.write(block).map_err(|error| match error {
            WriteError::Closed if self.control.was_cancelled() => WriteError::Cancelled,
            error => error,
        })
    }
}

impl SinkLayer for MeteredSink {
    fn inner(&self) -> &dyn Sink {
        &*self.inner
    }

    fn pass(&self, block: Block) -> Result<(), WriteError> {
        // A stage that reads nothing, such as seq, is stopped here.
        if self.control.is_cancelled() {
            return Err(WriteError::Cancelled);
        }
        let counted = block.clone();
        match &self.clock {
            Some(clock) if METERED && !self.inner.is_link() => {
                let before = now_ns();
                self.hand_on(block)?;
                let now = now_ns();
                self.meter.add_writing(now - before);
                clock.look_now_and_then(now);
            }
            _ => self.hand_on(block)?,
        }
        self.meter.count_out(&counted);
        Ok(())
    }
}

/// Counts what is read, and looks whether the run is cancelled.
pub(crate) struct MeteredSource {
    inner: Box<dyn Source>,
    meter: Arc<StageMeter>,
    control: RunControl,
    clock: Arc<StageClock>,
    /// Blocks read from a link since the last look at the clock.
    blocks: u8,
    /// The last byte read does not end a line.
    open: bool,
    /// The end of this source is the end of the input.
    ends: bool,
}

impl MeteredSource {
    /// Counts what is read of a source that ends the input.
    pub(crate) fn new(inner: Box<dyn Source>, clock: &Arc<StageClock>) -> Self {
        Self {
            inner: ReadAhead::of(inner, &clock.meter, &clock.control),
            meter: clock.meter.clone(),
            control: clock.control.clone(),
            clock: clock.clone(),
            blocks: 0,
            open: false,
            ends: true,
        }
    }

    /// Reads on, and looks at the clock: at each block that is not from a link, which costs more
    /// than the look.
    fn next(
        &mut self,
        next: impl FnOnce(&mut dyn Source) -> Result<Option<Block>, ReadError>,
    ) -> Result<Option<Block>, ReadError> {
        if !METERED {
            return next(&mut *self.inner);
        }
        if self.inner.is_link() {
            self.blocks = (self.blocks + 1) % 16;
            if self.blocks == 0 {
                self.clock.look_now_and_then(now_ns());
            }
            return next(&mut *self.inner);
        }
        let before = now_ns();
        let block = next(&mut *self.inner);
        let now = now_ns();
        self.meter.add_reading(now - before);
        self.clock.look_now_and_then(now);
        block
    }

    fn counted(
        &mut self,
        next: impl FnOnce(&mut dyn Source) -> Result<Option<Block>, ReadError>,
    ) -> Result<Option<Block>, ReadError> {
        if self.control.is_cancelled() {
            return Err(ReadError::Cancelled);
        }
        let block = self.next(next)?;
        match &block {
            Some(block) => {
                self.meter.count_in(block);
                self.open = !block.ends_line();
            }
            // A writer that has gone because the run was cancelled had more to say.
            None if self.control.was_cancelled() => return Err(ReadError::Cancelled),
            None if self.open && self.ends => {
                self.open = false;
                self.meter.count_open_end();
            }
            None => {}
        }
        Ok(block)
    }
}

impl SourceLayer for MeteredSource {
    fn inner(&self) -> &dyn Source {
        &*self.inner
    }

    fn inner_mut(&mut self) -> &mut dyn Source {
        &mut *self.inner
    }

    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError> {
        self.counted(next)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        self.inner.seek_last(part)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let parts = self.inner.split(parts)?;
        let last = parts.len().saturating_sub(1);
        let metered = parts.into_iter().enumerate().map(|(number, inner)| {
            // Only the end of the last part is the end of the input.
            let ends = number == last;
            Box::new(MeteredSource { ends, ..MeteredSource::new(inner, &self.clock) })
                as Box<dyn Source>
        });
        Some(metered.collect())
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        let block = Block::new(bytes.clone());
        let taken = self.inner.give_back(bytes);
        if taken {
            self.meter.uncount_in(&block);
        }
        taken
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use super::*;

    /// The other end of a link goes away because the run was cancelled meanwhile.
    struct CancelledMeanwhile(RunControl);

    impl Sink for CancelledMeanwhile {
        fn write(&self, _: Block) -> Result<(), WriteError> {
            self.0.cancel();
            Err(WriteError::Closed)
        }
    }

    impl Source for CancelledMeanwhile {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            self.0.cancel();
            Ok(None)
        }
    }

    struct Gone;

    impl Sink for Gone {
        fn write(&self, _: Block) -> Result<(), WriteError> {
            Err(WriteError::Closed)
        }
    }

    fn parts() -> (Arc<StageMeter>, RunControl, Arc<StageClock>) {
        let (meter, control) = (Arc::new(StageMeter::default()), RunControl::default());
        let clock = StageClock::start(&meter, &control);
        (meter, control, clock)
    }

    #[test]
    fn a_thread_that_works_on_is_looked_at_now_and_then() {
        let (meter, _, clock) = parts();
        let begun = thread_time();
        while thread_time() - begun < 1_000_000 {
            std::hint::spin_loop();
        }
        let used = || meter.figures().processor_ns;
        let looked = clock.looked_ns.load(Relaxed);
        clock.look_now_and_then(looked + LOOK_NS - 1);
        assert_eq!(used(), 0, "not yet");
        let due = looked + LOOK_NS;
        std::thread::scope(|scope| {
            scope.spawn(|| clock.look_now_and_then(due));
        });
        assert_eq!(used(), 0, "the time of another thread is not the stage's");
        clock.look_now_and_then(due);
        let first = used();
        assert!(first >= 1_000_000, "{first}");
        clock.look_now_and_then(due + 1);
        assert_eq!(used(), first, "it was looked at just now");
        clock.end();
        assert!(used() >= first);
    }

    #[test]
    fn a_reader_that_was_cancelled_has_not_closed_the_pipe() {
        let (meter, control, clock) = parts();
        let sink = MeteredSink::new(
            Arc::new(CancelledMeanwhile(control.clone())),
            &meter,
            &control,
            &clock,
        );
        let written = sink.write(Block::new(Bytes::from_static(b"a\n")));
        assert!(matches!(written, Err(WriteError::Cancelled)), "{written:?}");
        assert_eq!(meter.figures().lines_out, 0);
    }

    #[test]
    fn a_reader_that_had_enough_has_closed_the_pipe() {
        let (meter, control, clock) = parts();
        let sink = MeteredSink::new(Arc::new(Gone), &meter, &control, &clock);
        let written = sink.write(Block::new(Bytes::from_static(b"a\n")));
        assert!(matches!(written, Err(WriteError::Closed)), "{written:?}");
    }

    #[test]
    fn the_end_of_a_cancelled_writer_is_not_the_end_of_the_input() {
        let (_, control, clock) = parts();
        let mut source = MeteredSource::new(Box::new(CancelledMeanwhile(control)), &clock);
        assert!(matches!(source.next_block(), Err(ReadError::Cancelled)));
    }
}
