//! Background work for a screen: previews, counts, full runs.

use parking_lot::Mutex;
use std::io;
use std::sync::Arc;
use std::time::Duration;

use shell::Script;
use stream::{RunControl, StageFigures, StageMeter};

use crate::base::background::{BackgroundError, in_background};
use crate::base::limits::{Limits, Over, with_limits};
use crate::base::sinks::Nowhere;
use crate::base::worker::Worker;
use crate::bench::capture::Capture;
use crate::bench::follow::FollowedStage;
use crate::bench::start_held::{OnFailure, StartResult, start_held};
use crate::exec::command::CommandStarter;
use crate::exec::context::RunContext;
use crate::files::held_back::{HeldBackFiles, Sampler};
use crate::files::sample::{Sample, SampleCache, SampledInput, count_lines, take};
use crate::flow::descriptors::Ports;
use crate::kept::sinks::Messages;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::{SurroundingCommands, shell_in};
use crate::plan::error::PlanError;
use crate::plan::pipeline::Plan;
use crate::plan::variables::Variables;
use crate::policy::{Consents, HeldCommand, Policy};
use crate::runs::estimate::{Estimate, Given, try_out};
use crate::runs::full::{FullEnd, FullRequest, FullRun, run_full};
use crate::runs::preview::preview;
use crate::runs::preview::result::Preview;
use crate::runs::preview::task::{LiveSoFar, Task};
use crate::runs::script::HeldCommands;

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
    /// A preview is ready.
    Done(Arc<Preview>),
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

/// The last sample of standard input, and how much had come then.
struct Captured {
    bytes: u64,
    ended: bool,
    sample: Sample,
    sampled: Arc<SampledInput>,
}

type Report = Arc<dyn Fn(SessionEvent) + Send + Sync>;

/// Runs previews in the background, the newest only.
pub struct Workbench {
    cache: Arc<SampleCache>,
    last: Option<Arc<Preview>>,
    /// What the newest preview is ended by: the work itself, and what is counted after it.
    running: Vec<RunControl>,
    acting: Option<RunControl>,
    generation: u64,
    capture: Option<Arc<Capture>>,
    captured: Arc<Mutex<Option<Captured>>>,
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
            last: None,
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

