//! Scripts run for real, as `sh` would run them.

use parking_lot::Mutex;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use stream::{Block, RunControl, Sink, SinkLayer, Source, StageMeter, WriteError};

use crate::base::limits::{Limit, Limits, Over, with_limits, with_memory_of_machine};
use crate::base::sinks::Nowhere;
use crate::exec::command::CommandStarter;
use crate::exec::context::{Observer, RunContext};
use crate::exec::pipeline::run_pipeline;
use crate::files::block_source::{DescriptorSink, StandardInput};
use crate::files::held_back::HeldBackFiles;
use crate::files::pending::PendingFile;
use crate::files::shell::ShellFiles;
use crate::flow::counted::CountedSource;
use crate::flow::descriptors::Ports;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::{RunError, run_text};
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StagePlan};
use crate::plan::variables::Variables;
use crate::policy::{HeldCommand, Policy};
use crate::runs::watch::{Announce, Watch};

struct Real {
    files: Arc<ShellFiles>,
    ports: Ports,
    watch: Option<Arc<Watch>>,
}

impl Real {
    fn new(control: &RunControl, watch: Option<&Arc<Watch>>) -> Self {
        let mut out = own(rustix::stdio::stdout());
        let mut error = own(rustix::stdio::stderr());
        if let Some(announce) = watch.and_then(|watch| watch.announce()) {
            for sink in [&mut out, &mut error] {
                if sink.is_terminal() {
                    let (inner, announce) = (sink.clone(), announce.clone());
                    *sink = Arc::new(Announced { inner, announce });
                }
            }
        }
        let mut input: Box<dyn Source> = Box::new(StandardInput);
        let files = Arc::new(ShellFiles::new(control, watch.map(|watch| watch.sources())));
        if let Some(watch) = watch {
            input = CountedSource::of(input, watch.sources());
        }
        let ports = Ports::new(Some(input), out, error).owned();
        Self { files, ports, watch: watch.cloned() }
    }
}

/// Says so before it writes.
struct Announced {
    inner: Arc<dyn Sink>,
    announce: Announce,
}

impl SinkLayer for Announced {
    fn inner(&self) -> &dyn Sink {
        &*self.inner
    }

    fn pass(&self, block: Block) -> Result<(), WriteError> {
        (self.announce)(block.ends_line());
        self.inner.write(block)
    }
}

impl Real {
    /// What starts commands: programs as a shell would.
    fn starter(&self) -> CommandStarter {
        CommandStarter::beside(self.files.clone(), Policy::AsShell)
    }

    /// This, for what is started by `starter`.
    fn context<'c>(&'c self, starter: &'c CommandStarter) -> RunContext<'c> {
        RunContext {
            files: &*self.files,
            commands: starter,
            descriptors: self.ports.clone(),
            policy: Policy::AsShell,
            observer: self,
            taps: None,
            interpreter: &ShellLanguage,
            within: None,
        }
    }
}

impl Observer for Real {
    fn begins(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        // What follows a file is ended by a signal, and what it wrote is wanted.
        if plan.stages.iter().any(StagePlan::follows) {
            self.files.write_at_once();
        }
        if let Some(watch) = &self.watch {
            watch.collected().begin(plan, meters);
        }
    }

    fn ended(
        &self,
        _within: Option<usize>,
        plan: &Plan,
        meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        if let Some(watch) = &self.watch {
            watch.collected().add(plan, meters, outcomes);
        }
    }
}

/// A sink on one of this process's own descriptors; nowhere when that is closed.
fn own(descriptor: std::os::fd::BorrowedFd<'_>) -> Arc<dyn Sink> {
    match DescriptorSink::copy_of(descriptor) {
        Ok(sink) => Arc::new(sink),
        Err(_) => Arc::new(Nowhere),
    }
}

/// Runs `text` on this process's own descriptors and gives the status it ends with. The whole
/// text is checked before anything runs; `watch` sees what continues.
///
/// `>>` writes to the file itself. What `>` writes takes its place when the command that owns the
/// redirection has ended; until then the old file is there, whole, and stays where the run is
/// cancelled before. From a pipeline on that follows a file, files are seen while they are written:
/// only a signal ends that, and what it wrote is wanted.
///
/// # Errors
/// Shell text that is wrong or not supported; an error that ends the shell, such as a parameter
/// that must have a value.
pub fn run_script(
    text: &str,
    variables: &mut Variables,
    control: &RunControl,
    watch: Option<&Arc<Watch>>,
) -> Result<u8, RunError> {
    let real = Real::new(control, watch);
    let starter = real.starter();
    let context = real.context(&starter);
    let run = || with_memory_of_machine(control, || run_text(text, &context, variables, control));
    let outcome = unpanicked(run, control);
    tracing::info!(status = ?outcome.as_ref().ok(), "run ended");
    if let Some(excess) = control.excess() {
        return Err(RunError::Excess(excess));
    }
    if let Some(watch) = watch {
        watch.end();
    }
    outcome
}

