//! Other texts evaluated beside the one on screen, to find out what they would give.

use parking_lot::Mutex;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use stream::RunControl;
use thiserror::Error;

use crate::bench::capture::Capture;
use crate::bench::evaluation::{Captured, Evaluation, LastResults, Trouble};
use crate::bench::request::Request;
use crate::files::sample::SampleCache;
use crate::plan::error::PlanError;
use crate::runs::preview::result::Preview;

/// Why a text could not be evaluated.
#[derive(Debug, Error)]
pub enum Untried {
    /// It cannot be run; the error says where and why.
    #[error(transparent)]
    Refused(PlanError),
    /// There is nothing to run in it.
    #[error("there is nothing to run")]
    Nothing,
    /// Its result could not be made.
    #[error("{0}")]
    Failed(String),
    /// The caller has ended it.
    #[error("ended before it was done")]
    Ended,
}

/// Evaluates texts on the caller's thread, as a preview does: no file is written, and no program
/// is started that a preview would not start. Samples of files that were read once are shared
/// with the workbench it is from.
#[derive(Clone, Default)]
pub struct Trials {
    pub(crate) cache: Arc<SampleCache>,
    pub(crate) capture: Option<Arc<Capture>>,
    pub(crate) captured: Arc<Mutex<Vec<Captured>>>,
    /// Set once the text reads standard input, which has nothing.
    pub(crate) probe: Option<Arc<AtomicBool>>,
}

impl Trials {
    /// Trials of their own, with what comes from standard input.
    pub fn new(capture: Option<Arc<Capture>>) -> Self {
        Self { capture, ..Self::default() }
    }

    /// Trials without standard input; `probe` is set when a text would have read it.
    pub fn probing(probe: Arc<AtomicBool>) -> Self {
        Self { probe: Some(probe), ..Self::default() }
    }

    /// What the request gives. Stages that are the same in `before` are taken from there. Blocks
    /// until it is done or a limit of the request is reached; `control` ends it.
    ///
    /// # Errors
    /// Where the text has no result.
    pub fn evaluate(
        &self,
        request: Request,
        before: Option<&Arc<Preview>>,
        control: &RunControl,
    ) -> Result<Arc<Preview>, Untried> {
        let evaluation = Evaluation {
            generation: 2,
            request,
            cache: self.cache.clone(),
            before: LastResults { of_sample: before.cloned(), of_everything: before.cloned() },
            partly: false,
            capture: self.capture.clone(),
            captured: self.captured.clone(),
            probe: self.probe.clone(),
            meters: Arc::default(),
            live: Arc::default(),
            control: control.clone(),
            growing: RunControl::default(),
            report: Arc::new(|_| {}),
        };
        match evaluation.run() {
            Ok(Some(preview)) => Ok(preview),
            Ok(None) => Err(Untried::Ended),
            Err(Trouble::Refused(error)) => Err(Untried::Refused(error)),
            Err(Trouble::Nothing) => Err(Untried::Nothing),
            Err(Trouble::Failed(message)) => Err(Untried::Failed(message)),
        }
    }
}
