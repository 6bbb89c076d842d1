//! Runs the stages of one pipeline at the same time.

use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::{Scope, ScopedJoinHandle};

use stream::{
    Block, Cancel, ExitStatus, Job, JobEnd, Joined, Machine, OriginStore, Replacement, Running,
    Sink, Source, StageMeter, World, WriteError, WriteMode, describe,
};

use crate::host::{Inherited, run_host};
use crate::link::link;
use crate::plan::{Plan, StageKind, StagePlan, TargetKind};
use crate::stage::{Connections, StageOutcome, run_native};

/// What stands around a pipeline, and what is to happen to each stage's output on its way.
pub(crate) trait Surroundings: Sync {
    /// The world its stages see.
    fn world(&self) -> &dyn World;
    /// Standard input of the first stage; `None` when it has none.
    fn first_input(&self) -> Option<Box<dyn Source>>;
    /// Standard output of the last stage.
    fn last_output(&self) -> Arc<dyn Sink>;
    /// Standard error of stage `number`.
    fn errors(&self, number: usize) -> Arc<dyn Sink>;
    /// What stage `number` writes through on its way to `next` (the link, a file, the output).
    fn tap(&self, _number: usize, next: Arc<dyn Sink>) -> Arc<dyn Sink> {
        next
    }
    /// Where the origins of stage `number` are kept, if they are.
    fn origins(&self, _number: usize) -> Option<Arc<Mutex<OriginStore>>> {
        None
    }
    /// What stage `number` has written already, in a run of its own that goes on.
    fn written(&self, _number: usize) -> Option<Box<dyn Source>> {
        None
    }
    /// What `sink`, which takes what the pipeline called `name` in stage `number` writes, is on
    /// its way to.
    fn substituted(&self, _number: usize, _name: &[u8], sink: Arc<dyn Sink>) -> Arc<dyn Sink> {
        sink
    }
    /// Why stage `number`, a program of the machine, may not be started.
    fn refusal(&self, _number: usize, _stage: &StagePlan) -> Option<String> {
        None
    }
    /// True when programs get this process's own descriptors where nothing else is said.
    fn inherits(&self) -> bool {
        false
    }
}

/// Writes to nowhere.
pub(crate) struct Nowhere;

impl Sink for Nowhere {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Ok(())
    }
}

struct Ready<'p> {
    plan: &'p StagePlan,
    connections: Connections,
    inherited: Inherited,
    failed: Option<StageOutcome>,
}

/// Runs all stages and gives how each ended. `meters` has one meter a stage.
///
/// Redirections of all stages are performed, in order, before the first stage starts: a file
/// that is replaced is empty for every stage that reads it.
pub(crate) fn run_pipeline(
    plan: &Plan,
    surroundings: &dyn Surroundings,
    meters: &[Arc<StageMeter>],
    cancel: &Cancel,
) -> Vec<StageOutcome> {
    let ready = connect(plan, surroundings, meters, cancel);
    std::thread::scope(|scope| {
        let threads: Vec<ScopedJoinHandle<'_, StageOutcome>> = ready
            .into_iter()
            .zip(meters)
            .enumerate()
            .map(|(number, (ready, meter))| {
                start(scope, number, ready, surroundings, meter, cancel)
            })
            .collect();
        threads
            .into_iter()
            .map(|thread| {
                thread.join().unwrap_or_else(|_| StageOutcome {
                    panicked: true,
                    ..StageOutcome::of(ExitStatus(70))
                })
            })
            .collect()
    })
}

fn start<'s, 'e: 's>(
    scope: &'s Scope<'s, 'e>,
    number: usize,
    ready: Ready<'e>,
    surroundings: &'e dyn Surroundings,
    meter: &'e Arc<StageMeter>,
    cancel: &'e Cancel,
) -> ScopedJoinHandle<'s, StageOutcome> {
    scope.spawn(move || {
        let Ready { plan, connections, inherited, failed } = ready;
        if let Some(outcome) = failed {
            return outcome;
        }
        if let Some(source) = surroundings.written(number) {
            return copy(source, connections, meter, cancel);
        }
        match &plan.kind {
            StageKind::Native(_) if plan.substitutions.is_empty() => {
                run_native(plan, connections, surroundings.world(), meter, cancel)
            }
            StageKind::Native(_) => {
                with_substitutions(number, plan, connections, surroundings, meter, cancel)
            }
            // A plan that was checked has none of these with substitutions.
            StageKind::Host(_) => match surroundings.refusal(number, plan) {
                None => run_host(plan, connections, inherited, meter, cancel),
                Some(reason) => {
                    let line = format!("{}: {reason}\n", plan.name());
                    // A standard error that cannot be written has nobody to be told.
                    let _ = connections.stderr.write(Block::new(line.into_bytes()));
                    StageOutcome::of(ExitStatus(126))
                }
            },
            StageKind::Nothing => StageOutcome::of(ExitStatus::SUCCESS),
        }
    })
}

