//! Turns shell text into running stages: plans and expansion, links between stages, runs for
//! real and previews on samples, kept results, pending files. The only crate that starts
//! threads and processes.

mod capture;
mod dry;
mod expand;
mod glob;
mod happened;
mod host;
mod job;
mod kept;
mod link;
mod live;
mod machine;
mod pending;
mod plan;
mod preview;
mod run;
mod sample;
mod script;
mod stage;
mod workbench;
mod world;

pub use capture::Capture;
pub use glob::{Glob, has_pattern};
pub use kept::Kept;
pub use pending::{Applied, PendingFile, PendingMode, apply, undo};
pub use plan::{Plan, PlanError, StageKind, StagePlan, Target, TargetKind, Variables};
pub use preview::{Ending, InputRecord, Limit, Limits, Preview, StageResult};
pub use sample::{Identity, Sample, Sampled, count_lines};
pub use script::{RunError, run_filter, run_script};
pub use workbench::{Job, Request, Workbench};
pub use world::RealWorld;
