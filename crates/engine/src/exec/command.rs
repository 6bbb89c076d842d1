//! Commands that stages start: filters of our own and programs of the machine.

use crate::base::sinks::say;
use std::path::PathBuf;
use std::sync::Arc;

use stream::{
    Block, CommandEnd, CommandRequest, Environment, Joined, ReadError, RunControl, Running, Sink,
    Source, StageMeter, World, WriteError,
};

use crate::exec::native::{Connections, run_native};
use crate::exec::pipeline::{Surroundings, run_pipeline};
use crate::exec::program::run_host;
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::Ports;
use crate::flow::link::{LinkReader, LinkWriter, link};
use crate::kept::lines::Kept;
use crate::kept::sinks::KeptSink;
use crate::plan::commands_in_words::command_runs_commands;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::variables::Variables;
use crate::policy::{Decision, Feed, Policy, Start};

/// What runs a command.
enum Runner {
    /// One command: a filter or a program.
    One,
    /// A line for the shell that holds nothing but filters.
    Filters(Plan),
}

/// How the command is run here; a line for the shell (`sh -c LINE`) that is a pipeline of filters
/// needs no shell.
fn runner(job: &CommandRequest<'_>, world: &dyn World) -> Runner {
    let [shell, option, line] = job.words else { return Runner::One };
    if shell != b"sh" || option != b"-c" {
        return Runner::One;
    }
    let plan = || {
        let script = shell::parse(std::str::from_utf8(line).ok()?).ok()?;
        let [shell::Item { first: pipeline, rest }] = &script.list.items[..] else { return None };
        if !rest.is_empty() || pipeline.negated || pipeline.timed.is_some() {
            return None;
        }
        // Commands in words may be programs, and run once only.
        if pipeline.commands.iter().any(command_runs_commands) {
            return None;
        }
        let variables = Variables::of_environment(&job.environment);
        let plan = Plan::new(pipeline, &variables, world).ok()?;
        let filters = plan.stages.iter().all(|stage| {
            matches!(stage.kind, StageKind::Native(_)) && stage.substitutions.is_empty()
        });
        filters.then_some(plan)
    };
    plan().map_or(Runner::One, Runner::Filters)
}

/// Runs a command to its end on this thread. A filter changes nothing but through `world`; a
/// program is started only as `policy` decides.
pub(crate) fn run_command(
    job: CommandRequest<'_>,
    world: &dyn World,
    policy: &Policy,
) -> CommandEnd {
    match runner(&job, world) {
        Runner::One => run_one(job, world, policy),
        Runner::Filters(plan) => run_plan(&plan, job, world),
    }
}

fn run_one(job: CommandRequest<'_>, world: &dyn World, policy: &Policy) -> CommandEnd {
    let Some((name, arguments)) = job.words.split_first() else { return CommandEnd::NotFound };
    // What the command writes is counted by the stage that started it, what it reads by nobody.
    let meter = Arc::new(StageMeter::default());
    let Some(definition) = filters::find(name) else {
        let feed = if job.input.is_some() { Feed::Unknown } else { Feed::Nothing };
        let start = Start::new(job.words.to_vec(), job.directory, &job.environment);
        return match policy.decide(&start, feed) {
            Decision::Start(launch) => {
                let ports = Ports::new(job.input, job.out, job.error);
                end_of(&run_host(&launch, ports, &meter, job.control))
            }
            Decision::NotFound => {
                say(&*job.error, &format!("{}: command not found", start.shown_name()));
                CommandEnd::NotFound
            }
            Decision::NotExecutable => {
                say(&*job.error, &format!("{}: Permission denied", start.shown_name()));
                CommandEnd::NotStarted
            }
            Decision::Hold(_) | Decision::Gather => CommandEnd::HeldBack,
        };
    };
    let kind = StageKind::Native(definition);
    let mut plan = StagePlan::of(kind, arguments.to_vec(), job.environment);
    plan.directory = job.directory;
    let connections = Connections {
        stdin: job.input,
        stdout: job.out,
        stderr: job.error,
        origins: None,
        eager: false,
    };
    let outcome = match &plan.directory {
        None => run_native(&plan, connections, world, &meter, job.control),
        Some(directory) => {
            let world = InDirectory { inner: world, directory };
            run_native(&plan, connections, &world, &meter, job.control)
        }
    };
    end_of(&outcome)
}

fn end_of(outcome: &StageOutcome) -> CommandEnd {
    match outcome {
        StageOutcome { unstarted: Some(end), .. } => *end,
        StageOutcome { signal: Some(signal), .. } => CommandEnd::Signalled(*signal),
        StageOutcome { status, .. } => CommandEnd::Exited(status.0),
    }
}

/// Where a pipeline runs that a stage started.
struct Within<'w> {
    world: &'w dyn World,
    ports: Ports,
}

impl Surroundings for Within<'_> {
    fn world(&self) -> &dyn World {
        self.world
    }

    fn ports(&self) -> Ports {
        self.ports.clone()
    }

    fn policy(&self) -> Policy {
        // The line holds filters only.
        Policy::Nothing
    }
}

