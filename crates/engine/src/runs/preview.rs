//! Runs on samples, with every stream and every origin kept.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::time::Instant;

use parking_lot::Mutex;
use stream::{Arrivals, Block, InputName, ReadError, Sink, Source, StageMeter};

use crate::base::figure::Known;
use crate::base::limits::with_limits;
use crate::base::sinks::Nowhere;
use crate::exec::context::RunContext;
use crate::exec::pipeline::run_pipeline;
use crate::flow::descriptors::Ports;
use crate::kept::arrivals::{CameBy, ThroughStage};
use crate::kept::lines::Kept;
use crate::kept::sinks::Messages;
use crate::plan::pipeline::Plan;
use crate::runs::preview::finish::EndedStage;
use crate::runs::preview::result::{Ending, InputRecord, Preview, StageResult};
use crate::runs::preview::reuse::{keys, same_stages};
use crate::runs::preview::taps::{Build, SampleTaps};
use crate::runs::preview::task::Task;

mod finish;
pub(crate) mod inside;
pub(crate) mod result;
mod reuse;
mod taps;
pub(crate) mod task;
mod verb;

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
    let meters: Vec<Arc<StageMeter>> = rest.stages.iter().map(|_| Arc::default()).collect();
    let builds = builds(task, &rest, &meters);
    task.meters.lock().clone_from(&meters);
    let screen: Arc<Messages> = Arc::default();
    let taps = SampleTaps {
        input: Mutex::new(match (&task.probe, same) {
            (Some(probe), 0) => Some(Box::new(Probe(probe.clone()))),
            _ => standard.as_ref().map(InputRecord::source),
        }),
        screen: screen.clone(),
        limits: task.limits,
        control: control.clone(),
        came: came(task, &stages),
        builds,
        live: task.live.as_ref().filter(|_| same == 0).map(|live| live.kept.clone()),
        redirected: task.redirected.is_some(),
    };
    // Those that `exec` has made before, or the screen's.
    let descriptors = task
        .redirected
        .clone()
        .unwrap_or_else(|| Ports::new(None, screen.clone(), Arc::new(Nowhere)));
    let context = RunContext {
        files: task.files,
        commands: task.starter,
        descriptors,
        policy: task.starter.policy.clone(),
        observer: &taps,
        taps: Some(&taps),
        interpreter: task.starter.interpreter,
        within: None,
    };
    let memory = Some(task.limits.memory_bytes);
    let (outcomes, over) = with_limits(control, task.limits.time, memory, || {
        run_pipeline(&rest, &context, &meters, control)
    });
    if control.is_cancelled() && over.is_none() {
        return None;
    }
    let mut previous = standard;
    drop(context);
    let mut seen = Vec::with_capacity(rest.stages.len());
    let SampleTaps { builds, .. } = taps;
    if let Some(last) = builds.last() {
        let text = screen.text().into_bytes();
        // It has room, or has enough said already.
        let _ = last.messages.write(Block::new(text));
    }
    for (number, (build, outcome)) in builds.into_iter().zip(outcomes).enumerate() {
        let plan = rest.stages[number].clone();
        previous = build.read.clone().map(down_the_pipe).or(previous);
        let figures = meters[number].figures();
        let key = keys[same + number].clone();
        let filter = task.filters.get(same + number).cloned().flatten();
        seen.push(Seen::of(&build));
        let ended = EndedStage {
            plan,
            build,
            outcome,
            figures,
            key,
            standard: previous.take(),
            over,
            filter,
        };
        let mut result = ended.finish(task);
        if let Some(live) = task.live.as_ref().filter(|_| same + number == 0) {
            result.make_followed(&live.messages);
        }
        previous = result.plan.feeds_next().then(|| down_the_pipe(result.out.clone()));
        stages.push(result);
    }
    mark_parts(task, &mut stages, same, &seen);
    Some(made_of(task, stages, started))
}

/// The result of these stages; what other commands did is added by others.
fn made_of(task: &Task<'_>, stages: Vec<StageResult>, started: Instant) -> Preview {
    Preview {
        generation: task.generation,
        text: task.text.to_owned(),
        sample: task.sample,
        stages,
        partial_before: Vec::new(),
        cut_elsewhere: false,
        used_consent: false,
        pending: Vec::new(),
        refused: Vec::new(),
        commands: Vec::new(),
        reached: true,
        wrong: None,
        said: String::new(),
        elapsed_ns: started.elapsed().as_nanos() as u64,
        followed_ns: task.live.as_ref().map(|live| live.elapsed_ns),
        ready: Instant::now(),
    }
}

/// What the first stage to run reads: the output of the one before it, or standard input.
fn standard_input(task: &Task<'_>, stages: &[StageResult]) -> Option<InputRecord> {
    match stages.last() {
        Some(last) => last.plan.feeds_next().then(|| down_the_pipe(last.out.clone())),
        None => task
            .standard
            .as_ref()
            .map(|sampled| InputRecord::of_sample(InputName::Standard, sampled.clone())),
    }
}

