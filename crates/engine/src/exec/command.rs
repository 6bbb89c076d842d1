//! Commands that stages start: filters of our own and programs of the machine.

use std::sync::Arc;

use stream::{
    Block, CommandEnd, CommandRequest, Commands, Environment, Files, Joined, ReadError, RunControl,
    Running, Sink, Source, StageMeter, WorkingFolder, WriteError,
};

use super::context::{Interpreter, RunContext, SystemPorts, Unobserved};
use super::pipeline::run_pipeline;
use crate::base::sinks::say;
use crate::base::threads::start_part;
use crate::exec::native::{Connections, run_native};
use crate::exec::program::run_host;
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::Ports;
use crate::flow::link::{LinkReader, LinkWriter, link};
use crate::kept::lines::Kept;
use crate::kept::sinks::KeptSink;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::policy::{Decision, Feed, Policy, Start};

/// What starts the commands of stages: filters of our own and, as `policy` decides, programs.
#[derive(Clone)]
pub(crate) struct CommandStarter {
    /// What filters among them see.
    pub(crate) files: Arc<dyn Files>,
    pub(crate) policy: Policy,
    pub(crate) timing: Timing,
    /// What makes a plan of a line for a shell.
    pub(crate) interpreter: &'static dyn Interpreter,
}

/// When a command runs that is started beside a stage.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Timing {
    /// At the same time, on a thread of its own.
    Beside,
    /// On the stage's thread, when all that it reads is there.
    Deferred,
}

impl Commands for CommandStarter {
    fn run(&self, request: CommandRequest<'_>) -> CommandEnd {
        match self.filters(&request) {
            None => self.run_one(request),
            Some(plan) => self.run_plan(&plan, request),
        }
    }

    fn start(
        &self,
        request: CommandRequest<'_>,
        joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd> {
        match self.timing {
            Timing::Beside => Ok(Box::new(CommandThread::start(request, joined, self.clone())?)),
            Timing::Deferred => Ok(Box::new(DeferredCommand::new(request, joined, self)?)),
        }
    }
}

impl CommandStarter {
    /// A line for the shell (`sh -c LINE`) that is a pipeline of filters needs no shell.
    fn filters(&self, request: &CommandRequest<'_>) -> Option<Plan> {
        let [shell, option, line] = request.words else { return None };
        if shell != b"sh" || option != b"-c" {
            return None;
        }
        let line = std::str::from_utf8(line).ok()?;
        self.interpreter.plan_of_filters(line, &request.environment, &*self.files)
    }

