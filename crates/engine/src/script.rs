//! Scripts run for real, as `sh` would run them.

use std::sync::Arc;

use shell::ShellError;
use stream::{Cancel, Sink, Source, StageMeter, World};
use thiserror::Error;

use crate::plan::{Plan, PlanError, StageKind, StagePlan, Variables};
use crate::run::{Nowhere, Surroundings, run_pipeline};
use crate::world::{DescriptorSink, RealWorld, StandardInput};

/// Why a script was not run (to its end).
#[derive(Debug, Error)]
pub enum RunError {
    /// The text is wrong or not supported; nothing was run.
    #[error(transparent)]
    Shell(#[from] ShellError),
    /// A pipeline cannot be run.
    #[error(transparent)]
    Plan(#[from] PlanError),
}

struct Real {
    world: RealWorld,
    out: Arc<dyn Sink>,
    error: Arc<dyn Sink>,
    takes_input: bool,
}

impl Real {
    fn new() -> Self {
        Self {
            world: RealWorld,
            out: own(rustix::stdio::stdout()),
            error: own(rustix::stdio::stderr()),
            takes_input: true,
        }
    }
}

impl Surroundings for Real {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn first_input(&self) -> Option<Box<dyn Source>> {
        self.takes_input.then(|| Box::new(StandardInput) as Box<dyn Source>)
    }

    fn last_output(&self) -> Arc<dyn Sink> {
        self.out.clone()
    }

    fn errors(&self, _number: usize) -> Arc<dyn Sink> {
        self.error.clone()
    }

    fn inherits(&self) -> bool {
        true
    }
}

/// A sink on one of this process's own descriptors; nowhere when that is closed.
fn own(descriptor: std::os::fd::BorrowedFd<'_>) -> Arc<dyn Sink> {
    match DescriptorSink::copy_of(descriptor) {
        Ok(sink) => Arc::new(sink),
        Err(_) => Arc::new(Nowhere),
    }
}

/// Runs every pipeline of `text`, one after the other, on this process's own descriptors, and
/// gives the status of the last one. The whole text is checked before the first one runs.
///
/// # Errors
/// Shell text that is wrong or not supported.
pub fn run_script(text: &str, variables: &mut Variables, cancel: &Cancel) -> Result<u8, RunError> {
    let script = shell::parse(text)?;
    let surroundings = Real::new();
    let mut status = 0;
    for pipeline in &script.pipelines {
        let plan = Plan::new(pipeline, variables, &surroundings.world)?;
        let meters: Vec<Arc<StageMeter>> = plan.stages.iter().map(|_| Arc::default()).collect();
        let outcomes = run_pipeline(&plan, &surroundings, &meters, cancel);
        status = outcomes.last().map_or(0, |outcome| outcome.status.0);
        if let [only] = &plan.stages[..]
            && matches!(only.kind, StageKind::Nothing)
        {
            for (name, value) in &only.assignments {
                variables.set(name, value.clone());
            }
        }
        variables.set_status(status);
        if cancel.is_cancelled() {
            break;
        }
    }
    Ok(status)
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
