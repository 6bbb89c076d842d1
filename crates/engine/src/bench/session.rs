//! Background work for a screen: previews, counts, full runs.

use parking_lot::Mutex;
use std::sync::Arc;

use stream::{RunControl, StageFigures, StageMeter};

use crate::base::background::{BackgroundError, in_background};
use crate::base::worker::Worker;
use crate::bench::capture::Capture;
use crate::bench::evaluation::{Captured, Evaluation, LastResults, Trouble};
use crate::bench::follow::FollowedStage;
use crate::bench::request::{Report, Request, SessionEvent};
use crate::bench::start_held::{OnFailure, start_held};
use crate::bench::trials::Trials;
use crate::files::sample::{Sample, SampleCache, count_lines_in};
use crate::plan::variables::Variables;
use crate::policy::{HeldCommand, Policy};
use crate::runs::estimate::{Given, try_out};
use crate::runs::full::{FullEnd, FullRequest, FullRun, run_full};
use crate::runs::preview::result::Preview;

/// Runs previews in the background, the newest only.
pub struct Workbench {
    cache: Arc<SampleCache>,
    last: LastResults,
    /// What the newest preview is ended by: the work itself, and what is counted after it.
    running: Vec<RunControl>,
    acting: Option<RunControl>,
    generation: u64,
    capture: Option<Arc<Capture>>,
    captured: Arc<Mutex<Vec<Captured>>>,
    meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    /// The first stage, where it follows a file.
    live: Arc<Mutex<Option<FollowedStage>>>,
    report: Report,
    worker: Worker,
}

impl Workbench {
    /// A workbench that tells its news to `report`, from any thread.
    pub fn new(
        capture: Option<Arc<Capture>>,
        report: impl Fn(SessionEvent) + Send + Sync + 'static,
    ) -> Self {
        Self {
            cache: Arc::default(),
            last: LastResults::default(),
            running: Vec::new(),
            acting: None,
            generation: 0,
            capture,
            captured: Arc::default(),
            meters: Arc::default(),
            live: Arc::default(),
            report: Arc::new(report),
            worker: Worker::default(),
        }
    }

    /// Starts a preview and cancels the one that runs. Gives its number; one of the first lines
    /// that comes before it has the number before.
    pub fn evaluate(&mut self, request: Request) -> u64 {
        self.cancel();
        self.generation += 2;
        let generation = self.generation;
        let (control, counting) = (RunControl::default(), RunControl::default());
        let growing = RunControl::default();
        self.running = vec![control.clone(), counting.clone(), growing.clone()];
        let evaluation = Evaluation {
            generation,
            request,
            cache: self.cache.clone(),
            before: self.last.clone(),
            partly: true,
            capture: self.capture.clone(),
            captured: self.captured.clone(),
            probe: None,
            meters: self.meters.clone(),
            live: self.live.clone(),
            control,
            growing,
            report: self.report.clone(),
        };
        let answer = self.report.clone();
        self.worker.post(
            move || evaluation.run(),
            move |worked| match worked {
                Ok(Ok(Some(done))) => {
                    answer(if done.generation == generation {
                        SessionEvent::Done(done.clone())
                    } else {
                        SessionEvent::Settled(generation)
                    });
                    // A preview that came to its limit of time has used up its own flag.
                    count_sources(&done, &counting, &answer);
                }
                Ok(Ok(None)) => {}
                Ok(Err(Trouble::Nothing)) => answer(SessionEvent::Nothing(generation)),
                Ok(Err(Trouble::Refused(error))) => {
                    answer(SessionEvent::Refused(generation, error));
                }
                Ok(Err(Trouble::Failed(message))) => {
                    answer(SessionEvent::Failed(generation, message));
                }
                Err(error) => answer(SessionEvent::Failed(generation, error.to_string())),
            },
        );
        generation
    }

    /// True while a file is followed.
    pub fn is_following(&self) -> bool {
        let live = self.live.lock();
        live.as_ref().is_some_and(FollowedStage::runs)
    }

    /// Stops following; what came stays.
    pub fn stop_following(&mut self) {
        if let Some(live) = &*self.live.lock() {
            live.stop();
        }
    }

