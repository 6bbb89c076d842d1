//! `rev`: reverses the characters of each line.

use stream::{ExitStatus, StageError, StageIo};

use crate::common::input::line_feed::edit_lines;
use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example,
};
use crate::text::characters;
use crate::text::phrases::from_files;

static SPEC: Spec = Spec {
    name: "rev",
    summary: "reverses the characters of each line",
    options: &[],
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("rev gate.log | cut -d' ' -f1 | rev", "the last field of each line")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Rev {
    files: Vec<Vec<u8>>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Rev { files: arguments.operand_values() }))
}

fn explain(arguments: &Arguments) -> String {
    format!("reverses the characters of each line{}", from_files(&arguments.operand_values()))
}

impl Filter for Rev {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        edit_lines(io, &self.files, 1, |line, turned| {
            if line.is_ascii() {
                turned.extend(line.iter().rev());
                return;
            }
            let characters: Vec<&[u8]> = characters::each(line).map(|(_, bytes)| bytes).collect();
            for bytes in characters.into_iter().rev() {
                turned.extend_from_slice(bytes);
            }
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}
