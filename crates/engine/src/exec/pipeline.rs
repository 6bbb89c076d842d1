//! Runs the stages of one pipeline at the same time.

use parking_lot::Mutex;
use std::io;
use std::sync::Arc;
use std::thread::{Scope, ScopedJoinHandle};

use stream::{
    CommandEnd, ExitStatus, Files, InputName, OriginStore, RunControl, Sink, Source, StageMeter,
    describe,
};

use super::context::{RunContext, ShellStage, SystemPorts, Taps, Withheld};
use crate::base::clock::run_ns;
use crate::base::sinks::say;
use crate::base::threads::start_part_within;
use crate::exec::named_pipes::with_pipes;
use crate::exec::native::{Connections, run_native};
use crate::exec::program::run_host;
use crate::exec::redirections::{OpenedFiles, redirect};
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::{End, Ports, Reader, SharedInput};
use crate::flow::link::link;
use crate::flow::metered::{MeteredSink, MeteredSource, StageClock};
use crate::flow::origins::{InputCursor, OriginSink};
use crate::kept::lines::Kept;
use crate::plan::outcome::{RedirectError, StageOutcome};
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::policy::{Decision, Fed, Feed};

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
    context: &RunContext<'_>,
    meters: &[Arc<StageMeter>],
    control: &RunControl,
) -> Vec<StageOutcome> {
    context.observer.begins(plan, meters);
    let outcomes = run_connected(plan, context, meters, control);
    context.observer.ended(context.within, plan, meters, &outcomes);
    outcomes
}

