//! Background work for a screen: previews, counts, the writing of files.

use std::collections::BTreeSet;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

use stream::{Block, Cancel, Sink, Source, StageFigures, StageMeter, World, WriteError};

use crate::capture::Capture;
use crate::dry::{DryWorld, Sampler, WriteWorld};
use crate::live::Live;
use crate::pending::Applied;
use crate::plan::{Plan, PlanError};
use crate::ports::Ports;
use crate::preview::{Limits, LiveSoFar, Preview, Task, preview};
use crate::run::{Nowhere, Surroundings, run_pipeline};
use crate::sample::{Sample, SampleCache, Sampled, count_lines, take};
use crate::variables::Variables;
use crate::world::RealWorld;

/// What a preview is asked for.
#[derive(Clone)]
pub struct Request {
    /// The text.
    pub text: String,
    /// Its one pipeline, ready to run.
    pub plan: Plan,
    /// Which lines.
    pub sample: Sample,
    /// How much it may do.
    pub limits: Limits,
    /// Programs of the machine that may be started, as [`Workbench::consent_key`] names them.
    pub allowed: BTreeSet<Vec<u8>>,
}

/// News from the background.
pub enum Job {
    /// A preview is ready.
    Done(Arc<Preview>),
    /// The sample's whole was counted (it is noted in the sample).
    Counted,
    /// A preview could not be made; the text says why.
    Failed(u64, String),
    /// Files were written.
    Written(io::Result<Vec<Applied>>),
    /// Something came from standard input.
    Arrived,
}

/// The last sample of standard input, and how much had come then.
struct Captured {
    bytes: u64,
    ended: bool,
    sample: Sample,
    sampled: Arc<Sampled>,
}

type Report = Arc<dyn Fn(Job) + Send + Sync>;

/// Runs previews in the background, the newest only.
pub struct Workbench {
    cache: Arc<SampleCache>,
    last: Option<Arc<Preview>>,
    running: Option<Cancel>,
    writing: Option<Cancel>,
    generation: u64,
    capture: Option<Arc<Capture>>,
    captured: Arc<Mutex<Option<Captured>>>,
    meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    write_meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    /// The first stage, where it follows a file.
    live: Option<Live>,
    report: Report,
}

impl Workbench {
    /// A workbench that tells its news to `report`, from any thread.
    pub fn new(
        capture: Option<Arc<Capture>>,
        report: impl Fn(Job) + Send + Sync + 'static,
    ) -> Self {
        Self {
            cache: Arc::default(),
            last: None,
            running: None,
            writing: None,
            generation: 0,
            capture,
            captured: Arc::default(),
            meters: Arc::default(),
            write_meters: Arc::default(),
            live: None,
            report: Arc::new(report),
        }
    }

    /// Makes a plan of the one pipeline in `text`, after the assignments before it.
    ///
    /// # Errors
    /// Shell text that is wrong, several pipelines, options a filter does not take.
    pub fn plan(text: &str, variables: &Variables) -> Result<Option<Plan>, PlanError> {
        let script = shell::parse(text)
            .map_err(|error| PlanError { message: error.kind.to_string(), span: error.span })?;
        let mut variables = variables.clone();
        let mut found: Option<Plan> = None;
        for pipeline in script.pipelines() {
            let plan = Plan::new(pipeline, &variables, &RealWorld)?;
            if let [only] = &plan.stages[..]
                && found.is_none()
                && matches!(only.kind, crate::plan::StageKind::Nothing)
                && only.targets.is_empty()
            {
                for (name, value) in &only.assignments {
                    variables.set(name, value.clone());
                }
                continue;
            }
            if found.is_some() {
                let message =
                    "the Bench shows one pipeline; “ylotrope run” runs several".to_owned();
                return Err(PlanError { message, span: pipeline.span });
            }
            plan.check(text)?;
            found = Some(plan);
        }
        Ok(found)
    }

    /// What consent to start a stage's program is noted as.
    pub fn consent_key(plan: &Plan, stage: usize) -> Option<Vec<u8>> {
        plan.stages.get(stage).map(crate::plan::StagePlan::key)
    }

