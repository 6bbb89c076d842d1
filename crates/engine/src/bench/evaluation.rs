//! One evaluation of the newest text, on the thread of the worker.

use parking_lot::Mutex;
use std::io;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::time::Duration;

use shell::{Pipeline, Script};
use stream::{Excess, RunControl, StageMeter};

use crate::base::figure::Known;
use crate::base::limits::{Limits, Over, with_limits};
use crate::base::sinks::Nowhere;
use crate::bench::capture::Capture;
use crate::bench::follow::FollowedStage;
use crate::bench::request::{Report, Request, SessionEvent};
use crate::exec::command::CommandStarter;
use crate::exec::context::RunContext;
use crate::files::held_back::{HeldBackFiles, Sampler};
use crate::files::sample::{Sample, SampleCache, SampledInput, take};
use crate::flow::descriptors::Ports;
use crate::kept::sinks::Messages;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::{SurroundingCommands, shell_in};
use crate::plan::error::PlanError;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::policy::Policy;
use crate::runs::preview::preview;
use crate::runs::preview::result::Preview;
use crate::runs::preview::task::{LiveSoFar, Task};
use crate::runs::script::HeldCommands;

/// The last sample of standard input, and how much had come then.
pub(crate) struct Captured {
    bytes: u64,
    ended: bool,
    sample: Sample,
    sampled: Arc<SampledInput>,
}

/// The results that the next one may take stages from: one of a sample, one of everything.
#[derive(Clone, Default)]
pub(crate) struct LastResults {
    pub(crate) of_sample: Option<Arc<Preview>>,
    pub(crate) of_everything: Option<Arc<Preview>>,
}

/// Why there is no preview.
pub(crate) enum Trouble {
    Nothing,
    Refused(PlanError),
    Failed(String),
}

impl Trouble {
    /// What comes before the pipeline came to a limit.
    fn cut_off(over: Over, time: Duration) -> Self {
        let why = match over {
            Over::Time => format!("it takes longer than {} seconds", time.as_secs_f64()),
            // Nothing has begun: nobody could have looked at its time.
            Over::Excess(excess @ Excess::NoThread) => return Self::Failed(excess.to_string()),
            Over::Excess(excess) => excess.to_string(),
        };
        Self::Failed(format!("what comes before the pipeline is cut off: {why}"))
    }
}

/// A filter for each stage that is one.
type Filters = Vec<Option<Arc<dyn filters::Filter>>>;

/// All that an evaluation takes with it.
pub(crate) struct Evaluation {
    pub(crate) generation: u64,
    pub(crate) request: Request,
    pub(crate) cache: Arc<SampleCache>,
    /// The results that this one may take stages from.
    pub(crate) before: LastResults,
    /// Of a pipeline with a stage that is wrong, those before it are evaluated.
    pub(crate) partly: bool,
    /// What has come from standard input.
    pub(crate) capture: Option<Arc<Capture>>,
    pub(crate) captured: Arc<Mutex<Vec<Captured>>>,
    /// Set where standard input, which has nothing, is read.
    pub(crate) probe: Option<Arc<AtomicBool>>,
    pub(crate) meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    /// The first stage, where it follows a file.
    pub(crate) live: Arc<Mutex<Option<FollowedStage>>>,
    pub(crate) control: RunControl,
    /// The same for the second preview, where there is one: a limit uses a control up.
    pub(crate) growing: RunControl,
    pub(crate) report: Report,
}

/// One of the previews of an evaluation.
struct Pass<'p> {
    generation: u64,
    sample: Sample,
    limits: Limits,
    before: Option<&'p Preview>,
    control: &'p RunControl,
}

/// A preview of everything is not even begun where by the first lines it would take this many times
/// as long as it may.
const HOPELESS: f64 = 4.0;

/// Bytes that take at least as long as what a preview needs to start.
const FEW: f64 = 65_536.0;

