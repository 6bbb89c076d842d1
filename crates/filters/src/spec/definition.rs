//! A filter as it is listed: its description and the functions that make it, explain it and say
//! more of its arguments.

use stream::{ExitStatus, Origin, StageError, StageIo};

use super::arguments::{Arguments, UsageError};
use super::description::{Spec, Style};
use super::filter::{Filter, Verb};
use super::help_text::guide;
use super::shade::Program;

type Build = fn(&Arguments) -> Result<Box<dyn Filter>, UsageError>;

/// A filter's description and the functions that make it.
pub struct Definition {
    /// The description.
    pub spec: &'static Spec,
    build: Build,
    explain: fn(&Arguments) -> String,
    follows: fn(&Arguments) -> bool,
    programs: fn(&Arguments) -> Vec<Program>,
}

impl Definition {
    /// A filter that ends with its input and takes no programs. `build` makes it from its
    /// arguments, `explain` says in words what it does with them.
    pub(crate) const fn new(
        spec: &'static Spec,
        build: Build,
        explain: fn(&Arguments) -> String,
    ) -> Self {
        Self { spec, build, explain, follows: |_| false, programs: |_| Vec::new() }
    }

    /// With what says for which arguments it does not end by itself.
    pub(crate) const fn with_follows(mut self, follows: fn(&Arguments) -> bool) -> Self {
        self.follows = follows;
        self
    }

    /// With what finds the programs among its arguments.
    pub(crate) const fn with_programs(mut self, programs: fn(&Arguments) -> Vec<Program>) -> Self {
        self.programs = programs;
        self
    }

    /// Parses the arguments after the name.
    ///
    /// # Errors
    /// As [`Arguments::parse`].
    pub fn parse(&self, arguments: &[Vec<u8>]) -> Result<Arguments, UsageError> {
        Arguments::parse(self.spec, arguments)
    }

    /// Makes the filter from the arguments after its name.
    ///
    /// # Errors
    /// Options or operands it cannot work with.
    pub fn build(&'static self, arguments: &[Vec<u8>]) -> Result<Box<dyn Filter>, UsageError> {
        // What takes any word takes this one too, as `echo` does.
        let takes_options = self.spec.style != Style::Own;
        if takes_options && arguments.len() == 1 && arguments[0] == b"--help" {
            return Ok(Box::new(Help(self)));
        }
        (self.build)(&self.parse(arguments)?)
    }

    /// True when the filter with these arguments does not end by itself but continues with what
    /// is appended to files. Only parses: this is asked of every stage before every run.
    pub fn follows(&self, arguments: &[Vec<u8>]) -> bool {
        self.parse(arguments).is_ok_and(|arguments| (self.follows)(&arguments))
    }

    /// The programs among the arguments after the name; none where the arguments cannot be
    /// parsed. A program with an error is shaded as far as it is understood.
    pub fn programs(&self, arguments: &[Vec<u8>]) -> Vec<Program> {
        self.parse(arguments).map(|arguments| (self.programs)(&arguments)).unwrap_or_default()
    }

    /// Says in words what the filter with these arguments does; `None` for arguments it cannot
    /// work with.
    pub fn explain(&self, arguments: &[Vec<u8>]) -> Option<String> {
        let parsed = self.parse(arguments).ok()?;
        (self.build)(&parsed).ok()?;
        Some((self.explain)(&parsed))
    }
}

struct Help(&'static Definition);

impl Filter for Help {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        io.out().put(guide(self.0.spec).as_bytes(), Origin::None)?;
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
