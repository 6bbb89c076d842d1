//! What a full run would take, judged by a run on the beginning of the sources.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use std::time::Duration;

use shell::Span;
use stream::{RunControl, Sink, Source, StageMeter};

use crate::base::limits::{Limits, with_limits};
use crate::base::sinks::Nowhere;
use crate::exec::command::CommandStarter;
use crate::exec::context::{Observer, RunContext};
use crate::files::held_back::{HeldBackFiles, Sampler};
use crate::files::plain::read_plain;
use crate::files::sample::{Sample, take};
use crate::flow::descriptors::Ports;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::run_text;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StagePlan};
use crate::plan::variables::Variables;
use crate::policy::Policy;
use crate::runs::figures::CommandKind;
use crate::runs::watch::{Expected, Snapshot, Watch};

/// Lines of each source that are tried; fewer where this many take too long.
const TRIED_LINES: [u64; 2] = [100_000, 2_000];

/// A trial takes no longer than this.
const TRIAL_TIME: Duration = Duration::from_secs(1);

/// What a full run would take.
#[derive(Clone, Debug, Default)]
pub struct Estimate {
    /// The files it reads, each with its bytes.
    pub sources: Vec<(PathBuf, u64)>,
    /// Bytes of all of them and of standard input, where all are known.
    pub total_bytes: Option<u64>,
    /// About so much time; `None` where too little is known.
    pub time: Option<Duration>,
    /// At most about this many bytes of memory for data that commands hold.
    pub memory_bytes: Option<u64>,
    /// The commands that hold data.
    pub holds: Vec<Hold>,
    /// A source never ends by itself: a followed file, or standard input that still comes.
    pub endless: bool,
}

impl Estimate {
    /// What a run that is watched is measured by.
    pub fn expected(&self) -> Expected {
        Expected { bytes: self.total_bytes, time: self.time }
    }
}

/// A command that holds data back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hold {
    /// Its place in the text.
    pub span: Span,
    /// Its name.
    pub name: String,
    /// Why.
    pub reason: Option<&'static str>,
    /// At most about this many bytes in memory.
    pub bytes: u64,
    /// Bytes that would go to temporary files because they do not fit.
    pub spilled_bytes: u64,
}

struct Trial {
    watch: Arc<Watch>,
    follows: AtomicBool,
}

impl Observer for Trial {
    fn begins(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        self.follows.fetch_or(plan.stages.iter().any(StagePlan::follows), Relaxed);
        self.watch.collected().begin(plan, meters);
    }

    fn ended(
        &self,
        _within: Option<usize>,
        plan: &Plan,
        meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        self.watch.collected().add(plan, meters, outcomes);
    }
}

/// Standard input as far as it can be tried.
pub(crate) struct Given {
    pub(crate) source: Box<dyn Source>,
    /// Its bytes; `None` while more may come.
    pub(crate) bytes: Option<u64>,
}

impl Given {
    /// This process's standard input, where it is a file that can be read without taking anything
    /// from the run.
    fn own() -> Option<Self> {
        if !matches!(rustix::fs::tell(rustix::stdio::stdin()), Ok(0)) {
            return None;
        }
        let source = read_plain(Path::new("/proc/self/fd/0")).ok()??;
        let bytes = source.file_bytes()?;
        Some(Self { source: Box::new(source), bytes: Some(bytes) })
    }
}

/// Tries the text on the beginning of its sources, for no longer than two seconds. Nothing
/// is changed, and no program of the machine is started.
pub fn estimate(text: &str, variables: Variables) -> Estimate {
    try_out(text, variables, &Policy::Nothing, Given::own)
}

/// As [`estimate`]; programs are started by `policy`, which lets through what is on the list at
/// most.
pub(crate) fn try_out(
    text: &str,
    variables: Variables,
    policy: &Policy,
    given: impl Fn() -> Option<Given>,
) -> Estimate {
    let mut made = Estimate::default();
    for lines in TRIED_LINES {
        let complete;
        (made, complete) = try_lines(text, variables.clone(), policy, given(), lines);
        if complete {
            break;
        }
    }
    made
}

