//! Runs the stages of one pipeline at the same time.

use std::io;
use std::sync::{Arc, Mutex};
use std::thread::{Scope, ScopedJoinHandle};

use stream::{
    Block, CommandEnd, ExitStatus, InputName, OriginStore, RunControl, Sink, Source, StageMeter,
    World, describe,
};

use crate::base::clock::run_ns;
use crate::base::sinks::say;
use crate::exec::named_pipes::with_pipes;
use crate::exec::native::{Connections, run_native};
use crate::exec::program::run_host;
use crate::exec::redirections::{OpenedFiles, redirect};
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::{End, Ports, Reader, SharedInput};
use crate::flow::link::link;
use crate::flow::metered::{MeteredSink, MeteredSource, StageClock};
use crate::flow::origins::{OriginSink, Taken};
use crate::kept::lines::Kept;
use crate::language::shell::Shell;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::policy::HeldCommand;
use crate::policy::{Decision, Fed, Feed, Policy};

/// What stands around a pipeline, and what is to happen to each stage's output on its way.
pub(crate) trait Surroundings: Sync {
    /// The world its stages see.
    fn world(&self) -> &dyn World;
    /// The descriptors around the pipeline: the first stage reads standard input, the last one
    /// writes standard output, all have the others.
    fn ports(&self) -> Ports;
    /// Standard error of stage `number`, where it has one of its own.
    fn errors(&self, _number: usize) -> Option<Arc<dyn Sink>> {
        None
    }
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
    /// Takes a command that stage `number` would have started.
    fn hold_back(&self, _number: usize, _command: HeldCommand) {}
    /// Looks at the stages of a pipeline that begins to run.
    fn watch(&self, _plan: &Plan, _meters: &[Arc<StageMeter>]) {}
    /// Looks at how the stages of a pipeline ended; `within` is the stage they are part of.
    fn ended(
        &self,
        _within: Option<usize>,
        _plan: &Plan,
        _meters: &[Arc<StageMeter>],
        _outcomes: &[StageOutcome],
    ) {
    }
    /// By which rule programs of the machine are started.
    fn policy(&self) -> Policy;
    /// What becomes of stage `number`, a program that is held back. It is `joined` where it stands
    /// in a pipeline of several or has redirections.
    fn held(&self, _number: usize, _stage: &StagePlan, _joined: bool) -> Held {
        Held { message: None, status: 0 }
    }
}

/// How a stage that is held back ends.
pub(crate) struct Held {
    /// What is said on its standard error, if anything.
    pub(crate) message: Option<&'static str>,
    pub(crate) status: u8,
}

/// Around a plan that is made but not run.
pub(crate) struct NoSurroundings<'w>(pub(crate) &'w dyn World);

impl Surroundings for NoSurroundings<'_> {
    fn world(&self) -> &dyn World {
        self.0
    }

    fn ports(&self) -> Ports {
        Ports::default()
    }

    fn policy(&self) -> Policy {
        Policy::ListOnly
    }

    fn held(&self, _number: usize, _stage: &StagePlan, _joined: bool) -> Held {
        Held { message: Some("an external program, not started to make a plan"), status: 126 }
    }
}

/// What stands around a pipeline inside a stage.
pub(crate) struct Inner<'o> {
    pub(crate) outer: &'o dyn Surroundings,
    /// The stage of the outer pipeline.
    pub(crate) number: usize,
    pub(crate) world: &'o dyn World,
    pub(crate) ports: Ports,
}

impl Surroundings for Inner<'_> {
    fn world(&self) -> &dyn World {
        self.world
    }

    fn ports(&self) -> Ports {
        self.ports.clone()
    }

    fn hold_back(&self, _number: usize, command: HeldCommand) {
        self.outer.hold_back(self.number, command);
    }

    fn watch(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        self.outer.watch(plan, meters);
    }

    fn ended(
        &self,
        _within: Option<usize>,
        plan: &Plan,
        meters: &[Arc<StageMeter>],
        outcomes: &[StageOutcome],
    ) {
        self.outer.ended(Some(self.number), plan, meters, outcomes);
    }

    fn policy(&self) -> Policy {
        self.outer.policy()
    }

    fn held(&self, _number: usize, stage: &StagePlan, joined: bool) -> Held {
        self.outer.held(self.number, stage, joined)
    }
}

