//! Commands that stages start: filters of our own and programs of the machine.

use std::sync::Arc;

use stream::{Job, JobEnd, StageMeter, World};

use crate::host::{Inherited, run_host};
use crate::plan::{StageKind, StagePlan};
use crate::stage::{Connections, StageOutcome, run_native};

/// True when the command is a filter of our own.
pub(crate) fn is_native(job: &Job<'_>) -> bool {
    job.words.first().is_some_and(|name| filters::find(name).is_some())
}

/// Runs a command to its end on this thread.
pub(crate) fn run_job(job: Job<'_>, world: &dyn World) -> JobEnd {
    let Some((name, arguments)) = job.words.split_first() else { return JobEnd::NotFound };
    let kind = match filters::find(name) {
        Some(definition) => StageKind::Native(definition),
        None => StageKind::Host(name.clone()),
    };
    let plan = StagePlan::of(kind, arguments.to_vec(), job.variables);
    let connections = Connections {
        stdin: job.input,
        stdout: job.out,
        stderr: job.error,
        origins: None,
        eager: false,
    };
    // What the command writes is counted by the stage that started it, what it reads by nobody.
    let meter = Arc::new(StageMeter::default());
    let outcome = match plan.kind {
        StageKind::Native(_) => run_native(&plan, connections, world, &meter, job.cancel),
        _ => run_host(&plan, connections, Inherited::default(), &meter, job.cancel),
    };
    match outcome {
        StageOutcome { unstarted: Some(end), .. } => end,
        StageOutcome { signal: Some(signal), .. } => JobEnd::Signalled(signal),
        StageOutcome { status, .. } => JobEnd::Exited(status.0),
    }
}
