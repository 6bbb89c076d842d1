//! From a syntax tree to stages ready to run: words expanded, filters found, options checked.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use filters::Definition;
use shell::{Command, Pipeline, Redirection, RedirectionKind, Span};
use stream::{Cancel, Environment, World};
use thiserror::Error;

use crate::expand::{self, Substitution};
use crate::interpreter::{Leave, Run, Shell, is_shells};
use crate::policy::Start;
use crate::ports::Ports;
use crate::run::NoSurroundings;
use crate::variables::Variables;

/// A pipeline ready to run.
#[derive(Clone)]
pub struct Plan {
    /// Its stages.
    pub stages: Vec<StagePlan>,
}

/// A stage ready to run.
#[derive(Clone)]
pub struct StagePlan {
    /// What runs.
    pub kind: StageKind,
    /// The arguments behind the name.
    pub arguments: Vec<Vec<u8>>,
    /// Where each of them comes from in the text.
    pub argument_spans: Vec<Span>,
    /// Its variables: those exported, and `NAME=value` before the name.
    pub environment: Environment,
    /// Redirections, in order.
    pub targets: Vec<Target>,
    /// Commands that stand in the place of files, with the names the arguments have for them.
    pub(crate) substitutions: Vec<Substitution>,
    /// The shell around the stage, for what it runs itself and for substitutions.
    pub(crate) state: Option<Arc<Variables>>,
    /// Where the stage is, where that is not where the process is.
    pub(crate) directory: Option<PathBuf>,
    /// The stage in the text.
    pub span: Span,
    /// The text of the stage that is switched off here.
    pub off: Option<Span>,
}

/// What a stage runs.
#[derive(Clone)]
pub enum StageKind {
    /// A filter of our own.
    Native(&'static Definition),
    /// A program of this machine.
    Host(Vec<u8>),
    /// A part of the shell: a compound command, a function, a command of the shell's own.
    Shell(Arc<Command>),
    /// Nothing: assignments and redirections only.
    Nothing,
}

/// A redirection ready to be performed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Target {
    /// The descriptor.
    pub descriptor: u8,
    /// Where it goes.
    pub kind: TargetKind,
    /// Where it stands in the text.
    pub span: Span,
}

/// Where a redirection goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TargetKind {
    /// Read from this file.
    Read(PathBuf),
    /// Replace this file.
    Replace(PathBuf),
    /// Append to this file.
    Append(PathBuf),
    /// Read from this file, which is made where there is none.
    ReadWrite(PathBuf),
    /// Where this descriptor goes.
    Duplicate(u8),
    /// Nowhere at all.
    Close,
    /// Read from this text.
    Text(Vec<u8>),
}

/// Why there is no plan, and the place in the text.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{message}")]
pub struct PlanError {
    /// What is wrong, in a few words.
    pub message: String,
    /// The bytes of the text that are meant.
    pub span: Span,
}

impl PlanError {
    pub(crate) fn of(leave: Leave) -> Self {
        match leave {
            Leave::Fault(fault) => Self { message: fault.message, span: fault.span },
            other => Self { message: other.message(), span: Span::default() },
        }
    }
}

impl Plan {
    /// Expands and resolves a pipeline. Commands in words run now, in `world`.
    ///
    /// # Errors
    /// Words that cannot be expanded.
    pub fn new(
        pipeline: &Pipeline,
        variables: &Variables,
        world: &dyn World,
    ) -> Result<Self, PlanError> {
        let surroundings = NoSurroundings(world);
        let cancel = Cancel::default();
        let ports = Ports::default();
        let mut shell = Shell::new(&surroundings, 0, world, &cancel, ports, variables.clone());
        shell.plans_eagerly = true;
        Self::of_pipeline(pipeline, &mut shell).map_err(PlanError::of)
    }

    /// As [`Plan::new`], in a shell.
    pub(crate) fn of_pipeline(pipeline: &Pipeline, shell: &mut Shell<'_>) -> Run<Self> {
        let stages = pipeline.commands.iter().map(|command| {
            // What expansions change is not seen by the other stages.
            let mut inner = shell.subshell(shell.ports.clone());
            inner.plans_eagerly = shell.plans_eagerly;
            stage(command, &mut inner)
        });
        Ok(Self { stages: stages.collect::<Run<_>>()? })
    }