/// Makes a panic inside of a run the error of that run, which is ended.
fn unpanicked<T>(
    run: impl FnOnce() -> Result<T, RunError>,
    control: &RunControl,
) -> Result<T, RunError> {
    catch_unwind(AssertUnwindSafe(run)).unwrap_or_else(|_| {
        tracing::error!("a run has failed inside");
        control.cancel();
        Err(RunError::Internal)
    })
}

/// What a script would have done.
pub struct DryRun {
    /// The status it ended with; commands that were not started count as successful.
    pub status: u8,
    /// The files it would have written, each once, with all that would be written.
    pub files: Vec<PendingFile>,
    /// The commands that were not started, in the order in which they would have been.
    pub commands: Vec<HeldCommand>,
    /// Why it was ended before its end: files and commands are only a part then.
    pub cut: Option<Cut>,
}

/// Why a dry run was ended before its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Cut {
    /// It was interrupted.
    Interrupted,
    /// It would have taken more than it may.
    Limit(Limit),
}

/// What a dry run may take: as a preview, or whatever it needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DryLimits {
    /// Time, memory, and bytes that are held back.
    AsPreview,
    /// None but the machine's.
    None,
}

/// Keeps the commands that were held back.
#[derive(Default)]
pub(crate) struct HeldCommands(Mutex<Vec<HeldCommand>>);

impl HeldCommands {
    /// Those held back since this was asked last.
    pub(crate) fn take(&self) -> Vec<HeldCommand> {
        std::mem::take(&mut self.0.lock())
    }
}

impl Observer for HeldCommands {
    fn held_back(&self, _number: usize, command: HeldCommand) {
        self.0.lock().push(command);
    }
}

/// As [`run_script`], but nothing is changed: files are not written, and programs of the machine
/// are not started unless they only read. Later commands see what earlier ones would have
/// written.
///
/// # Errors
/// As [`run_script`].
pub fn dry_run(
    text: &str,
    variables: &mut Variables,
    limits: DryLimits,
    control: &RunControl,
) -> Result<DryRun, RunError> {
    let preview = Limits::default();
    let files = HeldBackFiles::new(None, control.clone());
    let files = Arc::new(match limits {
        DryLimits::AsPreview => files.holding(preview.bytes),
        DryLimits::None => files,
    });
    let starter = CommandStarter::deferred(files.clone(), Policy::ListOnly);
    let held = HeldCommands::default();
    let context = RunContext {
        files: &*files,
        commands: &starter,
        descriptors: Real::new(control, None).ports,
        policy: Policy::ListOnly,
        observer: &held,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    };
    let work = || run_text(text, &context, variables, control);
    let mut over = None;
    let status = unpanicked(
        || match limits {
            DryLimits::AsPreview => {
                let (result, why) =
                    with_limits(control, preview.time, Some(preview.memory_bytes), work);
                over = why;
                result
            }
            DryLimits::None => with_memory_of_machine(control, work),
        },
        control,
    );
    let over = over.or_else(|| control.excess().map(Over::Excess));
    let cut = match over {
        Some(over) => Some(Cut::Limit(Limit::of(over, &preview))),
        None if control.was_cancelled() => Some(Cut::Interrupted),
        None => None,
    };
    let status = match status {
        // What is known until then is told.
        Err(error) if cut.is_none() || matches!(error, RunError::Shell(_)) => return Err(error),
        status => status.unwrap_or_default(),
    };
    Ok(DryRun { status, files: files.pending.files(), commands: held.take(), cut })
}

/// Runs one filter on this process's own descriptors and gives its status; `None` where there is
/// no filter of that name.
pub fn run_filter(name: &[u8], arguments: Vec<Vec<u8>>, control: &RunControl) -> Option<u8> {
    let definition = filters::find(name)?;
    let stage = StagePlan::of_filter(definition, arguments);
    let plan = Plan { stages: vec![stage] };
    let real = Real::new(control, None);
    // One filter alone writes as a program would.
    real.files.write_at_once();
    let starter = real.starter();
    let context = real.context(&starter);
    let run = || run_pipeline(&plan, &context, &[Arc::default()], control);
    let outcomes = with_memory_of_machine(control, run);
    if control.excess().is_some() {
        return Some(2);
    }
    outcomes.last().map(|outcome| outcome.status.0)
}
