//! One stage on its thread: ports connected, filter run, outcome told.

use parking_lot::Mutex;
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::panic::AssertUnwindSafe;
use std::path::Path;
use std::sync::Arc;

use stream::{
    CommandEnd, CommandRequest, Commands, Decoding, Environment, ExitStatus, Files, FilesLayer,
    Joined, LineId, OriginStore, Output, Processors, Replacement, RunControl, Running, Sink,
    Source, StageError, StageIo, StageMeter, StagePorts, WorkingFolder, WriteError, WriteMode,
};

use super::context::SystemPorts;
use crate::base::clock::{run_ns, thread_time};
use crate::base::sinks::Nowhere;
use crate::base::threads::start_within;
use crate::exec::redirections::OpenedFiles;
use crate::files::direct::DirectReplacement;
use crate::flow::descriptors::{NamedPorts, Ports, Reader, descriptor_named};
use crate::flow::metered::{MeteredSink, MeteredSource, StageClock};
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{StageKind, StagePlan};
use crate::policy::{HeldCommand, Start};

/// Where a stage's descriptors go.
pub(crate) struct Connections {
    pub(crate) stdin: Option<Box<dyn Source>>,
    pub(crate) stdout: Arc<dyn Sink>,
    pub(crate) stderr: Arc<dyn Sink>,
    pub(crate) origins: Option<Arc<Mutex<OriginStore>>>,
    /// What is written is handed on at once.
    pub(crate) eager: bool,
    /// All descriptors, for when the stage opens them by name.
    pub(crate) named: NamedPorts,
    /// The line of the input of which it is to be told why nothing is written of it.
    pub(crate) watched: Option<LineId>,
}

impl Connections {
    /// Those of a command with these descriptors, which nobody else then holds.
    pub(crate) fn of(ports: Ports, origins: Option<Arc<Mutex<OriginStore>>>, eager: bool) -> Self {
        let named = NamedPorts::of(&ports);
        Self {
            stdin: ports.input(0).map(|input| Box::new(Reader(input)) as Box<dyn Source>),
            stdout: ports.sink(1),
            stderr: ports.sink(2),
            origins,
            eager,
            named,
            watched: None,
        }
    }
}

/// Runs a native filter to its end on this thread.
pub(crate) fn run_native(
    plan: &StagePlan,
    connections: Connections,
    system: SystemPorts<'_>,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    let StageKind::Native(definition) = &plan.kind else { return StageOutcome::of(ExitStatus(0)) };
    let clock = StageClock::start(meter, control);
    let Connections { stdin, stdout, stderr, origins, eager, mut named, watched } = connections;
    let shared = Arc::ptr_eq(&stdout, &stderr);
    let out: Arc<dyn Sink> = Arc::new(MeteredSink::new(stdout, meter, control, &clock));
    named.write_to(1, &out);
    let files = StageFiles {
        inner: system.files,
        clock: clock.clone(),
        environment: &plan.environment,
        written: Mutex::default(),
        named,
    };
    let commands = StageCommands {
        inner: system.commands,
        environment: &plan.environment,
        directory: plan.directory.as_ref(),
        held: Mutex::default(),
    };
    let stdin = stdin.map(|source| files.metered(source));
    let processors = Threads { meter, control };
    let mut io = StageIo::new(StagePorts {
        name: plan.name(),
        stdin,
        out: Output::new(out, origins).eager(eager),
        error: (!shared).then_some(stderr),
        files: &files,
        commands: &commands,
        processors: &processors,
        meter,
        control: control.clone(),
    });
    if let Some(line) = watched {
        io = io.watching(line);
    }
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
    let errors = io.error_sink();
    let result = std::panic::catch_unwind(AssertUnwindSafe(|| {
        let mut filter = match definition.build(&plan.arguments) {
            Ok(filter) => filter,
            Err(error) => return Err(StageError::failed(error.status, error.message)),
        };
        let status = filter.run(&mut io)?;
        io.out().flush()?;
        Ok(status)
    }));
    match result {
        Ok(Ok(status)) => outcome.status = status,
        Ok(Err(StageError::Failed { message, status })) => {
            outcome.status = status;
            // What was written before stays written, as far as it can be.
            let _ = io.out().flush();
            let _ = io.message(&message);
        }
        Ok(Err(StageError::Cancelled | StageError::Write(WriteError::Cancelled))) => {
            outcome.cancelled = true;
            outcome.status = ExitStatus::CANCELLED;
        }
        Ok(Err(StageError::Write(WriteError::Closed))) => {
            outcome.closed = true;
            outcome.status = ExitStatus::CLOSED_PIPE;
        }
        Ok(Err(StageError::Write(WriteError::Io(error)))) => {
            outcome.status = ExitStatus(definition.spec.write_status());
            let _ = io.message(&format!("write error: {}", stream::describe(&error)));
        }
        Err(_) => {
            outcome.panicked = true;
            outcome.status = ExitStatus::INTERNAL;
            let _ = io.message("internal error: this stage has failed; the others continue");
        }
    }
    outcome.inputs = io.inputs().to_vec();
    outcome.fate = io.take_fate();
    drop(io);
    outcome.held = commands.held.into_inner();
    let opened = files.written.into_inner();
    outcome.written = opened.paths();
    // What failed inside has not written all, whatever it was.
    if !outcome.panicked
        && let Ok(errors) = errors
        && !opened.put_in_place(control, &*errors)
        && outcome.status == ExitStatus::SUCCESS
    {
        outcome.status = ExitStatus(1);
    }
    clock.end();
    outcome
}

