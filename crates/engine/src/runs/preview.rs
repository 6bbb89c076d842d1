//! Runs on samples, with every stream and every origin kept.

use crate::exec::command::CommandStarter;
use crate::exec::context::Observer;
use crate::exec::context::RunContext;
use crate::exec::context::Taps;
use crate::exec::context::Withheld;
use crate::kept::sinks::Messages;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;
use stream::RunControl;

use filters::Verb;
use sha2::{Digest, Sha256};
use shell::Span;
use stream::{
    Block, ExitStatus, InputName, LineId, OriginStore, Sink, Source, StageFigures, StageMeter,
    WriteError,
};

use crate::base::limits::{Limit, Limits, Over, with_limits};
use crate::base::sinks::Nowhere;
use crate::exec::pipeline::run_pipeline;
use crate::files::held_back::HeldBackFiles;
use crate::files::identity::Identity;
use crate::files::pending::PendingFile;
use crate::files::sample::Sampled;
use crate::flow::descriptors::Ports;
use crate::kept::lines::Kept;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::target::TargetKind;
use crate::policy::HeldCommand;
use crate::runs::figures::{Collected, CommandFigures};
use crate::runs::preview::verb::verb_of;

pub(crate) mod surrounding;
mod verb;

/// How a stage ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Ending {
    /// By itself.
    Finished,
    /// Its reader had enough: normal.
    ClosedPipe,
    /// A limit of the preview cut it off.
    Cut(Limit),
    /// It was not started, or failed inside.
    Failed,
}

/// One input of a stage.
#[derive(Clone)]
pub struct InputRecord {
    /// What it was.
    pub name: InputName,
    /// Its lines.
    pub kept: Arc<Kept>,
    /// The sample it is, where it comes from outside the pipeline.
    pub sampled: Option<Arc<Sampled>>,
}

/// What a stage did.
pub struct StageResult {
    /// The stage's place in the text that was run.
    pub span: Span,
    /// Its name.
    pub name: String,
    /// The plan it ran from.
    pub plan: StagePlan,
    /// What it read, in the order it was opened.
    pub inputs: Vec<InputRecord>,
    /// What it wrote to standard output (into a file, where that was redirected).
    pub out: Arc<Kept>,
    /// Where each line of it comes from.
    pub origins: Arc<Mutex<OriginStore>>,
    /// Counts and times.
    pub figures: StageFigures,
    /// The status it ended with.
    pub status: ExitStatus,
    /// What it wrote to standard error, at most 64 KiB.
    pub messages: String,
    /// How it ended.
    pub ending: Ending,
    /// What it does; `None` for a program of the machine.
    pub verb: Option<Verb>,
    /// Why it holds data back, if it does.
    pub holds: Option<&'static str>,
    /// Files it would write.
    pub pending: Vec<PendingFile>,
    /// Commands it would start.
    pub held: Vec<HeldCommand>,
    /// The commands inside it, in the order of the text.
    pub inside: Vec<CommandFigures>,
    /// When it was made.
    pub made: Instant,
    /// True when this result was kept from the run before.
    pub reused: bool,
    /// True for a stage that goes on with what its files get.
    pub follows: bool,
    /// True for a program that was not started, because the user has not consented to it.
    pub is_held: bool,
    key: Vec<u8>,
    files: Vec<(PathBuf, Option<Identity>)>,
}

impl StageResult {
    /// Makes this the result of a stage that follows a file: what it read is what it wrote.
    fn is_live(&mut self, live: &LiveSoFar) {
        let name = self.plan.arguments.iter().rev().find(|argument| !argument.starts_with(b"-"));
        let name = InputName::File(name.cloned().unwrap_or_default());
        self.inputs = vec![InputRecord { name, kept: self.out.clone(), sampled: None }];
        let mut origins = OriginStore::default();
        origins.push(self.out.lines(), stream::Origin::Sequence(LineId::new(0, 0)));
        self.origins = Arc::new(Mutex::new(origins));
        self.messages.clone_from(&live.messages);
        self.follows = true;
    }