fn run_plan(plan: &Plan, job: CommandRequest<'_>, world: &dyn World) -> CommandEnd {
    let ports = Ports::new(job.input, job.out, job.error);
    let meters: Vec<Arc<StageMeter>> = plan.stages.iter().map(|_| Arc::default()).collect();
    let outcomes = match &job.directory {
        None => run_pipeline(plan, &Within { world, ports }, &meters, job.control),
        Some(directory) => {
            let world = InDirectory { inner: world, directory };
            run_pipeline(plan, &Within { world: &world, ports }, &meters, job.control)
        }
    };
    outcomes.last().map_or(CommandEnd::Exited(0), end_of)
}

/// A command on a thread of its own, beside the stage that started it.
pub(crate) struct Companion {
    reader: Option<LinkReader>,
    writer: Option<LinkWriter>,
    thread: Option<std::thread::JoinHandle<CommandEnd>>,
}

impl Companion {
    pub(crate) fn start(
        job: CommandRequest<'_>,
        joined: Joined,
        world: impl World + 'static,
    ) -> Self {
        let (writer, reader) = link(job.control, Arc::default(), Arc::default());
        let words = job.words.to_vec();
        let (error, environment, control) = (job.error, job.environment, job.control.clone());
        let directory = job.directory;
        let (ends, input, out): (_, Option<Box<dyn Source>>, Arc<dyn Sink>) = match joined {
            Joined::Output => ((Some(reader), None), job.input, Arc::new(writer)),
            Joined::Input => ((None, Some(writer)), Some(Box::new(reader)), job.out),
        };
        let thread = std::thread::spawn(move || {
            let words = &words[..];
            let job = CommandRequest {
                words,
                input,
                out,
                error,
                environment,
                directory,
                control: &control,
            };
            run_command(job, &world, &Policy::AsShell)
        });
        Self { reader: ends.0, writer: ends.1, thread: Some(thread) }
    }
}

impl Running for Companion {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match &mut self.reader {
            Some(reader) => reader.next_block(),
            None => Ok(None),
        }
    }

    fn feed(&mut self, block: Block) -> Result<(), WriteError> {
        match &self.writer {
            Some(writer) => writer.write(block),
            None => Err(WriteError::Closed),
        }
    }

    fn finish(mut self: Box<Self>) -> CommandEnd {
        (self.reader, self.writer) = (None, None);
        let ended = self.thread.take().map(std::thread::JoinHandle::join);
        ended.and_then(Result::ok).unwrap_or(CommandEnd::Exited(70))
    }
}

/// Filters that run on the stage's own thread, when all they read is there: for worlds that
/// cannot be shared with other threads for long.
pub(crate) struct Later<'w> {
    words: Vec<Vec<u8>>,
    environment: Environment,
    directory: Option<PathBuf>,
    out: Arc<dyn Sink>,
    error: Arc<dyn Sink>,
    control: RunControl,
    world: &'w dyn World,
    policy: Policy,
    fed: Arc<Kept>,
    /// What the command wrote, where the stage reads it.
    read: Option<Box<dyn Source>>,
    end: Option<CommandEnd>,
}

impl<'w> Later<'w> {
    pub(crate) fn new(
        job: CommandRequest<'_>,
        joined: Joined,
        world: &'w dyn World,
        policy: &Policy,
    ) -> Result<Self, CommandEnd> {
        let native = job.words.first().is_some_and(|name| filters::find(name).is_some());
        if !native && matches!(runner(&job, world), Runner::One) {
            let start = Start::new(job.words.to_vec(), job.directory.clone(), &job.environment);
            let feed = if joined == Joined::Input { Feed::Unknown } else { Feed::Nothing };
            if let Decision::Hold(_) | Decision::Gather = policy.decide(&start, feed) {
                return Err(CommandEnd::HeldBack);
            }
        }
        let mut later = Self {
            words: job.words.to_vec(),
            environment: job.environment,
            directory: job.directory,
            out: job.out,
            error: job.error,
            control: job.control.clone(),
            world,
            policy: policy.clone(),
            fed: Arc::default(),
            read: None,
            end: None,
        };
        if joined == Joined::Output {
            let kept = Arc::new(Kept::default());
            later.out = Arc::new(KeptSink(kept.clone()));
            later.end = Some(later.run(job.input));
            later.read = Some(kept.source());
        }
        Ok(later)
    }

    fn run(&mut self, input: Option<Box<dyn Source>>) -> CommandEnd {
        let job = CommandRequest {
            words: &self.words,
            input,
            out: self.out.clone(),
            error: self.error.clone(),
            environment: std::mem::take(&mut self.environment),
            directory: self.directory.clone(),
            control: &self.control,
        };
        run_command(job, self.world, &self.policy)
    }
}

impl Running for Later<'_> {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match &mut self.read {
            Some(read) => read.next_block(),
            None => Ok(None),
        }
    }

    fn feed(&mut self, block: Block) -> Result<(), WriteError> {
        Ok(self.fed.append(&block)?)
    }

    fn finish(mut self: Box<Self>) -> CommandEnd {
        match self.end {
            Some(end) => end,
            None => {
                let input = self.fed.source();
                self.run(Some(input))
            }
        }
    }
}