/// Runs a filter some of whose operands are what other pipelines write.
fn with_substitutions(
    number: usize,
    plan: &StagePlan,
    connections: Connections,
    surroundings: &dyn Surroundings,
    meter: &Arc<StageMeter>,
    cancel: &Cancel,
) -> StageOutcome {
    std::thread::scope(|scope| {
        let mut readers = Vec::new();
        for (name, inner) in &plan.substitutions {
            let inner_meters: Vec<Arc<StageMeter>> =
                inner.stages.iter().map(|_| Arc::default()).collect();
            let last = inner_meters.last().cloned().unwrap_or_default();
            let (writer, reader) = link(cancel, last, meter.clone());
            readers.push((name.clone(), Box::new(reader) as Box<dyn Source>));
            let errors = connections.stderr.clone();
            scope.spawn(move || {
                let out = surroundings.substituted(number, name, Arc::new(writer));
                let inside = Inside { outer: surroundings, number, out, errors };
                run_pipeline(inner, &inside, &inner_meters, cancel);
            });
        }
        let world = WithReaders { inner: surroundings.world(), readers: Mutex::new(readers) };
        run_native(plan, connections, &world, meter, cancel)
        // Readers nobody opened close here, and their writers end.
    })
}

/// What stands around a pipeline inside a stage.
struct Inside<'o> {
    outer: &'o dyn Surroundings,
    number: usize,
    out: Arc<dyn Sink>,
    errors: Arc<dyn Sink>,
}

impl Surroundings for Inside<'_> {
    fn world(&self) -> &dyn World {
        self.outer.world()
    }

    fn first_input(&self) -> Option<Box<dyn Source>> {
        None
    }

    fn last_output(&self) -> Arc<dyn Sink> {
        self.out.clone()
    }

    fn errors(&self, _number: usize) -> Arc<dyn Sink> {
        self.errors.clone()
    }

    fn refusal(&self, _number: usize, stage: &StagePlan) -> Option<String> {
        self.outer.refusal(self.number, stage)
    }
}

/// A world in which some names are links, each to be read once.
struct WithReaders<'w> {
    inner: &'w dyn World,
    readers: Mutex<Vec<(Vec<u8>, Box<dyn Source>)>>,
}

impl World for WithReaders<'_> {
    fn read(&self, path: &Path) -> std::io::Result<Box<dyn Source>> {
        let mut readers = self.readers.lock().unwrap_or_else(PoisonError::into_inner);
        let found = readers.iter().position(|(name, _)| name == path.as_os_str().as_bytes());
        match found {
            Some(at) => Ok(readers.swap_remove(at).1),
            None => self.inner.read(path),
        }
    }

    fn write(&self, path: &Path, mode: WriteMode) -> std::io::Result<Arc<dyn Sink>> {
        self.inner.write(path, mode)
    }

    fn replace(&self, path: &Path) -> std::io::Result<Box<dyn Replacement>> {
        self.inner.replace(path)
    }

    fn remove(&self, path: &Path) -> std::io::Result<()> {
        self.inner.remove(path)
    }

    fn run(&self, job: Job<'_>) -> JobEnd {
        self.inner.run(job)
    }

    fn start(&self, job: Job<'_>, joined: Joined) -> Result<Box<dyn Running + '_>, JobEnd> {
        self.inner.start(job, joined)
    }

    fn is_live(&self) -> bool {
        self.inner.is_live()
    }

    fn machine(&self) -> &dyn Machine {
        self.inner.machine()
    }
}

