//! Scripts run for real, as `sh` would run them.

use std::sync::Arc;

use shell::ShellError;
use stream::{Cancel, Sink, World};
use thiserror::Error;

use crate::interpreter::{Leave, Shell};
use crate::plan::{Plan, PlanError, StagePlan};
use crate::ports::Ports;
use crate::run::{Nowhere, Surroundings, run_pipeline};
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
}

impl Real {
    fn new() -> Self {
        let out = own(rustix::stdio::stdout());
        let error = own(rustix::stdio::stderr());
        let ports = Ports::new(Some(Box::new(StandardInput)), out, error).owned();
        Self { world: RealWorld, ports }
    }
}

impl Surroundings for Real {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn ports(&self) -> Ports {
        self.ports.clone()
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
