//! From a syntax tree to stages ready to run: words expanded, filters found, options checked.

use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use filters::Definition;
use shell::{Command, Parameter, Pipeline, RedirectionKind, Span};
use stream::World;
use thiserror::Error;

use crate::expand;

/// Variables and positional parameters of a run.
#[derive(Clone, Debug, Default)]
pub struct Variables {
    set: BTreeMap<String, Vec<u8>>,
    zero: Vec<u8>,
    positional: Vec<Vec<u8>>,
    status: u8,
}

impl Variables {
    /// `$0` and `$1`, `$2`, …
    pub fn new(zero: impl Into<Vec<u8>>, positional: Vec<Vec<u8>>) -> Self {
        Self { zero: zero.into(), positional, ..Self::default() }
    }

    /// Sets a variable.
    pub fn set(&mut self, name: &str, value: Vec<u8>) {
        self.set.insert(name.to_owned(), value);
    }

    /// Sets `$?`.
    pub fn set_status(&mut self, status: u8) {
        self.status = status;
    }

    /// A variable's value, from this run or the environment.
    pub(crate) fn get(&self, name: &str, world: &dyn World) -> Option<Vec<u8>> {
        self.set.get(name).cloned().or_else(|| expand::environment(name, world))
    }

    pub(crate) fn positional(&self) -> &[Vec<u8>] {
        &self.positional
    }

    /// The values a parameter stands for; several only for `$@` and `$*`.
    pub(crate) fn values(&self, parameter: &Parameter, world: &dyn World) -> Vec<Vec<u8>> {
        let one = match parameter {
            Parameter::All | Parameter::AllJoined => return self.positional.clone(),
            Parameter::Variable(name) => self.get(name, world).unwrap_or_default(),
            Parameter::Position(0) => self.zero.clone(),
            Parameter::Position(number) => {
                self.positional.get(number - 1).cloned().unwrap_or_default()
            }
            Parameter::Count => self.positional.len().to_string().into_bytes(),
            Parameter::Status => self.status.to_string().into_bytes(),
            Parameter::Process => std::process::id().to_string().into_bytes(),
        };
        vec![one]
    }
}

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
    /// `NAME=value` before the name.
    pub assignments: Vec<(String, Vec<u8>)>,
    /// Redirections, in order.
    pub targets: Vec<Target>,
    /// Pipelines that stand in the place of files, with the names the arguments have for them.
    pub substitutions: Vec<(Vec<u8>, Plan)>,
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
    /// Where this descriptor goes.
    Duplicate(u8),
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

impl Plan {
    /// Expands and resolves a pipeline.
    ///
    /// # Errors
    /// A redirection between descriptors that cannot be.
    pub fn new(
        pipeline: &Pipeline,
        variables: &Variables,
        world: &dyn World,
    ) -> Result<Self, PlanError> {
        let stages = pipeline.commands.iter().map(|command| stage(command, variables, world));
        Ok(Self { stages: stages.collect::<Result<_, _>>()? })
    }