impl Evaluation {
    /// Evaluates the text. Gives nothing where it is cancelled.
    ///
    /// # Errors
    /// See [`Trouble`].
    pub(crate) fn run(&self) -> Result<Option<Arc<Preview>>, Trouble> {
        let Self { generation, request, control, .. } = self;
        let Sample::Quick(lines) = request.sample else {
            let before = match request.sample {
                Sample::Everything => &self.before.of_everything,
                _ => &self.before.of_sample,
            };
            let pass = Pass {
                generation: *generation,
                sample: request.sample,
                limits: request.limits,
                before: before.as_deref(),
                control,
            };
            return Ok(self.preview(&pass)?.map(Arc::new));
        };
        let first = Pass {
            generation: *generation,
            sample: Sample::First(lines),
            limits: request.limits,
            before: self.before.of_sample.as_deref(),
            control,
        };
        let Some(mut done) = self.preview(&first)? else { return Ok(None) };
        if !self.may_grow(&done) {
            return Ok(Some(Arc::new(done)));
        }
        done.generation = generation - 1;
        let done = Arc::new(done);
        (self.report)(SessionEvent::Begun(done.clone()));
        let everything = Pass {
            sample: Sample::Everything,
            limits: Limits {
                time: request.limits.quick.min(request.limits.time),
                ..request.limits
            },
            before: self.before.of_everything.as_deref(),
            control: &self.growing,
            ..first
        };
        // What cannot be had in this time is no trouble: the first lines are there.
        let grown = self.preview(&everything).ok().flatten();
        if self.control.was_cancelled() {
            return Ok(None);
        }
        Ok(Some(grown.filter(Preview::is_whole).map_or(done, Arc::new)))
    }

    /// True where a preview of everything may be quick, and changes nothing but what is shown.
    fn may_grow(&self, done: &Preview) -> bool {
        let partial = done.partial();
        // More may still come, or a limit was in the way already.
        let known = |sampled: &SampledInput| sampled.cut.is_none() && sampled.whole_bytes.is_some();
        if done.is_whole() || partial.is_empty() || !partial.iter().all(|sampled| known(sampled)) {
            return false;
        }
        // A program that the user has agreed to is not started once more for this.
        if done.used_consent || done.stages.iter().any(|stage| stage.follows) {
            return false;
        }
        let sum = |bytes: fn(&SampledInput) -> u64| -> f64 {
            partial.iter().map(|sampled| bytes(sampled) as f64).sum()
        };
        let read = sum(|sampled| sampled.kept.bytes());
        let whole = sum(|sampled| sampled.whole_bytes.unwrap_or(0));
        // Of a few lines most of the time was for starting: that is not taken for each of them.
        let time = done.elapsed_ns as f64 * whole / read.max(FEW);
        let Limits { quick, bytes, .. } = self.request.limits;
        time < HOPELESS * quick.as_nanos() as f64 && whole < bytes as f64
    }

