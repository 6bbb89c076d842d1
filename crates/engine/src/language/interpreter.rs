//! The shell as what runs pipelines needs it.

use std::sync::Arc;

use shell::Command;
use stream::{CommandEnd, CommandRequest, Commands, Environment, Files, Joined, Running};

use super::builtin_table::{BUILTINS, parse};
use super::shell::Shell;
use crate::exec::command::{CommandStarter, Timing};
use crate::exec::context::{Interpreter, RunContext, ShellStage, Unobserved};
use crate::exec::redirections::OpenedFiles;
use crate::flow::descriptors::Ports;
use crate::flow::origins::InputCursor;
use crate::plan::commands_in_words::command_runs_commands;
use crate::plan::pipeline::{Plan, StageKind};
use crate::plan::substitution::Substitution;
use crate::plan::variables::Variables;
use crate::policy::Policy;

/// Runs parts of pipelines that are commands of the shell.
pub(crate) struct ShellLanguage;

impl Interpreter for ShellLanguage {
    fn run_part(
        &self,
        stage: ShellStage<'_>,
        command: &Command,
        taken: Option<InputCursor>,
        opened: OpenedFiles,
        beside_others: bool,
    ) -> u8 {
        let ShellStage { context, number, control, ports, state } = stage;
        let mut shell = Shell::new(&BUILTINS, context, number, control, ports, state);
        shell.taken = taken;
        shell.opened = opened;
        shell.beside_others = beside_others;
        shell.run_to_exit(|shell| shell.command(command))
    }

    fn with_substitutions(
        &self,
        stage: ShellStage<'_>,
        substitutions: &[Substitution],
        run: &mut dyn FnMut(&dyn Files),
    ) {
        let ShellStage { context, number, control, ports, state } = stage;
        let mut shell = Shell::new(&BUILTINS, context, number, control, ports, state);
        // Where it fails the run is ended; what was to be run has not begun.
        let _ = shell.with_substitutions(substitutions.to_vec(), |shell| {
            // What runs beside this has the descriptors; nobody else keeps them open.
            shell.ports = Ports::default();
            shell.with_files(|files| run(files));
            Ok(())
        });
    }

    fn plan_of_filters(
        &self,
        line: &str,
        environment: &Environment,
        files: &dyn Files,
    ) -> Option<Plan> {
        let script = parse(line).ok()?;
        let [shell::Item { first: pipeline, rest }] = &script.list.items[..] else { return None };
        if !rest.is_empty() || pipeline.negated || pipeline.timed.is_some() {
            return None;
        }
        // Commands in words may be programs, and run once only.
        if pipeline.commands.iter().any(command_runs_commands) {
            return None;
        }
        let plan = Plan::new(pipeline, &Variables::of_environment(environment), files).ok()?;
        let filters = plan.stages.iter().all(|stage| {
            matches!(stage.kind, StageKind::Native(_)) && stage.substitutions.is_empty()
        });
        filters.then_some(plan)
    }
}

impl CommandStarter {
    /// Commands that are started beside a stage run on its thread, once all that they read is there.
    pub(crate) fn deferred(files: Arc<dyn Files>, policy: Policy) -> Self {
        Self { files, policy, timing: Timing::Deferred, interpreter: &ShellLanguage }
    }

    /// Commands that are started beside a stage run at the same time.
    pub(crate) fn beside(files: Arc<dyn Files>, policy: Policy) -> Self {
        Self { files, policy, timing: Timing::Beside, interpreter: &ShellLanguage }
    }
}

/// Starts nothing.
pub(super) struct NothingStarts;

impl Commands for NothingStarts {
    fn run(&self, _request: CommandRequest<'_>) -> CommandEnd {
        CommandEnd::HeldBack
    }

    fn start(
        &self,
        _request: CommandRequest<'_>,
        _joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd> {
        Err(CommandEnd::HeldBack)
    }
}

/// Around a plan that is made but not run.
pub(super) fn planning(files: &dyn Files) -> RunContext<'_> {
    RunContext {
        files,
        commands: &NothingStarts,
        descriptors: Ports::default(),
        policy: Policy::Nothing,
        observer: &Unobserved,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    }
}