    /// The file an input is, be it by its name or by a redirection.
    pub fn input_path(&self, input: &InputRecord) -> Option<PathBuf> {
        use std::os::unix::ffi::OsStrExt;
        match &input.name {
            InputName::File(name) => Some(PathBuf::from(std::ffi::OsStr::from_bytes(name))),
            InputName::Standard => {
                self.plan.targets.iter().rev().find_map(|target| match &target.kind {
                    TargetKind::Read(path) if target.descriptor == 0 => Some(path.clone()),
                    _ => None,
                })
            }
        }
    }

    /// Lines over all inputs.
    pub fn input_lines(&self) -> u64 {
        self.inputs.iter().map(|input| input.kept.lines()).sum()
    }

    /// The place of a line over all inputs, one after the other.
    pub fn flat(&self, id: LineId) -> u64 {
        let before: u64 = self.inputs.iter().take(id.input()).map(|input| input.kept.lines()).sum();
        before + id.line()
    }

    /// The input and the line within it at a place over all inputs.
    pub fn input_at(&self, flat: u64) -> Option<(usize, u64)> {
        let mut rest = flat;
        for (number, input) in self.inputs.iter().enumerate() {
            let lines = input.kept.lines();
            if rest < lines {
                return Some((number, rest));
            }
            rest -= lines;
        }
        None
    }

    /// True when nothing cut the result off, so that it may be used again.
    fn reusable(&self) -> bool {
        self.ending == Ending::Finished
            && !self.is_held
            && self.files.iter().all(|(path, identity)| Identity::now(path).ok() == *identity)
    }

    fn copy(&self, span: Span) -> Self {
        Self {
            span,
            name: self.name.clone(),
            plan: self.plan.clone(),
            inputs: self.inputs.clone(),
            out: self.out.clone(),
            origins: self.origins.clone(),
            figures: self.figures,
            status: self.status,
            messages: self.messages.clone(),
            ending: self.ending,
            verb: self.verb,
            holds: self.holds,
            pending: self.pending.clone(),
            held: self.held.clone(),
            inside: self.inside.clone(),
            made: self.made,
            reused: true,
            follows: self.follows,
            is_held: self.is_held,
            key: self.key.clone(),
            files: self.files.clone(),
        }
    }
}

/// The result of a run on a sample.
pub struct Preview {
    /// Which request it answers.
    pub generation: u64,
    /// The text it is of.
    pub text: String,
    /// What each stage did.
    pub stages: Vec<StageResult>,
    /// All files that would be written, also by the other commands of the text, each once.
    pub pending: Vec<PendingFile>,
    /// Files that may not be written, and why.
    pub refused: Vec<(PathBuf, String)>,
    /// All commands that would be started, in their order.
    pub commands: Vec<HeldCommand>,
    /// False where a real run would not come to this pipeline: `false && this`.
    pub reached: bool,
    /// What the other commands of the text said on standard error.
    pub said: String,
    /// How long it took, in nanoseconds.
    pub elapsed_ns: u64,
    /// When it was ready.
    pub ready: Instant,
}

impl Preview {
    /// The files whose samples it was made from.
    pub fn sources(&self) -> impl Iterator<Item = (Option<PathBuf>, &Arc<Sampled>)> {
        self.stages.iter().flat_map(|stage| {
            let sampled = stage.inputs.iter().filter_map(|input| {
                let sampled = input.sampled.as_ref()?;
                Some((stage.input_path(input), sampled))
            });
            sampled.collect::<Vec<_>>()
        })
    }

    /// True when every source was sampled whole and nothing was cut off.
    pub fn is_whole(&self) -> bool {
        self.sources().all(|(_, sampled)| sampled.complete)
            && self.stages.iter().all(|stage| !matches!(stage.ending, Ending::Cut(_)))
    }

    /// Files that were read and are now different.
    pub fn changed_files(&self) -> Vec<PathBuf> {
        let files = self.stages.iter().flat_map(|stage| &stage.files);
        let mut changed: Vec<PathBuf> = files
            .filter(|(path, identity)| Identity::now(path).ok() != *identity)
            .map(|(path, _)| path.clone())
            .collect();
        changed.dedup();
        changed
    }
}

