//! Keeps what the stages of a pipeline read, write and say.

use parking_lot::Mutex;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use shell::Direction;
use stream::{Arrivals, Block, OriginStore, RunControl, Sink, Source, StageMeter, WriteError};

use crate::base::limits::{Limit, Limits};
use crate::base::sinks::Nowhere;
use crate::exec::command::CommandStarter;
use crate::exec::context::{Observer, SystemPorts, Taps, Withheld};
use crate::files::cut_short::{EndSeen, TellsEnd};
use crate::files::held_back::HeldBackFiles;
use crate::kept::arrivals::{CameBy, ThroughStage};
use crate::kept::lines::Kept;
use crate::kept::sinks::Messages;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::substitution::Substitution;
use crate::policy::HeldCommand;
use crate::runs::figures::FigureTable;
use crate::runs::preview::inside::PipelinesInside;
use crate::runs::preview::task::Task;

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
            *self.cut.lock() = reached;
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
pub(super) struct Build {
    /// Its files, and those of all that runs inside it.
    pub(super) files: Arc<HeldBackFiles>,
    pub(super) commands: CommandStarter,
    /// Set once it has come to the end of what it reads from the stage before it, or, as the first
    /// one, of standard input.
    pub(super) input_end: EndSeen,
    pub(super) kept: Arc<Kept>,
    pub(super) origins: Arc<Mutex<OriginStore>>,
    pub(super) messages: Arc<Messages>,
    pub(super) came_by: CameBy,
    /// What it reads from the stage before it, where that is not what that one writes to its
    /// standard output.
    pub(super) read: Option<Arc<Kept>>,
    /// What was read of commands in the place of files, by the names that mean them.
    pub(super) substituted: Mutex<Vec<(Vec<u8>, Arc<Kept>)>>,
    pub(super) held: Mutex<Vec<HeldCommand>>,
    pub(super) inside: FigureTable,
    pub(super) pipelines: Mutex<PipelinesInside>,
    pub(super) cut: Arc<Mutex<Option<Limit>>>,
}

impl Build {
    pub(super) fn of(task: &Task<'_>, stage: &StagePlan, meter: &Arc<StageMeter>) -> Self {
        let kept = Arc::new(Kept::of_run(task.control));
        let files = Arc::new(task.files.of_stage(&kept));
        let commands = CommandStarter { files: files.clone(), ..task.starter.clone() };
        let came_by = match stage.kind {
            StageKind::Native(_) => CameBy::Meter(meter.clone()),
            // What is read inside of it is its standard input.
            _ => CameBy::Input(Some(0)),
        };
        Self {
            files,
            commands,
            came_by,
            read: None,
            input_end: EndSeen::of_stage(kept.clone()),
            kept,
            origins: Arc::default(),
            messages: Arc::default(),
            substituted: Mutex::default(),
            held: Mutex::default(),
            inside: FigureTable::default(),
            pipelines: Mutex::default(),
            cut: Arc::default(),
        }
    }
}

/// Keeps what the stages of the pipeline that is shown read, write and say.
pub(super) struct SampleTaps {
    pub(super) limits: Limits,
    pub(super) control: RunControl,
    /// What the first stage reads.
    pub(super) input: Mutex<Option<Box<dyn Source>>>,
    /// Where standard output leads at the end, and errors that are sent there by `2>&1 > file`.
    pub(super) screen: Arc<dyn Sink>,
    /// When the lines came that the first stage reads.
    pub(super) came: Option<Arc<dyn Arrivals>>,
    pub(super) builds: Vec<Build>,
    /// What the first stage has written, where it is run elsewhere.
    pub(super) live: Option<Arc<Kept>>,
    /// `exec` has led the errors somewhere else.
    pub(super) redirected: bool,
}

impl SampleTaps {
    /// When the lines that stage `number` reads came.
    fn came(&self, number: usize) -> Option<Arc<dyn Arrivals>> {
        let (first, through) = match &self.live {
            // The first stage is run elsewhere: what it writes is what comes.
            Some(live) => (live.arrivals()?, self.builds.get(1..number)?),
            None => (self.came.clone()?, self.builds.get(..number)?),
        };
        let through = through.iter().fold(first, |inner, build| {
            let (origins, by) = (build.origins.clone(), build.came_by.clone());
            Arc::new(ThroughStage { inner, origins, by })
        });
        Some(through)
    }
}

impl Taps for SampleTaps {
    fn input(&self) -> Option<Box<dyn Source>> {
        let input = self.input.lock().take()?;
        Some(self.reading(0, input))
    }

    fn reading(&self, number: usize, source: Box<dyn Source>) -> Box<dyn Source> {
        let ends = TellsEnd::new(source, self.builds[number].input_end.clone());
        let keeps = &self.builds[number].read;
        Box::new(ends.came(self.came(number)).keeping(keeps.clone()))
    }

    fn keep(&self, number: usize, substitutions: &mut [Substitution]) {
        let mut all = self.builds[number].substituted.lock();
        for substitution in substitutions.iter_mut().filter(|one| one.direction == Direction::Read)
        {
            let kept = Arc::new(Kept::of_run(&self.control));
            substitution.keeps = Some(kept.clone());
            all.push((substitution.name.clone(), kept));
        }
    }

    fn system(&self, number: usize) -> SystemPorts<'_> {
        let build = &self.builds[number];
        SystemPorts { files: &*build.files, commands: &build.commands }
    }

    fn written(&self, number: usize) -> Option<Box<dyn Source>> {
        self.live.as_ref().filter(|_| number == 0).map(Kept::source)
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
        build.pipelines.lock().add(plan, outcomes);
    }

    fn held_back(&self, number: usize, command: HeldCommand) {
        let mut held = self.builds[number].held.lock();
        held.push(command);
    }
}
