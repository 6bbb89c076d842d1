//! What a session is asked for, and what it reports.

use std::sync::Arc;

use shell::Script;

use crate::base::limits::Limits;
use crate::bench::start_held::StartResult;
use crate::files::sample::Sample;
use crate::plan::error::PlanError;
use crate::plan::pipeline::Plan;
use crate::plan::variables::Variables;
use crate::policy::Consents;
use crate::runs::estimate::Estimate;
use crate::runs::full::FullEnd;
use crate::runs::preview::result::Preview;

/// What a preview is asked for.
#[derive(Clone)]
pub struct Request {
    /// The text.
    pub text: String,
    /// The text as a tree, where it was parsed already.
    pub script: Option<Arc<Script>>,
    /// Where the cursor is in it: that decides which of its pipelines is looked at.
    pub at: usize,
    /// Variables and parameters it begins with.
    pub variables: Variables,
    /// The pipeline, where it is made elsewhere.
    pub plan: Option<Plan>,
    /// Which lines.
    pub sample: Sample,
    /// How much it may do.
    pub limits: Limits,
    /// What the user consented to.
    pub allowed: Consents,
}

/// News from the background.
pub enum SessionEvent {
    /// A preview of the first lines is ready, and one of everything is being made.
    Begun(Arc<Preview>),
    /// A preview is ready.
    Done(Arc<Preview>),
    /// The preview of the first lines is all that there is: everything would not be quick.
    Settled(u64),
    /// The sample's whole was counted (it is noted in the sample).
    Counted,
    /// The text cannot be run; the error says where and why.
    Refused(u64, PlanError),
    /// There is nothing to run.
    Nothing(u64),
    /// A preview could not be made; the text says why.
    Failed(u64, String),
    /// A command of a list, by its number there, has begun or ended.
    StartResult(usize, StartResult),
    /// The list is done, or was left.
    ActingEnded,
    /// A full run has ended.
    FullEnded(FullEnd),
    /// What a full run of this text would take.
    Estimated(String, Estimate),
    /// Something came from standard input.
    Arrived,
}

/// Takes the news, on any thread.
pub(crate) type Report = Arc<dyn Fn(SessionEvent) + Send + Sync>;