/// Lines or bytes a stage may go on writing after its reader has left, so that a small stream is
/// shown whole and does not depend on who was faster.
const GRACE_LINES: u64 = 20_000;
const GRACE_BYTES: u64 = 4 << 20;

/// Keeps what passes, and stops the stage at the limits.
struct Tap {
    kept: Arc<Kept>,
    next: Arc<dyn Sink>,
    next_closed: AtomicBool,
    limits: Limits,
    cut: Arc<Mutex<Option<Limit>>>,
}

impl Sink for Tap {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let reached = if self.kept.lines() >= self.limits.lines {
            Some(Limit::Lines(self.limits.lines))
        } else if self.kept.bytes() >= self.limits.bytes {
            Some(Limit::Bytes(self.limits.bytes))
        } else {
            None
        };
        if reached.is_some() {
            *self.cut.lock().unwrap_or_else(PoisonError::into_inner) = reached;
            return Err(WriteError::Closed);
        }
        self.kept.append(&block)?;
        if !self.next_closed.load(Ordering::Relaxed) {
            match self.next.write(block) {
                Err(WriteError::Closed) => self.next_closed.store(true, Ordering::Relaxed),
                other => return other,
            }
        }
        if self.kept.lines() > GRACE_LINES || self.kept.bytes() > GRACE_BYTES {
            return Err(WriteError::Closed);
        }
        Ok(())
    }
}

/// A stage that is about to run.
struct Build {
    kept: Arc<Kept>,
    origins: Arc<Mutex<OriginStore>>,
    messages: Arc<Messages>,
    held: Mutex<Vec<HeldCommand>>,
    inside: Collected,
    cut: Arc<Mutex<Option<Limit>>>,
}

/// Keeps what the stages of the pipeline that is shown read, write and say.
struct SampleTaps {
    limits: Limits,
    /// Where standard output leads at the end, and errors that are sent there by `2>&1 > file`.
    screen: Arc<dyn Sink>,
    builds: Vec<Build>,
    /// What the first stage has written, where it is run elsewhere.
    live: Option<Arc<Kept>>,
    /// `exec` has led the errors somewhere else.
    redirected: bool,
}

impl Taps for SampleTaps {
    fn written(&self, number: usize) -> Option<Box<dyn Source>> {
        self.live.as_ref().filter(|_| number == 0).map(|kept| kept.source())
    }

    fn errors(&self, number: usize) -> Option<Arc<dyn Sink>> {
        (!self.redirected).then(|| -> Arc<dyn Sink> { self.builds[number].messages.clone() })
    }

    fn tap(&self, number: usize, next: Arc<dyn Sink>) -> Arc<dyn Sink> {
        let build = &self.builds[number];
        // What the last stage writes is kept by the tap; only its errors are told as such.
        let next: Arc<dyn Sink> =
            if Arc::ptr_eq(&next, &self.screen) { Arc::new(Nowhere) } else { next };
        Arc::new(Tap {
            kept: build.kept.clone(),
            next,
            next_closed: AtomicBool::new(false),
            limits: self.limits,
            cut: build.cut.clone(),
        })
    }

    fn origins(&self, number: usize) -> Arc<Mutex<OriginStore>> {
        self.builds[number].origins.clone()
    }
}

impl Observer for SampleTaps {
    fn withheld(&self, _stage: &StagePlan, _joined: bool) -> Withheld {
        Withheld { message: Some("external program, waiting for your consent"), status: 126 }
    }

    fn ended(
        &self,
        within: Option<usize>,
        plan: &Plan,
        meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        let Some(build) = within.and_then(|stage| self.builds.get(stage)) else { return };
        build.inside.add(plan, meters, outcomes);
    }

    fn held_back(&self, number: usize, command: HeldCommand) {
        let mut held = self.builds[number].held.lock().unwrap_or_else(PoisonError::into_inner);
        held.push(command);
    }
}

