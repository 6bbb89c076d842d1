//! A source and a sink with everything that one can have, to look whether layers around them keep it.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::time::SystemTime;

use bytes::Bytes;

use super::processors::OneProcessor;
use crate::{Arrivals, Block, FileFacts, Processors, ReadError, Sink, Source, Tail, WriteError};

/// What the probe gives to whoever asks without and with other processors.
const PLAIN: &str = "plain\n";
const HELPED: &str = "helped\n";

/// A source that can do everything.
pub struct ProbeSource;

struct Then;

impl Arrivals for Then {
    fn begun(&self) -> SystemTime {
        SystemTime::UNIX_EPOCH
    }

    fn of_line(&self, _line: u64) -> Option<SystemTime> {
        Some(SystemTime::UNIX_EPOCH)
    }
}

impl Source for ProbeSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(Some(Block::new(PLAIN.as_bytes().to_vec())))
    }

    fn next_block_with(&mut self, _: &dyn Processors) -> Result<Option<Block>, ReadError> {
        Ok(Some(Block::new(HELPED.as_bytes().to_vec())))
    }

    fn seek_last(&mut self, _part: Tail) -> Result<bool, ReadError> {
        Ok(true)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        Some((0..parts).map(|_| Box::new(Self) as Box<dyn Source>).collect())
    }

    fn file_bytes(&self) -> Option<u64> {
        Some(4096)
    }

    fn facts(&self) -> Option<FileFacts> {
        Some(FileFacts { bytes: 4096, inode: 7, ..FileFacts::default() })
    }

    fn position(&self) -> Option<u64> {
        Some(3)
    }

    fn rewind(&mut self) -> bool {
        true
    }

    fn go_to(&mut self, _position: u64) -> bool {
        true
    }

    fn allows_ahead(&self) -> bool {
        true
    }

    fn give_back(&mut self, _bytes: Bytes) -> bool {
        true
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        Some(Arc::new(Then))
    }

    fn is_part(&self) -> bool {
        true
    }

    fn is_link(&self) -> bool {
        true
    }
}

/// The names of what a source cannot do of all that the probe can, in the order of [`Source`].
pub fn lost_of_source(source: &mut dyn Source) -> Vec<&'static str> {
    let length = |read: Result<Option<Block>, ReadError>| {
        read.ok().flatten().map_or(0, |block| block.bytes().len())
    };
    let abilities = [
        ("file_bytes", source.file_bytes() == Some(4096)),
        ("facts", source.facts().is_some_and(|facts| facts.inode == 7)),
        ("position", source.position() == Some(3)),
        ("allows_ahead", source.allows_ahead()),
        ("arrivals", source.arrivals().is_some()),
        ("is_part", source.is_part()),
        ("is_link", source.is_link()),
        ("go_to", source.go_to(3)),
        ("seek_last", source.seek_last(Tail::Bytes(3)).is_ok_and(|moved| moved)),
        ("rewind", source.rewind()),
        ("next_block", length(source.next_block()) == PLAIN.len()),
        ("next_block_with", length(source.next_block_with(&OneProcessor)) == HELPED.len()),
        ("give_back", source.give_back(Bytes::from_static(HELPED.as_bytes()))),
        ("split", source.split(2).is_some_and(|parts| parts.len() == 2)),
    ];
    abilities.into_iter().filter(|(_, kept)| !kept).map(|(name, _)| name).collect()
}

/// A sink that can do everything, and counts what it is told.
#[derive(Default)]
pub struct ProbeSink {
    put_in_place: AtomicU32,
    kept: AtomicU32,
}

impl Sink for ProbeSink {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Ok(())
    }

    fn is_closed(&self) -> bool {
        true
    }

    fn is_terminal(&self) -> bool {
        true
    }

    fn is_link(&self) -> bool {
        true
    }

    fn facts(&self) -> Option<FileFacts> {
        Some(FileFacts { inode: 7, ..FileFacts::default() })
    }

    fn put_in_place(&self) -> io::Result<()> {
        self.put_in_place.fetch_add(1, Relaxed);
        Ok(())
    }

    fn keep_when_ended(&self) {
        self.kept.fetch_add(1, Relaxed);
    }
}

/// The names of what a sink around the probe cannot do of all that the probe can.
pub fn lost_of_sink(sink: &dyn Sink, probe: &ProbeSink) -> Vec<&'static str> {
    let told = || (probe.put_in_place.load(Relaxed), probe.kept.load(Relaxed));
    let before = told();
    let placed = sink.put_in_place().is_ok();
    sink.keep_when_ended();
    let after = told();
    let abilities = [
        ("is_closed", sink.is_closed()),
        ("is_terminal", sink.is_terminal()),
        ("is_link", sink.is_link()),
        ("facts", sink.facts().is_some_and(|facts| facts.inode == 7)),
        ("put_in_place", placed && after.0 == before.0 + 1),
        ("keep_when_ended", after.1 == before.1 + 1),
    ];
    abilities.into_iter().filter(|(_, kept)| !kept).map(|(name, _)| name).collect()
}