struct Ready<'p> {
    plan: &'p StagePlan,
    /// It is the only stage.
    alone: bool,
    ports: Ports,
    opened: OpenedFiles,
    origins: Option<Arc<Mutex<OriginStore>>>,
    eager: bool,
    failed: Option<StageOutcome>,
}

/// Runs all stages and gives how each ended. `meters` has one meter a stage.
///
/// Redirections of all stages are performed, in order, before the first stage starts: a file
/// that is replaced is empty for every stage that reads it. Stages that the shell runs itself,
/// and those with commands in the place of files, perform theirs when they start.
pub(crate) fn run_pipeline(
    plan: &Plan,
    surroundings: &dyn Surroundings,
    meters: &[Arc<StageMeter>],
    control: &RunControl,
) -> Vec<StageOutcome> {
    surroundings.watch(plan, meters);
    let outcomes = run_connected(plan, surroundings, meters, control);
    surroundings.ended(None, plan, meters, &outcomes);
    outcomes
}

fn run_connected(
    plan: &Plan,
    surroundings: &dyn Surroundings,
    meters: &[Arc<StageMeter>],
    control: &RunControl,
) -> Vec<StageOutcome> {
    let told = control.excess().is_some();
    let at_work = match control.begin_commands(plan.stages.len()) {
        Ok(at_work) => at_work,
        Err(excess) => {
            let ended = StageOutcome::of(ExitStatus(126));
            if !told {
                say(&*surroundings.ports().sink(2), &excess.to_string());
            }
            return vec![StageOutcome { cancelled: true, ..ended }; plan.stages.len()];
        }
    };
    let mut ready = connect(plan, surroundings, meters, control);
    if let (1, [meter]) = (ready.len(), meters)
        && let Some(only) = ready.pop()
    {
        return vec![run_stage(0, only, surroundings, meter, control)];
    }
    std::thread::scope(|scope| {
        let threads: Vec<io::Result<ScopedJoinHandle<'_, StageOutcome>>> = ready
            .into_iter()
            .zip(meters)
            .enumerate()
            .map(|(number, (ready, meter))| {
                let errors = ready.ports.sink(2);
                let started = start(scope, number, ready, surroundings, meter, control);
                // The descriptors of a stage that was never started are closed by now.
                started.inspect_err(|error| {
                    say(&*errors, &format!("cannot start a command: {}", describe(error)));
                })
            })
            .collect();
        let outcomes = threads.into_iter().map(|thread| match thread {
            Ok(thread) => thread.join().unwrap_or_else(|_| StageOutcome {
                panicked: true,
                ..StageOutcome::of(ExitStatus(70))
            }),
            Err(_) => StageOutcome::of(ExitStatus(2)),
        });
        let outcomes = outcomes.collect();
        drop(at_work);
        outcomes
    })
}

fn start<'s, 'e: 's>(
    scope: &'s Scope<'s, 'e>,
    number: usize,
    ready: Ready<'e>,
    surroundings: &'e dyn Surroundings,
    meter: &'e Arc<StageMeter>,
    control: &'e RunControl,
) -> io::Result<ScopedJoinHandle<'s, StageOutcome>> {
    let run = move || run_stage(number, ready, surroundings, meter, control);
    std::thread::Builder::new().spawn_scoped(scope, run)
}

/// Runs a stage; what its redirections have written takes its place then.
fn run_stage(
    number: usize,
    mut ready: Ready<'_>,
    surroundings: &dyn Surroundings,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    // Nobody is to hold the descriptors of the stage but the stage, so that its readers end.
    let opened = std::mem::take(&mut ready.opened);
    let errors = (!opened.is_empty()).then(|| ready.ports.sink(2));
    let mut outcome = run_ready(number, ready, &opened, surroundings, meter, control);
    // What failed inside has not written all, whatever it was.
    if let Some(errors) = errors.filter(|_| !outcome.panicked)
        && !opened.put_in_place(control, &*errors)
        && outcome.status.0 == 0
    {
        outcome.status = ExitStatus(1);
    }
    outcome
}

