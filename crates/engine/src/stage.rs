//! One stage on its thread: ports connected, filter run, outcome told.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::panic::AssertUnwindSafe;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::ThreadId;

use rustix::time::{ClockId, clock_gettime};
use stream::{
    Block, Cancel, ExitStatus, FileFacts, InputName, Job, JobEnd, Joined, METERED, Machine,
    OriginStore, Output, Processors, ReadError, Replacement, Running, Sink, Source, StageError,
    StageIo, StageMeter, StagePorts, Tail, World, WriteError, WriteMode,
};

use crate::clock::{now_ns, run_ns};
use crate::dry::HeldCommand;
use crate::plan::{StageKind, StagePlan};

/// Where a stage's descriptors go.
pub(crate) struct Connections {
    pub(crate) stdin: Option<Box<dyn Source>>,
    pub(crate) stdout: Arc<dyn Sink>,
    pub(crate) stderr: Arc<dyn Sink>,
    pub(crate) origins: Option<Arc<Mutex<OriginStore>>>,
    /// What is written is handed on at once.
    pub(crate) eager: bool,
}

/// How a stage ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct StageOutcome {
    pub(crate) status: ExitStatus,
    pub(crate) inputs: Vec<InputName>,
    pub(crate) cancelled: bool,
    pub(crate) closed: bool,
    pub(crate) panicked: bool,
    /// Files the filter wrote itself, not by redirection.
    pub(crate) written: Vec<PathBuf>,
    /// Commands the stage would have started.
    pub(crate) held: Vec<HeldCommand>,
    /// The signal that ended a program.
    pub(crate) signal: Option<u8>,
    /// Why a program was never started.
    pub(crate) unstarted: Option<stream::JobEnd>,
}

impl StageOutcome {
    pub(crate) fn of(status: ExitStatus) -> Self {
        Self {
            status,
            inputs: Vec::new(),
            cancelled: false,
            closed: false,
            panicked: false,
            written: Vec::new(),
            held: Vec::new(),
            signal: None,
            unstarted: None,
        }
    }
}

/// Processor time of this thread, in nanoseconds.
fn thread_time() -> u64 {
    let time = clock_gettime(ClockId::ThreadCPUTime);
    time.tv_sec as u64 * 1_000_000_000 + time.tv_nsec as u64
}

/// How often a thread that works looks how much processor time it has used.
const LOOK_NS: u64 = 20_000_000;

/// The time of one stage, from when this is made to when it is dropped: the elapsed time, and the
/// processor time of the thread that made it.
pub(crate) struct StageClock {
    meter: Arc<StageMeter>,
    cancel: Cancel,
    thread: ThreadId,
    /// Processor time of the thread that was added already.
    seen_ns: AtomicU64,
    /// When it was looked at last.
    looked_ns: AtomicU64,
}

impl StageClock {
    pub(crate) fn start(meter: &Arc<StageMeter>, cancel: &Cancel) -> Arc<Self> {
        meter.begin(run_ns(cancel));
        Arc::new(Self {
            meter: meter.clone(),
            cancel: cancel.clone(),
            thread: std::thread::current().id(),
            seen_ns: AtomicU64::new(thread_time()),
            looked_ns: AtomicU64::new(now_ns()),
        })
    }

    /// Adds the processor time used since the last look, where this is the stage's own thread and
    /// that is some time ago.
    fn look_now_and_then(&self, now_ns: u64) {
        let due = now_ns.saturating_sub(self.looked_ns.load(Relaxed)) >= LOOK_NS;
        if due && std::thread::current().id() == self.thread {
            self.looked_ns.store(now_ns, Relaxed);
            self.look();
        }
    }

    fn look(&self) {
        let now = thread_time();
        let seen = self.seen_ns.swap(now, Relaxed);
        self.meter.add_processor(now.saturating_sub(seen));
    }

    /// The stage has ended.
    pub(crate) fn end(&self) {
        self.look();
        self.meter.end(run_ns(&self.cancel));
    }
}

