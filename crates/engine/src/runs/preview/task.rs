//! What a preview is made from.

use parking_lot::Mutex;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use filters::Filter;
use stream::{RunControl, StageMeter};

use crate::base::limits::Limits;
use crate::exec::command::CommandStarter;
use crate::files::held_back::HeldBackFiles;
use crate::files::sample::{Sample, SampledInput};
use crate::flow::descriptors::Ports;
use crate::kept::lines::Kept;
use crate::plan::pipeline::Plan;
use crate::runs::preview::result::Preview;

/// Everything a preview needs.
pub(crate) struct Task<'t> {
    pub(crate) generation: u64,
    pub(crate) text: &'t str,
    pub(crate) plan: &'t Plan,
    /// The filters of its stages, built to be asked, not to be run.
    pub(crate) filters: Vec<Option<Arc<dyn Filter>>>,
    pub(crate) files: &'t HeldBackFiles,
    pub(crate) control: &'t RunControl,
    pub(crate) starter: &'t CommandStarter,
    pub(crate) sample: Sample,
    pub(crate) limits: Limits,
    pub(crate) standard: Option<Arc<SampledInput>>,
    /// Set where standard input, which has nothing, is read.
    pub(crate) probe: Option<Arc<AtomicBool>>,
    pub(crate) before: Option<&'t Preview>,
    /// Tells apart what the key of a stage does not: the sample and the standard input.
    pub(crate) setting: Vec<u8>,
    pub(crate) meters: &'t Mutex<Vec<Arc<StageMeter>>>,
    /// What the first stage has written so far, where it follows a file.
    pub(crate) live: Option<LiveSoFar>,
    /// What comes before the pipeline has come to where data was cut off.
    pub(crate) cut_before: bool,
    /// The stages that depend on what comes before the pipeline, by their numbers.
    pub(crate) depend_on_before: Vec<bool>,
    /// The descriptors, where `exec` has changed them before the pipeline.
    pub(crate) redirected: Option<Ports>,
}

/// What a stage that follows a file has written so far.
pub(crate) struct LiveSoFar {
    pub(crate) kept: Arc<Kept>,
    pub(crate) messages: String,
    /// For how long it has followed it, in nanoseconds.
    pub(crate) elapsed_ns: u64,
}
