//! Background work for a screen: previews, counts, the writing of files.

use std::collections::BTreeSet;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

use stream::{Cancel, Source, StageFigures, StageMeter, World};

use crate::acting::{Acted, OnFailure, act};
use crate::around::{Around, Parts};
use crate::capture::Capture;
use crate::dry::{DryWorld, HeldCommand, Sampler, WriteWorld};
use crate::interpreter::Shell;
use crate::live::Live;
use crate::pending::Applied;
use crate::plan::{Plan, PlanError, StagePlan};
use crate::ports::Ports;
use crate::preview::{Limits, LiveSoFar, Messages, Preview, Task, preview, with_deadline};
use crate::reading::only_reads;
use crate::run::{Nowhere, Refusal, Surroundings};
use crate::sample::{Sample, SampleCache, Sampled, count_lines, take};
use crate::script::run_in;
use crate::stage::StageOutcome;
use crate::variables::Variables;

/// Commands that may be started, each with its name and its arguments.
pub type Allowed = BTreeSet<Vec<Vec<u8>>>;

/// What a preview is asked for.
#[derive(Clone)]
pub struct Request {
    /// The text.
    pub text: String,
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
    /// Programs of the machine that may be started.
    pub allowed: Allowed,
}

/// News from the background.
pub enum Job {
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
    Acted(usize, Acted),
    /// The list is done, or was left.
    ActingEnded,
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
    live: Arc<Mutex<Option<Live>>>,
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
            live: Arc::default(),
            report: Arc::new(report),
        }
    }

    /// Starts a preview and cancels the one that runs. Gives its number.
    pub fn evaluate(&mut self, request: Request) -> u64 {
        self.cancel();
        self.generation += 1;
        let generation = self.generation;
        let cancel = Cancel::default();
        self.running = Some(cancel.clone());
        let live = self.live.clone();
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
                    &|plan| follow(plan, &live, &cancel, &report),
                )
            }));
            match work {
                Ok(Ok(Some(done))) => {
                    let done = Arc::new(done);
                    report(Job::Done(done.clone()));
                    count_sources(&done, &cancel, &report);
                }
                Ok(Ok(None)) => {}
                Ok(Err(Trouble::Nothing)) => report(Job::Nothing(generation)),
                Ok(Err(Trouble::Refused(error))) => report(Job::Refused(generation, error)),
                Ok(Err(Trouble::Failed(message))) => report(Job::Failed(generation, message)),
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

    /// True while a file is followed.
    pub fn is_following(&self) -> bool {
        let live = self.live.lock().unwrap_or_else(PoisonError::into_inner);
        live.as_ref().is_some_and(Live::runs)
    }

    /// Stops following; what came stays.
    pub fn stop_following(&mut self) {
        if let Some(live) = &*self.live.lock().unwrap_or_else(PoisonError::into_inner) {
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
        self.live = Arc::default();
        self.cache = Arc::default();
    }

    /// What is captured of standard input.
    pub fn capture(&self) -> Option<&Arc<Capture>> {
        self.capture.as_ref()
    }

    /// Runs the whole text on everything in the background and writes its files: beside
    /// their targets first, then all put in place. Standard output of the last stage goes
    /// nowhere.
    pub fn write_files(
        &mut self,
        text: String,
        variables: Variables,
        allowed: Allowed,
        left_out: BTreeSet<PathBuf>,
    ) {
        let cancel = Cancel::default();
        self.writing = Some(cancel.clone());
        let capture = self.capture.clone();
        let meters = self.write_meters.clone();
        let report = self.report.clone();
        let spawned = std::thread::Builder::new().name("writing".to_owned()).spawn(move || {
            let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
                let mut variables = variables;
                let text = &text;
                let capture = capture.as_deref();
                write_all(text, &mut variables, capture, allowed, &left_out, meters, &cancel)
            }));
            report(Job::Written(
                result.unwrap_or_else(|_| Err(io::Error::other("internal error"))),
            ));
        });
        if let Err(error) = spawned {
            (self.report)(Job::Written(Err(error)));
        }
    }

    /// Starts commands in the background, one after the other, each with its number in the list
    /// it is from.
    pub fn act(&mut self, commands: Vec<(usize, HeldCommand)>, on_failure: OnFailure) {
        let cancel = Cancel::default();
        self.writing = Some(cancel.clone());
        let report = self.report.clone();
        let spawned = std::thread::Builder::new().name("acting".to_owned()).spawn(move || {
            act(&commands, on_failure, &cancel, |number, acted| report(Job::Acted(number, acted)));
            report(Job::ActingEnded);
        });
        if spawned.is_err() {
            (self.report)(Job::ActingEnded);
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

/// Why there is no preview.
enum Trouble {
    Nothing,
    Refused(PlanError),
    Failed(String),
}

/// Starts the first stage on its own where it follows a file, or goes on with the one that runs;
/// one of another text ends.
fn follow(
    plan: &Plan,
    live: &Mutex<Option<Live>>,
    cancel: &Cancel,
    report: &Report,
) -> Option<LiveSoFar> {
    let mut live = live.lock().unwrap_or_else(PoisonError::into_inner);
    if cancel.is_cancelled() {
        return None;
    }
    let Some(stage) = plan.stages.first().filter(|stage| stage.follows()) else {
        *live = None;
        return None;
    };
    if live.as_ref().is_none_or(|live| !live.is_of(stage)) {
        let report = report.clone();
        // Without a thread the file is shown as it is.
        *live = Live::start(stage, move || report(Job::Arrived)).ok();
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
    cancel: &Cancel,
    follow: &dyn Fn(&Plan) -> Option<LiveSoFar>,
) -> Result<Option<Preview>, Trouble> {
    let mut setting = format!("{:?} {:?}", request.sample, request.limits).into_bytes();
    let standard = match capture {
        None => None,
        Some(capture) => {
            let sampled = sample_capture(capture, request, captured, cancel).map_err(|error| {
                Trouble::Failed(format!("standard input: {}", stream::describe(&error)))
            })?;
            setting.extend_from_slice(format!(" {:p}", Arc::as_ptr(&sampled)).as_bytes());
            Some(sampled)
        }
    };
    let sampler = Sampler { sample: request.sample, limits: request.limits, cache: cache.clone() };
    let world = DryWorld::new(Some(sampler), cancel.clone());
    let around = Around::new(&world, &request.allowed);
    let ports = around.ports();
    let mut shell = Shell::new(&around, 0, &world, cancel, ports, request.variables.clone());
    shell.plans_eagerly = true;
    let script = shell::parse(&request.text).map_err(|error| {
        Trouble::Refused(PlanError { message: error.kind.to_string(), span: error.span })
    })?;
    let Some(shown) = script.shown(request.at) else { return Err(Trouble::Nothing) };
    let Some(parts) = Parts::of(&script, shown) else { return Err(Trouble::Nothing) };
    let mut reached = true;
    let seconds = request.limits.seconds;
    let (prepared, timed_out) = with_deadline(cancel, seconds, || {
        reached = parts.run_before(&mut shell);
        match &request.plan {
            Some(plan) => Ok(plan.clone()),
            None => Plan::of_pipeline(shown, &mut shell).map_err(PlanError::of),
        }
    });
    if timed_out {
        let message = format!("what comes before takes longer than {seconds} seconds");
        return Err(Trouble::Failed(message));
    }
    if cancel.is_cancelled() {
        return Ok(None);
    }
    let plan = prepared.map_err(Trouble::Refused)?;
    plan.check(&request.text).map_err(Trouble::Refused)?;
    let live = follow(&plan);
    if let Some(live) = &live {
        let (bytes, said) = (live.kept.bytes(), live.messages.len());
        setting.extend_from_slice(format!(" live {bytes} {said}").as_bytes());
    }
    // What commands before have written is not part of what a result is known by.
    let before = before.filter(|_| parts.begins_with_assignments());
    let commands_before = around.take_held();
    let done = preview(&Task {
        generation,
        text: &request.text,
        plan: &plan,
        world: &world,
        limits: request.limits,
        standard,
        allowed: &request.allowed,
        before: before.as_deref(),
        setting,
        meters,
        live,
    });
    let Some(mut done) = done else { return Ok(None) };
    let status = done.stages.last().map_or(0, |last| last.status.0);
    with_deadline(cancel, seconds, || parts.run_after(status, &mut shell));
    drop(shell);
    done.pending = world.pending.files();
    done.refused = world.pending.refused();
    done.commands = commands_before;
    done.commands.extend(done.stages.iter().flat_map(|stage| stage.held.clone()));
    done.commands.extend(around.take_held());
    done.said = around.said();
    done.reached = reached;
    Ok(Some(done))
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
    for (path, sampled) in preview.sources() {
        if sampled.whole_lines().is_some() || sampled.identity.is_none() {
            continue;
        }
        if let Some(lines) = path.and_then(|path| count_lines(&path, cancel)) {
            sampled.set_whole_lines(lines);
            report(Job::Counted);
        }
    }
}

struct Writing {
    world: WriteWorld,
    input: Mutex<Option<Box<dyn Source>>>,
    errors: Arc<Messages>,
    allowed: Allowed,
    meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    /// Why nothing may be written.
    trouble: Mutex<Option<String>>,
}

impl Writing {
    fn trouble(&self, why: String) {
        self.trouble.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(why);
    }
}

impl Surroundings for Writing {
    fn world(&self) -> &dyn World {
        &self.world
    }

    fn ports(&self) -> Ports {
        let input = self.input.lock().unwrap_or_else(PoisonError::into_inner).take();
        Ports::new(input, Arc::new(Nowhere), self.errors.clone()).in_background(true)
    }

    fn watch(&self, meters: &[Arc<StageMeter>]) {
        *self.meters.lock().unwrap_or_else(PoisonError::into_inner) = meters.to_vec();
    }

    fn ended(
        &self,
        _within: Option<usize>,
        _plan: &Plan,
        _meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        if outcomes.iter().any(|outcome| outcome.panicked) {
            self.trouble("a stage failed inside".to_owned());
        }
        let failed = |outcome: &StageOutcome| outcome.status.0 >= 2 && !outcome.closed;
        let said = self.errors.text();
        if outcomes.iter().any(failed) && !said.is_empty() {
            self.trouble(said.lines().next().unwrap_or_default().to_owned());
        }
    }

    fn refusal(&self, _number: usize, stage: &StagePlan, joined: bool) -> Option<Refusal> {
        let words = stage.words();
        if self.allowed.contains(&words) || only_reads(&words) {
            return None;
        }
        if !joined {
            // It is started by itself, when the files are there.
            return Some(Refusal { message: None, status: 0 });
        }
        let name = stage.name();
        self.trouble(format!("{name} is a program of this machine and was not allowed"));
        Some(Refusal { message: None, status: 126 })
    }
}

fn write_all(
    text: &str,
    variables: &mut Variables,
    capture: Option<&Capture>,
    allowed: Allowed,
    left_out: &BTreeSet<PathBuf>,
    meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    cancel: &Cancel,
) -> io::Result<Vec<Applied>> {
    if capture.is_some_and(|capture| !capture.kept().has_ended()) {
        return Err(io::Error::other("standard input has not ended yet"));
    }
    let writing = Writing {
        world: WriteWorld::default(),
        input: Mutex::new(capture.map(|capture| capture.kept().source())),
        errors: Arc::default(),
        allowed,
        meters,
        trouble: Mutex::default(),
    };
    let nothing = |why: &str| io::Error::other(format!("{why}; nothing was written"));
    if let Err(error) = run_in(&writing, text, variables, cancel) {
        return Err(nothing(&error.to_string()));
    }
    if cancel.is_cancelled() {
        return Err(nothing("cancelled"));
    }
    if let Some(why) = writing.trouble.lock().unwrap_or_else(PoisonError::into_inner).take() {
        return Err(nothing(&why));
    }
    let files = writing.world.files.lock().unwrap_or_else(PoisonError::into_inner);
    // A stage may go on without a file that failed, with a small status.
    if files.iter().any(|file| file.has_failed()) {
        let said = writing.errors.text();
        return Err(nothing(said.lines().next().unwrap_or("a file could not be written")));
    }
    let chosen = files.iter().filter(|file| !left_out.iter().any(|path| file.is_for(path)));
    chosen.map(|file| file.commit()).collect()
}
