//! The whole text on everything, for a screen: in the background, watched, its files written at
//! the end.

use parking_lot::Mutex;
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;

use stream::{Block, RunControl, Sink, Source, StageMeter, WriteError};

use crate::base::limits::with_memory_of_machine;
use crate::exec::command::CommandStarter;
use crate::exec::context::{Observer, RunContext, Withheld};
use crate::files::commit::applied::Applied;
use crate::files::commit::written::CommittedFile;
use crate::files::committing::{CommittingFiles, Unwritten};
use crate::flow::counted::CountedSource;
use crate::flow::descriptors::Ports;
use crate::kept::lines::Kept;
use crate::kept::sinks::Messages;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::run_text;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StagePlan};
use crate::plan::variables::Variables;
use crate::policy::{Consents, Policy};
use crate::runs::estimate::Estimate;
use crate::runs::watch::Watch;

/// Bytes of standard output that are kept; beyond that they are counted only.
pub const OUTPUT_LIMIT: u64 = 1 << 30;

/// What a full run is asked for.
#[derive(Clone)]
pub struct FullRequest {
    /// The text.
    pub text: String,
    /// Variables and parameters it begins with.
    pub variables: Variables,
    /// What the user consented to.
    pub allowed: Consents,
    /// Files that are not written although the text would.
    pub left_out: BTreeSet<PathBuf>,
    /// Whether any file is written.
    pub writes: bool,
    /// Files are followed as they grow, where a stage asks for that.
    pub follows: bool,
    /// What is expected of it.
    pub expected: Estimate,
}

/// A run on everything, for those who look on.
#[derive(Clone)]
pub struct FullRun {
    /// Its figures, and how to hold and end it.
    pub watch: Arc<Watch>,
    /// What its last command wrote to standard output, up to [`OUTPUT_LIMIT`].
    pub output: Arc<Kept>,
    /// What it wrote for files, where it was told to write none; known at its end.
    pub unwritten: Arc<Mutex<Vec<Unwritten>>>,
    pub(crate) errors: Arc<Messages>,
}

impl FullRun {
    pub(crate) fn new(expected: &Estimate) -> Self {
        let watch = Watch::new(&RunControl::default(), expected.expected());
        Self { watch, output: Arc::default(), unwritten: Arc::default(), errors: Arc::default() }
    }

    /// What was said on standard error, up to 64 KiB.
    pub fn said(&self) -> String {
        self.errors.text()
    }
}

/// How a full run ended.
#[derive(Debug)]
pub enum FullEnd {
    /// To its end, with this status; these files were written.
    Done(u8, Vec<Applied>),
    /// It was cancelled; no file was written.
    Cancelled,
    /// No file was written, because of this.
    Failed(String),
}

/// Keeps the beginning of what is written.
struct Output(Arc<Kept>);

impl Sink for Output {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        if self.0.bytes() < OUTPUT_LIMIT {
            self.0.append(&block)?;
        }
        Ok(())
    }
}

struct Writing {
    run: FullRun,
    /// Why nothing may be written.
    trouble: Mutex<Option<String>>,
}

impl Writing {
    fn trouble(&self, why: String) {
        self.trouble.lock().get_or_insert(why);
    }
}

impl Observer for Writing {
    fn begins(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        self.run.watch.collected().begin(plan, meters);
    }

    fn ended(
        &self,
        _within: Option<usize>,
        plan: &Plan,
        meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        self.run.watch.collected().add(plan, meters, outcomes);
        if outcomes.iter().any(|outcome| outcome.panicked) {
            self.trouble("a stage failed inside".to_owned());
        }
        let failed = |outcome: &StageOutcome| outcome.status.0 >= 2 && !outcome.closed;
        let said = self.run.errors.text();
        if outcomes.iter().any(failed) && !said.is_empty() {
            self.trouble(said.lines().next().unwrap_or_default().to_owned());
        }
    }

    fn withheld(&self, stage: &StagePlan, joined: bool) -> Withheld {
        if !joined {
            // It is started by itself, when the files are there.
            return Withheld { message: None, status: 0 };
        }
        let name = stage.name();
        self.trouble(format!("{name} is an external program and was not allowed"));
        Withheld { message: None, status: 126 }
    }
}

/// Runs the whole text on everything, on this thread.
pub(crate) fn run_full(
    request: FullRequest,
    run: &FullRun,
    input: Option<Box<dyn Source>>,
    control: &RunControl,
) -> FullEnd {
    let FullRequest { text, mut variables, allowed, left_out, writes, follows, .. } = request;
    let policy = Policy::in_run(&allowed);
    let files = Arc::new(CommittingFiles::new(run.watch.sources(), follows));
    let starter = CommandStarter::deferred(files.clone(), policy.clone());
    let input = input.map(|source| CountedSource::of(source, run.watch.sources()));
    let writing = Writing { run: run.clone(), trouble: Mutex::default() };
    let out = Arc::new(Output(run.output.clone()));
    let context = RunContext {
        files: &*files,
        commands: &starter,
        descriptors: Ports::new(input, out, run.errors.clone()),
        policy,
        observer: &writing,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    };
    let nothing = |why: &str| FullEnd::Failed(format!("{why}; nothing was written"));
    let outcome =
        with_memory_of_machine(control, || run_text(&text, &context, &mut variables, control));
    run.output.end();
    run.watch.end();
    let milliseconds = run.watch.snapshot().elapsed_ns / 1_000_000;
    tracing::info!(milliseconds, cancelled = control.was_cancelled(), "full run ended");
    if let Some(excess) = control.excess() {
        return nothing(&excess.to_string());
    }
    if control.was_cancelled() {
        return FullEnd::Cancelled;
    }
    let status = match outcome {
        Ok(status) => status,
        Err(error) => return nothing(&error.to_string()),
    };
    if !writes {
        return match files.unwritten() {
            Ok(unwritten) => {
                *run.unwritten.lock() = unwritten;
                FullEnd::Done(status, Vec::new())
            }
            Err(error) => nothing(&stream::describe(&error)),
        };
    }
    let trouble = writing.trouble.lock().take();
    if let Some(why) = trouble.filter(|_| files.has_written()) {
        return nothing(&why);
    }
    // A stage may go on without a file that failed, with a small status.
    if files.has_failed() {
        let said = run.said();
        return nothing(said.lines().next().unwrap_or("a file could not be written"));
    }
    let wanted = |file: &CommittedFile| !left_out.iter().any(|path| file.is_for(path));
    match files.commit(wanted) {
        Ok(applied) => FullEnd::Done(status, applied),
        Err(error) => nothing(&error.to_string()),
    }
}
