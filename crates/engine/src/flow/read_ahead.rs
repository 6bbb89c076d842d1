//! Files read ahead on a thread of their own.

use std::sync::Arc;

use bytes::Bytes;
use parking_lot::Mutex;
use stream::{
    Arrivals, Block, FileFacts, METERED, ReadError, RunControl, Source, StageMeter, Tail,
};

use crate::base::clock::thread_time;
use crate::base::threads::start_thread;
use crate::flow::link::{LinkReader, link};

/// Blocks that are read as they are asked for first: who wants only the beginning of a file, and
/// who reads a small one, needs no thread.
const AT_ONCE: u32 = 8;

/// What a thread that reads ahead leaves when it has ended.
type Left = Arc<Mutex<Option<(Box<dyn Source>, Option<ReadError>)>>>;

enum Reading {
    /// On the thread of whoever asks; this many blocks so far.
    Straight(Box<dyn Source>, u32),
    /// Through a link from a thread.
    Ahead {
        reader: LinkReader,
        left: Left,
        facts: Option<FileFacts>,
        bytes: Option<u64>,
        is_part: bool,
    },
    /// The thread left nothing.
    Lost,
}

/// A source that is read ahead of its reader once that has taken some blocks of it: copying out
/// of the page cache (or waiting for the disk) and counting lines then happen beside the work of
/// the stage. What it gives is what the source gives.
///
/// Memory: a link of blocks, once it reads ahead.
pub(crate) struct ReadAhead {
    reading: Reading,
    meter: Arc<StageMeter>,
    control: RunControl,
    /// Bytes given so far, counted from where the source was.
    given: u64,
    /// Where the source was when reading ahead began.
    base: Option<u64>,
}

impl ReadAhead {
    /// Reads `inner` ahead where it [allows that](Source::allows_ahead). The processor time of
    /// the thread and the time its reader waits for it are added to `meter`.
    pub(crate) fn of(
        inner: Box<dyn Source>,
        meter: &Arc<StageMeter>,
        control: &RunControl,
    ) -> Box<dyn Source> {
        if !inner.allows_ahead() {
            return inner;
        }
        Box::new(Self {
            reading: Reading::Straight(inner, 0),
            meter: meter.clone(),
            control: control.clone(),
            given: 0,
            base: None,
        })
    }

    fn straight(&self) -> Option<&dyn Source> {
        match &self.reading {
            Reading::Straight(inner, _) => Some(&**inner),
            _ => None,
        }
    }

    fn straight_mut(&mut self) -> Option<&mut dyn Source> {
        match &mut self.reading {
            Reading::Straight(inner, _) => Some(&mut **inner),
            _ => None,
        }
    }

    /// Starts the thread. Where none can be had, reading continues straight.
    fn begin(&mut self) {
        let Reading::Straight(inner, _) = std::mem::replace(&mut self.reading, Reading::Lost)
        else {
            return;
        };
        (self.base, self.given) = (inner.position(), 0);
        let (facts, bytes, is_part) = (inner.facts(), inner.file_bytes(), inner.is_part());
        let (writer, reader) = link(&self.control, Arc::default(), self.meter.clone());
        let left: Left = Arc::new(Mutex::new(Some((inner, None))));
        let (shared, meter) = (left.clone(), self.meter.clone());
        let work = move || {
            let taken = shared.lock().take();
            let Some((mut inner, _)) = taken else { return };
            let mut seen = thread_time();
            let error = loop {
                let block = match inner.next_block() {
                    Ok(Some(block)) => block,
                    Ok(None) => break None,
                    Err(error) => break Some(error),
                };
                if METERED {
                    let now = thread_time();
                    meter.add_processor(now.saturating_sub(seen));
                    seen = now;
                }
                if stream::Sink::write(&writer, block).is_err() {
                    return;
                }
            };
            *shared.lock() = Some((inner, error));
        };
        self.reading = match start_thread("read ahead", work) {
            Ok(_) => Reading::Ahead { reader, left, facts, bytes, is_part },
            Err(_) => match left.lock().take() {
                // Never again.
                Some((inner, _)) => Reading::Straight(inner, u32::MAX),
                None => Reading::Lost,
            },
        };
    }
}