    /// Starts a preview and cancels the one that runs. Gives its number.
    pub fn evaluate(&mut self, request: Request) -> u64 {
        self.cancel();
        self.generation += 1;
        let generation = self.generation;
        let (control, counting) = (RunControl::default(), RunControl::default());
        self.running = vec![control.clone(), counting.clone()];
        let live = self.live.clone();
        let cache = self.cache.clone();
        let before = self.last.clone();
        let capture = self.capture.clone();
        let captured = self.captured.clone();
        let meters = self.meters.clone();
        let report = self.report.clone();
        let answer = report.clone();
        self.worker.post(
            move || {
                work(
                    generation,
                    &request,
                    &cache,
                    before,
                    capture.as_deref(),
                    &captured,
                    &meters,
                    &control,
                    &|plan| follow(plan, &live, &control, &report),
                )
            },
            move |worked| match worked {
                Ok(Ok(Some(done))) => {
                    let done = Arc::new(done);
                    answer(SessionEvent::Done(done.clone()));
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
        let newest = preview.generation == self.generation;
        if newest {
            self.last = Some(preview.clone());
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
        self.last = None;
        self.live = Arc::default();
        self.cache = Arc::default();
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

/// Why there is no preview.
enum Trouble {
    Nothing,
    Refused(PlanError),
    Failed(String),
}

impl Trouble {
    /// What comes before the pipeline came to a limit.
    fn cut_off(over: Over, time: Duration) -> Self {
        let why = match over {
            Over::Time => format!("it takes longer than {} seconds", time.as_secs_f64()),
            Over::Excess(excess) => excess.to_string(),
        };
        Self::Failed(format!("what comes before the pipeline is cut off: {why}"))
    }
}

/// Starts the first stage on its own where it follows a file, or goes on with the one that runs;
/// one of another text ends.
fn follow(
    plan: &Plan,
    live: &Mutex<Option<FollowedStage>>,
    control: &RunControl,
    report: &Report,
) -> Option<LiveSoFar> {
    let mut live = live.lock();
    if control.is_cancelled() {
        return None;
    }
    let Some(stage) = plan.stages.first().filter(|stage| stage.follows()) else {
        *live = None;
        return None;
    };
    if live.as_ref().is_none_or(|live| !live.is_of(stage)) {
        let report = report.clone();
        // Without a thread the file is shown as it is.
        *live = FollowedStage::start(stage, move || report(SessionEvent::Arrived)).ok();
    }
    let live = live.as_ref()?;
    let messages = String::from_utf8_lossy(&live.messages.contents()).into_owned();
    Some(LiveSoFar { kept: live.kept.clone(), messages })
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
    control: &RunControl,
    follow: &dyn Fn(&Plan) -> Option<LiveSoFar>,
) -> Result<Option<Preview>, Trouble> {
    let mut setting = format!("{:?} {:?}", request.sample, request.limits).into_bytes();
    let standard = match capture {
        None => None,
        Some(capture) => {
            let sampled = sample_capture(capture, request, captured, control).map_err(|error| {
                Trouble::Failed(format!("standard input: {}", stream::describe(&error)))
            })?;
            setting.extend_from_slice(format!(" {:p}", Arc::as_ptr(&sampled)).as_bytes());
            Some(sampled)
        }
    };
    let sampler = Sampler { sample: request.sample, limits: request.limits, cache: cache.clone() };
    let policy = Policy::in_preview(&request.allowed);
    let files = Arc::new(HeldBackFiles::new(Some(sampler), control.clone()));
    let starter = CommandStarter::deferred(files.clone(), policy.clone());
    let held = HeldCommands::default();
    let errors: Arc<Messages> = Arc::default();
    let context = RunContext {
        files: &*files,
        commands: &starter,
        descriptors: Ports::new(None, Arc::new(Nowhere), errors.clone()),
        policy,
        observer: &held,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    };
    let mut shell = shell_in(&context, request.variables.clone(), control);
    shell.plans_eagerly = true;
    let script = match &request.script {
        Some(script) => script.clone(),
        None => Arc::new(shell::parse(&request.text).map_err(|error| {
            Trouble::Refused(PlanError { message: error.kind.to_string(), span: error.span })
        })?),
    };
    let Some(shown) = script.shown(request.at) else { return Err(Trouble::Nothing) };
    let Some(parts) = SurroundingCommands::of(&script, shown) else { return Err(Trouble::Nothing) };
    let mut reached = true;
    let time = request.limits.time;
    let memory = Some(request.limits.memory_bytes);
    let (prepared, over) = with_limits(control, time, memory, || {
        reached = parts.run_before(&mut shell);
        match &request.plan {
            Some(plan) => Ok(plan.clone()),
            None => shell.plan_pipeline(shown).map_err(PlanError::of),
        }
    });
    if let Some(over) = over {
        return Err(Trouble::cut_off(over, time));
    }
    if control.is_cancelled() {
        return Ok(None);
    }
    let plan = prepared.map_err(Trouble::Refused)?;
    let filters = plan.check(&request.text).map_err(Trouble::Refused)?;
    let live = follow(&plan);
    if let Some(live) = &live {
        let (bytes, said) = (live.kept.bytes(), live.messages.len());
        setting.extend_from_slice(format!(" live {bytes} {said}").as_bytes());
    }
    // What commands before have written is not part of what a result is known by.
    let before = before.filter(|_| parts.begins_with_assignments() && !shell.has_redirected);
    let commands_before = held.take();
    let done = preview(&Task {
        generation,
        text: &request.text,
        plan: &plan,
        filters,
        files: &files,
        control,
        starter: &starter,
        limits: request.limits,
        standard,
        before: before.as_deref(),
        setting,
        meters,
        live,
        redirected: shell.has_redirected.then(|| shell.ports.clone()),
    });
    let Some(mut done) = done else { return Ok(None) };
    tracing::debug!(
        generation,
        stages = done.stages.len(),
        reused = done.stages.iter().filter(|stage| stage.reused).count(),
        milliseconds = done.elapsed_ns / 1_000_000,
        "evaluated"
    );
    tracing::trace!(generation, text = request.text, "the text");
    let status = done.stages.last().map_or(0, |last| last.status.0);
    with_limits(control, time, memory, || parts.run_after(status, &mut shell));
    drop(shell);
    done.pending = files.pending.files();
    done.refused = files.pending.refused();
    done.commands = commands_before;
    done.commands.extend(done.stages.iter().flat_map(|stage| stage.held.clone()));
    done.commands.extend(held.take());
    done.said = errors.text();
    done.reached = reached;
    Ok(Some(done))
}

/// The sample of what has come from standard input; the same one as long as nothing more comes
/// that would change it.
fn sample_capture(
    capture: &Capture,
    request: &Request,
    captured: &Mutex<Option<Captured>>,
    control: &RunControl,
) -> io::Result<Arc<SampledInput>> {
    let ended = capture.kept().has_ended();
    let bytes = capture.kept().bytes();
    let mut last = captured.lock();
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
        take(capture.kept().source(), request.sample, &request.limits, control, whole)?;
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
fn count_sources(preview: &Preview, control: &RunControl, report: &Report) {
    for (path, sampled) in preview.sources() {
        if sampled.whole_lines().is_some() || sampled.identity.is_none() {
            continue;
        }
        if let Some(lines) = path.and_then(|path| count_lines(&path, control)) {
            sampled.set_whole_lines(lines);
            report(SessionEvent::Counted);
        }
    }
}