/// Has nothing, and notes that somebody wanted something.
struct Probe(Arc<AtomicBool>);

impl Source for Probe {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.0.store(true, Relaxed);
        Ok(None)
    }
}

/// What a stage reads from the one before it.
fn down_the_pipe(kept: Arc<Kept>) -> InputRecord {
    kept.end();
    InputRecord::of(InputName::Standard, kept)
}

/// What is kept of each stage that runs.
fn builds(task: &Task<'_>, rest: &Plan, meters: &[Arc<StageMeter>]) -> Vec<Build> {
    let metered = rest.stages.iter().zip(meters);
    let mut builds: Vec<Build> =
        metered.map(|(stage, meter)| Build::of(task, stage, meter)).collect();
    for (before, build) in rest.stages.iter().zip(builds.iter_mut().skip(1)) {
        // Only what it says, or another descriptor, goes down the pipe.
        build.read = (!before.feeds_next()).then(Arc::default);
    }
    builds
}

/// When the lines came that the first stage to run reads, where it reads what comes from outside.
fn came(task: &Task<'_>, stages: &[StageResult]) -> Option<Arc<dyn Arrivals>> {
    let (first, through) = match (&task.live, stages) {
        (Some(_), []) => return None,
        (Some(live), [_, rest @ ..]) => (live.kept.arrivals()?, rest),
        (None, all) => (task.standard.as_ref()?.came()?, all),
    };
    let through = through.iter().fold(first, |inner, stage| {
        let standard = stage.inputs.iter().position(|input| input.name == InputName::Standard);
        let (origins, by) = (stage.origins.clone(), CameBy::Input(standard));
        Arc::new(ThroughStage { inner, origins, by })
    });
    Some(through)
}

/// The ends that a stage has come to, each with what it had written before.
struct Seen {
    /// Of what comes from the stage before it, or of standard input.
    input: Option<u64>,
    /// Of a file of which only a part was there to read.
    cut: Option<u64>,
    /// True where that was a file that the text itself writes.
    written: bool,
}

impl Seen {
    fn of(build: &Build) -> Self {
        let files = &build.files;
        Self {
            input: build.input_end.written_before(),
            cut: files.cut.written_before(),
            written: files.written.is_set(),
        }
    }
}

/// Tells of each stage from `first` on how much of its result is the same with all of the data.
fn mark_parts(task: &Task<'_>, stages: &mut [StageResult], first: usize, seen: &[Seen]) {
    let (known, new) = stages.split_at_mut(first);
    let any_cut = task.cut_before
        || known.iter().any(StageResult::from_part)
        || seen.iter().any(|seen| seen.cut.is_some());
    let mut above = match known.last() {
        Some(last) => last.sure_bytes,
        None => task
            .standard
            .as_ref()
            .filter(|sampled| !sampled.complete)
            .map(|sampled| if task.sample.begins() { sampled.kept.bytes() } else { 0 }),
    };
    for (number, (stage, seen)) in new.iter_mut().zip(seen).enumerate() {
        let on_before = task.depend_on_before.get(first + number).copied().unwrap_or(true);
        let nothing = task.cut_before && on_before || seen.written && any_cut;
        let read = stage.figures.bytes_in;
        // What it has read of the stage before it: only what is sure, up to the end or not, or more.
        let input = above.and_then(|sure| if read > sure { Some(0) } else { seen.input });
        let cut_off = matches!(stage.ending, Ending::Cut(_)).then(|| stage.out.bytes());
        let sure = [nothing.then_some(0), seen.cut, input, cut_off];
        stage.sure_bytes = sure.into_iter().flatten().min();
        above = stage.sure_bytes;
        let part = seen.cut.is_some() || seen.written && any_cut;
        for input in stage.inputs.iter_mut().filter(|input| input.sampled.is_none()) {
            input.known = if part { Known::OfPart } else { input.known };
        }
        let known = stage.known();
        stage.pending.iter_mut().for_each(|file| file.known = file.known.max(known));
    }
    mark_piped(stages, first);
}

/// What a stage reads of the one before it is known as far as that one's output.
fn mark_piped(stages: &mut [StageResult], first: usize) {
    for number in first.max(1)..stages.len() {
        let before = &stages[number - 1];
        let (known, live) = (before.known(), before.follows || before.fed_live);
        let own = &mut stages[number];
        if own.plan.input_target().is_some() {
            continue;
        }
        let piped = own.inputs.iter_mut().find(|input| input.name == InputName::Standard);
        if let Some(input) = piped.filter(|input| input.sampled.is_none()) {
            input.known = input.known.max(known);
            own.fed_live = live;
        }
    }
}