fn run_connected(
    plan: &Plan,
    context: &RunContext<'_>,
    meters: &[Arc<StageMeter>],
    control: &RunControl,
) -> Vec<StageOutcome> {
    let told = control.excess().is_some();
    let at_work = match control.begin_commands(plan.stages.len()) {
        Ok(at_work) => at_work,
        Err(excess) => {
            let ended = StageOutcome::of(ExitStatus::NOT_STARTED);
            if !told {
                say(&*context.descriptors.clone().sink(2), &excess.to_string());
            }
            return vec![StageOutcome { cancelled: true, ..ended }; plan.stages.len()];
        }
    };
    let mut ready = connect(plan, context, meters, control);
    if let (1, [meter]) = (ready.len(), meters)
        && let Some(only) = ready.pop()
    {
        return vec![run_stage(0, only, context, meter, control)];
    }
    std::thread::scope(|scope| {
        let threads: Vec<io::Result<ScopedJoinHandle<'_, StageOutcome>>> = ready
            .into_iter()
            .zip(meters)
            .enumerate()
            .map(|(number, (ready, meter))| start(scope, number, ready, context, meter, control))
            .collect();
        let outcomes = threads.into_iter().map(|thread| match thread {
            Ok(thread) => thread.join().unwrap_or_else(|_| StageOutcome {
                panicked: true,
                ..StageOutcome::of(ExitStatus::INTERNAL)
            }),
            Err(_) => StageOutcome { cancelled: true, ..StageOutcome::of(ExitStatus::NOT_STARTED) },
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
    context: &'e RunContext<'e>,
    meter: &'e Arc<StageMeter>,
    control: &'e RunControl,
) -> io::Result<ScopedJoinHandle<'s, StageOutcome>> {
    let run = move || run_stage(number, ready, context, meter, control);
    start_part_within(scope, "stage", control, run)
}

/// Runs a stage; what its redirections have written takes its place then.
fn run_stage(
    number: usize,
    mut ready: Ready<'_>,
    context: &RunContext<'_>,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    // Nobody is to hold the descriptors of the stage but the stage, so that its readers end.
    let opened = std::mem::take(&mut ready.opened);
    let errors = (!opened.is_empty()).then(|| ready.ports.sink(2));
    let mut outcome = run_ready(number, ready, &opened, context, meter, control);
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
    context: &RunContext<'_>,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    let Ready { plan, alone, mut ports, origins, eager, failed, .. } = ready;
    if let Some(outcome) = failed {
        return outcome;
    }
    let own = context.taps.map(|taps| context.with(taps.system(number)));
    let context = own.as_ref().unwrap_or(context);
    if let Some(source) = context.taps.and_then(|taps| taps.written(number)) {
        return copy(source, &*ports.sink(1), meter, control);
    }
    if let StageKind::Shell(command) = &plan.kind {
        let state = plan.state.as_deref().cloned().unwrap_or_default();
        let inputs = ports.input(0).map(|_| InputName::Standard).into_iter().collect();
        let clock = StageClock::start(meter, control);
        meter_ports(&mut ports, meter, control, &clock);
        let taken = origins.and_then(|origins| note_origins(&mut ports, origins));
        let stage = ShellStage { context, number, control, ports, state };
        let status = context.interpreter.run_part(stage, command, taken, opened.clone(), !alone);
        clock.end();
        let cancelled = control.is_cancelled();
        return StageOutcome { inputs, cancelled, ..StageOutcome::of(ExitStatus(status)) };
    }
    let stage = Stage { number, plan, alone, context, meter, control };
    if !plan.substitutions.is_empty() {
        return stage.run_substituted(ports, origins, eager);
    }
    match &plan.directory {
        None => stage.run(ports, origins, eager, context.files),
        Some(directory) => {
            stage.run(ports, origins, eager, &InDirectory { inner: context.files, directory })
        }
    }
}

/// A filter or a program about to run.
struct Stage<'a> {
    number: usize,
    plan: &'a StagePlan,
    /// It is the only stage.
    alone: bool,
    context: &'a RunContext<'a>,
    meter: &'a Arc<StageMeter>,
    control: &'a RunControl,
}

impl Stage<'_> {
    /// The stage of the outermost pipeline that this is, or is part of.
    fn stage_number(&self) -> usize {
        self.context.within.unwrap_or(self.number)
    }

    /// Runs with commands in the place of files, which run beside it. Its redirections are
    /// performed now: what they lead to may be such a command.
    fn run_substituted(
        &self,
        ports: Ports,
        origins: Option<Arc<Mutex<OriginStore>>>,
        eager: bool,
    ) -> StageOutcome {
        let Self { number, plan, context, control, .. } = *self;
        let state = plan.state.as_deref().cloned().unwrap_or_default();
        let inner = ShellStage { context, number, control, ports: ports.clone(), state };
        // What runs beside the stage has these descriptors; nobody else keeps them open.
        let mut own = Some((ports, origins));
        let mut outcome = None;
        let mut substitutions = plan.substitutions.clone();
        if let Some(taps) = context.taps {
            taps.keep(number, &mut substitutions);
        }
        context.interpreter.with_substitutions(inner, &substitutions, &mut |files| {
            let Some((mut ports, origins)) = own.take() else { return };
            // What leads to a command beside the stage must be closed for it to end.
            let mut opened = OpenedFiles::default();
            let redirected = redirect(&plan.targets, files, &mut ports, &mut opened);
            let errors = ports.sink(2);
            let mut done = match redirected {
                Err(error) => refused(error, &ports),
                Ok(()) => {
                    let run = |plan: &StagePlan| {
                        Stage { plan, ..*self }.run(ports, origins, eager, files)
                    };
                    match &plan.kind {
                        StageKind::Host(_) => {
                            with_pipes(plan, files, control, run).unwrap_or_else(|error| {
                                not_started(&format!("no pipe: {}", describe(&error)), &*errors)
                            })
                        }
                        _ => run(plan),
                    }
                }
            };
            if !opened.put_in_place(control, &*errors) && done.status.0 == 0 {
                done.status = ExitStatus(1);
            }
            outcome = Some(done);
        });
        outcome.unwrap_or_else(|| StageOutcome::of(ExitStatus::INTERNAL))
    }

    fn is_joined(&self) -> bool {
        !self.alone || !self.plan.targets.is_empty() || !self.plan.substitutions.is_empty()
    }

    fn run(
        &self,
        ports: Ports,
        origins: Option<Arc<Mutex<OriginStore>>>,
        eager: bool,
        files: &dyn Files,
    ) -> StageOutcome {
        match &self.plan.kind {
            StageKind::Native(_) => {
                let connections = Connections::of(ports, origins, eager);
                let system = SystemPorts { files, commands: self.context.commands };
                let mut outcome =
                    run_native(self.plan, connections, system, self.meter, self.control);
                for command in outcome.held.drain(..) {
                    self.context.observer.held_back(self.stage_number(), command);
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
        let policy = &self.context.policy;
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
                    self.context.observer.held_back(self.stage_number(), *command);
                }
                let Withheld { message, status } =
                    self.context.observer.withheld(self.plan, joined);
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
                    return Err(Box::new(StageOutcome::of(ExitStatus::NOT_STARTED)));
                }
            }
            Ok(None) => break,
            Err(_) => return Err(Box::new(StageOutcome::of(ExitStatus::NOT_STARTED))),
        }
    }
    kept.end();
    let fed = Fed::Exactly { sum: sum.finalize().into(), bytes: kept.bytes() };
    Ok((kept, fed))
}