    /// Builds every native filter once, to find what is wrong with options before anything runs.
    ///
    /// # Errors
    /// The first argument a filter cannot work with, at its place in `text`.
    pub fn check(&self, text: &str) -> Result<(), PlanError> {
        for stage in &self.stages {
            if let StageKind::Host(name) = &stage.kind
                && !stage.start().is_there()
            {
                let name = String::from_utf8_lossy(name);
                let message = format!("{name}: no filter or program of this name");
                let length = name.len().min(stage.span.end - stage.span.start);
                let at =
                    text.get(stage.span.range()).and_then(|text| text.find(&*name)).unwrap_or(0);
                let start = stage.span.start + at;
                return Err(PlanError { message, span: Span::new(start, start + length) });
            }
            let StageKind::Native(definition) = &stage.kind else { continue };
            let Err(error) = definition.build(&stage.arguments) else { continue };
            let name = definition.spec.name;
            let mut span = stage.span;
            if let Some(argument) = error.word.and_then(|word| stage.argument_spans.get(word)) {
                span = *argument;
                if let (Some(part), Some(word)) = (&error.part, error.word) {
                    span = part_span(text, span, &stage.arguments[word], part.clone());
                }
            }
            return Err(PlanError { message: format!("{name}: {}", error.first_line()), span });
        }
        Ok(())
    }
}

/// The place of some bytes of an argument's value, where the text holds the value as it is.
fn part_span(text: &str, span: Span, value: &[u8], part: std::ops::Range<usize>) -> Span {
    let Some(source) = text.get(span.range()) else { return span };
    let Ok(value) = std::str::from_utf8(value) else { return span };
    // An option's value may stand behind its letter: the value ends where the word ends.
    match source.rfind(value) {
        Some(at) if !value.is_empty() && part.end <= value.len() => {
            Span::new(span.start + at + part.start, span.start + at + part.end.max(part.start + 1))
        }
        _ => span,
    }
}

