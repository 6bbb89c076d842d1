//! Running one filter in memory.

use parking_lot::Mutex;
use std::sync::Arc;

use stream::testing::{CutSource, FixedFiles, MemorySink, NoCommands, Processed};
use stream::{
    ExitStatus, OriginStore, Output, RunControl, Sink, StageError, StageIo, StageMeter, StagePorts,
    WriteError,
};

pub(crate) struct Outcome {
    pub(crate) out: Vec<u8>,
    pub(crate) error: String,
    pub(crate) status: u8,
    pub(crate) origins: Option<Vec<Vec<u64>>>,
}

/// How the data is cut and whether origins are kept.
#[derive(Clone, Copy)]
pub(crate) struct Cuts {
    pub(crate) input: usize,
    pub(crate) output: usize,
    pub(crate) origins: bool,
}

pub(crate) const WHOLE: Cuts = Cuts { input: 1 << 20, output: 1 << 16, origins: false };

pub(crate) fn run(line: &[&[u8]], stdin: &[u8], cuts: Cuts) -> Outcome {
    run_in(&FixedFiles::default(), line, stdin, cuts)
}

/// Runs a filter whose reader has gone.
pub(crate) fn run_closed(line: &[&[u8]], stdin: &[u8]) -> Outcome {
    struct Gone;

    impl Sink for Gone {
        fn write(&self, _block: stream::Block) -> Result<(), WriteError> {
            Err(WriteError::Closed)
        }

        fn is_closed(&self) -> bool {
            true
        }
    }

    run_into(&FixedFiles::default(), line, stdin, WHOLE, Arc::new(Gone))
}

/// Runs a filter among the files of `world`.
pub(crate) fn run_in(world: &FixedFiles, line: &[&[u8]], stdin: &[u8], cuts: Cuts) -> Outcome {
    let sink = Arc::new(MemorySink::default());
    let outcome = run_into(world, line, stdin, cuts, sink.clone());
    Outcome { out: sink.contents(), ..outcome }
}

fn run_into(
    world: &FixedFiles,
    line: &[&[u8]],
    stdin: &[u8],
    cuts: Cuts,
    sink: Arc<dyn Sink>,
) -> Outcome {
    let arguments: Vec<Vec<u8>> = line[1..].iter().map(|word| word.to_vec()).collect();
    let definition = filters::find(line[0]).expect("a filter");
    let mut filter = match definition.build(&arguments) {
        Ok(filter) => filter,
        Err(error) => {
            return Outcome {
                out: vec![],
                error: error.message,
                status: error.status,
                origins: None,
            };
        }
    };
    let errors = Arc::new(MemorySink::default());
    let store = cuts.origins.then(|| Arc::new(Mutex::new(OriginStore::default())));
    let meter = StageMeter::default();
    let mut io = StageIo::new(StagePorts {
        name: String::from_utf8_lossy(line[0]).into_owned(),
        stdin: Some(Box::new(CutSource::new(stdin, cuts.input))),
        out: Output::new(sink, store.clone()).with_block_size(cuts.output),
        error: Some(errors.clone()),
        files: world,
        commands: &NoCommands,
        processors: &Processed(3),
        meter: &meter,
        control: RunControl::default(),
    });
    let status = match filter.run(&mut io) {
        Ok(status) => status,
        Err(StageError::Failed { message, status }) => {
            io.message(&message).expect("a message");
            status
        }
        Err(StageError::Write(WriteError::Closed)) => ExitStatus::CLOSED_PIPE,
        Err(error) => panic!("{error}"),
    };
    // A reader that has gone takes nothing.
    let _ = io.out().flush();
    drop(io);
    let origins = store.map(|store| {
        let store = store.lock();
        (0..store.lines())
            .map(|line| store.get(line).iter().map(stream::LineId::line).collect())
            .collect()
    });
    Outcome {
        out: Vec::new(),
        error: String::from_utf8_lossy(&errors.contents()).into_owned(),
        status: status.0,
        origins,
    }
}

/// A stage as words, quoting understood.
pub(crate) fn words(line: &str) -> Vec<Vec<u8>> {
    let mut words = Vec::new();
    let mut word: Option<Vec<u8>> = None;
    let mut quoted = false;
    for byte in line.bytes() {
        match byte {
            b'\'' => {
                quoted = !quoted;
                word.get_or_insert_with(Vec::new);
            }
            b' ' if !quoted => words.extend(word.take()),
            _ => word.get_or_insert_with(Vec::new).push(byte),
        }
    }
    words.extend(word);
    words
}

pub(crate) fn run_line(line: &str, stdin: &[u8]) -> Outcome {
    let words = words(line);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    run(&words, stdin, WHOLE)
}