fn run_ready(
    number: usize,
    ready: Ready<'_>,
    opened: &OpenedFiles,
    surroundings: &dyn Surroundings,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    let Ready { plan, alone, mut ports, origins, eager, failed, .. } = ready;
    if let Some(outcome) = failed {
        return outcome;
    }
    if let Some(source) = surroundings.written(number) {
        return copy(source, &*ports.sink(1), meter, control);
    }
    let world = surroundings.world();
    if let StageKind::Shell(command) = &plan.kind {
        let state = plan.state.as_deref().cloned().unwrap_or_default();
        let inputs = ports.input(0).map(|_| InputName::Standard).into_iter().collect();
        let clock = StageClock::start(meter, control);
        meter_ports(&mut ports, meter, control, &clock);
        let taken = origins.and_then(|origins| note_origins(&mut ports, origins));
        let mut shell = Shell::new(surroundings, number, world, control, ports, state);
        shell.taken = taken;
        shell.opened = opened.clone();
        shell.beside_others = !alone;
        let status = shell.alone(|shell| shell.command(command));
        clock.end();
        let cancelled = control.is_cancelled();
        return StageOutcome { inputs, cancelled, ..StageOutcome::of(ExitStatus(status)) };
    }
    if !plan.substitutions.is_empty() {
        let state = plan.state.as_deref().cloned().unwrap_or_default();
        let mut shell = Shell::new(surroundings, number, world, control, ports.clone(), state);
        let mut outcome = None;
        // What runs beside the stage has these descriptors; nobody else keeps them open.
        let result = shell.with_substitutions(plan.substitutions.clone(), |shell| {
            shell.ports = Ports::default();
            let mut ports = ports;
            // What leads to a command beside the stage must be closed for it to end.
            let mut opened = OpenedFiles::default();
            let redirected =
                shell.with_world(|world| redirect(&plan.targets, world, &mut ports, &mut opened));
            let errors = ports.sink(2);
            let mut done = match redirected {
                Err(message) => refused(message, &ports),
                Ok(()) => shell.with_world(|world| {
                    let errors = ports.sink(2);
                    let run = |plan: &StagePlan| {
                        let stage = Stage { number, plan, alone, surroundings, meter, control };
                        stage.run(ports, origins, eager, world)
                    };
                    match &plan.kind {
                        StageKind::Host(_) => {
                            with_pipes(plan, world, control, run).unwrap_or_else(|error| {
                                not_started(&format!("no pipe: {}", describe(&error)), &*errors)
                            })
                        }
                        _ => run(plan),
                    }
                }),
            };
            if !opened.put_in_place(control, &*errors) && done.status.0 == 0 {
                done.status = ExitStatus(1);
            }
            outcome = Some(done);
            Ok(())
        });
        debug_assert!(result.is_ok());
        return outcome.unwrap_or_else(|| StageOutcome::of(ExitStatus(70)));
    }
    let stage = Stage { number, plan, alone, surroundings, meter, control };
    match &plan.directory {
        None => stage.run(ports, origins, eager, world),
        Some(directory) => {
            stage.run(ports, origins, eager, &InDirectory { inner: world, directory })
        }
    }
}

/// A filter or a program about to run.
struct Stage<'a> {
    number: usize,
    plan: &'a StagePlan,
    /// It is the only stage.
    alone: bool,
    surroundings: &'a dyn Surroundings,
    meter: &'a Arc<StageMeter>,
    control: &'a RunControl,
}

impl Stage<'_> {
    fn is_joined(&self) -> bool {
        !self.alone || !self.plan.targets.is_empty() || !self.plan.substitutions.is_empty()
    }

    fn run(
        &self,
        ports: Ports,
        origins: Option<Arc<Mutex<OriginStore>>>,
        eager: bool,
        world: &dyn World,
    ) -> StageOutcome {
        match &self.plan.kind {
            StageKind::Native(_) => {
                let connections = Connections {
                    stdin: ports.input(0).map(|input| Box::new(Reader(input)) as Box<dyn Source>),
                    stdout: ports.sink(1),
                    stderr: ports.sink(2),
                    origins,
                    eager,
                };
                drop(ports);
                let mut outcome =
                    run_native(self.plan, connections, world, self.meter, self.control);
                for command in outcome.held.drain(..) {
                    self.surroundings.hold_back(self.number, command);
                }
                outcome
            }
            StageKind::Host(_) => self.run_program(ports),
            // Shell parts were run by the shell.
            StageKind::Nothing | StageKind::Shell(_) => StageOutcome::of(ExitStatus::SUCCESS),
        }
    }
}

