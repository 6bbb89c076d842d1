//! What a stage reads, in order, and what it says of what it cannot read.

use parking_lot::Mutex;

use super::*;
use crate::testing::{CutSource, FixedFiles, MemorySink, NoCommands, OneProcessor};
use crate::{ExitStatus, OriginStore, StageFigures};

/// A stage among `files` with standard input, and what it writes and says.
struct Bench {
    files: FixedFiles,
    meter: StageMeter,
    control: RunControl,
    out: Arc<MemorySink>,
    error: Arc<MemorySink>,
}

impl Bench {
    fn new() -> Self {
        let mut files = FixedFiles { cut: 2, ..FixedFiles::default() };
        files.files.insert("one".into(), b"1\n2\n".to_vec());
        files.files.insert("two".into(), b"3".to_vec());
        Self {
            files,
            meter: StageMeter::default(),
            control: RunControl::default(),
            out: Arc::default(),
            error: Arc::default(),
        }
    }

    /// The stage; without a standard error of its own where `joined`.
    fn stage(&self, joined: bool) -> StageIo<'_> {
        StageIo::new(StagePorts {
            name: "filter".to_owned(),
            stdin: Some(Box::new(CutSource::new(b"in\n", 1))),
            out: Output::new(self.out.clone(), None),
            error: (!joined).then(|| self.error.clone() as Arc<dyn Sink>),
            files: &self.files,
            commands: &NoCommands,
            processors: &OneProcessor,
            meter: &self.meter,
            control: self.control.clone(),
        })
    }

    fn said(&self) -> String {
        String::from_utf8(self.error.contents()).unwrap()
    }

    fn wrote(&self) -> String {
        String::from_utf8(self.out.contents()).unwrap()
    }
}

/// Copies inputs, each line after the number of its input.
fn copy(io: &mut StageIo<'_>, operands: &[&str]) -> Result<(), StageError> {
    let operands: Vec<Vec<u8>> = operands.iter().map(|name| name.as_bytes().to_vec()).collect();
    io.each_input(&operands, 4, |io, input, name| {
        while let Some(lines) = input.next_lines()? {
            for (id, line) in lines.iter() {
                let name = String::from_utf8_lossy(name);
                let text = format!("{name} {} {}", id.input(), String::from_utf8_lossy(line));
                io.out().line(text.as_bytes(), Origin::Line(id))?;
            }
        }
        Ok(())
    })?;
    io.out().flush()?;
    Ok(())
}

#[test]
fn inputs_are_read_in_turn_and_numbered() {
    let bench = Bench::new();
    let mut io = bench.stage(false);
    copy(&mut io, &["two", "-", "one"]).unwrap();
    assert_eq!(bench.wrote(), "two 0 3\n- 1 in\none 2 1\none 2 2\n");
    let file = |name: &str| InputName::File(name.as_bytes().to_vec());
    assert_eq!(io.inputs(), [file("two"), InputName::Standard, file("one")]);
    assert_eq!((io.status(), bench.said()), (ExitStatus::SUCCESS, String::new()));
}

#[test]
fn without_operands_standard_input_is_read_and_only_once() {
    let bench = Bench::new();
    let mut io = bench.stage(false);
    copy(&mut io, &[]).unwrap();
    copy(&mut io, &["-"]).unwrap();
    assert_eq!(bench.wrote(), "- 0 in\n", "the second time it is at its end");
    assert_eq!(io.inputs().len(), 2);
    assert!(io.take_stdin().is_none());
}

#[test]
fn an_input_that_is_not_there_is_named_and_the_next_is_taken() {
    let bench = Bench::new();
    let mut io = bench.stage(false);
    copy(&mut io, &["none", "one", "no\u{1b}ne"]).unwrap();
    assert_eq!(bench.wrote(), "one 0 1\none 0 2\n");
    assert_eq!(
        bench.said(),
        "filter: none: No such file or directory\n\
         filter: no$'\\033'ne: No such file or directory\n"
    );
    assert_eq!(io.status(), ExitStatus(4));
    io.note_status(1);
    assert_eq!(io.status(), ExitStatus(4), "the highest counts");
    io.note_status(9);
    assert_eq!(io.status(), ExitStatus(9));
}

#[test]
fn a_failure_of_the_stage_ends_it_and_one_of_an_input_does_not() {
    let bench = Bench::new();
    let mut io = bench.stage(false);
    let operands = [b"one".to_vec(), b"two".to_vec()];
    let mut taken = 0;
    let ended = io.each_input(&operands, 1, |_, _, _| {
        taken += 1;
        Err(StageError::failed(3, "enough").into())
    });
    assert!(matches!(ended, Err(StageError::Failed { status: ExitStatus(3), .. })));
    assert_eq!(taken, 1);
    let ended = io.each_input(&operands, 1, |_, _, _| {
        taken += 1;
        Err(ReadError::from(std::io::Error::from_raw_os_error(5)).into())
    });
    assert!(ended.is_ok());
    assert_eq!((taken, io.status()), (3, ExitStatus(1)));
    assert_eq!(bench.said(), "filter: one: Input/output error\nfilter: two: Input/output error\n");
    let ended = io.each_input(&operands, 1, |_, _, _| Err(ReadError::Cancelled.into()));
    assert!(matches!(ended, Err(StageError::Cancelled)));
    let ended = io.each_input(&operands, 1, |_, _, _| Err(WriteError::Closed.into()));
    assert!(matches!(ended, Err(StageError::Write(WriteError::Closed))));
}

