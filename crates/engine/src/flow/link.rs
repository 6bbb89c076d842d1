//! Bounded queues of blocks between stages.

use parking_lot::{Condvar, Mutex, MutexGuard};
use std::collections::VecDeque;
use std::sync::{Arc, Weak};
use std::time::Duration;

use stream::{Block, ReadError, RunControl, Sink, Source, StageMeter, Wakes, WriteError};

use crate::base::clock::run_ns;

/// Blocks a link holds before its writer must wait. With the usual block of 128 KiB a link takes
/// at most about one MiB.
pub const LINK_BLOCKS: usize = 8;

/// After this a writer uses room that is less than half of a link. Nobody is missed for that: what ends a
/// wait wakes whoever waits.
const LITTLE_ROOM: Duration = Duration::from_millis(25);

#[derive(Default)]
struct State {
    queue: VecDeque<Block>,
    writer_gone: bool,
    reader_gone: bool,
}

struct Shared {
    state: Mutex<State>,
    changed: Condvar,
    control: RunControl,
    /// The writer's meter, which shows how full the link is.
    gauge: Arc<StageMeter>,
}

impl Shared {
    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock()
    }

    /// Waits until the writer has done something, or the run is cancelled.
    fn wait(&self, guard: &mut MutexGuard<'_, State>) {
        self.changed.wait(guard);
    }

    /// Waits until the reader has done something, or the run is cancelled. A reader says so when it has
    /// taken half of what is here, or leaves; one that takes less than that for a while makes room, too.
    fn wait_for_room(&self, guard: &mut MutexGuard<'_, State>) {
        self.changed.wait_for(guard, LITTLE_ROOM);
    }

    /// True once the run is cancelled. While it is paused that is waited for, and nobody is kept from
    /// the link meanwhile.
    fn is_cancelled(&self, guard: &mut MutexGuard<'_, State>) -> bool {
        if self.control.is_paused() {
            MutexGuard::unlocked(guard, || self.control.is_cancelled());
        }
        self.control.was_cancelled()
    }
}

impl Wakes for Shared {
    fn wake(&self) {
        // Nobody is between looking and waiting while this is held.
        drop(self.lock());
        self.changed.notify_all();
    }
}

/// The end of a link that takes blocks. Dropping it ends the stream.
pub(crate) struct LinkWriter {
    shared: Arc<Shared>,
    meter: Arc<StageMeter>,
}

/// The end of a link that gives blocks. Dropping it closes the stream for the writer.
pub(crate) struct LinkReader {
    shared: Arc<Shared>,
    meter: Arc<StageMeter>,
}

/// A link whose waiting times are added to the meters of the stages on both sides.
pub(crate) fn link(
    control: &RunControl,
    writer: Arc<StageMeter>,
    reader: Arc<StageMeter>,
) -> (LinkWriter, LinkReader) {
    let shared = Arc::new(Shared {
        state: Mutex::default(),
        changed: Condvar::new(),
        control: control.clone(),
        gauge: writer.clone(),
    });
    let weak: Weak<Shared> = Arc::downgrade(&shared);
    control.wakes(weak);
    (LinkWriter { shared: shared.clone(), meter: writer }, LinkReader { shared, meter: reader })
}

impl Sink for LinkWriter {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        if block.is_empty() {
            return Ok(());
        }
        let mut state = self.shared.lock();
        let mut waited = false;
        let outcome = loop {
            if state.reader_gone {
                break Err(WriteError::Closed);
            }
            if self.shared.is_cancelled(&mut state) {
                break Err(WriteError::Cancelled);
            }
            if state.queue.len() < LINK_BLOCKS {
                state.queue.push_back(block);
                self.shared.gauge.set_queued(state.queue.len());
                if state.queue.len() == 1 {
                    self.shared.changed.notify_all();
                }
                break Ok(());
            }
            if !waited {
                waited = true;
                self.meter.begin_held_up(run_ns(&self.shared.control));
            }
            self.shared.wait_for_room(&mut state);
        };
        drop(state);
        if waited {
            self.meter.end_held_up(run_ns(&self.shared.control));
        }
        outcome
    }

    fn is_link(&self) -> bool {
        true
    }

    fn is_closed(&self) -> bool {
        self.shared.lock().reader_gone
    }
}

impl Drop for LinkWriter {
    fn drop(&mut self) {
        self.shared.lock().writer_gone = true;
        self.shared.changed.notify_all();
    }
}

