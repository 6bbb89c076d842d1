//! All that is around a pipeline that runs, and who looks on.

use parking_lot::Mutex;
use std::sync::Arc;

use shell::Command;
use stream::{Commands, Environment, Files, OriginStore, RunControl, Sink, Source, StageMeter};

use super::redirections::OpenedFiles;
use crate::flow::descriptors::Ports;
use crate::flow::origins::InputCursor;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StagePlan};
use crate::plan::substitution::Substitution;
use crate::plan::variables::Variables;
use crate::policy::{HeldCommand, Policy};

/// Where a stage's files and commands are.
#[derive(Clone, Copy)]
pub(crate) struct SystemPorts<'d> {
    pub(crate) files: &'d dyn Files,
    pub(crate) commands: &'d dyn Commands,
}

/// What is around a pipeline. The stages of one run share it between their threads.
pub(crate) struct RunContext<'r> {
    /// The files its stages see.
    pub(crate) files: &'r dyn Files,
    /// What starts commands for its stages.
    pub(crate) commands: &'r dyn Commands,
    /// The first stage reads standard input, the last one writes standard output, all have the
    /// others.
    pub(crate) descriptors: Ports,
    /// By which rule programs of the machine are started.
    pub(crate) policy: Policy,
    pub(crate) observer: &'r dyn Observer,
    /// What is kept of each stage, where somebody wants to see the streams.
    pub(crate) taps: Option<&'r dyn Taps>,
    /// What runs the parts that are commands of the shell.
    pub(crate) interpreter: &'static dyn Interpreter,
    /// The stage of the outermost pipeline that all this is part of.
    pub(crate) within: Option<usize>,
}

impl RunContext<'_> {
    /// The same with other files and commands.
    pub(crate) fn with<'i>(&'i self, system: SystemPorts<'i>) -> RunContext<'i> {
        RunContext {
            files: system.files,
            commands: system.commands,
            descriptors: self.descriptors.clone(),
            policy: self.policy.clone(),
            observer: self.observer,
            taps: self.taps,
            interpreter: self.interpreter,
            within: self.within,
        }
    }

    /// The same for a pipeline inside stage `number`, with files and descriptors of its own.
    pub(crate) fn inside<'i>(
        &'i self,
        number: usize,
        files: &'i dyn Files,
        descriptors: Ports,
    ) -> RunContext<'i> {
        RunContext {
            files,
            commands: self.commands,
            descriptors,
            policy: self.policy.clone(),
            observer: self.observer,
            taps: None,
            interpreter: self.interpreter,
            within: self.within.or(Some(number)),
        }
    }
}

/// Looks on while pipelines run. Called on the threads of the run; must not wait for it.
pub(crate) trait Observer: Sync {
    /// A pipeline begins to run.
    fn begins(&self, _plan: &Plan, _meters: &[Arc<StageMeter>]) {}

    /// A pipeline has ended; `within` is the stage of the outermost one that it is part of.
    fn ended(
        &self,
        _within: Option<usize>,
        _plan: &Plan,
        _meters: &[Arc<StageMeter>],
        _outcomes: &[StageOutcome],
    ) {
    }

    /// Takes a command that stage `number` would have started.
    fn held_back(&self, _number: usize, _command: HeldCommand) {}

    /// What becomes of a stage that is a program and was held back. It is `joined` where it is
    /// in a pipeline of several or has redirections.
    fn withheld(&self, _stage: &StagePlan, _joined: bool) -> Withheld {
        Withheld { message: None, status: 0 }
    }
}

/// How a stage that is held back ends.
pub(crate) struct Withheld {
    /// What is said on its standard error, if anything.
    pub(crate) message: Option<&'static str>,
    pub(crate) status: u8,
}

/// Nobody looks on.
pub(crate) struct Unobserved;

impl Observer for Unobserved {}

/// Keeps what the stages of one pipeline write.
pub(crate) trait Taps: Sync {
    /// Standard error of stage `number`, where it has one of its own.
    fn errors(&self, number: usize) -> Option<Arc<dyn Sink>>;
    /// What stage `number` writes through on its way to `next` (the link, a file, the output).
    fn tap(&self, number: usize, next: Arc<dyn Sink>) -> Arc<dyn Sink>;
    /// Where the origins of stage `number` are kept.
    fn origins(&self, number: usize) -> Arc<Mutex<OriginStore>>;
    /// What the first stage reads, where it has not its descriptors' input. Nobody else holds it,
    /// so that the stage can be seen to leave what it does not need. Given once.
    fn input(&self) -> Option<Box<dyn Source>>;
    /// What stage `number` has written already, in a run of its own that continues.
    fn written(&self, number: usize) -> Option<Box<dyn Source>>;
    /// What stage `number` reads from the one before it.
    fn reading(&self, number: usize, source: Box<dyn Source>) -> Box<dyn Source>;
    /// Keeps what stage `number` reads of commands in the place of files.
    fn keep(&self, number: usize, substitutions: &mut [Substitution]);
    /// The files and commands of stage `number`, and of all that runs inside it.
    fn system(&self, number: usize) -> SystemPorts<'_>;
}

/// A stage that the shell runs, or for which it runs commands in the place of files.
pub(crate) struct ShellStage<'s> {
    pub(crate) context: &'s RunContext<'s>,
    pub(crate) number: usize,
    pub(crate) control: &'s RunControl,
    pub(crate) ports: Ports,
    pub(crate) state: Variables,
}

/// The shell language, for what runs pipelines: a stage may be a part of it, and it runs
/// pipelines itself. This is the one place where the two need each other.
pub(crate) trait Interpreter: Sync {
    /// Runs a command of the shell as a stage of its own; gives its status.
    fn run_part(
        &self,
        stage: ShellStage<'_>,
        command: &Command,
        taken: Option<InputCursor>,
        opened: OpenedFiles,
        beside_others: bool,
    ) -> u8;

    /// Calls `run` while the commands in the place of files run beside it, with files in which
    /// the names lead to them. The descriptors of `stage` are theirs.
    fn with_substitutions(
        &self,
        stage: ShellStage<'_>,
        substitutions: &[Substitution],
        run: &mut dyn FnMut(&dyn Files),
    );

    /// The plan of a line for a shell, where that is one pipeline of filters and no command in it
    /// is in a word; `None` for all other lines.
    fn plan_of_filters(
        &self,
        line: &str,
        environment: &Environment,
        files: &dyn Files,
    ) -> Option<Plan>;
}