#[test]
fn messages_follow_the_output_where_both_go_the_same_way() {
    let bench = Bench::new();
    let mut io = bench.stage(true);
    io.out().put(b"data\n", Origin::None).unwrap();
    io.message("trouble").unwrap();
    assert_eq!(bench.wrote(), "data\nfilter: trouble\n");
    let sink = io.error_sink().unwrap();
    sink.write(Block::new(b"more\n".to_vec())).unwrap();
    assert_eq!(bench.wrote(), "data\nfilter: trouble\nmore\n");
    let apart = Bench::new();
    let mut io = apart.stage(false);
    io.out().put(b"data\n", Origin::None).unwrap();
    io.message("trouble").unwrap();
    assert_eq!((apart.wrote(), apart.said()), (String::new(), "filter: trouble\n".to_owned()));
    io.error_sink().unwrap().write(Block::new(b"more\n".to_vec())).unwrap();
    assert_eq!(apart.said(), "filter: trouble\nmore\n");
    assert_eq!(io.name(), "filter");
}

#[test]
fn a_pause_takes_its_time_in_short_pieces_and_ends_with_the_run() {
    let bench = Bench::new();
    let io = bench.stage(false);
    io.pause(Duration::from_millis(50)).unwrap();
    assert_eq!(bench.files.machine().now_ns(), 50_000_000);
    io.pause(Duration::ZERO).unwrap();
    assert_eq!(bench.files.machine().now_ns(), 50_000_000);
    bench.control.cancel();
    assert!(matches!(io.pause(Duration::from_secs(1)), Err(StageError::Cancelled)));
    assert!(matches!(io.check_cancel(), Err(StageError::Cancelled)));
    assert_eq!(bench.files.machine().now_ns(), 50_000_000, "not even the first piece");
}

/// Who waits for a file to grow does not work meanwhile.
#[test]
fn a_pause_counts_as_waiting() {
    let bench = Bench::new();
    bench.stage(false).pause(Duration::from_secs(3)).unwrap();
    let figures = StageFigures { elapsed_ns: 4_000_000_000, ..bench.meter.figures() };
    assert_eq!(figures.reading_ns, 3_000_000_000);
    assert_eq!(figures.shares().waiting_ns, 3_000_000_000);
}

/// A look is no input, and what was only looked at goes through what reads it.
#[test]
fn what_is_looked_at_is_read_all_the_same() {
    let bench = Bench::new();
    let mut io = bench.stage(false);
    assert_eq!(io.look(b"one", 3).unwrap(), b"1\n2");
    assert!(io.look(b"none", 3).is_err());
    assert!(io.inputs().is_empty());
    let mut input = io.open(b"one").unwrap();
    assert_eq!(input.peek(3).unwrap(), b"1\n2");
    input.wrap(|source| source);
    let lines: Vec<u8> = input.next_lines().unwrap().unwrap().bytes.to_vec();
    assert!(lines.starts_with(b"1\n"));
    assert_eq!(io.inputs().len(), 1);
}

#[test]
fn a_pause_ends_when_the_reader_has_gone() {
    struct Gone;

    impl Sink for Gone {
        fn write(&self, _block: Block) -> Result<(), WriteError> {
            Err(WriteError::Closed)
        }

        fn is_closed(&self) -> bool {
            true
        }
    }

    let bench = Bench::new();
    let mut io = bench.stage(false);
    *io.out() = Output::new(Arc::new(Gone), Some(Arc::new(Mutex::new(OriginStore::default()))));
    assert!(io.keeps_origins());
    let ended = io.pause(Duration::from_mins(1));
    assert!(matches!(ended, Err(StageError::Write(WriteError::Closed))));
    assert_eq!(bench.files.machine().now_ns(), 20_000_000, "after the first piece");
}

#[test]
fn values_are_bounded_where_the_run_says_so() {
    let bench = Bench::new();
    let io = bench.stage(false);
    io.check_value(usize::MAX).unwrap();
    bench.control.limit_values(2 << 20);
    io.check_value(2 << 20).unwrap();
    let error = io.check_value((3 << 20) + 1).unwrap_err();
    assert_eq!(error.to_string(), "a value of 3 MiB; at most 2 MiB are possible here");
    bench.control.limit_values(10);
    io.check_value(1 << 20).unwrap();
    assert!(io.check_value((1 << 20) + 1).is_err());
}

#[test]
fn what_a_stage_holds_is_metered() {
    let bench = Bench::new();
    let io = bench.stage(false);
    io.holds(500);
    io.holds(20);
    assert_eq!(bench.meter.figures().held_bytes, 20);
    assert_eq!(io.processors().count(), 1);
    assert!(!io.keeps_origins() && !io.cancel().is_cancelled());
    assert!(io.files().facts(Path::new("one")).is_ok());
}