/// Runs a native filter to its end on this thread.
pub(crate) fn run_native(
    plan: &StagePlan,
    connections: Connections,
    world: &dyn World,
    meter: &Arc<StageMeter>,
    cancel: &Cancel,
) -> StageOutcome {
    let StageKind::Native(definition) = &plan.kind else { return StageOutcome::of(ExitStatus(0)) };
    let clock = StageClock::start(meter, cancel);
    let Connections { stdin, stdout, stderr, origins, eager } = connections;
    let shared = Arc::ptr_eq(&stdout, &stderr);
    let world = StageWorld {
        inner: world,
        clock: clock.clone(),
        assignments: &plan.assignments,
        unset: &plan.unset,
        written: Mutex::default(),
        held: Mutex::default(),
    };
    let out: Arc<dyn Sink> = Arc::new(MeteredSink::new(stdout, meter, cancel, &clock));
    let stdin = stdin.map(|source| world.metered(source));
    let processors = Threads { meter, cancel };
    let mut io = StageIo::new(StagePorts {
        name: plan.name(),
        stdin,
        out: Output::new(out, origins).eager(eager),
        error: (!shared).then_some(stderr),
        world: &world,
        processors: &processors,
        meter,
        cancel: cancel.clone(),
    });
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
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
            outcome.status = ExitStatus(definition.spec.usage_status);
            let _ = io.message(&format!("write error: {}", stream::describe(&error)));
        }
        Err(_) => {
            outcome.panicked = true;
            outcome.status = ExitStatus(70);
            let _ = io.message("internal error: this stage has failed; the rest goes on");
        }
    }
    outcome.inputs = io.inputs().to_vec();
    drop(io);
    outcome.held = world.held.into_inner().unwrap_or_else(PoisonError::into_inner);
    outcome.written = world.written.into_inner().unwrap_or_else(PoisonError::into_inner);
    clock.end();
    outcome
}

/// Counts what is written, and looks whether the run is cancelled.
pub(crate) struct MeteredSink {
    inner: Arc<dyn Sink>,
    meter: Arc<StageMeter>,
    cancel: Cancel,
    /// `None` where the stage is a program.
    clock: Option<Arc<StageClock>>,
}

impl MeteredSink {
    pub(crate) fn new(
        inner: Arc<dyn Sink>,
        meter: &Arc<StageMeter>,
        cancel: &Cancel,
        clock: &Arc<StageClock>,
    ) -> Self {
        Self { clock: Some(clock.clone()), ..Self::of_program(inner, meter, cancel) }
    }

    /// Counts only.
    pub(crate) fn of_program(
        inner: Arc<dyn Sink>,
        meter: &Arc<StageMeter>,
        cancel: &Cancel,
    ) -> Self {
        Self { inner, meter: meter.clone(), cancel: cancel.clone(), clock: None }
    }
}

impl Sink for MeteredSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        // A stage that reads nothing, such as seq, is stopped here.
        if self.cancel.is_cancelled() {
            return Err(WriteError::Cancelled);
        }
        let counted = block.clone();
        match &self.clock {
            Some(clock) if METERED && !self.inner.is_link() => {
                let before = now_ns();
                self.inner.write(block)?;
                let now = now_ns();
                self.meter.add_writing(now - before);
                clock.look_now_and_then(now);
            }
            _ => self.inner.write(block)?,
        }
        self.meter.count_out(&counted);
        Ok(())
    }

    fn is_closed(&self) -> bool {
        self.inner.is_closed()
    }

    fn is_terminal(&self) -> bool {
        self.inner.is_terminal()
    }

    fn facts(&self) -> Option<FileFacts> {
        self.inner.facts()
    }
}

/// Counts what is read, and looks whether the run is cancelled.
pub(crate) struct MeteredSource {
    inner: Box<dyn Source>,
    meter: Arc<StageMeter>,
    cancel: Cancel,
    clock: Arc<StageClock>,
    link: bool,
    /// Blocks read from a link since the last look at the clock.
    blocks: u8,
    /// The last byte read does not end a line.
    open: bool,
    /// The end of this source is the end of the input.
    ends: bool,
}

impl MeteredSource {
    /// Counts what is read of a source that ends the input.
    pub(crate) fn new(inner: Box<dyn Source>, clock: &Arc<StageClock>) -> Self {
        let link = inner.is_link();
        Self {
            inner,
            meter: clock.meter.clone(),
            cancel: clock.cancel.clone(),
            clock: clock.clone(),
            link,
            blocks: 0,
            open: false,
            ends: true,
        }
    }

    /// Reads on, and looks at the clock: at each block that is not from a link, which costs more
    /// than the look.
    fn next(&mut self) -> Result<Option<Block>, ReadError> {
        if !METERED {
            return self.inner.next_block();
        }
        if self.link {
            self.blocks = (self.blocks + 1) % 16;
            if self.blocks == 0 {
                self.clock.look_now_and_then(now_ns());
            }
            return self.inner.next_block();
        }
        let before = now_ns();
        let block = self.inner.next_block();
        let now = now_ns();
        self.meter.add_reading(now - before);
        self.clock.look_now_and_then(now);
        block
    }
}

