//! Turns shell text into running stages: plans and expansion, links between stages, runs for
//! real and previews on samples, kept results, pending files. The only crate that starts
//! threads and processes.

mod acting;
mod around;
mod capture;
mod directory;
mod dry;
mod expand;
mod figures;
mod glob;
mod happened;
mod host;
mod host_pipes;
mod interpreter;
mod job;
mod kept;
mod lineage;
mod link;
mod live;
mod machine;
mod named;
mod overlay;
mod pending;
mod plan;
mod ports;
mod preview;
mod reading;
mod run;
mod sample;
mod script;
mod stage;
mod variables;
mod workbench;
mod world;

pub use acting::{Acted, OnFailure};
pub use capture::Capture;
pub use dry::HeldCommand;
pub use figures::CommandFigures;
pub use glob::{Glob, has_pattern};
pub use kept::Kept;
pub use pending::{Applied, PendingFile, PendingMode, apply, undo};
pub use plan::{Plan, PlanError, StageKind, StagePlan, Target, TargetKind};
pub use preview::{Ending, InputRecord, Limit, Limits, Preview, StageResult};
pub use reading::only_reads;
pub use sample::{Identity, Sample, Sampled, count_lines};
pub use script::{DryRun, RunError, dry_run, run_filter, run_measured, run_script};
pub use variables::Variables;
pub use workbench::{Allowed, Job, Request, Workbench};
pub use world::RealWorld;