/// What a stage of a pipeline runs.
fn stage(command: &Command, shell: &mut Shell<'_>) -> Run<StagePlan> {
    let redirections_run_commands = command.redirections.iter().any(|one| match &one.kind {
        RedirectionKind::Document(document) => expand::parts_run_commands(document.parts()),
        kind => kind.word().is_some_and(expand::runs_commands),
    });
    if command.compound.is_some() {
        if redirections_run_commands {
            return Ok(StagePlan::of_shell(command, shell));
        }
        // Its redirections are those of the stage, so that what it reads is known.
        let targets = shell.targets(&command.redirections)?;
        let bare = Command { redirections: Vec::new(), ..command.clone() };
        let mut stage = StagePlan::of_shell(&bare, shell);
        stage.targets.splice(0..0, targets);
        return Ok(stage);
    }
    // Commands in words may read what the stage before writes, so that stage must run first.
    if expand::command_runs_commands(command) && !shell.plans_eagerly {
        return Ok(StagePlan::of_shell(command, shell));
    }
    let mut words = Vec::new();
    let mut spans = Vec::new();
    for word in &command.words {
        for field in shell.fields(word)? {
            words.push(field);
            spans.push(word.span);
        }
    }
    if words.first().is_some_and(|name| is_shells(name, &shell.state)) {
        return Ok(StagePlan::of_shell(command, shell));
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
    Ok(StagePlan::simple(command, words, spans, targets, shell))
}

impl Target {
    /// What a redirection leads to; `&>` becomes two.
    pub(crate) fn expand(
        redirection: &Redirection,
        shell: &mut Shell<'_>,
        targets: &mut Vec<Self>,
    ) -> Run<()> {
        let span = redirection.span;
        let mut path =
            |word| -> Run<PathBuf> { Ok(PathBuf::from(OsStr::from_bytes(&shell.value(word)?))) };
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
                return Leave::fault(message, span, 2);
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
        targets.push(Self { descriptor: redirection.descriptor, kind, span });
        if let RedirectionKind::ReplaceBoth(_) | RedirectionKind::AppendBoth(_) = redirection.kind {
            targets.push(Self { descriptor: 2, kind: TargetKind::Duplicate(1), span });
        }
        Ok(())
    }
}

impl StagePlan {
    /// A filter with its arguments, and nothing else.
    pub(crate) fn of_filter(definition: &'static Definition, arguments: Vec<Vec<u8>>) -> Self {
        Self::of(StageKind::Native(definition), arguments, Environment::default())
    }

    /// A command that stands in no text.
    pub(crate) fn of(kind: StageKind, arguments: Vec<Vec<u8>>, environment: Environment) -> Self {
        Self {
            kind,
            arguments,
            argument_spans: Vec::new(),
            environment,
            targets: Vec::new(),
            substitutions: Vec::new(),
            state: None,
            directory: None,
            span: Span::new(0, 0),
            off: None,
        }
    }

    /// A part of the shell as a stage: it expands its words itself.
    fn of_shell(command: &Command, shell: &Shell<'_>) -> Self {
        let mut command = command.clone();
        let errors_too = std::mem::take(&mut command.errors_too);
        let (span, off) = (command.span, command.off);
        let mut stage =
            Self::of(StageKind::Shell(Arc::new(command)), Vec::new(), Environment::default());
        stage.state = Some(Arc::new(shell.state.clone()));
        stage.directory.clone_from(&shell.state.directory);
        if errors_too {
            let kind = TargetKind::Duplicate(1);
            stage.targets.push(Target { descriptor: 2, kind, span });
        }
        Self { span, off, ..stage }
    }

    /// A filter or a program, its words expanded.
    pub(crate) fn simple(
        command: &Command,
        mut words: Vec<Vec<u8>>,
        mut spans: Vec<Span>,
        mut targets: Vec<Target>,
        shell: &mut Shell<'_>,
    ) -> Self {
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
        let environment = shell.state.environment();
        let substitutions = std::mem::take(&mut shell.substitutions);
        let state = (!substitutions.is_empty()).then(|| Arc::new(shell.state.clone()));
        Self {
            kind,
            arguments: words.split_off(drop_name),
            argument_spans: spans.split_off(drop_name),
            environment,
            targets,
            substitutions,
            state,
            directory: shell.state.directory.clone(),
            span: command.span,
            off: command.off,
        }
    }

    /// True for a filter that goes on with what its files get.
    pub fn follows(&self) -> bool {
        let StageKind::Native(definition) = &self.kind else { return false };
        definition.follows(&self.arguments)
    }

    /// The name of what runs.
    pub fn name(&self) -> String {
        match &self.kind {
            StageKind::Native(definition) => definition.spec.name.to_owned(),
            StageKind::Host(name) => String::from_utf8_lossy(name).into_owned(),
            StageKind::Shell(command) => label(command),
            StageKind::Nothing => String::new(),
        }
    }

    /// The name and the arguments.
    pub fn words(&self) -> Vec<Vec<u8>> {
        let name = match &self.kind {
            StageKind::Host(name) => name.clone(),
            _ => self.name().into_bytes(),
        };
        std::iter::once(name).chain(self.arguments.iter().cloned()).collect()
    }

    /// True when its standard output goes to the next stage (or the screen), not to a file.
    pub fn feeds_next(&self) -> bool {
        !self.targets.iter().any(|target| {
            target.descriptor == 1 && !matches!(target.kind, TargetKind::Duplicate(1))
        })
    }

    /// What starting it would be, for a program.
    pub(crate) fn start(&self) -> Start {
        Start::new(self.words(), self.directory.clone(), &self.environment)
    }

    /// The files it writes by redirection, in order.
    pub fn written(&self) -> impl Iterator<Item = (&Path, bool, &Target)> {
        self.targets.iter().filter_map(|target| match &target.kind {
            TargetKind::Replace(path) => Some((path.as_path(), false, target)),
            TargetKind::Append(path) => Some((path.as_path(), true, target)),
            TargetKind::Read(_)
            | TargetKind::ReadWrite(_)
            | TargetKind::Duplicate(_)
            | TargetKind::Close
            | TargetKind::Text(_) => None,
        })
    }

    /// Everything that decides what the stage does, as one text to compare.
    pub(crate) fn key(&self) -> Vec<u8> {
        let mut key = self.name().into_bytes();
        for argument in &self.arguments {
            key.push(0);
            key.extend_from_slice(argument);
        }
        for substitution in &self.substitutions {
            key.extend_from_slice(format!("\0({:?}", substitution.list).as_bytes());
        }
        if let StageKind::Shell(command) = &self.kind {
            key.extend_from_slice(shell::print_command(command).as_bytes());
        }
        if let Some(state) = &self.state {
            key.extend_from_slice(&state.key());
        }
        key.extend_from_slice(format!("{:?}{:?}", self.environment, self.directory).as_bytes());
        for target in &self.targets {
            key.extend_from_slice(format!("\0>{}{:?}", target.descriptor, target.kind).as_bytes());
        }
        key
    }
}

/// How a part of the shell is called in few words.
fn label(command: &Command) -> String {
    use shell::Compound;
    let Some(compound) = &command.compound else {
        return command.name().unwrap_or_else(|| "command".to_owned());
    };
    match &**compound {
        Compound::Group(_) => "{ … }".to_owned(),
        Compound::Subshell(_) => "( … )".to_owned(),
        Compound::If { .. } => "if".to_owned(),
        Compound::Loop { until: false, .. } => "while".to_owned(),
        Compound::Loop { until: true, .. } => "until".to_owned(),
        Compound::For { name, .. } => format!("for {name}"),
        Compound::Case { .. } => "case".to_owned(),
        Compound::Function { name, .. } => format!("{name}()"),
        Compound::Test(_) => "[[ … ]]".to_owned(),
    }
}