fn not_started(message: &str, errors: &dyn Sink) -> StageOutcome {
    say(errors, message);
    StageOutcome::of(ExitStatus::NOT_STARTED)
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
            outcome.cancelled = control.is_cancelled();
            outcome.closed = !outcome.cancelled;
            break;
        }
    }
    outcome
}

/// Makes the links and performs the redirections.
fn connect<'p>(
    plan: &'p Plan,
    context: &RunContext<'_>,
    meters: &[Arc<StageMeter>],
    control: &RunControl,
) -> Vec<Ready<'p>> {
    let mut ready = Vec::new();
    // A pipeline that follows a file is watched while it runs, and so is a terminal.
    let follows = plan.stages.iter().any(StagePlan::follows);
    let around = context.descriptors.clone();
    let mut stdin: Option<Box<dyn Source>> = None;
    for (number, stage) in plan.stages.iter().enumerate() {
        let mut ports = around.clone();
        if number > 0 {
            ports.set(0, None);
        }
        if number == 0 && ports.input(0).is_none() {
            stdin = context.taps.and_then(Taps::input);
        }
        if let Some(source) = stdin.take() {
            ports.read_from(0, source);
        }
        if number + 1 < plan.stages.len() {
            let (writer, reader) =
                link(control, meters[number].clone(), meters[number + 1].clone());
            ports.write_to(1, Arc::new(writer));
            let reader: Box<dyn Source> = Box::new(reader);
            stdin = Some(match context.taps {
                Some(taps) => taps.reading(number + 1, reader),
                None => reader,
            });
        }
        if let Some(errors) = context.taps.and_then(|taps| taps.errors(number)) {
            ports.write_to(2, errors);
        }
        let later = !stage.substitutions.is_empty();
        let mut failed = None;
        let mut opened = OpenedFiles::default();
        if !later {
            let files = context.taps.map_or(context.files, |taps| taps.system(number).files);
            let opened = match &stage.directory {
                None => redirect(&stage.targets, files, &mut ports, &mut opened),
                Some(directory) => {
                    let files = InDirectory { inner: files, directory };
                    redirect(&stage.targets, &files, &mut ports, &mut opened)
                }
            };
            failed = opened.err().map(|error| refused(error, &ports));
        }
        let out = ports.sink(1);
        let eager = follows || out.is_terminal();
        let tapped = context.taps.map_or_else(|| out.clone(), |taps| taps.tap(number, out.clone()));
        if !Arc::ptr_eq(&tapped, &out) {
            let shared = Arc::ptr_eq(&out, &ports.sink(2));
            ports.write_to(1, tapped.clone());
            if shared {
                ports.write_to(2, tapped);
            }
        }
        let origins = context.taps.map(|taps| taps.origins(number));
        let alone = plan.stages.len() == 1;
        ready.push(Ready { plan: stage, alone, ports, opened, origins, eager, failed });
    }
    ready
}

/// The outcome of a stage whose redirection failed; says why on its standard error.
fn refused(error: RedirectError, ports: &Ports) -> StageOutcome {
    say(&*ports.sink(2), &error.to_string());
    StageOutcome { redirect_error: Some(error), ..StageOutcome::of(ExitStatus(2)) }
}

/// Makes standard output note where its lines come from.
fn note_origins(ports: &mut Ports, origins: Arc<Mutex<OriginStore>>) -> Option<InputCursor> {
    let out = ports.sink(1);
    let shared = Arc::ptr_eq(&out, &ports.sink(2));
    let taken = InputCursor::of(ports.input(0)?);
    let noted: Arc<dyn Sink> = Arc::new(OriginSink::new(out, origins, taken.clone()));
    ports.write_to(1, noted.clone());
    if shared {
        ports.write_to(2, noted);
    }
    Some(taken)
}