/// Passes on what a stage has written elsewhere.
fn copy(
    mut source: Box<dyn Source>,
    connections: Connections,
    meter: &Arc<StageMeter>,
    cancel: &Cancel,
) -> StageOutcome {
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
    while let Ok(Some(block)) = source.next_block() {
        if cancel.is_cancelled() {
            outcome.cancelled = true;
            break;
        }
        meter.count_in(&block);
        meter.count_out(&block);
        if connections.stdout.write(block).is_err() {
            outcome.closed = true;
            break;
        }
    }
    outcome
}

/// Makes the links and performs the redirections.
fn connect<'p>(
    plan: &'p Plan,
    surroundings: &dyn Surroundings,
    meters: &[Arc<StageMeter>],
    cancel: &Cancel,
) -> Vec<Ready<'p>> {
    let mut ready = Vec::new();
    // A pipeline that follows a file is watched while it runs, and so is a terminal.
    let follows = plan.stages.iter().any(StagePlan::follows);
    let mut stdin = surroundings.first_input();
    let mut first = true;
    for (number, stage) in plan.stages.iter().enumerate() {
        let last = number + 1 == plan.stages.len();
        let (next, next_stdin): (Arc<dyn Sink>, Option<Box<dyn Source>>) = if last {
            (surroundings.last_output(), None)
        } else {
            let (writer, reader) = link(cancel, meters[number].clone(), meters[number + 1].clone());
            (Arc::new(writer), Some(Box::new(reader)))
        };
        let mut inherited = Inherited::default();
        if surroundings.inherits() {
            inherited = Inherited { stdin: first, stdout: last, stderr: true };
        }
        let stderr = surroundings.errors(number);
        let mut connections = Connections {
            stdin: stdin.take(),
            stdout: next,
            stderr,
            origins: surroundings.origins(number),
            eager: false,
        };
        let failed = redirect(stage, surroundings.world(), &mut connections, &mut inherited);
        connections.eager = follows || connections.stdout.is_terminal();
        connections.stdout = if Arc::ptr_eq(&connections.stdout, &connections.stderr) {
            let tapped = surroundings.tap(number, connections.stdout);
            connections.stderr = tapped.clone();
            tapped
        } else {
            surroundings.tap(number, connections.stdout)
        };
        ready.push(Ready { plan: stage, connections, inherited, failed });
        stdin = next_stdin;
        first = false;
    }
    ready
}

/// Performs a stage's redirections in order; gives the outcome of a stage whose redirection
/// failed, after saying so on its standard error.
fn redirect(
    stage: &StagePlan,
    world: &dyn World,
    connections: &mut Connections,
    inherited: &mut Inherited,
) -> Option<StageOutcome> {
    for target in &stage.targets {
        let opened = match &target.kind {
            TargetKind::Read(path) => world.read(path).map(|source| {
                connections.stdin = Some(source);
                inherited.stdin = false;
                path
            }),
            TargetKind::Replace(path) | TargetKind::Append(path) => {
                let append = matches!(target.kind, TargetKind::Append(_));
                let mode = if append { WriteMode::Append } else { WriteMode::Replace };
                world.write(path, mode).map(|sink| {
                    if target.descriptor == 1 {
                        connections.stdout = sink;
                        inherited.stdout = false;
                    } else {
                        connections.stderr = sink;
                        inherited.stderr = false;
                    }
                    path
                })
            }
            TargetKind::Duplicate(of) => {
                match (target.descriptor, *of) {
                    (2, 1) => {
                        connections.stderr = connections.stdout.clone();
                        inherited.stderr = false;
                        inherited.stdout = false;
                    }
                    (1, 2) => {
                        connections.stdout = connections.stderr.clone();
                        inherited.stderr = false;
                        inherited.stdout = false;
                    }
                    _ => {}
                }
                continue;
            }
        };
        if let Err(error) = opened {
            let path = match &target.kind {
                TargetKind::Read(path) | TargetKind::Replace(path) | TargetKind::Append(path) => {
                    path
                }
                TargetKind::Duplicate(_) => continue,
            };
            let what = if matches!(target.kind, TargetKind::Read(_)) { "open" } else { "create" };
            let line = format!("cannot {what} {}: {}\n", path.display(), describe(&error));
            // A standard error that cannot be written has nobody to be told.
            let _ = connections.stderr.write(Block::new(line.into_bytes()));
            return Some(StageOutcome::of(ExitStatus(2)));
        }
    }
    None
}
