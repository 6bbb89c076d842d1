//! Scripts run for real, as `sh` would run them.

use std::sync::{Arc, Mutex, PoisonError};

use shell::ShellError;
use stream::{Cancel, Sink, StageMeter, World};
use thiserror::Error;

use crate::dry::{DryWorld, HeldCommand};
use crate::figures::{Collected, CommandFigures};
use crate::interpreter::{Leave, Shell};
use crate::pending::PendingFile;
use crate::plan::{Plan, PlanError, StagePlan, is_program};
use crate::ports::Ports;
use crate::reading::only_reads;
use crate::run::{Nowhere, Refusal, Surroundings, run_pipeline};
use crate::stage::StageOutcome;
use crate::variables::Variables;
use crate::world::{DescriptorSink, RealWorld, StandardInput};

/// Why a script was not run (to its end).
#[derive(Debug, Error)]
pub enum RunError {
    /// The text is wrong or not supported; nothing was run.
    #[error(transparent)]
    Shell(#[from] ShellError),
    /// A command cannot be run.
    #[error(transparent)]
    Plan(#[from] PlanError),
}

struct Real {
    world: RealWorld,
    ports: Ports,
    /// What ran, where that is asked for.
    collected: Option<Collected>,
}

impl Real {
    fn new() -> Self {
        let out = own(rustix::stdio::stdout());
        let error = own(rustix::stdio::stderr());
        let ports = Ports::new(Some(Box::new(StandardInput)), out, error).owned();
        Self { world: RealWorld, ports, collected: None }
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
        if let Some(collected) = &self.collected {
            collected.add(plan, meters, outcomes);
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
/// text is checked before anything runs.
///
/// # Errors
/// Shell text that is wrong or not supported; an error that ends the shell, such as a parameter
/// that must have a value.
pub fn run_script(text: &str, variables: &mut Variables, cancel: &Cancel) -> Result<u8, RunError> {
    run_in(&Real::new(), text, variables, cancel)
}

/// As [`run_script`]; gives also what every command read, wrote and took, in the order of the
/// text, over all the times it ran.
///
/// # Errors
/// As [`run_script`]; the figures are those up to then.
pub fn run_measured(
    text: &str,
    variables: &mut Variables,
    cancel: &Cancel,
) -> (Result<u8, RunError>, Vec<CommandFigures>) {
    let real = Real { collected: Some(Collected::default()), ..Real::new() };
    let outcome = run_in(&real, text, variables, cancel);
    (outcome, real.collected.map(Collected::into_list).unwrap_or_default())
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

    fn refusal(&self, _number: usize, stage: &StagePlan, _joined: bool) -> Option<Refusal> {
        let words = stage.words();
        // A program that is not there fails as it does in a run.
        if only_reads(&words) || !is_program(&words[0], stage.directory.as_deref()) {
            return None;
        }
        Some(Refusal { message: None, status: 0 })
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
pub fn dry_run(text: &str, variables: &mut Variables, cancel: &Cancel) -> Result<DryRun, RunError> {
    let dry = Dry {
        world: DryWorld::new(None, cancel.clone()),
        ports: Real::new().ports,
        held: Mutex::default(),
    };
    let status = run_in(&dry, text, variables, cancel)?;
    let files = dry.world.pending.files();
    let commands = dry.held.into_inner().unwrap_or_else(PoisonError::into_inner);
    Ok(DryRun { status, files, commands })
}

/// As [`run_script`], in other surroundings.
pub(crate) fn run_in(
    surroundings: &dyn Surroundings,
    text: &str,
    variables: &mut Variables,
    cancel: &Cancel,
) -> Result<u8, RunError> {
    let script = shell::parse(text)?;
    let (world, ports) = (surroundings.world(), surroundings.ports());
    let state = std::mem::take(variables);
    let mut shell = Shell::new(surroundings, 0, world, cancel, ports, state);
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
pub fn run_filter(name: &[u8], arguments: Vec<Vec<u8>>, cancel: &Cancel) -> Option<u8> {
    let definition = filters::find(name)?;
    let stage = StagePlan::of_filter(definition, arguments);
    let plan = Plan { stages: vec![stage] };
    let outcomes = run_pipeline(&plan, &Real::new(), &[Arc::default()], cancel);
    outcomes.last().map(|outcome| outcome.status.0)
}