    fn run_one(&self, job: CommandRequest<'_>) -> CommandEnd {
        let Some((name, arguments)) = job.words.split_first() else { return CommandEnd::NotFound };
        // What the command writes is counted by the stage that started it, what it reads by nobody.
        let meter = Arc::new(StageMeter::default());
        let Some(definition) = filters::find(name) else {
            let feed = if job.input.is_some() { Feed::Unknown } else { Feed::Nothing };
            let start = Start::new(job.words.to_vec(), job.directory, &job.environment);
            return match self.policy.decide(&start, feed) {
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
        let ports = Ports::new(job.input, job.out, job.error);
        let connections = Connections::of(ports, None, false);
        let system = SystemPorts { files: &*self.files, commands: self };
        let outcome = match &plan.directory {
            None => run_native(&plan, connections, system, &meter, job.control),
            Some(directory) => {
                let files = InDirectory { inner: &*self.files, directory };
                run_native(
                    &plan,
                    connections,
                    SystemPorts { files: &files, ..system },
                    &meter,
                    job.control,
                )
            }
        };
        end_of(&outcome)
    }

    fn run_plan(&self, plan: &Plan, request: CommandRequest<'_>) -> CommandEnd {
        let ports = Ports::new(request.input, request.out, request.error);
        let meters: Vec<Arc<StageMeter>> = plan.stages.iter().map(|_| Arc::default()).collect();
        let run = |files: &dyn Files| {
            let context = RunContext {
                files,
                commands: self,
                descriptors: ports,
                // The line holds filters only.
                policy: Policy::Nothing,
                observer: &Unobserved,
                taps: None,
                interpreter: self.interpreter,
                within: None,
            };
            run_pipeline(plan, &context, &meters, request.control)
        };
        let outcomes = match &request.directory {
            None => run(&*self.files),
            Some(directory) => run(&InDirectory { inner: &*self.files, directory }),
        };
        outcomes.last().map_or(CommandEnd::Exited(0), end_of)
    }
}

fn end_of(outcome: &StageOutcome) -> CommandEnd {
    match outcome {
        StageOutcome { unstarted: Some(end), .. } => *end,
        StageOutcome { signal: Some(signal), .. } => CommandEnd::Signalled(*signal),
        StageOutcome { status, .. } => CommandEnd::Exited(status.0),
    }
}

/// A command on a thread of its own, beside the stage that started it.
pub(crate) struct CommandThread {
    reader: Option<LinkReader>,
    writer: Option<LinkWriter>,
    thread: Option<std::thread::JoinHandle<CommandEnd>>,
}

impl CommandThread {
    /// # Errors
    /// [`CommandEnd::NotStarted`] where there is no thread for it, which is said on standard error.
    pub(crate) fn start(
        job: CommandRequest<'_>,
        joined: Joined,
        starter: CommandStarter,
    ) -> Result<Self, CommandEnd> {
        let (writer, reader) = link(job.control, Arc::default(), Arc::default());
        let words = job.words.to_vec();
        let (error, environment, control) = (job.error, job.environment, job.control.clone());
        let (directory, errors) = (job.directory, error.clone());
        let (ends, input, out): (_, Option<Box<dyn Source>>, Arc<dyn Sink>) = match joined {
            Joined::Output => ((Some(reader), None), job.input, Arc::new(writer)),
            Joined::Input => ((None, Some(writer)), Some(Box::new(reader)), job.out),
        };
        let run = control.clone();
        let thread = start_part("command", &run, move || {
            starter.run(CommandRequest {
                words: &words,
                input,
                out,
                error,
                environment,
                directory,
                control: &control,
            })
        });
        let thread = thread.map_err(|error| {
            say(&*errors, &format!("cannot start a command: {}", stream::describe(&error)));
            CommandEnd::NotStarted
        })?;
        Ok(Self { reader: ends.0, writer: ends.1, thread: Some(thread) })
    }
}

impl Running for CommandThread {
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

/// A command that runs on the stage's own thread, when all it reads is there.
pub(crate) struct DeferredCommand<'w> {
    words: Vec<Vec<u8>>,
    environment: Environment,
    directory: Option<WorkingFolder>,
    out: Arc<dyn Sink>,
    error: Arc<dyn Sink>,
    control: RunControl,
    starter: &'w CommandStarter,
    fed: Arc<Kept>,
    /// What the command wrote, where the stage reads it.
    read: Option<Box<dyn Source>>,
    end: Option<CommandEnd>,
}

impl<'w> DeferredCommand<'w> {
    pub(crate) fn new(
        job: CommandRequest<'_>,
        joined: Joined,
        starter: &'w CommandStarter,
    ) -> Result<Self, CommandEnd> {
        let native = job.words.first().is_some_and(|name| filters::find(name).is_some());
        if !native && starter.filters(&job).is_none() {
            let start = Start::new(job.words.to_vec(), job.directory.clone(), &job.environment);
            let feed = if joined == Joined::Input { Feed::Unknown } else { Feed::Nothing };
            if let Decision::Hold(_) | Decision::Gather = starter.policy.decide(&start, feed) {
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
            starter,
            fed: Arc::default(),
            read: None,
            end: None,
        };
        if joined == Joined::Output {
            let kept = Arc::new(Kept::of_run(&later.control));
            later.out = Arc::new(KeptSink::of(kept.clone()));
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
        self.starter.run(job)
    }
}

impl Running for DeferredCommand<'_> {
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
