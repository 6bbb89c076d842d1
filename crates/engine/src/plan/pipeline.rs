//! From a syntax tree to stages ready to run: words expanded, filters found, options checked.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use filters::{Definition, Filter};
use shell::{Command, Span};
use stream::{Environment, WorkingFolder};

use crate::plan::error::PlanError;
use crate::plan::substitution::Substitution;
use crate::plan::target::{Target, TargetKind};
use crate::plan::variables::Variables;
use crate::policy::Start;

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
    pub(crate) directory: Option<WorkingFolder>,
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

impl Plan {
    /// Builds every native filter once, to find what is wrong with options before anything runs.
    /// Gives the filters, stage by stage; they tell what the stages do and are not run. What is
    /// wrong is the first argument a filter cannot work with, or a name that is none, at its place in
    /// `text`; the filters are then those of the stages before it.
    pub fn check(&self, text: &str) -> (Vec<Option<Arc<dyn Filter>>>, Option<PlanError>) {
        let mut filters = Vec::new();
        let wrong = self.build_filters(text, &mut filters).err();
        if wrong.is_some() {
            filters.pop();
        }
        (filters, wrong)
    }

    /// Adds a filter for each stage, up to the first that is wrong.
    fn build_filters(
        &self,
        text: &str,
        filters: &mut Vec<Option<Arc<dyn Filter>>>,
    ) -> Result<(), PlanError> {
        for stage in &self.stages {
            filters.push(None);
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
            let error = match definition.build(&stage.arguments) {
                Ok(filter) => {
                    filters.pop();
                    filters.push(Some(Arc::from(filter)));
                    continue;
                }
                Err(error) => error,
            };
            let name = definition.spec.name;
            let mut span = stage.span;
            if let Some(argument) = error.word.and_then(|word| stage.argument_spans.get(word)) {
                span = *argument;
                if let (Some(part), Some(word)) = (&error.part, error.word) {
                    span = part_span(text, span, &stage.arguments[word], part.clone());
                }
            }
            let mut message = format!("{name}: {}", error.first_line());
            if let Some(path) = stage.start().file().filter(|_| error.unknown_option) {
                let path = path.display();
                message.push_str(&format!("; {path} may have it: command {name} starts that one"));
            }
            return Err(PlanError { message, span });
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

impl StagePlan {
    /// A filter with its arguments, and nothing else.
    pub(crate) fn of_filter(definition: &'static Definition, arguments: Vec<Vec<u8>>) -> Self {
        Self::of(StageKind::Native(definition), arguments, Environment::default())
    }

    /// A command that is in no text.
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

    /// True for a filter that continues with what its files get.
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

    /// A path as the stage means it: from where it is.
    pub fn at(&self, path: &Path) -> PathBuf {
        self.directory
            .as_ref()
            .map_or_else(|| path.to_owned(), |directory| directory.path().join(path))
    }

    /// What starting it would be, for a program.
    pub(crate) fn start(&self) -> Start {
        Start::new(self.words(), self.directory.clone(), &self.environment)
    }

    /// The redirection that standard input has in the end.
    pub fn input_target(&self) -> Option<&TargetKind> {
        let of_input = self.targets.iter().rev().find(|target| target.descriptor == 0);
        of_input.map(|target| &target.kind)
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

    /// The command that is in the place of this file, as it is in the text: `<(sort x)`.
    pub fn substituted(&self, name: &[u8]) -> Option<String> {
        self.substitutions.iter().find(|one| one.name == name).map(Substitution::text)
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn part_of_an_argument_has_its_place_where_the_text_holds_it_as_it_is() {
        let text = "seq 3 | grep 'a(b' x";
        let word = Span::new(13, 18);
        let place = |value: &str, part| {
            let span = part_span(text, word, value.as_bytes(), part);
            &text[span.range()]
        };
        assert_eq!(place("a(b", 1..2), "(");
        assert_eq!(place("a(b", 2..3), "b");
        // At least one character; the end of the value is its quote.
        assert_eq!(place("a(b", 1..1), "(");
        assert_eq!(place("a(b", 3..3), "'");
        // Of a value that is not there as it is, or not so long, the whole word.
        assert_eq!(place("a\\(b", 1..2), "'a(b'");
        assert_eq!(place("a(b", 2..4), "'a(b'");
        assert_eq!(place("", 0..0), "'a(b'");
        assert_eq!(part_span(text, word, b"\xff", 0..1), word);
        // After the letter of its option.
        assert_eq!(part_span("cut -d: -f0,2", Span::new(8, 13), b"0,2", 0..1), Span::new(10, 11));
        assert_eq!(part_span("cut", Span::new(8, 13), b"0", 0..1), Span::new(8, 13));
    }
}