    /// Runs the text on one sample. Gives nothing where it is cancelled.
    fn preview(&self, pass: &Pass<'_>) -> Result<Option<Preview>, Trouble> {
        let Self { request, .. } = self;
        let Pass { generation, sample, limits, before, control } = pass;
        let standard = self.standard_input(*sample, control)?;
        let mut setting = format!("{sample:?} {limits:?}").into_bytes();
        if let Some(sampled) = &standard {
            setting.extend_from_slice(format!(" {:p}", Arc::as_ptr(sampled)).as_bytes());
        }
        let sampler = Sampler { sample: *sample, limits: *limits, cache: self.cache.clone() };
        let policy = Policy::in_preview(&request.allowed);
        let files = Arc::new(HeldBackFiles::new(Some(sampler), (*control).clone()));
        let starter = CommandStarter::deferred(files.clone(), policy.clone());
        let held = HeldCommands::default();
        let errors: Arc<Messages> = Arc::default();
        let context = RunContext {
            files: &*files,
            commands: &starter,
            descriptors: Ports::new(None, Arc::new(Nowhere), errors.clone()),
            policy: policy.clone(),
            observer: &held,
            taps: None,
            interpreter: &ShellLanguage,
            within: None,
        };
        let mut shell = shell_in(&context, request.variables.clone(), control);
        shell.plans_eagerly = true;
        let script = self.script()?;
        let Some(shown) = script.shown(request.at) else { return Err(Trouble::Nothing) };
        let Some(parts) = SurroundingCommands::of(&script, shown) else {
            return Err(Trouble::Nothing);
        };
        let mut reached = true;
        let time = limits.time;
        let memory = Some(limits.memory_bytes);
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
        let mut plan = prepared.map_err(Trouble::Refused)?;
        let (filters, wrong) = self.checked(&mut plan)?;
        let live = self.follow(&plan, control);
        if let Some(live) = &live {
            let (bytes, said) = (live.kept.bytes(), live.messages.len());
            setting.extend_from_slice(format!(" live {bytes} {said}").as_bytes());
        }
        // What commands before have written is not part of what a result is known by.
        let before = before.filter(|_| parts.begins_with_assignments() && !shell.has_redirected);
        let commands_before = held.take();
        let partial_before = files.partial();
        let done = preview(&Task {
            generation: *generation,
            text: &request.text,
            plan: &plan,
            filters,
            files: &files,
            control,
            starter: &starter,
            sample: *sample,
            limits: *limits,
            standard,
            probe: self.probe.clone(),
            before,
            setting,
            meters: &self.meters,
            live,
            cut_before: files.cut.is_set(),
            depend_on_before: depend_on_before(&parts, shown, &plan),
            redirected: shell.has_redirected.then(|| shell.ports.clone()),
        });
        let Some(mut done) = done else { return Ok(None) };
        log(&done);
        let status = done.stages.last().map_or(0, |last| last.status.0);
        if wrong.is_none() {
            with_limits(control, time, memory, || parts.run_after(status, &mut shell));
        }
        drop(shell);
        done.pending = files.pending.files();
        mark_files(&mut done, files.cut.is_set());
        done.refused = files.pending.refused();
        done.commands = commands_before;
        done.commands.extend(done.stages.iter().flat_map(|stage| stage.held.clone()));
        done.commands.extend(held.take());
        done.said = errors.text();
        done.reached = reached;
        done.wrong = wrong;
        done.partial_before = partial_before;
        done.cut_elsewhere = files.cut.is_set();
        done.used_consent = policy.has_used_consent();
        Ok(Some(done))
    }

    /// The filters of a plan, of which those stages stay that can be run, and what is wrong with the one
    /// after them.
    fn checked(&self, plan: &mut Plan) -> Result<(Filters, Option<PlanError>), Trouble> {
        let (filters, wrong) = plan.check(&self.request.text);
        if let Some(wrong) = &wrong {
            if !self.partly || filters.is_empty() {
                return Err(Trouble::Refused(wrong.clone()));
            }
            plan.stages.truncate(filters.len());
        }
        Ok((filters, wrong))
    }

    /// The text as a tree.
    fn script(&self) -> Result<Arc<Script>, Trouble> {
        if let Some(script) = &self.request.script {
            return Ok(script.clone());
        }
        let script =
            crate::language::builtin_table::parse(&self.request.text).map_err(|error| {
                Trouble::Refused(PlanError { message: error.kind.to_string(), span: error.span })
            })?;
        Ok(Arc::new(script))
    }

    /// The sample of standard input, where data comes from there.
    fn standard_input(
        &self,
        sample: Sample,
        control: &RunControl,
    ) -> Result<Option<Arc<SampledInput>>, Trouble> {
        let take = |capture| self.sample_capture(capture, sample, control);
        let sampled = self.capture.as_deref().map(take);
        sampled.transpose().map_err(|error| {
            Trouble::Failed(format!("standard input: {}", stream::describe(&error)))
        })
    }

