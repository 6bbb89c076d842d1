//! `basename` and `dirname`.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::registry::Definition;
use crate::spec::{example, option};
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

const BASENAME_OPTIONS: &[OptionSpec] = &[
    option('a', "multiple", None, "every operand is a name", false),
    option('s', "suffix", Some("SUFFIX"), "drop this ending; means -a", false),
    option('z', "zero", None, "end names with NUL, not newline", false),
];

static BASENAME: Spec = Spec {
    name: "basename",
    summary: "writes the last part of a path",
    options: BASENAME_OPTIONS,
    operands: Operands::Values,
    operand_names: "path [suffix]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("basename /srv/kestrel/gate.log .log", "gate"),
        example("basename -s .txt -a logs/a.txt logs/b.txt", "a and b"),
    ],
};

const DIRNAME_OPTIONS: &[OptionSpec] =
    &[option('z', "zero", None, "end names with NUL, not newline", false)];

static DIRNAME: Spec = Spec {
    name: "dirname",
    summary: "writes a path without its last part",
    options: DIRNAME_OPTIONS,
    operands: Operands::Values,
    operand_names: "path …",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("dirname /srv/kestrel/gate.log", "/srv/kestrel")],
};

pub(crate) static BASENAME_DEFINITION: Definition =
    Definition { spec: &BASENAME, build: build_basename, explain: explain_basename };
pub(crate) static DIRNAME_DEFINITION: Definition =
    Definition { spec: &DIRNAME, build: build_dirname, explain: explain_dirname };

struct Names {
    results: Vec<Vec<u8>>,
    end: u8,
}

/// XBD `basename`: trailing slashes dropped, then everything up to the last slash.
fn base(path: &[u8]) -> &[u8] {
    let end = path.iter().rposition(|byte| *byte != b'/');
    match end {
        None if path.is_empty() => path,
        None => b"/",
        Some(last) => {
            let start = path[..last].iter().rposition(|byte| *byte == b'/').map_or(0, |at| at + 1);
            &path[start..=last]
        }
    }
}

fn directory(path: &[u8]) -> &[u8] {
    let trimmed = |path: &[u8]| path.iter().rposition(|byte| *byte != b'/').map_or(0, |at| at + 1);
    let end = trimmed(path);
    if end == 0 {
        return if path.is_empty() { b"." } else { b"/" };
    }
    match path[..end].iter().rposition(|byte| *byte == b'/') {
        None => b".",
        Some(at) => match trimmed(&path[..at]) {
            0 => b"/",
            length => &path[..length],
        },
    }
}

fn without_suffix<'p>(name: &'p [u8], suffix: &[u8]) -> &'p [u8] {
    match name.strip_suffix(suffix) {
        Some(rest) if !rest.is_empty() => rest,
        _ => name,
    }
}

fn build_basename(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&BASENAME, 1)?;
    let mut names = arguments.operand_values();
    let mut suffix = arguments.last('s').map(|given| given.value.clone()).unwrap_or_default();
    if !arguments.has('a') && !arguments.has('s') {
        arguments.at_most(&BASENAME, 2)?;
        if names.len() == 2 {
            suffix = names.pop().unwrap_or_default();
        }
    }
    let results = names.iter().map(|name| without_suffix(base(name), &suffix).to_vec()).collect();
    Ok(Box::new(Names { results, end: if arguments.has('z') { 0 } else { b'\n' } }))
}

fn build_dirname(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&DIRNAME, 1)?;
    let results = arguments.operand_values().iter().map(|name| directory(name).to_vec()).collect();
    Ok(Box::new(Names { results, end: if arguments.has('z') { 0 } else { b'\n' } }))
}

fn explain_basename(_arguments: &Arguments) -> String {
    BASENAME.summary.to_owned()
}

fn explain_dirname(_arguments: &Arguments) -> String {
    DIRNAME.summary.to_owned()
}

impl Filter for Names {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        for result in &self.results {
            let mut line = result.clone();
            line.push(self.end);
            io.out().put(&line, Origin::None)?;
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