/// Tries this many lines; tells whether that came to its end in time.
fn try_lines(
    text: &str,
    mut variables: Variables,
    policy: &Policy,
    given: Option<Given>,
    tried_lines: u64,
) -> (Estimate, bool) {
    let control = RunControl::default();
    let limits = Limits { time: TRIAL_TIME, bytes: 64 << 20, ..Limits::default() };
    let sample = Sample::First(tried_lines);
    let sampler = Sampler { sample, limits, cache: Arc::default() };
    let files = Arc::new(HeldBackFiles::new(Some(sampler), control.clone()));
    let starter = CommandStarter::deferred(files.clone(), policy.clone());
    let watch = Watch::new(&control, Expected::default());
    // Bytes of the files, bytes of what is in them, and how many of these were tried.
    let (mut total, mut data, mut tried) = (0, 0, 0);
    let (mut input, mut endless) = (None, false);
    if let Some(Given { source, bytes }) = given {
        if let Ok(sampled) = take(source, sample, &limits, &control, bytes) {
            tried += sampled.kept.bytes();
            input = Some(sampled.source());
        }
        total += bytes.unwrap_or(0);
        data += bytes.unwrap_or(0);
        endless |= bytes.is_none();
    }
    let trial = Trial { watch: watch.clone(), follows: AtomicBool::new(false) };
    let nowhere: Arc<dyn Sink> = Arc::new(Nowhere);
    let context = RunContext {
        files: &*files,
        commands: &starter,
        descriptors: Ports::new(input, nowhere.clone(), nowhere),
        policy: policy.clone(),
        observer: &trial,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    };
    let memory = Some(limits.memory_bytes);
    let (outcome, over) = with_limits(&control, TRIAL_TIME, memory, || {
        run_text(text, &context, &mut variables, &control)
    });
    let timed_out = over.is_some();
    watch.end();
    let mut sizes = BTreeMap::new();
    let read = files.read.lock();
    for (path, sampled) in &*read {
        let bytes = sampled.identity.map_or(0, |identity| identity.bytes);
        sizes.insert(path.clone(), bytes);
        total += bytes;
        data += sampled.whole_bytes.unwrap_or(bytes);
        tried += sampled.kept.bytes();
    }
    drop(read);
    endless |= trial.follows.load(Relaxed);
    let known = !timed_out && outcome.is_ok() && !endless;
    let snapshot = watch.snapshot();
    let scale = if tried > 0 { data as f64 / tried as f64 } else { 1.0 };
    let holds = holds(&snapshot, scale);
    let memory = holds.iter().map(|hold| hold.bytes).sum();
    let made = Estimate {
        sources: sizes.into_iter().collect(),
        total_bytes: known.then_some(total).filter(|&bytes| bytes > 0),
        time: (known && tried > 0).then(|| time(&snapshot, scale)),
        memory_bytes: known.then_some(memory),
        holds,
        endless,
    };
    (made, !timed_out)
}

/// The stages share the processors; the longest of them is the least it takes.
fn time(snapshot: &Snapshot, scale: f64) -> Duration {
    let processors = std::thread::available_parallelism().map_or(1, usize::from);
    let times = snapshot.commands.iter().map(|command| command.figures.processor_ns as f64);
    let (sum, longest) =
        times.fold((0.0, 0.0_f64), |(sum, longest), time| (sum + time, longest.max(time)));
    Duration::from_nanos(((sum / processors as f64).max(longest) * scale) as u64)
}

fn holds(snapshot: &Snapshot, scale: f64) -> Vec<Hold> {
    let mut holds = Vec::new();
    for command in &snapshot.commands {
        let held = command.figures.peak_held_bytes;
        if command.kind != CommandKind::Filter || (command.holds.is_none() && held < 64 << 10) {
            continue;
        }
        let bytes = (held as f64 * scale) as u64;
        let kept = bytes.min(command.memory_limit.unwrap_or(u64::MAX));
        holds.push(Hold {
            span: command.span,
            name: command.name.clone(),
            reason: command.holds,
            bytes: kept,
            spilled_bytes: bytes - kept,
        });
    }
    holds
}