    /// Builds every native filter once, to find what is wrong with options before anything runs.
    ///
    /// # Errors
    /// The first argument a filter cannot work with, at its place in `text`.
    pub fn check(&self, text: &str) -> Result<(), PlanError> {
        for stage in &self.stages {
            for (_, plan) in &stage.substitutions {
                plan.check(text)?;
            }
            if let (StageKind::Host(_), false) = (&stage.kind, stage.substitutions.is_empty()) {
                let message = "<( … ) is supported for filters, not for programs".to_owned();
                return Err(PlanError { message, span: stage.span });
            }
            if let StageKind::Host(name) = &stage.kind
                && !is_program(name)
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

/// True when the machine has a program of this name, or the name is a path to one.
fn is_program(name: &[u8]) -> bool {
    use rustix::fs::{Access, access};
    let runs = |path: &Path| path.is_file() && access(path, Access::EXEC_OK).is_ok();
    let name = Path::new(OsStr::from_bytes(name));
    if name.components().count() != 1 {
        return runs(name);
    }
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).any(|folder| runs(&folder.join(name)))
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

fn stage(
    command: &Command,
    variables: &Variables,
    world: &dyn World,
) -> Result<StagePlan, PlanError> {
    let mut words = Vec::new();
    let mut spans = Vec::new();
    let mut substitutions = Vec::new();
    for word in &command.words {
        if let [shell::Part::Substituted(pipeline)] = &word.parts[..] {
            // The names that shells give them.
            let name = format!("/dev/fd/{}", 63 - substitutions.len() % 50).into_bytes();
            substitutions.push((name.clone(), Plan::new(pipeline, variables, world)?));
            words.push(name);
            spans.push(word.span);
            continue;
        }
        for field in expand::fields(word, variables, world) {
            words.push(field);
            spans.push(word.span);
        }
    }
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
    let path = |word| PathBuf::from(OsStr::from_bytes(&expand::value(word, variables, world)));
    let mut targets = Vec::new();
    for redirection in &command.redirections {
        let kind = match &redirection.kind {
            RedirectionKind::Read(word) => TargetKind::Read(path(word)),
            RedirectionKind::Replace(word) => TargetKind::Replace(path(word)),
            RedirectionKind::Append(word) => TargetKind::Append(path(word)),
            RedirectionKind::Duplicate(of) => TargetKind::Duplicate(*of),
        };
        let reads = matches!(kind, TargetKind::Read(_));
        let crossed = match &kind {
            TargetKind::Duplicate(of) => (redirection.descriptor == 0) != (*of == 0),
            _ => reads != (redirection.descriptor == 0),
        };
        if crossed {
            let message = if reads {
                format!("reading from descriptor {} is not supported yet", redirection.descriptor)
            } else {
                "writing to descriptor 0 is not supported yet".to_owned()
            };
            return Err(PlanError { message, span: redirection.span });
        }
        targets.push(Target { descriptor: redirection.descriptor, kind, span: redirection.span });
    }
    // Each assignment sees those before it.
    let mut assigned = variables.clone();
    let mut assignments = Vec::new();
    for assignment in &command.assignments {
        let value = expand::value(&assignment.value, &assigned, world);
        assigned.set(&assignment.name, value.clone());
        assignments.push((assignment.name.clone(), value));
    }
    let drop_name = usize::from(!words.is_empty());
    Ok(StagePlan {
        kind,
        arguments: words.split_off(drop_name),
        argument_spans: spans.split_off(drop_name),
        assignments,
        targets,
        substitutions,
        span: command.span,
        off: command.off,
    })
}

impl StagePlan {
    /// A filter with its arguments, and nothing else.
    pub(crate) fn of_filter(definition: &'static Definition, arguments: Vec<Vec<u8>>) -> Self {
        Self::of(StageKind::Native(definition), arguments, Vec::new())
    }

    /// A command that stands in no text.
    pub(crate) fn of(
        kind: StageKind,
        arguments: Vec<Vec<u8>>,
        assignments: Vec<(String, Vec<u8>)>,
    ) -> Self {
        Self {
            kind,
            arguments,
            argument_spans: Vec::new(),
            assignments,
            targets: Vec::new(),
            substitutions: Vec::new(),
            span: Span::new(0, 0),
            off: None,
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
            StageKind::Nothing => String::new(),
        }
    }

    /// True when its standard output goes to the next stage (or the screen), not to a file.
    pub fn feeds_next(&self) -> bool {
        !self.targets.iter().any(|target| {
            target.descriptor == 1 && !matches!(target.kind, TargetKind::Duplicate(1))
        })
    }

    /// The files it writes by redirection, in order.
    pub fn written(&self) -> impl Iterator<Item = (&Path, bool, &Target)> {
        self.targets.iter().filter_map(|target| match &target.kind {
            TargetKind::Replace(path) => Some((path.as_path(), false, target)),
            TargetKind::Append(path) => Some((path.as_path(), true, target)),
            _ => None,
        })
    }

    /// Everything that decides what the stage does, as one text to compare.
    pub(crate) fn key(&self) -> Vec<u8> {
        let mut key = self.name().into_bytes();
        for argument in &self.arguments {
            key.push(0);
            key.extend_from_slice(argument);
        }
        for (name, value) in &self.assignments {
            key.extend_from_slice(b"\0=");
            key.extend_from_slice(name.as_bytes());
            key.push(b'=');
            key.extend_from_slice(value);
        }
        for (_, plan) in &self.substitutions {
            for stage in &plan.stages {
                key.extend_from_slice(b"\0(");
                key.extend_from_slice(&stage.key());
            }
        }
        for target in &self.targets {
            key.extend_from_slice(format!("\0>{}{:?}", target.descriptor, target.kind).as_bytes());
        }
        key
    }
}
