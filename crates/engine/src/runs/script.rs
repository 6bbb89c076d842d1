//! Scripts run for real, as `sh` would run them.

use std::sync::{Arc, Mutex, PoisonError};

use shell::ShellError;
use stream::{Block, Excess, RunControl, Sink, Source, StageMeter, World, WriteError};
use thiserror::Error;

use crate::base::limits::with_memory_of_machine;
use crate::base::sinks::Nowhere;
use crate::exec::pipeline::{Surroundings, run_pipeline};
use crate::files::block_source::{DescriptorSink, StandardInput};
use crate::files::held_back::DryWorld;
use crate::files::pending::PendingFile;
use crate::files::shell::ShellFiles;
use crate::flow::counted::CountedSource;
use crate::flow::descriptors::Ports;
use crate::language::shell::Shell;
use crate::language::unwind::Leave;
use crate::plan::error::PlanError;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StagePlan};
use crate::plan::variables::Variables;
use crate::policy::HeldCommand;
use crate::policy::Policy;
use crate::runs::watch::{Announce, Watch};

/// Why a script was not run (to its end).
#[derive(Debug, Error)]
pub enum RunError {
    /// The text is wrong or not supported; nothing was run.
    #[error(transparent)]
    Shell(#[from] ShellError),
    /// A command cannot be run.
    #[error(transparent)]
    Plan(#[from] PlanError),
    /// It was ended because the machine has no more.
    #[error("{0}; the run was ended")]
    Excess(Excess),
}

struct Real {
    world: ShellFiles,
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
        let world = ShellFiles::new(control, watch.map(|watch| &**watch));
        if let Some(watch) = watch {
            input = CountedSource::of(input, watch.sources());
        }
        let ports = Ports::new(Some(input), out, error).owned();
        Self { world, ports, watch: watch.cloned() }
    }
}

/// Says so before it writes.
struct Announced {
    inner: Arc<dyn Sink>,
    announce: Announce,
}

impl Sink for Announced {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        (self.announce)(block.ends_line());
        self.inner.write(block)
    }

    fn is_closed(&self) -> bool {
        self.inner.is_closed()
    }

    fn is_terminal(&self) -> bool {
        self.inner.is_terminal()
    }
}

impl Surroundings for Real {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn ports(&self) -> Ports {
        self.ports.clone()
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

    fn watch(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        // What follows a file is ended by a signal, and what it wrote is wanted.
        if plan.stages.iter().any(StagePlan::follows) {
            self.world.write_at_once();
        }
        if let Some(watch) = &self.watch {
            watch.collected().begin(plan, meters);
        }
    }

    fn policy(&self) -> Policy {
        Policy::AsShell
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
/// text is checked before anything runs; `watch` sees what goes on.
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
    let outcome = with_memory_of_machine(control, || run_in(&real, text, variables, control));
    if let Some(excess) = control.excess() {
        return Err(RunError::Excess(excess));
    }
    if let Some(watch) = watch {
        watch.end();
    }
    outcome
}

/// What a script would have done.
pub struct DryRun {
    /// The status it ended with; commands that were not started count as successful.
    pub status: u8,
    /// The files it would have written, each once, with all that would be written.
    pub files: Vec<PendingFile>,
    /// The commands that were not started, in the order in which they would have been.
    pub commands: Vec<HeldCommand>,
}

struct Dry {
    world: DryWorld,
    ports: Ports,
    held: Mutex<Vec<HeldCommand>>,
}

impl Surroundings for Dry {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn ports(&self) -> Ports {
        self.ports.clone()
    }

    fn policy(&self) -> Policy {
        Policy::ListOnly
    }

    fn hold_back(&self, _number: usize, command: HeldCommand) {
        self.held.lock().unwrap_or_else(PoisonError::into_inner).push(command);
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
    control: &RunControl,
) -> Result<DryRun, RunError> {
    let dry = Dry {
        world: DryWorld::new(None, Policy::ListOnly, control.clone()),
        ports: Real::new(control, None).ports,
        held: Mutex::default(),
    };
    let status = with_memory_of_machine(control, || run_in(&dry, text, variables, control));
    if let Some(excess) = control.excess() {
        return Err(RunError::Excess(excess));
    }
    let status = status?;
    let files = dry.world.pending.files();
    let commands = dry.held.into_inner().unwrap_or_else(PoisonError::into_inner);
    Ok(DryRun { status, files, commands })
}

/// As [`run_script`], in other surroundings.
pub(crate) fn run_in(
    surroundings: &dyn Surroundings,
    text: &str,
    variables: &mut Variables,
    control: &RunControl,
) -> Result<u8, RunError> {
    let script = shell::parse(text)?;
    let (world, ports) = (surroundings.world(), surroundings.ports());
    let state = std::mem::take(variables);
    let mut shell = Shell::new(surroundings, 0, world, control, ports, state);
    let mut fault = None;
    let status = shell.alone(|shell| match shell.list(&script.list) {
        Err(Leave::Fault(found)) => {
            shell.state.status = found.status;
            fault = Some(found);
            Ok(())
        }
        other => other,
    });
    *variables = shell.state;
    match fault {
        Some(fault) => Err(PlanError { message: fault.message, span: fault.span }.into()),
        None => Ok(status),
    }
}

/// Runs one filter on this process's own descriptors and gives its status; `None` where there is
/// no filter of that name.
pub fn run_filter(name: &[u8], arguments: Vec<Vec<u8>>, control: &RunControl) -> Option<u8> {
    let definition = filters::find(name)?;
    let stage = StagePlan::of_filter(definition, arguments);
    let plan = Plan { stages: vec![stage] };
    let real = Real::new(control, None);
    // One filter alone writes as a program would.
    real.world.write_at_once();
    let run = || run_pipeline(&plan, &real, &[Arc::default()], control);
    let outcomes = with_memory_of_machine(control, run);
    if control.excess().is_some() {
        return Some(2);
    }
    outcomes.last().map(|outcome| outcome.status.0)
}