/// The descriptors around the pipeline: those that `exec` has made before, or the screen's.
fn descriptors(task: &Task<'_>, input: Option<Box<dyn Source>>, screen: Arc<dyn Sink>) -> Ports {
    let Some(redirected) = &task.redirected else {
        return Ports::new(input, screen, Arc::new(Nowhere));
    };
    let mut ports = redirected.clone();
    if let (None, Some(input)) = (ports.input(0), input) {
        ports.read_from(0, input);
    }
    ports
}

/// Everything a preview needs.
pub(crate) struct Task<'t> {
    pub(crate) generation: u64,
    pub(crate) text: &'t str,
    pub(crate) plan: &'t Plan,
    pub(crate) files: &'t HeldBackFiles,
    pub(crate) control: &'t RunControl,
    pub(crate) starter: &'t CommandStarter,
    pub(crate) limits: Limits,
    pub(crate) standard: Option<Arc<Sampled>>,
    pub(crate) before: Option<&'t Preview>,
    /// Tells apart what the key of a stage does not: the sample and the standard input.
    pub(crate) setting: Vec<u8>,
    pub(crate) meters: &'t Mutex<Vec<Arc<StageMeter>>>,
    /// What the first stage has written so far, where it follows a file.
    pub(crate) live: Option<LiveSoFar>,
    /// The descriptors, where `exec` has changed them before the pipeline.
    pub(crate) redirected: Option<Ports>,
}

/// What a stage that follows a file has written so far.
pub(crate) struct LiveSoFar {
    pub(crate) kept: Arc<Kept>,
    pub(crate) messages: String,
}

/// Runs the stages from the first changed one on; `None` when cancelled.
pub(crate) fn preview(task: &Task<'_>) -> Option<Preview> {
    let started = Instant::now();
    let control = task.control;
    let keys = keys(task);
    let same = same_stages(task, &keys);
    let mut stages: Vec<StageResult> = Vec::new();
    for number in 0..same {
        let before = task.before.and_then(|before| before.stages.get(number))?;
        let copy = before.copy(task.plan.stages[number].span);
        task.files.pending.lock().extend(copy.pending.iter().cloned());
        stages.push(copy);
    }
    let rest = Plan { stages: task.plan.stages[same..].to_vec() };
    let standard = standard_input(task, &stages);
    let builds: Vec<Build> = rest
        .stages
        .iter()
        .map(|_| Build {
            kept: Arc::default(),
            origins: Arc::default(),
            messages: Arc::default(),
            held: Mutex::default(),
            inside: Collected::default(),
            cut: Arc::default(),
        })
        .collect();
    let meters: Vec<Arc<StageMeter>> = rest.stages.iter().map(|_| Arc::default()).collect();
    task.meters.lock().unwrap_or_else(PoisonError::into_inner).clone_from(&meters);
    let screen: Arc<Messages> = Arc::default();
    let taps = SampleTaps {
        screen: screen.clone(),
        limits: task.limits,
        builds,
        live: task.live.as_ref().filter(|_| same == 0).map(|live| live.kept.clone()),
        redirected: task.redirected.is_some(),
    };
    let input = standard.as_ref().map(|input| input.kept.source());
    let context = RunContext {
        files: task.files,
        commands: task.starter,
        descriptors: descriptors(task, input, screen.clone()),
        policy: task.starter.policy.clone(),
        observer: &taps,
        taps: Some(&taps),
        interpreter: task.starter.interpreter,
        within: None,
    };
    let memory = Some(task.limits.memory_bytes);
    let (outcomes, over) = with_limits(control, task.limits.seconds, memory, || {
        run_pipeline(&rest, &context, &meters, control)
    });
    if control.is_cancelled() && over.is_none() {
        return None;
    }
    let mut previous = standard;
    drop(context);
    let SampleTaps { builds, .. } = taps;
    if let Some(last) = builds.last() {
        let text = screen.text().into_bytes();
        // It has room, or has enough said already.
        let _ = last.messages.write(Block::new(text));
    }
    for (number, (build, outcome)) in builds.into_iter().zip(outcomes).enumerate() {
        let plan = rest.stages[number].clone();
        let figures = meters[number].figures();
        let key = keys[same + number].clone();
        let mut result = finish(task, plan, build, outcome, figures, key, previous.take(), over);
        if let Some(live) = task.live.as_ref().filter(|_| same + number == 0) {
            result.is_live(live);
        }
        previous = result.plan.feeds_next().then(|| InputRecord {
            name: InputName::Standard,
            kept: result.out.clone(),
            sampled: None,
        });
        stages.push(result);
    }
    Some(Preview {
        generation: task.generation,
        text: task.text.to_owned(),
        stages,
        pending: Vec::new(),
        refused: Vec::new(),
        commands: Vec::new(),
        reached: true,
        said: String::new(),
        elapsed_ns: started.elapsed().as_nanos() as u64,
        ready: Instant::now(),
    })
}