impl Stage<'_> {
    /// Starts a program, as far as that is allowed here.
    fn run_program(&self, mut ports: Ports) -> StageOutcome {
        let start = self.plan.start();
        let policy = self.surroundings.policy();
        let feed = if ports.input(0).is_some() { Feed::Unknown } else { Feed::Nothing };
        let mut decision = policy.decide(&start, feed);
        let mut gathered = None;
        if let Decision::Gather = decision {
            let (kept, fed) = match gather(ports.input(0), self.control) {
                Ok(gathered) => gathered,
                Err(outcome) => return *outcome,
            };
            ports.read_from(0, kept.source());
            gathered = Some(kept);
            decision = policy.decide(&start, Feed::Known(fed));
        }
        let unstarted = |end, status: u8, why: &str| {
            say(&*ports.sink(2), &format!("{}: {why}", start.shown_name()));
            StageOutcome { unstarted: Some(end), ..StageOutcome::of(ExitStatus(status)) }
        };
        match decision {
            Decision::Start(launch) => {
                let errors = ports.sink(2);
                let outcome = run_host(&launch, ports, self.meter, self.control);
                if let Some(why) = &outcome.write_error {
                    say(&*errors, &format!("{}: write error: {why}", start.shown_name()));
                }
                if let Some(why) = &outcome.read_error {
                    say(&*errors, &format!("{}: read error: {why}", start.shown_name()));
                }
                outcome
            }
            Decision::NotFound => unstarted(CommandEnd::NotFound, 127, "command not found"),
            Decision::NotExecutable => unstarted(CommandEnd::NotStarted, 126, "Permission denied"),
            Decision::Hold(_) | Decision::Gather => {
                let joined = self.is_joined() || feed != Feed::Nothing;
                // What it would read is shown with its numbers.
                self.meter.begin(run_ns(self.control));
                if let Some(gathered) = &gathered {
                    let mut source = gathered.source();
                    while let Ok(Some(block)) = source.next_block() {
                        self.meter.count_in(&block);
                    }
                }
                self.meter.end(run_ns(self.control));
                if let Decision::Hold(mut command) = decision {
                    command.joined = joined;
                    self.surroundings.hold_back(self.number, *command);
                }
                let Held { message, status } =
                    self.surroundings.held(self.number, self.plan, joined);
                if let Some(message) = message {
                    say(&*ports.sink(2), &format!("{}: {message}", start.shown_name()));
                }
                let end = CommandEnd::HeldBack;
                StageOutcome { unstarted: Some(end), ..StageOutcome::of(ExitStatus(status)) }
            }
        }
    }
}

/// Reads all that a program would be fed.
fn gather(
    input: Option<Arc<SharedInput>>,
    control: &RunControl,
) -> Result<(Arc<Kept>, Fed), Box<StageOutcome>> {
    use sha2::{Digest, Sha256};
    let (kept, mut sum) = (Arc::new(Kept::default()), Sha256::new());
    let mut source = input.map(Reader);
    while let Some(source) = &mut source {
        if control.is_cancelled() {
            let status = ExitStatus::CANCELLED;
            let outcome = StageOutcome { cancelled: true, ..StageOutcome::of(status) };
            return Err(Box::new(outcome));
        }
        match source.next_block() {
            Ok(Some(block)) => {
                sum.update(block.bytes());
                if kept.append(&block).is_err() {
                    return Err(Box::new(StageOutcome::of(ExitStatus(126))));
                }
            }
            Ok(None) => break,
            Err(_) => return Err(Box::new(StageOutcome::of(ExitStatus(126)))),
        }
    }
    kept.end();
    let fed = Fed::Exactly { sum: sum.finalize().into(), bytes: kept.bytes() };
    Ok((kept, fed))
}

fn not_started(message: &str, errors: &dyn Sink) -> StageOutcome {
    say(errors, message);
    StageOutcome::of(ExitStatus(126))
}