    /// Starts a preview and cancels the one that runs. Gives its number.
    pub fn evaluate(&mut self, request: Request) -> u64 {
        self.cancel();
        self.generation += 1;
        let generation = self.generation;
        let cancel = Cancel::default();
        self.running = Some(cancel.clone());
        let live = self.follow(&request.plan);
        let cache = self.cache.clone();
        let before = self.last.clone();
        let capture = self.capture.clone();
        let captured = self.captured.clone();
        let meters = self.meters.clone();
        let report = self.report.clone();
        let spawned = std::thread::Builder::new().name("preview".to_owned()).spawn(move || {
            let work = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
                work(
                    generation,
                    &request,
                    &cache,
                    before,
                    capture.as_deref(),
                    &captured,
                    &meters,
                    &cancel,
                    live,
                )
            }));
            match work {
                Ok(Ok(Some(done))) => {
                    let done = Arc::new(done);
                    report(Job::Done(done.clone()));
                    count_sources(&done, &cancel, &report);
                }
                Ok(Ok(None)) => {}
                Ok(Err(message)) => report(Job::Failed(generation, message)),
                Err(_) => {
                    report(Job::Failed(generation, "internal error in the preview".to_owned()));
                }
            }
        });
        if let Err(error) = spawned {
            (self.report)(Job::Failed(generation, format!("no thread: {error}")));
        }
        generation
    }

    /// Starts the first stage of its own where it follows a file, or goes on with the one that
    /// runs; one of another text ends.
    fn follow(&mut self, plan: &Plan) -> Option<LiveSoFar> {
        let Some(stage) = plan.stages.first().filter(|stage| stage.follows()) else {
            self.live = None;
            return None;
        };
        if self.live.as_ref().is_none_or(|live| !live.is_of(stage)) {
            let report = self.report.clone();
            // Without a thread the file is shown as it is.
            self.live = Live::start(stage, move || report(Job::Arrived)).ok();
        }
        let live = self.live.as_ref()?;
        let messages = String::from_utf8_lossy(&live.messages.contents()).into_owned();
        Some(LiveSoFar { kept: live.kept.clone(), messages })
    }

    /// True while a file is followed.
    pub fn is_following(&self) -> bool {
        self.live.as_ref().is_some_and(Live::runs)
    }

    /// Stops following; what came stays.
    pub fn stop_following(&mut self) {
        if let Some(live) = &self.live {
            live.stop();
        }
    }

    /// Takes a finished preview, if it is the newest, to start the next one from.
    pub fn accept(&mut self, preview: &Arc<Preview>) -> bool {
        let newest = preview.generation == self.generation;
        if newest {
            self.last = Some(preview.clone());
        }
        newest
    }

    /// Cancels the preview that runs.
    pub fn cancel(&mut self) {
        if let Some(running) = self.running.take() {
            running.cancel();
        }
    }

    /// The counters of the stages that run now, from the first changed stage on.
    pub fn progress(&self) -> Vec<StageFigures> {
        let meters = self.meters.lock().unwrap_or_else(PoisonError::into_inner);
        meters.iter().map(|meter| meter.figures()).collect()
    }

    /// Forgets what was kept, so that the next preview reads everything anew.
    pub fn forget(&mut self) {
        self.last = None;
        self.live = None;
        self.cache = Arc::default();
    }

    /// What is captured of standard input.
    pub fn capture(&self) -> Option<&Arc<Capture>> {
        self.capture.as_ref()
    }

    /// Runs the whole pipeline on everything in the background and writes its files: beside
    /// their targets first, then all put in place. Standard output of the last stage goes
    /// nowhere.
    pub fn write_files(&mut self, plan: Plan, allowed: BTreeSet<Vec<u8>>) {
        let cancel = Cancel::default();
        self.writing = Some(cancel.clone());
        let capture = self.capture.clone();
        let meters = self.write_meters.clone();
        let report = self.report.clone();
        let spawned = std::thread::Builder::new().name("writing".to_owned()).spawn(move || {
            let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
                write_all(&plan, capture.as_deref(), &allowed, &meters, &cancel)
            }));
            report(Job::Written(
                result.unwrap_or_else(|_| Err(io::Error::other("internal error"))),
            ));
        });
        if let Err(error) = spawned {
            (self.report)(Job::Written(Err(error)));
        }
    }

    /// Cancels the writing of files; nothing is then left half written.
    pub fn cancel_writing(&mut self) {
        if let Some(writing) = self.writing.take() {
            writing.cancel();
        }
    }

    /// The counters of the stages that write now.
    pub fn writing_progress(&self) -> Vec<StageFigures> {
        let meters = self.write_meters.lock().unwrap_or_else(PoisonError::into_inner);
        meters.iter().map(|meter| meter.figures()).collect()
    }
}

#[allow(clippy::too_many_arguments)] // what the thread takes with it
fn work(
    generation: u64,
    request: &Request,
    cache: &Arc<SampleCache>,
    before: Option<Arc<Preview>>,
    capture: Option<&Capture>,
    captured: &Mutex<Option<Captured>>,
    meters: &Mutex<Vec<Arc<StageMeter>>>,
    cancel: &Cancel,
    live: Option<LiveSoFar>,
) -> Result<Option<Preview>, String> {
    let mut setting = format!("{:?} {:?}", request.sample, request.limits).into_bytes();
    let standard = match capture {
        None => None,
        Some(capture) => {
            let sampled = sample_capture(capture, request, captured, cancel)
                .map_err(|error| format!("standard input: {}", stream::describe(&error)))?;
            setting.extend_from_slice(format!(" {:p}", Arc::as_ptr(&sampled)).as_bytes());
            Some(sampled)
        }
    };
    if let Some(live) = &live {
        let (bytes, said) = (live.kept.bytes(), live.messages.len());
        setting.extend_from_slice(format!(" live {bytes} {said}").as_bytes());
    }
    let sampler = Sampler { sample: request.sample, limits: request.limits, cache: cache.clone() };
    let world = DryWorld::new(Some(sampler), cancel.clone());
    Ok(preview(&Task {
        generation,
        text: &request.text,
        plan: &request.plan,
        world: &world,
        limits: request.limits,
        standard,
        allowed: &request.allowed,
        before: before.as_deref(),
        setting,
        meters,
        live,
    }))
}

