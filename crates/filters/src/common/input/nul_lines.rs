//! Lines that end with NUL: the filter runs as ever, with NUL and newline changed for each other
//! in all it reads and writes.

use std::io;
use std::path::Path;
use std::sync::Arc;

use bytes::Bytes;
use stream::{
    Arrivals, Block, Decoding, ExitStatus, Files, FilesLayer, Next, Output, ReadError, Replacement,
    RunControl, Sink, SinkLayer, Source, SourceLayer, StageError, StageIo, StageMeter, StagePorts,
    Tail, WriteError, WriteMode,
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

impl SourceLayer for SwapSource {
    fn inner(&self) -> &dyn Source {
        &*self.0
    }

    fn inner_mut(&mut self) -> &mut dyn Source {
        &mut *self.0
    }

    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError> {
        Ok(next(&mut *self.0)?.map(|block| Block::new(swapped(block.bytes()))))
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        match part {
            Tail::Bytes(_) => self.0.seek_last(part),
            // Its lines are others.
            Tail::Lines(_) => Ok(false),
        }
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let parts = self.0.split(parts)?;
        Some(parts.into_iter().map(|part| Box::new(Self(part)) as Box<dyn Source>).collect())
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        self.0.give_back(swapped(&bytes).into())
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        // Its lines are others.
        None
    }
}

struct SwapSink(Arc<dyn Sink>);

impl SinkLayer for SwapSink {
    fn inner(&self) -> &dyn Sink {
        &*self.0
    }

    fn pass(&self, block: Block) -> Result<(), WriteError> {
        self.0.write(Block::new(swapped(block.bytes())))
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

impl FilesLayer for SwapFiles<'_> {
    fn inner(&self) -> &dyn Files {
        self.0
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        Ok(Box::new(SwapSource(self.0.read(path)?)))
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        Ok(Box::new(SwapSource(self.0.read_decoded(path, decoding)?)))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        Ok(Arc::new(SwapSink(self.0.write(path, mode)?)))
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        Ok(Box::new(SwapReplacement(self.0.replace(path)?)))
    }
}

#[cfg(test)]
mod tests {
    use std::ffi::OsString;

    use stream::testing::{FixedFiles, ProbeSink, ProbeSource, lost_of_sink, lost_of_source};

    use super::*;

    #[test]
    fn what_swaps_keeps_what_the_others_can() {
        let lost = lost_of_source(&mut SwapSource(Box::new(ProbeSource)));
        // Its lines are others, which came at no time that is known.
        assert_eq!(lost, ["arrivals"]);
        let probe = Arc::new(ProbeSink::default());
        assert!(lost_of_sink(&SwapSink(probe.clone()), &probe).is_empty());
    }

    /// Files of a stage that has a variable of its own.
    struct WithVariable(FixedFiles);

    impl FilesLayer for WithVariable {
        fn inner(&self) -> &dyn Files {
            &self.0
        }

        fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
            self.0.read(path)
        }

        fn read_decoded(
            &self,
            path: &Path,
            decoding: &'static Decoding,
        ) -> io::Result<Box<dyn Source>> {
            self.0.read_decoded(path, decoding)
        }

        fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
            self.0.write(path, mode)
        }

        fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
            self.0.replace(path)
        }

        fn variable(&self, name: &str) -> Option<OsString> {
            (name == "OWN").then(|| "1".into())
        }
    }

    #[test]
    fn variables_of_a_stage_reach_through() {
        let files = WithVariable(FixedFiles::default());
        let swapped: &dyn Files = &SwapFiles(&files);
        assert_eq!(swapped.variable("OWN"), Some("1".into()));
        assert!(!swapped.is_live() && !swapped.may_remove_original());
    }
}
