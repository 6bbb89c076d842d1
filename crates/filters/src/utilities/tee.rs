//! `tee`: copies its input to files and to its output.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use stream::{Block, ExitStatus, Sink, StageError, StageIo, WriteError, WriteMode};

use crate::common::input::line_feed::read_failure;
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};
use crate::text::phrases::list;

const OPTIONS: &[OptionSpec] = &[
    option('a', "append", None, "append to the files instead of replacing them", true),
    option(
        'i',
        "ignore-interrupts",
        None,
        "continue when interrupted (accepted; a run is cancelled as a whole)",
        true,
    ),
    option('p', "", None, "continue when a reader has closed its end", false),
];

static SPEC: Spec = Spec {
    name: "tee",
    summary: "copies its input to files and to its output",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example(
        "grep refused gate.log | tee refused.txt | wc -l",
        "keeps the lines and counts them",
    )],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Tee {
    files: Vec<Vec<u8>>,
    append: bool,
    stays: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Tee {
        files: arguments.operand_values(),
        append: arguments.has('a'),
        stays: arguments.has('p'),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let names: Vec<String> = arguments
        .operands
        .iter()
        .map(|operand| String::from_utf8_lossy(&operand.value).into_owned())
        .collect();
    if names.is_empty() {
        return "passes everything on".to_owned();
    }
    let how = if arguments.has('a') { "adds everything to" } else { "writes everything to" };
    format!("{how} {} and passes it on", list(&names))
}

impl Filter for Tee {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mode = if self.append { WriteMode::Append } else { WriteMode::Replace };
        let mut files: Vec<(String, Option<Arc<dyn Sink>>)> = Vec::new();
        for file in &self.files {
            let name = String::from_utf8_lossy(file).into_owned();
            match io.files().write(Path::new(OsStr::from_bytes(file)), mode) {
                Ok(sink) => files.push((name, Some(sink))),
                Err(error) => {
                    io.note_status(1);
                    io.message(&format!("{name}: {}", stream::describe(&error)))?;
                }
            }
        }
        let mut onwards = true;
        let mut input = io.open_stdin();
        while let Some(lines) =
            input.next_block().map_err(|error| read_failure(1, b"read error", error))?
        {
            for (name, sink) in &mut files {
                let Some(open) = sink else { continue };
                match open.write(Block::counted(lines.bytes.clone(), lines.newlines)) {
                    Ok(()) => {}
                    Err(WriteError::Cancelled) => return Err(StageError::Cancelled),
                    Err(error) => {
                        // The others still get everything.
                        *sink = None;
                        io.note_status(1);
                        io.message(&format!("{name}: {error}"))?;
                    }
                }
            }
            if onwards {
                match io.out().pass_lines(lines) {
                    Ok(()) => {}
                    Err(WriteError::Closed) if self.stays => onwards = false,
                    Err(error) => return Err(error.into()),
                }
            }
            if !onwards && files.iter().all(|(_, sink)| sink.is_none()) {
                break;
            }
        }
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Copies
    }
}