    /// Starts the first stage on its own where it follows a file, or continues with the one that runs;
    /// one of another text ends.
    fn follow(&self, plan: &Plan, control: &RunControl) -> Option<LiveSoFar> {
        let mut live = self.live.lock();
        if control.is_cancelled() {
            return None;
        }
        let Some(stage) = plan.stages.first().filter(|stage| stage.follows()) else {
            *live = None;
            return None;
        };
        if live.as_ref().is_none_or(|live| !live.is_of(stage)) {
            let report = self.report.clone();
            // Without a thread the file is shown as it is.
            *live = FollowedStage::start(stage, move || report(SessionEvent::Arrived)).ok();
        }
        let live = live.as_ref()?;
        let messages = String::from_utf8_lossy(&live.messages.contents()).into_owned();
        Some(LiveSoFar { kept: live.kept.clone(), messages, elapsed_ns: live.elapsed_ns() })
    }

    /// The sample of what has come from standard input; the same one as long as nothing more comes
    /// that would change it.
    fn sample_capture(
        &self,
        capture: &Capture,
        sample: Sample,
        control: &RunControl,
    ) -> io::Result<Arc<SampledInput>> {
        // A part of compressed data is of no use to whoever reads it.
        let first = capture.kept().bytes_at(0, 6);
        let sample =
            if filters::Form::of_content(&first).is_some() { Sample::Everything } else { sample };
        let ended = capture.kept().has_ended();
        let bytes = capture.kept().bytes();
        let mut last = self.captured.lock();
        if let Some(before) = last.iter().find(|before| before.sample == sample) {
            // Nothing new, or nothing new that matters: the first lines are all there. The end is
            // news too: only then is it known how much there is.
            let enough = matches!(sample, Sample::First(lines)
                if before.sampled.kept.lines() >= lines && !before.sampled.complete);
            if before.ended == ended && (before.bytes == bytes || enough) {
                return Ok(before.sampled.clone());
            }
        }
        let whole = ended.then_some(bytes);
        let limits = &self.request.limits;
        let mut sampled = take(capture.kept().source(), sample, limits, control, whole)?;
        if !ended {
            sampled.complete = false;
        }
        sampled.arrivals = capture.kept().arrivals();
        let sampled = Arc::new(sampled);
        if ended && sampled.whole_lines().is_none() {
            sampled.set_whole_lines(capture.kept().lines());
        }
        // The newest two: one of the first lines and one of everything.
        last.retain(|before| before.sample != sample);
        last.insert(0, Captured { bytes, ended, sample, sampled: sampled.clone() });
        last.truncate(2);
        Ok(sampled)
    }
}

/// Notes a result in the log, its text only at the last level.
fn log(done: &Preview) {
    let generation = done.generation;
    tracing::debug!(
        generation,
        stages = done.stages.len(),
        reused = done.stages.iter().filter(|stage| stage.reused).count(),
        milliseconds = done.elapsed_ns / 1_000_000,
        "evaluated"
    );
    tracing::trace!(generation, text = done.text, "the text");
}

/// Tells of each file how far what would be written to it is known: as far as the stages that write it.
/// Where something was cut off elsewhere, the other commands may write to it too.
fn mark_files(done: &mut Preview, cut: bool) {
    let stages = &done.stages;
    let elsewhere = if cut { Known::OfPart } else { Known::Exact };
    for file in &mut done.pending {
        let own = stages.iter().flat_map(|stage| &stage.pending);
        let known = own.filter(|own| own.path == file.path).map(|own| own.known).max();
        file.known = known.unwrap_or_default().max(elsewhere);
    }
}

/// Which stages of the plan may depend on what comes before the pipeline: on its status, or on
/// what it has put into variables.
fn depend_on_before(parts: &SurroundingCommands<'_>, shown: &Pipeline, plan: &Plan) -> Vec<bool> {
    let same = plan.stages.len() == shown.commands.len();
    let pairs = plan.stages.iter().zip(&shown.commands);
    let one = |(stage, command): (&StagePlan, &shell::Command)| {
        !same
            || parts.follows_others()
            || matches!(stage.kind, StageKind::Shell(_))
            || !command.is_constant()
    };
    let mut all: Vec<bool> = pairs.map(one).collect();
    all.resize(plan.stages.len(), true);
    all
}
