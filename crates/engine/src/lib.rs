//! Turns shell text into running stages: plans and expansion, links between stages, runs for
//! real and previews on samples, kept results, pending files. The only crate that starts
//! threads and processes.

mod base;
mod bench;
mod exec;
mod files;
mod flow;
mod kept;
mod language;
mod plan;
mod policy;
mod runs;

pub use base::background::{BackgroundError, in_background};
pub use base::figure::{Figure, Known};
pub use base::jobs::{Jobs, Order};
pub use base::limits::{Limit, Limits, default_budget};
pub use base::threads::start_thread;
pub use bench::capture::{Capture, Unread};
pub use bench::request::{Request, SessionEvent};
pub use bench::session::Workbench;
pub use bench::start_held::{OnFailure, StartResult};
pub use bench::trials::{Trials, Untried};
pub use exec::program::start_no_more;
pub use files::block_source::source_of;
pub use files::commit::applied::{Applied, Changed, UndoError, undo};
pub use files::commit::journal::keep_journals_in;
pub use files::commit::prepared::CommitError;
pub use files::commit::recovery::{Recovered, left_to_undo, recover_writes};
pub use files::committing::Unwritten;
pub use files::identity::Identity;
pub use files::pending::{PendingFile, PendingMode};
pub use files::plain::{NotPlain, open_regular};
pub use files::real::RealFiles;
pub use files::rights::Writing;
pub use files::sample::search::{Found, search_whole};
pub use files::sample::{PartialRead, Sample, SampledInput, count_lines};
pub use files::temporary::give_up_writing;
pub use files::whole::{NotRegular, put_in_place};
pub use flow::link::LINK_BLOCKS;
pub use kept::lines::Kept;
pub use language::builtin_table::parse;
pub use language::glob::{Glob, has_pattern};
pub use language::run_text::RunError;
pub use plan::error::PlanError;
pub use plan::outcome::RedirectError;
pub use plan::pipeline::{Plan, StageKind, StagePlan};
pub use plan::target::{Target, TargetKind};
pub use plan::variables::Variables;
pub use policy::HeldCommand;
pub use policy::{
    Change, Consent, Consents, Content, Fed, FileIdentity, NamedFile, Program, listed_programs,
};
pub use runs::estimate::{Estimate, Hold, estimate};
pub use runs::fate::fate;
pub use runs::figures::{CommandFigures, CommandKind};
pub use runs::full::{FullEnd, FullRequest, FullRun, OUTPUT_LIMIT};
pub use runs::preview::inside::PipelinesInside;
pub use runs::preview::result::{Ending, InputRecord, Preview, StageResult};
pub use runs::script::{Cut, DryLimits, DryRun, dry_run, run_filter, run_script};
pub use runs::trial::try_on;
pub use runs::watch::{Expected, Snapshot, Watch};
