//! Files read ahead on a thread of their own.

use std::sync::{Arc, Mutex, PoisonError};

use stream::{Block, Cancel, FileFacts, METERED, ReadError, Source, StageMeter, Tail};

use crate::link::{LinkReader, link};
use crate::metered::thread_time;

/// Blocks that are read as they are asked for first: who wants only the beginning of a file, and
/// who reads a small one, needs no thread.
const AT_ONCE: u32 = 8;

/// What a thread that reads ahead leaves when it has ended.
type Left = Arc<Mutex<Option<(Box<dyn Source>, Option<ReadError>)>>>;

enum Reading {
    /// On the thread of whoever asks; so many blocks so far.
    Straight(Box<dyn Source>, u32),
    /// Through a link from a thread.
    Ahead { reader: LinkReader, left: Left, facts: Option<FileFacts>, bytes: Option<u64> },
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
    cancel: Cancel,
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
        cancel: &Cancel,
    ) -> Box<dyn Source> {
        if !inner.allows_ahead() {
            return inner;
        }
        Box::new(Self {
            reading: Reading::Straight(inner, 0),
            meter: meter.clone(),
            cancel: cancel.clone(),
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

    /// Starts the thread. Where none can be had, reading goes on straight.
    fn begin(&mut self) {
        let Reading::Straight(inner, _) = std::mem::replace(&mut self.reading, Reading::Lost)
        else {
            return;
        };
        (self.base, self.given) = (inner.position(), 0);
        let (facts, bytes) = (inner.facts(), inner.file_bytes());
        let (writer, reader) = link(&self.cancel, Arc::default(), self.meter.clone());
        let left: Left = Arc::new(Mutex::new(Some((inner, None))));
        let (shared, meter) = (left.clone(), self.meter.clone());
        let work = move || {
            let taken = shared.lock().unwrap_or_else(PoisonError::into_inner).take();
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
            *shared.lock().unwrap_or_else(PoisonError::into_inner) = Some((inner, error));
        };
        self.reading = match std::thread::Builder::new().name("read ahead".into()).spawn(work) {
            Ok(_) => Reading::Ahead { reader, left, facts, bytes },
            Err(_) => match left.lock().unwrap_or_else(PoisonError::into_inner).take() {
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
                let end = left.lock().unwrap_or_else(PoisonError::into_inner).take();
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

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        match &mut self.reading {
            Reading::Straight(inner, _) => inner.seek_last(part),
            _ => Ok(false),
        }
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        match &mut self.reading {
            Reading::Straight(inner, _) => inner.split(parts),
            _ => None,
        }
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
        match &mut self.reading {
            Reading::Straight(inner, _) => inner.rewind(),
            _ => false,
        }
    }

    fn is_link(&self) -> bool {
        // Where it is one the link adds the time of waiting itself.
        matches!(self.reading, Reading::Ahead { .. })
    }
}

fn lost() -> ReadError {
    ReadError::Io(std::io::Error::other("the thread that read ahead has failed"))
}