/// Counts what a part of the shell reads and writes.
fn meter_ports(
    ports: &mut Ports,
    meter: &Arc<StageMeter>,
    control: &RunControl,
    clock: &Arc<StageClock>,
) {
    let own = |ports: &Ports, number| ports.get(number).is_some_and(|port| port.own.is_some());
    if let (false, Some(input)) = (own(ports, 0), ports.input(0)) {
        let source = MeteredSource::new(Box::new(Reader(input)), clock);
        ports.read_from(0, Box::new(source));
    }
    if own(ports, 1) {
        return;
    }
    let Some(End::Out(inner)) = ports.get(1).map(|port| port.end.clone()) else { return };
    let metered: Arc<dyn Sink> = Arc::new(MeteredSink::new(inner.clone(), meter, control, clock));
    let shared = ports
        .get(2)
        .is_some_and(|port| matches!(&port.end, End::Out(error) if Arc::ptr_eq(error, &inner)));
    ports.write_to(1, metered.clone());
    if shared {
        ports.write_to(2, metered);
    }
}

/// Passes on what a stage has written elsewhere.
fn copy(
    mut source: Box<dyn Source>,
    out: &dyn Sink,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
    while let Ok(Some(block)) = source.next_block() {
        if control.is_cancelled() {
            outcome.cancelled = true;
            break;
        }
        meter.count_in(&block);
        meter.count_out(&block);
        if out.write(block).is_err() {
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
    control: &RunControl,
) -> Vec<Ready<'p>> {
    let mut ready = Vec::new();
    // A pipeline that follows a file is watched while it runs, and so is a terminal.
    let follows = plan.stages.iter().any(StagePlan::follows);
    let around = surroundings.ports();
    let mut stdin: Option<Box<dyn Source>> = None;
    for (number, stage) in plan.stages.iter().enumerate() {
        let mut ports = around.clone();
        if number > 0 {
            ports.set(0, None);
        }
        if let Some(source) = stdin.take() {
            ports.read_from(0, source);
        }
        if number + 1 < plan.stages.len() {
            let (writer, reader) =
                link(control, meters[number].clone(), meters[number + 1].clone());
            ports.write_to(1, Arc::new(writer));
            stdin = Some(Box::new(reader));
        }
        if let Some(errors) = surroundings.errors(number) {
            ports.write_to(2, errors);
        }
        let later = !stage.substitutions.is_empty();
        let mut failed = None;
        let mut opened = OpenedFiles::default();
        if !later {
            let world = surroundings.world();
            let opened = match &stage.directory {
                None => redirect(&stage.targets, world, &mut ports, &mut opened),
                Some(directory) => {
                    let world = InDirectory { inner: world, directory };
                    redirect(&stage.targets, &world, &mut ports, &mut opened)
                }
            };
            failed = opened.err().map(|message| refused(message, &ports));
        }
        let out = ports.sink(1);
        let eager = follows || out.is_terminal();
        let tapped = surroundings.tap(number, out.clone());
        if !Arc::ptr_eq(&tapped, &out) {
            let shared = Arc::ptr_eq(&out, &ports.sink(2));
            ports.write_to(1, tapped.clone());
            if shared {
                ports.write_to(2, tapped);
            }
        }
        let origins = surroundings.origins(number);
        let alone = plan.stages.len() == 1;
        ready.push(Ready { plan: stage, alone, ports, opened, origins, eager, failed });
    }
    ready
}

/// The outcome of a stage whose redirection failed; says why on its standard error.
fn refused(message: String, ports: &Ports) -> StageOutcome {
    // A standard error that cannot be written has nobody to be told.
    let message = stream::visible(&message).into_owned();
    let _ = ports.sink(2).write(Block::new(message.into_bytes()));
    StageOutcome::of(ExitStatus(2))
}

/// Makes standard output note where its lines come from.
fn note_origins(ports: &mut Ports, origins: Arc<Mutex<OriginStore>>) -> Option<Taken> {
    let out = ports.sink(1);
    let shared = Arc::ptr_eq(&out, &ports.sink(2));
    let taken = Taken::of(ports.input(0)?);
    let noted: Arc<dyn Sink> = Arc::new(OriginSink::new(out, origins, taken.clone()));
    ports.write_to(1, noted.clone());
    if shared {
        ports.write_to(2, noted);
    }
    Some(taken)
}