/// What stage after stage depends on: each key is a sum over that of the stage before it and all
/// that decides what the stage does, so that many stages do not keep each other's texts.
fn keys(task: &Task<'_>) -> Vec<Vec<u8>> {
    let mut keys: Vec<Vec<u8>> = Vec::new();
    for stage in &task.plan.stages {
        let mut sum = Sha256::new();
        sum.update(keys.last().unwrap_or(&task.setting));
        sum.update(b"\0|");
        sum.update(stage.key());
        keys.push(sum.finalize().to_vec());
    }
    keys
}

/// How many stages can be taken over from the run before.
fn same_stages(task: &Task<'_>, keys: &[Vec<u8>]) -> usize {
    let Some(before) = task.before else { return 0 };
    let pairs = before.stages.iter().zip(keys);
    pairs.take_while(|(stage, key)| stage.key == **key && stage.reusable()).count()
}

/// What the first stage to run reads: the output of the one before it, or standard input.
fn standard_input(task: &Task<'_>, stages: &[StageResult]) -> Option<InputRecord> {
    match stages.last() {
        Some(last) => last.plan.feeds_next().then(|| InputRecord {
            name: InputName::Standard,
            kept: last.out.clone(),
            sampled: None,
        }),
        None => task.standard.as_ref().map(|sampled| InputRecord {
            name: InputName::Standard,
            kept: sampled.kept.clone(),
            sampled: Some(sampled.clone()),
        }),
    }
}