impl Source for ReadAhead {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if let Reading::Straight(inner, read) = &mut self.reading {
            if *read != AT_ONCE {
                *read = read.saturating_add(1);
                return inner.next_block();
            }
            self.begin();
        }
        match &mut self.reading {
            Reading::Straight(inner, _) => inner.next_block(),
            Reading::Ahead { reader, left, .. } => {
                if let Some(block) = reader.next_block()? {
                    self.given += block.len() as u64;
                    return Ok(Some(block));
                }
                let end = left.lock().take();
                let Some((inner, error)) = end else {
                    self.reading = Reading::Lost;
                    return Err(lost());
                };
                // A file may grow: then its reader asks again.
                self.reading = Reading::Straight(inner, u32::MAX);
                error.map_or(Ok(None), Err)
            }
            Reading::Lost => Err(lost()),
        }
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.straight()?.arrivals()
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        self.straight_mut().map_or(Ok(false), |inner| inner.seek_last(part))
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        self.straight_mut()?.split(parts)
    }

    fn file_bytes(&self) -> Option<u64> {
        match &self.reading {
            Reading::Ahead { bytes, .. } => *bytes,
            _ => self.straight()?.file_bytes(),
        }
    }

    fn facts(&self) -> Option<FileFacts> {
        match &self.reading {
            Reading::Ahead { facts, .. } => *facts,
            _ => self.straight()?.facts(),
        }
    }

    fn position(&self) -> Option<u64> {
        match &self.reading {
            Reading::Ahead { .. } => Some(self.base? + self.given),
            _ => self.straight()?.position(),
        }
    }

    fn rewind(&mut self) -> bool {
        self.straight_mut().is_some_and(stream::Source::rewind)
    }

    fn go_to(&mut self, position: u64) -> bool {
        self.straight_mut().is_some_and(|inner| inner.go_to(position))
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        self.straight_mut().is_some_and(|inner| inner.give_back(bytes))
    }

    fn is_part(&self) -> bool {
        match &self.reading {
            Reading::Ahead { is_part, .. } => *is_part,
            _ => self.straight().is_some_and(stream::Source::is_part),
        }
    }

    fn is_link(&self) -> bool {
        match &self.reading {
            // The link adds the time of waiting itself.
            Reading::Ahead { .. } => true,
            _ => self.straight().is_some_and(stream::Source::is_link),
        }
    }
}