impl Source for MeteredSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.cancel.is_cancelled() {
            return Err(ReadError::Cancelled);
        }
        let block = self.next()?;
        match &block {
            Some(block) => {
                self.meter.count_in(block);
                self.open = !block.ends_line();
            }
            None if self.open && self.ends => {
                self.open = false;
                self.meter.count_open_end();
            }
            None => {}
        }
        Ok(block)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        self.inner.seek_last(part)
    }

    fn facts(&self) -> Option<FileFacts> {
        self.inner.facts()
    }

    fn position(&self) -> Option<u64> {
        self.inner.position()
    }

    fn rewind(&mut self) -> bool {
        self.inner.rewind()
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let parts = self.inner.split(parts)?;
        let last = parts.len().saturating_sub(1);
        let metered = parts.into_iter().enumerate().map(|(number, inner)| {
            // Only the end of the last part is the end of the input.
            let ends = number == last;
            Box::new(MeteredSource { ends, ..MeteredSource::new(inner, &self.clock) })
                as Box<dyn Source>
        });
        Some(metered.collect())
    }

    fn file_bytes(&self) -> Option<u64> {
        self.inner.file_bytes()
    }
}

/// The world as one stage sees it: what it reads is counted.
struct StageWorld<'w> {
    inner: &'w dyn World,
    clock: Arc<StageClock>,
    /// Variables set for the stage.
    assignments: &'w [(String, Vec<u8>)],
    /// Variables of the environment that it does not get.
    unset: &'w [String],
    written: Mutex<Vec<PathBuf>>,
    held: Mutex<Vec<HeldCommand>>,
}

impl StageWorld<'_> {
    fn note_written(&self, path: &Path) {
        let mut written = self.written.lock().unwrap_or_else(PoisonError::into_inner);
        if !written.iter().any(|known| known == path) {
            written.push(path.to_owned());
        }
    }

    fn note_held(&self, end: JobEnd, command: HeldCommand) {
        if end == JobEnd::HeldBack {
            self.held.lock().unwrap_or_else(PoisonError::into_inner).push(command);
        }
    }

    fn metered(&self, inner: Box<dyn Source>) -> Box<dyn Source> {
        Box::new(MeteredSource::new(inner, &self.clock))
    }
}

impl World for StageWorld<'_> {
    fn read(&self, path: &Path) -> std::io::Result<Box<dyn Source>> {
        self.inner.read(path).map(|source| self.metered(source))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> std::io::Result<Arc<dyn Sink>> {
        let sink = self.inner.write(path, mode)?;
        self.note_written(path);
        Ok(sink)
    }

    fn replace(&self, path: &Path) -> std::io::Result<Box<dyn Replacement>> {
        let replacement = self.inner.replace(path)?;
        self.note_written(path);
        Ok(replacement)
    }

    fn remove(&self, path: &Path) -> std::io::Result<()> {
        self.inner.remove(path)
    }

    fn run(&self, mut job: Job<'_>) -> JobEnd {
        let mut variables = self.assignments.to_vec();
        variables.append(&mut job.variables);
        let job = Job { variables, ..job };
        let command = HeldCommand::of(&job, job.input.is_some());
        let end = self.inner.run(job);
        self.note_held(end, command);
        end
    }

    fn start(&self, mut job: Job<'_>, joined: Joined) -> Result<Box<dyn Running + '_>, JobEnd> {
        let mut variables = self.assignments.to_vec();
        variables.append(&mut job.variables);
        let job = Job { variables, ..job };
        let command = HeldCommand::of(&job, true);
        self.inner.start(job, joined).inspect_err(|end| self.note_held(*end, command))
    }

    fn is_live(&self) -> bool {
        self.inner.is_live()
    }

    fn machine(&self) -> &dyn Machine {
        self.inner.machine()
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        let set = self.assignments.iter().rev().find(|(set, _)| set == name);
        match set {
            Some((_, value)) => Some(OsString::from_vec(value.clone())),
            None if self.unset.iter().any(|unset| unset == name) => None,
            None => self.inner.variable(name),
        }
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        let mut all = self.inner.variables();
        all.retain(|(known, _)| !self.unset.iter().any(|unset| known == unset.as_str()));
        for (name, value) in self.assignments {
            all.retain(|(known, _)| known.as_encoded_bytes() != name.as_bytes());
            all.push((name.into(), OsString::from_vec(value.clone())));
        }
        all
    }
}

/// Processors as threads, their time added to the stage that asked.
struct Threads<'m> {
    meter: &'m StageMeter,
    cancel: &'m Cancel,
}

impl Processors for Threads<'_> {
    fn count(&self) -> usize {
        std::thread::available_parallelism().map_or(1, usize::from)
    }

    fn run(&self, mut jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        let Some(own) = jobs.pop() else { return };
        let before = run_ns(self.cancel);
        std::thread::scope(|scope| {
            for job in jobs {
                scope.spawn(|| {
                    job();
                    self.meter.add_processor(thread_time());
                });
            }
            own();
        });
        self.meter.add_helped(run_ns(self.cancel).saturating_sub(before));
    }
}
