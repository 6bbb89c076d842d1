//! From a syntax tree to stages ready to run: words expanded, filters found.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::sync::Arc;

use shell::{Command, Pipeline, Redirection, RedirectionKind, Span};
use stream::{Environment, Files, RunControl};

use super::builtin_table::BUILTINS;
use super::interpreter::planning;
use super::shell::Shell;
use super::unwind::{ShellResult, Unwind};
use crate::flow::descriptors::Ports;
use crate::flow::descriptors::descriptor_named;
use crate::plan::commands_in_words;
use crate::plan::error::PlanError;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::target::{Target, TargetKind};
use crate::plan::variables::Variables;

impl PlanError {
    pub(crate) fn of(leave: Unwind) -> Self {
        match leave {
            Unwind::Fault(fault) => Self { message: fault.message, span: fault.span },
            other => Self { message: other.message(), span: Span::default() },
        }
    }
}

impl Plan {
    /// Expands and resolves a pipeline. Filters in words run now, on `files`; programs are not
    /// started.
    ///
    /// # Errors
    /// Words that cannot be expanded.
    pub fn new(
        pipeline: &Pipeline,
        variables: &Variables,
        files: &dyn Files,
    ) -> Result<Self, PlanError> {
        let context = planning(files);
        let control = RunControl::default();
        let mut shell =
            Shell::new(&BUILTINS, &context, 0, &control, Ports::default(), variables.clone());
        shell.plans_eagerly = true;
        shell.plan_pipeline(pipeline).map_err(PlanError::of)
    }
}

/// What a stage of a pipeline runs.
fn stage(command: &Command, shell: &mut Shell<'_>) -> ShellResult<StagePlan> {
    let redirections_run_commands = command.redirections.iter().any(|one| match &one.kind {
        RedirectionKind::Document(document) => {
            commands_in_words::parts_run_commands(document.parts())
        }
        kind => kind.word().is_some_and(commands_in_words::runs_commands),
    });
    if command.compound.is_some() {
        if redirections_run_commands {
            return Ok(shell_stage(command, shell));
        }
        // Its redirections are those of the stage, so that what it reads is known.
        let targets = shell.targets(&command.redirections)?;
        let bare = Command { redirections: Vec::new(), ..command.clone() };
        let mut stage = shell_stage(&bare, shell);
        stage.targets.splice(0..0, targets);
        return Ok(stage);
    }
    // Commands in words may read what the stage before writes, so that stage must run first.
    if commands_in_words::command_runs_commands(command) && !shell.plans_eagerly {
        return Ok(shell_stage(command, shell));
    }
    let mut words = Vec::new();
    let mut spans = Vec::new();
    for word in &command.words {
        for field in shell.fields(word)? {
            words.push(field);
            spans.push(word.span);
        }
    }
    if words.first().is_some_and(|name| shell.is_own(name)) {
        return Ok(shell_stage(command, shell));
    }
    let targets = shell.targets(&command.redirections)?;
    for assignment in &command.assignments {
        // Each assignment sees those before it.
        let value = shell.value(&assignment.value)?;
        shell.assign(&assignment.name, value, assignment.span)?;
        if let Some(variable) = shell.state.set.get_mut(&assignment.name) {
            variable.exported = true;
        }
    }
    Ok(shell.simple_stage(command, words, spans, targets))
}