/// Files as one stage sees them: what it reads is counted, what it writes is noted.
struct StageFiles<'w> {
    inner: &'w dyn Files,
    clock: Arc<StageClock>,
    /// The variables of the stage.
    environment: &'w Environment,
    /// Files it writes itself.
    written: Mutex<OpenedFiles>,
    named: NamedPorts,
}

impl StageFiles<'_> {
    fn note_written(&self, path: &Path, sink: Arc<dyn Sink>) {
        self.written.lock().add(path, sink);
    }

    fn metered(&self, inner: Box<dyn Source>) -> Box<dyn Source> {
        Box::new(MeteredSource::new(inner, &self.clock))
    }
}

impl FilesLayer for StageFiles<'_> {
    fn inner(&self) -> &dyn Files {
        self.inner
    }

    fn read(&self, path: &Path) -> std::io::Result<Box<dyn Source>> {
        let source = match descriptor_named(path) {
            Some(number) => self.named.read(number),
            None => self.inner.read(path),
        };
        source.map(|source| self.metered(source))
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> std::io::Result<Box<dyn Source>> {
        let source = match descriptor_named(path) {
            Some(number) => self.named.read(number).map(decoding.open),
            None => self.inner.read_decoded(path, decoding),
        };
        // What is counted is what was in it: the lines that the stage sees.
        source.map(|source| self.metered(source))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> std::io::Result<Arc<dyn Sink>> {
        if let Some(number) = descriptor_named(path) {
            return self.named.write(number);
        }
        let sink = self.inner.write(path, mode)?;
        self.note_written(path, sink.clone());
        Ok(sink)
    }

    fn replace(&self, path: &Path) -> std::io::Result<Box<dyn Replacement>> {
        if let Some(number) = descriptor_named(path) {
            return Ok(Box::new(DirectReplacement(self.named.write(number)?)));
        }
        let replacement = self.inner.replace(path)?;
        let named = Arc::new(Nowhere);
        self.note_written(path, named);
        Ok(replacement)
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        let set = self.environment.set.iter().rev().find(|(set, _)| set == name);
        match set {
            Some((_, value)) => Some(OsString::from_vec(value.clone())),
            None if self.environment.unset.iter().any(|unset| unset == name) => None,
            None => self.inner.variable(name),
        }
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        let mut all = self.inner.variables();
        all.retain(|(known, _)| {
            !self.environment.unset.iter().any(|unset| known == unset.as_str())
        });
        for (name, value) in &self.environment.set {
            all.retain(|(known, _)| known.as_encoded_bytes() != name.as_bytes());
            all.push((name.into(), OsString::from_vec(value.clone())));
        }
        all
    }
}

/// Commands as one stage starts them: with its variables, where it is; those that are held back
/// are noted.
struct StageCommands<'c> {
    inner: &'c dyn Commands,
    environment: &'c Environment,
    directory: Option<&'c WorkingFolder>,
    held: Mutex<Vec<HeldCommand>>,
}

impl StageCommands<'_> {
    fn note_held(&self, end: CommandEnd, start: &Start, joined: bool) {
        if end == CommandEnd::HeldBack {
            let mut held = self.held.lock();
            held.push(start.as_held(joined));
        }
    }

    /// A command as this stage starts it, and what starting it is.
    fn of_stage<'j>(&self, request: CommandRequest<'j>) -> (CommandRequest<'j>, Start) {
        let environment = self.environment.with(request.environment);
        let directory = request.directory.or_else(|| self.directory.cloned());
        let start = Start::new(request.words.to_vec(), directory.clone(), &environment);
        (CommandRequest { environment, directory, ..request }, start)
    }
}

impl Commands for StageCommands<'_> {
    fn run(&self, request: CommandRequest<'_>) -> CommandEnd {
        let joined = request.input.is_some();
        let (request, start) = self.of_stage(request);
        let end = self.inner.run(request);
        self.note_held(end, &start, joined);
        end
    }

    fn start(
        &self,
        request: CommandRequest<'_>,
        joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd> {
        let (request, start) = self.of_stage(request);
        self.inner.start(request, joined).inspect_err(|end| self.note_held(*end, &start, true))
    }
}

/// Processors as threads, their time added to the stage that asked.
struct Threads<'m> {
    meter: &'m StageMeter,
    control: &'m RunControl,
}

impl Processors for Threads<'_> {
    fn count(&self) -> usize {
        std::thread::available_parallelism().map_or(1, usize::from)
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        let helpers = jobs.len().saturating_sub(1);
        // Whoever is free takes the next; where no thread can be had all is done here.
        let jobs = Mutex::new(jobs);
        let work = || {
            loop {
                let job = jobs.lock().pop();
                let Some(job) = job else { return };
                job();
            }
        };
        let before = run_ns(self.control);
        std::thread::scope(|scope| {
            for _ in 0..helpers {
                let help = || {
                    work();
                    self.meter.add_processor(thread_time());
                };
                if start_within(scope, "help", help).is_err() {
                    break;
                }
            }
            work();
        });
        self.meter.add_helped(run_ns(self.control).saturating_sub(before));
    }
}
