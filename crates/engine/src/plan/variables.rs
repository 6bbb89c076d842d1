//! What a shell knows: variables, parameters, functions, options.

use std::collections::BTreeMap;
use std::os::unix::ffi::OsStringExt;
use std::sync::Arc;

use shell::{Command, Parameter};
use stream::{Environment, Files, WorkingFolder};

use crate::policy::matters_unexported;

/// A variable.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Variable {
    /// `None` for one of the environment that was unset here.
    pub(crate) value: Option<Vec<u8>>,
    /// Commands get it.
    pub(crate) exported: bool,
    pub(crate) read_only: bool,
}

/// Options of `set`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct ShellOptions {
    /// `-e`: a command that fails ends the shell.
    pub(crate) error_exit: bool,
    /// `-u`: a parameter without value is an error.
    pub(crate) no_unset: bool,
    /// `-f`: no file names.
    pub(crate) no_glob: bool,
    /// `-o pipefail`
    pub(crate) pipe_fail: bool,
}

/// Variables, parameters, functions and options of a run.
#[derive(Clone, Debug, Default)]
pub struct Variables {
    pub(crate) set: BTreeMap<String, Variable>,
    pub(crate) zero: Vec<u8>,
    pub(crate) positional: Vec<Vec<u8>>,
    pub(crate) status: u8,
    pub(crate) functions: BTreeMap<String, Arc<Command>>,
    pub(crate) options: ShellOptions,
    /// What is done at the end: `trap … EXIT`.
    pub(crate) at_exit: Option<Arc<str>>,
    /// Rights that new files do not get, where the text has set them, and what that was before.
    pub(crate) mask: Option<u32>,
    pub(crate) mask_at_first: Option<u32>,
    /// How far `getopts` has looked at which argument.
    pub(crate) option_at: Option<(usize, usize)>,
    /// Where the shell is, where that is not where the process is.
    pub(crate) directory: Option<WorkingFolder>,
    /// What `local` has put aside, a map for each function that runs.
    pub(crate) aside: Vec<BTreeMap<String, Option<Variable>>>,
}

impl Variables {
    /// `$0` and `$1`, `$2`, …
    pub fn new(zero: impl Into<Vec<u8>>, positional: Vec<Vec<u8>>) -> Self {
        Self { zero: zero.into(), positional, ..Self::default() }
    }

    /// The positional parameters.
    pub fn positional(&self) -> &[Vec<u8>] {
        &self.positional
    }

    /// The same with other positional parameters.
    #[must_use]
    pub fn with_positional(&self, positional: Vec<Vec<u8>>) -> Self {
        Self { positional, ..self.clone() }
    }

    /// What a shell that is started with this environment begins with.
    pub(crate) fn of_environment(environment: &Environment) -> Self {
        let mut variables = Self::new("sh", Vec::new());
        let exported = |value| Variable { value, exported: true, read_only: false };
        for name in &environment.unset {
            variables.set.insert(name.clone(), exported(None));
        }
        for (name, value) in &environment.set {
            variables.set.insert(name.clone(), exported(Some(value.clone())));
        }
        variables
    }

    /// Sets a variable.
    pub fn set(&mut self, name: &str, value: Vec<u8>) {
        self.set.entry(name.to_owned()).or_default().value = Some(value);
    }

    /// A variable's value, from this run or the environment.
    pub(crate) fn get(&self, name: &str, files: &dyn Files) -> Option<Vec<u8>> {
        match self.set.get(name) {
            Some(variable) => variable.value.clone(),
            None => files.variable(name).map(OsStringExt::into_vec),
        }
    }

    /// What a parameter means; `None` where it has no value. Not for `$@` and `$*`.
    pub(crate) fn parameter(&self, parameter: &Parameter, files: &dyn Files) -> Option<Vec<u8>> {
        Some(match parameter {
            Parameter::All | Parameter::AllJoined => return None,
            Parameter::Variable(name) => return self.get(name, files),
            Parameter::Position(0) => self.zero.clone(),
            Parameter::Position(number) => return self.positional.get(number - 1).cloned(),
            Parameter::Count => self.positional.len().to_string().into_bytes(),
            Parameter::Status => self.status.to_string().into_bytes(),
            Parameter::Process => std::process::id().to_string().into_bytes(),
            Parameter::Options => {
                let options = self.options;
                let letters =
                    [(options.error_exit, b'e'), (options.no_glob, b'f'), (options.no_unset, b'u')];
                letters.iter().filter(|(on, _)| *on).map(|(_, letter)| *letter).collect()
            }
        })
    }

    /// What the variables of a command started here are, beside those of the process.
    pub(crate) fn environment(&self) -> Environment {
        let mut environment = Environment::default();
        for (name, variable) in &self.set {
            match (&variable.value, variable.exported) {
                (Some(value), true) => environment.set.push((name.clone(), value.clone())),
                (None, true) => environment.unset.push(name.clone()),
                (Some(value), false) if matters_unexported(name) => {
                    environment.shell_only.push((name.clone(), value.clone()));
                }
                (_, false) => {}
            }
        }
        environment
    }

    /// All of it as one text to compare.
    pub(crate) fn key(&self) -> Vec<u8> {
        let shown = format!(
            "{:?} {:?} {:?} {:?} {:?}",
            self.set, self.zero, self.positional, self.options, self.directory
        );
        let mut key = shown.into_bytes();
        for (name, body) in &self.functions {
            key.extend_from_slice(format!("\0{name}() ").as_bytes());
            key.extend_from_slice(shell::print_command(body).as_bytes());
        }
        key
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_an_environment_sets_is_exported() {
        let environment = Environment {
            set: vec![("ROPE".to_owned(), b"9 t".to_vec())],
            unset: vec!["LANE".to_owned()],
            ..Environment::default()
        };
        let variables = Variables::of_environment(&environment);
        let known = |name: &str| variables.set.get(name).unwrap();
        assert_eq!(known("ROPE").value.as_deref(), Some(&b"9 t"[..]));
        assert_eq!(known("LANE").value, None);
        assert!(known("ROPE").exported && known("LANE").exported);
        assert!(!known("ROPE").read_only && !known("LANE").read_only);
    }
}