impl Target {
    /// What a redirection leads to; `&>` becomes two.
    pub(crate) fn expand(
        redirection: &Redirection,
        shell: &mut Shell<'_>,
        targets: &mut Vec<Self>,
    ) -> ShellResult<()> {
        let span = redirection.span;
        let mut path = |word| -> ShellResult<PathBuf> {
            Ok(PathBuf::from(OsStr::from_bytes(&shell.value(word)?)))
        };
        let kind = match &redirection.kind {
            RedirectionKind::Read(word) => TargetKind::Read(path(word)?),
            RedirectionKind::Replace(word) => TargetKind::Replace(path(word)?),
            RedirectionKind::Append(word) => TargetKind::Append(path(word)?),
            RedirectionKind::ReplaceBoth(word) => TargetKind::Replace(path(word)?),
            RedirectionKind::AppendBoth(word) => TargetKind::Append(path(word)?),
            RedirectionKind::ReadWrite(word) if redirection.descriptor == 0 => {
                TargetKind::ReadWrite(path(word)?)
            }
            RedirectionKind::ReadWrite(_) => {
                let message = "<> is supported for descriptor 0 only";
                return Unwind::fault(message, span, 2);
            }
            RedirectionKind::Duplicate(of) => TargetKind::Duplicate(*of),
            RedirectionKind::Close => TargetKind::Close,
            RedirectionKind::Text(word) => {
                let mut text = shell.value(word)?;
                text.push(b'\n');
                TargetKind::Text(text)
            }
            RedirectionKind::Document(document) if document.quoted => {
                let text = document.parts().iter().filter_map(|part| match part {
                    shell::Part::Text(text) => Some(text.as_bytes()),
                    _ => None,
                });
                TargetKind::Text(text.collect::<Vec<_>>().concat())
            }
            RedirectionKind::Document(document) => {
                TargetKind::Text(shell.quoted_value(document.parts())?)
            }
        };
        // A name of a descriptor is that of this command, not of this process.
        let named = match &kind {
            TargetKind::Read(path)
            | TargetKind::Replace(path)
            | TargetKind::Append(path)
            | TargetKind::ReadWrite(path) => descriptor_named(path),
            TargetKind::Duplicate(_) | TargetKind::Close | TargetKind::Text(_) => None,
        };
        let kind = named.map_or(kind, TargetKind::Duplicate);
        targets.push(Self { descriptor: redirection.descriptor, kind, span });
        if let RedirectionKind::ReplaceBoth(_) | RedirectionKind::AppendBoth(_) = redirection.kind {
            targets.push(Self { descriptor: 2, kind: TargetKind::Duplicate(1), span });
        }
        Ok(())
    }
}

/// A part of the shell as a stage: it expands its words itself.
fn shell_stage(command: &Command, shell: &Shell<'_>) -> StagePlan {
    let mut command = command.clone();
    let errors_too = std::mem::take(&mut command.errors_too);
    let (span, off) = (command.span, command.off);
    let mut stage =
        StagePlan::of(StageKind::Shell(Arc::new(command)), Vec::new(), Environment::default());
    stage.state = Some(Arc::new(shell.state.clone()));
    stage.directory.clone_from(&shell.state.directory);
    if errors_too {
        let kind = TargetKind::Duplicate(1);
        stage.targets.push(Target { descriptor: 2, kind, span });
    }
    StagePlan { span, off, ..stage }
}

impl Shell<'_> {
    /// A filter or a program, its words expanded.
    pub(crate) fn simple_stage(
        &mut self,
        command: &Command,
        mut words: Vec<Vec<u8>>,
        mut spans: Vec<Span>,
        mut targets: Vec<Target>,
    ) -> StagePlan {
        // A filter run by the program of this project is that filter, also in scripts for sh.
        if let [program, verb, name, ..] = &words[..]
            && program == b"ylotrope"
            && verb == b"use"
            && filters::find(name).is_some()
        {
            words.drain(..2);
            spans.drain(..2);
        }
        let kind = match words.first() {
            None => StageKind::Nothing,
            Some(name) => match filters::find(name) {
                Some(definition) => StageKind::Native(definition),
                None => StageKind::Host(name.clone()),
            },
        };
        if command.errors_too {
            let kind = TargetKind::Duplicate(1);
            targets.push(Target { descriptor: 2, kind, span: command.span });
        }
        let drop_name = usize::from(!words.is_empty());
        let environment = self.state.environment();
        let substitutions = std::mem::take(&mut self.substitutions);
        let state = (!substitutions.is_empty()).then(|| Arc::new(self.state.clone()));
        StagePlan {
            kind,
            arguments: words.split_off(drop_name),
            argument_spans: spans.split_off(drop_name),
            environment,
            targets,
            substitutions,
            state,
            directory: self.state.directory.clone(),
            span: command.span,
            off: command.off,
        }
    }
}

impl Shell<'_> {
    /// As [`Plan::new`], in this shell.
    pub(crate) fn plan_pipeline(&self, pipeline: &Pipeline) -> ShellResult<Plan> {
        let shell = self;
        let stages = pipeline.commands.iter().map(|command| {
            // What expansions change is not seen by the other stages.
            let mut inner = shell.subshell(shell.ports.clone());
            inner.plans_eagerly = shell.plans_eagerly;
            stage(command, &mut inner)
        });
        Ok(Plan { stages: stages.collect::<ShellResult<_>>()? })
    }
}