fn lost() -> ReadError {
    ReadError::Io(std::io::Error::other("reading ahead has failed"))
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use std::sync::mpsc::{Receiver, channel};
    use std::time::{Duration, Instant};

    use super::*;

    const PATIENCE: Duration = Duration::from_secs(20);

    /// Gives what it is told to, once each, and then the end.
    struct Told {
        steps: Vec<Result<&'static str, ()>>,
        given: usize,
        position: u64,
        allows: bool,
        /// Nothing more is given before something comes, and the reader is then gone.
        gate: Option<Receiver<()>>,
        alive: Arc<()>,
    }

    impl Told {
        fn new(steps: Vec<Result<&'static str, ()>>) -> Self {
            let alive = Arc::new(());
            Self { steps, given: 0, position: 0, allows: true, gate: None, alive }
        }
    }

    impl Source for Told {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            let Some(step) = self.steps.get(self.given) else {
                if let Some(gate) = &self.gate {
                    let _ = gate.recv();
                }
                return Ok(None);
            };
            self.given += 1;
            let text = step.map_err(|()| ReadError::Io(std::io::Error::other("broken")))?;
            self.position += text.len() as u64;
            Ok(Some(Block::new(text.as_bytes().to_vec())))
        }

        fn position(&self) -> Option<u64> {
            Some(self.position)
        }

        fn rewind(&mut self) -> bool {
            (self.given, self.position) = (0, 0);
            true
        }

        fn allows_ahead(&self) -> bool {
            // As long as it is there.
            self.allows && Arc::strong_count(&self.alive) > 0
        }
    }

    fn ahead(told: Told) -> (Box<dyn Source>, RunControl, Arc<StageMeter>) {
        let (meter, control) = (Arc::new(StageMeter::default()), RunControl::default());
        (ReadAhead::of(Box::new(told), &meter, &control), control, meter)
    }

    fn read(source: &mut dyn Source) -> (String, bool) {
        let mut all = String::new();
        loop {
            match source.next_block() {
                Ok(Some(block)) => all.push_str(std::str::from_utf8(block.bytes()).unwrap()),
                Ok(None) => return (all, true),
                Err(_) => return (all, false),
            }
        }
    }

    #[test]
    fn what_is_read_ahead_is_what_the_source_gives() {
        for length in [0, 1, AT_ONCE as usize, AT_ONCE as usize + 1, 200] {
            let (mut source, ..) = ahead(Told::new(vec![Ok("ab\n"); length]));
            let mut position = 0;
            for _ in 0..length {
                let block = source.next_block().unwrap().unwrap();
                position += block.len() as u64;
                assert_eq!(source.position(), Some(position));
            }
            // The end comes again and again, and the source can then be read anew.
            assert!(source.next_block().unwrap().is_none());
            assert!(source.next_block().unwrap().is_none());
            assert!(source.rewind());
            assert_eq!(read(&mut *source), ("ab\n".repeat(length), true));
        }
    }

    #[test]
    fn an_error_comes_behind_what_was_read_before_it() {
        for before in [0, 3, 50] {
            let mut steps = vec![Ok("x"); before];
            steps.push(Err(()));
            steps.push(Ok("y"));
            let (mut source, ..) = ahead(Told::new(steps));
            assert_eq!(read(&mut *source), ("x".repeat(before), false));
            assert_eq!(read(&mut *source), ("y".to_owned(), true));
        }
    }

    #[test]
    fn where_it_is_not_allowed_nothing_is_read_before_it_is_asked_for() {
        let told = Told { allows: false, ..Told::new(vec![Ok("x"); 100]) };
        let (mut source, ..) = ahead(told);
        for number in 1..=50 {
            source.next_block().unwrap();
            assert_eq!(source.position(), Some(number));
            assert!(!source.is_link());
        }
    }

    #[test]
    fn a_reader_that_leaves_ends_the_thread() {
        let told = Told::new(vec![Ok("x"); 10_000]);
        let alive = Arc::downgrade(&told.alive);
        let (mut source, ..) = ahead(told);
        for _ in 0..20 {
            source.next_block().unwrap();
        }
        assert!(source.is_link());
        drop(source);
        let since = Instant::now();
        while alive.strong_count() > 0 {
            assert!(since.elapsed() < PATIENCE, "the thread goes on");
            std::thread::yield_now();
        }
    }

    #[test]
    fn cancelling_reaches_a_reader_whose_source_gives_nothing() {
        let (release, gate) = channel();
        let told = Told { gate: Some(gate), ..Told::new(vec![Ok("x"); 20]) };
        let (mut source, control, meter) = ahead(told);
        for _ in 0..20 {
            source.next_block().unwrap();
        }
        let waiting = std::thread::spawn(move || source.next_block());
        let since = Instant::now();
        while meter.figures_at(u64::MAX).waiting_ns == 0 {
            assert!(since.elapsed() < PATIENCE, "nobody waits");
            std::thread::yield_now();
        }
        control.cancel();
        assert!(matches!(waiting.join().unwrap(), Err(ReadError::Cancelled)));
        drop(release);
    }
}