/// The sample of what has come from standard input; the same one as long as nothing more comes
/// that would change it.
fn sample_capture(
    capture: &Capture,
    request: &Request,
    captured: &Mutex<Option<Captured>>,
    cancel: &Cancel,
) -> io::Result<Arc<Sampled>> {
    let ended = capture.kept().has_ended();
    let bytes = capture.kept().bytes();
    let mut last = captured.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(before) = &*last
        && before.sample == request.sample
    {
        // Nothing new, or nothing new that matters: the first lines are all there. The end is
        // news too: only then is it known how much there is.
        let enough = matches!(request.sample, Sample::First(lines)
            if before.sampled.kept.lines() >= lines && !before.sampled.complete);
        if before.ended == ended && (before.bytes == bytes || enough) {
            return Ok(before.sampled.clone());
        }
    }
    let whole = ended.then_some(bytes);
    let mut sampled =
        take(capture.kept().source(), request.sample, &request.limits, cancel, whole)?;
    if !ended {
        sampled.complete = false;
    }
    let sampled = Arc::new(sampled);
    if ended && sampled.whole_lines().is_none() {
        sampled.set_whole_lines(capture.kept().lines());
    }
    *last = Some(Captured { bytes, ended, sample: request.sample, sampled: sampled.clone() });
    Ok(sampled)
}

/// Counts the files that were only read in part.
fn count_sources(preview: &Preview, cancel: &Cancel, report: &Report) {
    use std::os::unix::ffi::OsStrExt;
    for (input, sampled) in preview.sources() {
        if sampled.whole_lines().is_some() || sampled.identity.is_none() {
            continue;
        }
        let stream::InputName::File(name) = &input.name else { continue };
        let path = PathBuf::from(std::ffi::OsStr::from_bytes(name));
        if let Some(lines) = count_lines(&path, cancel) {
            sampled.set_whole_lines(lines);
            report(Job::Counted);
        }
    }
}

struct Writing {
    world: WriteWorld,
    input: Mutex<Option<Box<dyn Source>>>,
    errors: Arc<Errors>,
}

#[derive(Default)]
struct Errors(Mutex<Vec<u8>>);

impl Sink for Errors {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut text = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if text.len() < 4096 {
            text.extend_from_slice(block.bytes());
        }
        Ok(())
    }
}

impl Surroundings for Writing {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn ports(&self) -> Ports {
        let input = self.input.lock().unwrap_or_else(PoisonError::into_inner).take();
        Ports::new(input, Arc::new(Nowhere), self.errors.clone())
    }
}

fn write_all(
    plan: &Plan,
    capture: Option<&Capture>,
    allowed: &BTreeSet<Vec<u8>>,
    meters: &Mutex<Vec<Arc<StageMeter>>>,
    cancel: &Cancel,
) -> io::Result<Vec<Applied>> {
    let refused = plan.stages.iter().find(|stage| {
        matches!(stage.kind, crate::plan::StageKind::Host(_)) && !allowed.contains(&stage.key())
    });
    if let Some(stage) = refused {
        let message = format!("{} is a program of this machine and was not allowed", stage.name());
        return Err(io::Error::other(message));
    }
    if capture.is_some_and(|capture| !capture.kept().has_ended()) {
        return Err(io::Error::other("standard input has not ended yet"));
    }
    let stage_meters: Vec<Arc<StageMeter>> = plan.stages.iter().map(|_| Arc::default()).collect();
    meters.lock().unwrap_or_else(PoisonError::into_inner).clone_from(&stage_meters);
    let writing = Writing {
        world: WriteWorld::default(),
        input: Mutex::new(capture.map(|capture| capture.kept().source())),
        errors: Arc::default(),
    };
    let outcomes = run_pipeline(plan, &writing, &stage_meters, cancel);
    if cancel.is_cancelled() {
        return Err(io::Error::other("cancelled; nothing was written"));
    }
    if outcomes.iter().any(|outcome| outcome.panicked) {
        return Err(io::Error::other("a stage failed inside; nothing was written"));
    }
    let said = writing.errors.0.lock().unwrap_or_else(PoisonError::into_inner);
    if outcomes.iter().any(|outcome| outcome.status.0 >= 2 && !outcome.closed) && !said.is_empty() {
        let text = String::from_utf8_lossy(&said).lines().next().unwrap_or_default().to_owned();
        return Err(io::Error::other(format!("{text}; nothing was written")));
    }
    let files = writing.world.files.lock().unwrap_or_else(PoisonError::into_inner);
    // A stage may go on without a file that failed, with a small status.
    if files.iter().any(|file| file.has_failed()) {
        let text = String::from_utf8_lossy(&said).lines().next().unwrap_or_default().to_owned();
        return Err(io::Error::other(format!("{text}; nothing was written")));
    }
    files.iter().map(|file| file.commit()).collect()
}