#[allow(clippy::too_many_arguments)] // one call, one result made of all of them
fn finish(
    task: &Task<'_>,
    plan: StagePlan,
    build: Build,
    outcome: StageOutcome,
    figures: StageFigures,
    key: Vec<u8>,
    standard: Option<InputRecord>,
    over: Option<Over>,
) -> StageResult {
    build.kept.end();
    let redirected = plan.targets.iter().rev().find_map(|target| match &target.kind {
        TargetKind::Read(path) => Some(path.clone()),
        _ => None,
    });
    let from_file = |path: &Path, name: InputName| {
        let sampled = task.files.sampled(path);
        let pending = task.files.pending.lock();
        let overlay = pending.iter().rev().find(|file| file.path == path);
        let kept = match (&sampled, overlay) {
            (Some(sampled), _) => sampled.kept.clone(),
            (None, Some(file)) => file.kept.clone(),
            (None, None) => Arc::new(Kept::of(b"")),
        };
        InputRecord { name, kept, sampled }
    };
    let mut names = outcome.inputs.clone();
    if names.is_empty() && matches!(plan.kind, StageKind::Host(_)) {
        names.push(InputName::Standard);
    }
    let mut taken = false;
    let inputs: Vec<InputRecord> = names
        .into_iter()
        .map(|name| match &name {
            InputName::File(path) => {
                use std::os::unix::ffi::OsStrExt;
                let path = Path::new(std::ffi::OsStr::from_bytes(path)).to_owned();
                from_file(&path, name)
            }
            // Standard input is read once; opened again it is at its end.
            InputName::Standard if taken => empty_standard(),
            InputName::Standard => {
                taken = true;
                match &redirected {
                    Some(path) => from_file(path, InputName::Standard),
                    None => standard.clone().unwrap_or_else(empty_standard),
                }
            }
        })
        .collect();
    let cut = *build.cut.lock().unwrap_or_else(PoisonError::into_inner);
    let ending = match cut {
        Some(limit) => Ending::Cut(limit),
        None if outcome.cancelled && over.is_some() => {
            Ending::Cut(over.map_or(Limit::Lines(0), |over| Limit::of(over, &task.limits)))
        }
        None if outcome.panicked => Ending::Failed,
        None if outcome.closed => Ending::ClosedPipe,
        None => Ending::Finished,
    };
    let pending = task.files.pending.lock();
    let by_redirection = plan.written().map(|(path, ..)| path);
    let pending: Vec<PendingFile> = by_redirection
        .chain(outcome.written.iter().map(PathBuf::as_path))
        .filter_map(|path| pending.iter().rev().find(|file| file.path == path).cloned())
        .collect();
    for file in &pending {
        file.kept.end();
    }
    let files = inputs
        .iter()
        .filter_map(|input| {
            use std::os::unix::ffi::OsStrExt;
            let identity = input.sampled.as_ref().and_then(|sampled| sampled.identity)?;
            let path = match (&input.name, &redirected) {
                (InputName::File(name), _) => {
                    Path::new(std::ffi::OsStr::from_bytes(name)).to_owned()
                }
                (InputName::Standard, Some(path)) => path.clone(),
                (InputName::Standard, None) => return None,
            };
            Some((path, Some(identity)))
        })
        .chain(missing(&plan))
        .collect();
    let filter = match &plan.kind {
        StageKind::Native(definition) => definition.build(&plan.arguments).ok(),
        _ => None,
    };
    let verb = filter.as_ref().map(|filter| {
        let declared = filter.verb();
        if !filter.verb_varies() {
            return declared;
        }
        let origins = build.origins.lock().unwrap_or_else(PoisonError::into_inner);
        verb_of(declared, &inputs, &build.kept, &origins)
    });
    let verb = match &plan.kind {
        StageKind::Shell(_) => {
            let origins = build.origins.lock().unwrap_or_else(PoisonError::into_inner);
            let known = origins.lines() == build.kept.lines();
            known.then(|| verb_of(Verb::Passes, &inputs, &build.kept, &origins))
        }
        _ => verb,
    };
    let inside = build.inside.into_list();
    let messages = build.messages.0.lock().unwrap_or_else(PoisonError::into_inner);
    StageResult {
        span: plan.span,
        name: plan.name(),
        inputs,
        out: build.kept,
        origins: build.origins,
        figures,
        status: outcome.status,
        messages: String::from_utf8_lossy(&messages).into_owned(),
        ending,
        verb,
        holds: filter.as_ref().and_then(|filter| filter.holds()),
        pending,
        held: build.held.into_inner().unwrap_or_else(PoisonError::into_inner),
        inside,
        made: Instant::now(),
        reused: false,
        follows: false,
        is_held: outcome.unstarted == Some(stream::CommandEnd::HeldBack),
        key,
        files,
        plan,
    }
}

fn empty_standard() -> InputRecord {
    InputRecord { name: InputName::Standard, kept: Arc::new(Kept::of(b"")), sampled: None }
}

/// Arguments that name no file now: when one appears, the stage must run again.
fn missing(plan: &StagePlan) -> impl Iterator<Item = (PathBuf, Option<Identity>)> + '_ {
    plan.arguments.iter().filter_map(|argument| {
        use std::os::unix::ffi::OsStrExt;
        let plain = !argument.is_empty() && !argument.starts_with(b"-") && argument.len() < 4096;
        let path = PathBuf::from(std::ffi::OsStr::from_bytes(argument));
        (plain && !argument.contains(&b'\n') && Identity::now(&path).is_err())
            .then_some((path, None))
    })
}