    /// Takes a finished preview, if it is the newest, to start the next one from.
    pub fn accept(&mut self, preview: &Arc<Preview>) -> bool {
        let newest = self.generation.abs_diff(preview.generation) < 2;
        if newest {
            let last = match preview.sample {
                Sample::Everything => &mut self.last.of_everything,
                _ => &mut self.last.of_sample,
            };
            *last = Some(preview.clone());
        }
        newest
    }

    /// Cancels the preview that runs.
    pub fn cancel(&mut self) {
        for running in self.running.drain(..) {
            running.cancel();
        }
    }

    /// The counters of the stages that run now, from the first changed stage on.
    pub fn progress(&self) -> Vec<StageFigures> {
        let meters = self.meters.lock();
        meters.iter().map(|meter| meter.figures()).collect()
    }

    /// Forgets what was kept, so that the next preview reads everything anew.
    pub fn forget(&mut self) {
        self.last = LastResults::default();
        self.live = Arc::default();
        self.cache = Arc::default();
    }

    /// To evaluate other texts on the same data, on any thread.
    pub fn trials(&self) -> Trials {
        Trials {
            cache: self.cache.clone(),
            capture: self.capture.clone(),
            captured: self.captured.clone(),
            probe: None,
        }
    }

    /// What is captured of standard input.
    pub fn capture(&self) -> Option<&Arc<Capture>> {
        self.capture.as_ref()
    }

    /// Runs the whole text on everything in the background, watched by what this gives. Its end
    /// comes as [`SessionEvent::FullEnded`].
    pub fn run_all(&mut self, request: FullRequest) -> FullRun {
        let run = FullRun::new(&request.expected);
        let control = run.watch.cancel_flag();
        let capture = self.capture.clone();
        let report = self.report.clone();
        let running = run.clone();
        in_background(
            "full run",
            move || {
                let input = capture.map(|capture| capture.source(&control));
                run_full(request, &running, input, &control)
            },
            move |ended| {
                let failed = |error: BackgroundError| FullEnd::Failed(error.to_string());
                report(SessionEvent::FullEnded(ended.unwrap_or_else(failed)));
            },
        );
        run
    }

    /// Estimates a full run from a sample, in the background; it comes as [`SessionEvent::Estimated`].
    pub fn estimate(&self, text: String, variables: Variables) {
        let report = self.report.clone();
        let capture = self.capture.clone();
        let of = text.clone();
        in_background(
            "estimate",
            move || {
                try_out(&text, variables, &Policy::ListOnly, || {
                    capture.as_ref().map(|capture| Given {
                        source: capture.kept().source(),
                        bytes: capture.kept().has_ended().then(|| capture.kept().bytes()),
                    })
                })
            },
            move |made| report(SessionEvent::Estimated(of, made.unwrap_or_default())),
        );
    }

    /// Starts commands in the background, one after the other, each with its number in the list
    /// it is from.
    pub fn start_held(&mut self, commands: Vec<(usize, HeldCommand)>, on_failure: OnFailure) {
        let control = RunControl::default();
        self.acting = Some(control.clone());
        let report = self.report.clone();
        let ended = report.clone();
        in_background(
            "acting",
            move || {
                start_held(&commands, on_failure, &control, |number, start_result| {
                    report(SessionEvent::StartResult(number, start_result));
                });
            },
            move |_| ended(SessionEvent::ActingEnded),
        );
    }

    /// Ends the commands that were started.
    pub fn cancel_acting(&mut self) {
        if let Some(acting) = self.acting.take() {
            acting.cancel();
        }
    }
}

/// Counts the files that were only read in part.
fn count_sources(preview: &Preview, control: &RunControl, report: &Report) {
    for (path, sampled) in preview.sources() {
        if sampled.whole_lines().is_some() || sampled.identity.is_none() {
            continue;
        }
        if let Some(lines) = path.and_then(|path| count_lines_in(&path, sampled.decoding, control))
        {
            sampled.set_whole_lines(lines);
            report(SessionEvent::Counted);
        }
    }
}