impl Source for LinkReader {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        let mut state = self.shared.lock();
        let mut waited = false;
        let outcome = loop {
            if self.shared.is_cancelled(&mut state) {
                break Err(ReadError::Cancelled);
            }
            if let Some(block) = state.queue.pop_front() {
                self.shared.gauge.set_queued(state.queue.len());
                // The writer waits only for a full queue; waking it at half full lets it
                // write several blocks in a row.
                if state.queue.len() == LINK_BLOCKS / 2 {
                    self.shared.changed.notify_all();
                }
                break Ok(Some(block));
            }
            if state.writer_gone {
                break Ok(None);
            }
            if !waited {
                waited = true;
                self.meter.begin_waiting(run_ns(&self.shared.control));
            }
            self.shared.wait(&mut state);
        };
        drop(state);
        if waited {
            self.meter.end_waiting(run_ns(&self.shared.control));
        }
        outcome
    }

    fn is_link(&self) -> bool {
        true
    }
}

impl Drop for LinkReader {
    fn drop(&mut self) {
        let mut state = self.shared.lock();
        state.reader_gone = true;
        state.queue.clear();
        self.shared.gauge.set_queued(0);
        drop(state);
        self.shared.changed.notify_all();
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use super::*;

    fn block(text: &str) -> Block {
        Block::new(text.as_bytes().to_vec())
    }

    #[test]
    fn blocks_arrive_in_order_and_the_end_after_them() {
        let meter = Arc::new(StageMeter::default());
        let (writer, mut reader) = link(&RunControl::default(), meter.clone(), meter);
        let thread = std::thread::spawn(move || {
            for number in 0..100 {
                writer.write(block(&number.to_string())).unwrap();
            }
        });
        for number in 0..100 {
            assert_eq!(reader.next_block().unwrap().unwrap(), block(&number.to_string()));
        }
        assert!(reader.next_block().unwrap().is_none());
        thread.join().unwrap();
    }

    #[test]
    fn a_reader_that_leaves_closes_the_stream() {
        let meter = Arc::new(StageMeter::default());
        let (writer, reader) = link(&RunControl::default(), meter.clone(), meter);
        drop(reader);
        assert!(matches!(writer.write(block("x")), Err(WriteError::Closed)));
    }

    #[test]
    fn only_the_time_of_waiting_counts_and_it_ends_with_the_wait() {
        let before = Arc::new(StageMeter::default());
        let after = Arc::new(StageMeter::default());
        let control = RunControl::default();
        let (writer, mut reader) = link(&control, before.clone(), after.clone());
        let later = run_ns(&control) + 3_600_000_000_000;
        for _ in 0..LINK_BLOCKS {
            writer.write(block("x")).unwrap();
        }
        assert_eq!(before.figures().queued_blocks, LINK_BLOCKS as u64);
        assert_eq!(before.figures_at(later).held_up_ns, 0, "there was room");
        let (begun, beginning) = std::sync::mpsc::channel();
        let writing = std::thread::spawn(move || {
            begun.send(()).unwrap();
            writer.write(block("y")).unwrap();
            writer
        });
        beginning.recv().unwrap();
        while before.figures_at(later).held_up_ns == 0 {
            std::thread::yield_now();
        }
        assert!(reader.next_block().unwrap().is_some());
        assert_eq!(after.figures_at(later).waiting_ns, 0, "there was something to read");
        let writer = writing.join().unwrap();
        let held_up = before.figures().held_up_ns;
        assert_eq!(before.figures_at(later).held_up_ns, held_up, "nothing is added after the wait");
        while reader.shared.lock().queue.pop_front().is_some() {}
        let reading = std::thread::spawn(move || reader.next_block().unwrap().is_some());
        while after.figures_at(later).waiting_ns == 0 {
            std::thread::yield_now();
        }
        writer.write(block("z")).unwrap();
        assert!(reading.join().unwrap());
        assert_eq!(after.figures_at(later).waiting_ns, after.figures().waiting_ns);
    }

    #[test]
    fn cancelling_frees_both_sides() {
        let meter = Arc::new(StageMeter::default());
        let control = RunControl::default();
        let (writer, reader) = link(&control, meter.clone(), meter.clone());
        let (idle_writer, mut idle_reader) = link(&control, meter.clone(), meter);
        let writing = std::thread::spawn(move || {
            while writer.write(block("x")).is_ok() {}
            drop(reader);
        });
        let reading = std::thread::spawn(move || idle_reader.next_block().is_err());
        control.cancel();
        writing.join().unwrap();
        assert!(reading.join().unwrap());
        drop(idle_writer);
    }

    /// What is asked of a link while the run is paused is answered: nobody keeps it for the pause.
    #[test]
    fn a_pause_keeps_nobody_from_the_link() {
        let meter = Arc::new(StageMeter::default());
        let control = RunControl::default();
        let (writer, mut reader) = link(&control, meter.clone(), meter);
        control.pause(1);
        std::thread::scope(|scope| {
            let writing = scope.spawn(|| writer.write(block("a\n")));
            // It waits for the end of the pause; both sides may be asked all the same.
            for _ in 0..1000 {
                assert!(!writer.is_closed() && !writing.is_finished());
                std::thread::yield_now();
            }
            control.resume(2);
            writing.join().unwrap().unwrap();
        });
        assert!(reader.next_block().unwrap().is_some());
    }
}
