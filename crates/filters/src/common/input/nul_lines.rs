//! Lines that end with NUL: the filter runs as ever, with NUL and newline changed for each other
//! in all it reads and writes.

use std::io;
use std::path::Path;
use std::sync::Arc;

use bytes::Bytes;
use stream::{
    Block, ExitStatus, FileFacts, Files, Machine, Output, ReadError, Replacement, RunControl, Sink,
    Source, StageError, StageIo, StageMeter, StagePorts, Tail, WriteError, WriteMode,
};

use crate::spec::{Arguments, Filter, Verb};

/// The filter, reading and writing NUL-terminated lines where `-z` was given.
pub(crate) fn where_asked(arguments: &Arguments, filter: Box<dyn Filter>) -> Box<dyn Filter> {
    if arguments.has('z') { Box::new(Zero(filter)) } else { filter }
}

/// NUL and newline changed for each other.
pub(crate) fn swapped(bytes: &[u8]) -> Vec<u8> {
    let swap = |&byte: &u8| match byte {
        0 => b'\n',
        b'\n' => 0,
        other => other,
    };
    bytes.iter().map(swap).collect()
}

struct Zero(Box<dyn Filter>);

impl Filter for Zero {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        // Records are no lines, so a line of the result may come from any of the input.
        let out: Arc<dyn Sink> = Arc::new(SwapSink(io.out().side(None)?));
        let error = io.error_sink()?;
        let stdin = io.take_stdin().map(|source| Box::new(SwapSource(source)) as Box<dyn Source>);
        let files = SwapFiles(io.files());
        let meter = StageMeter::default();
        let mut inner = StageIo::new(StagePorts {
            name: io.name().to_owned(),
            stdin,
            out: Output::new(out, None),
            error: Some(error),
            files: &files,
            commands: io.commands(),
            processors: io.processors(),
            meter: &meter,
            control: RunControl::clone(io.cancel()),
        });
        let status = self.0.run(&mut inner);
        inner.out().flush()?;
        status
    }

    fn verb(&self) -> Verb {
        self.0.verb()
    }

    fn holds(&self) -> Option<&'static str> {
        self.0.holds()
    }
}

/// Swaps what is read.
pub(crate) struct SwapSource(pub(crate) Box<dyn Source>);

impl Source for SwapSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(self.0.next_block()?.map(|block| Block::new(swapped(block.bytes()))))
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        match part {
            Tail::Bytes(_) => self.0.seek_last(part),
            // Its lines are others.
            Tail::Lines(_) => Ok(false),
        }
    }

    fn file_bytes(&self) -> Option<u64> {
        self.0.file_bytes()
    }

    fn facts(&self) -> Option<FileFacts> {
        self.0.facts()
    }

    fn position(&self) -> Option<u64> {
        self.0.position()
    }

    fn rewind(&mut self) -> bool {
        self.0.rewind()
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        self.0.give_back(swapped(&bytes).into())
    }
}

struct SwapSink(Arc<dyn Sink>);

impl Sink for SwapSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.0.write(Block::new(swapped(block.bytes())))
    }

    fn is_closed(&self) -> bool {
        self.0.is_closed()
    }
}

struct SwapFiles<'w>(&'w dyn Files);

struct SwapReplacement(Box<dyn Replacement>);

impl Replacement for SwapReplacement {
    fn sink(&self) -> Arc<dyn Sink> {
        Arc::new(SwapSink(self.0.sink()))
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        self.0.commit()
    }
}

impl Files for SwapFiles<'_> {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        Ok(Box::new(SwapSource(self.0.read(path)?)))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        Ok(Arc::new(SwapSink(self.0.write(path, mode)?)))
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        Ok(Box::new(SwapReplacement(self.0.replace(path)?)))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.0.remove(path)
    }

    fn is_live(&self) -> bool {
        self.0.is_live()
    }

    fn machine(&self) -> &dyn Machine {
        self.0.machine()
    }
}
