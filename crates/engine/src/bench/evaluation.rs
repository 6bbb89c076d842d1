//! One evaluation of the newest text, on the thread of the worker.

use parking_lot::Mutex;
use std::io;
use std::sync::Arc;
use std::time::Duration;

use shell::Script;
use stream::{RunControl, StageMeter};

use crate::base::limits::{Over, with_limits};
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
use crate::plan::pipeline::Plan;
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
            Over::Excess(excess) => excess.to_string(),
        };
        Self::Failed(format!("what comes before the pipeline is cut off: {why}"))
    }
}

/// All that an evaluation takes with it.
pub(crate) struct Evaluation {
    pub(crate) generation: u64,
    pub(crate) request: Request,
    pub(crate) cache: Arc<SampleCache>,
    /// The result that this one may take stages from.
    pub(crate) before: Option<Arc<Preview>>,
    /// What has come from standard input.
    pub(crate) capture: Option<Arc<Capture>>,
    pub(crate) captured: Arc<Mutex<Option<Captured>>>,
    pub(crate) meters: Arc<Mutex<Vec<Arc<StageMeter>>>>,
    /// The first stage, where it follows a file.
    pub(crate) live: Arc<Mutex<Option<FollowedStage>>>,
    pub(crate) control: RunControl,
    pub(crate) report: Report,
}

impl Evaluation {
    /// Evaluates the text. Gives nothing where it is cancelled.
    ///
    /// # Errors
    /// See [`Trouble`].
    pub(crate) fn run(&self) -> Result<Option<Preview>, Trouble> {
        let Self { generation, request, control, .. } = self;
        let standard = self.standard_input()?;
        let mut setting = format!("{:?} {:?}", request.sample, request.limits).into_bytes();
        if let Some(sampled) = &standard {
            setting.extend_from_slice(format!(" {:p}", Arc::as_ptr(sampled)).as_bytes());
        }
        let sampler =
            Sampler { sample: request.sample, limits: request.limits, cache: self.cache.clone() };
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
        let script = self.script()?;
        let Some(shown) = script.shown(request.at) else { return Err(Trouble::Nothing) };
        let Some(parts) = SurroundingCommands::of(&script, shown) else {
            return Err(Trouble::Nothing);
        };
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
        let live = self.follow(&plan);
        if let Some(live) = &live {
            let (bytes, said) = (live.kept.bytes(), live.messages.len());
            setting.extend_from_slice(format!(" live {bytes} {said}").as_bytes());
        }
        // What commands before have written is not part of what a result is known by.
        let before = self
            .before
            .as_deref()
            .filter(|_| parts.begins_with_assignments() && !shell.has_redirected);
        let commands_before = held.take();
        let done = preview(&Task {
            generation: *generation,
            text: &request.text,
            plan: &plan,
            filters,
            files: &files,
            control,
            starter: &starter,
            limits: request.limits,
            standard,
            before,
            setting,
            meters: &self.meters,
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

    /// The text as a tree.
    fn script(&self) -> Result<Arc<Script>, Trouble> {
        if let Some(script) = &self.request.script {
            return Ok(script.clone());
        }
        let script = shell::parse(&self.request.text).map_err(|error| {
            Trouble::Refused(PlanError { message: error.kind.to_string(), span: error.span })
        })?;
        Ok(Arc::new(script))
    }

    /// The sample of standard input, where data comes from there.
    fn standard_input(&self) -> Result<Option<Arc<SampledInput>>, Trouble> {
        let sampled = self.capture.as_deref().map(|capture| self.sample_capture(capture));
        sampled.transpose().map_err(|error| {
            Trouble::Failed(format!("standard input: {}", stream::describe(&error)))
        })
    }

    /// Starts the first stage on its own where it follows a file, or goes on with the one that runs;
    /// one of another text ends.
    fn follow(&self, plan: &Plan) -> Option<LiveSoFar> {
        let mut live = self.live.lock();
        if self.control.is_cancelled() {
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
        Some(LiveSoFar { kept: live.kept.clone(), messages })
    }

    /// The sample of what has come from standard input; the same one as long as nothing more comes
    /// that would change it.
    fn sample_capture(&self, capture: &Capture) -> io::Result<Arc<SampledInput>> {
        let Self { request, control, .. } = self;
        let ended = capture.kept().has_ended();
        let bytes = capture.kept().bytes();
        let mut last = self.captured.lock();
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
}
