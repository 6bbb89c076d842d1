//! A filter that fails inside, for tests of what runs filters. It is in no list of filters.

use stream::{ExitStatus, StageError, StageIo};

use crate::{Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb};

static SPEC: Spec = Spec {
    name: "failing",
    summary: "fails inside after one line",
    options: &[],
    operands: Operands::Files,
    operand_names: "",
    style: Style::Own,
    usage_status: 1,
    examples: &[],
};

/// Writes nothing and panics.
pub static PANICKING: Definition = Definition { spec: &SPEC, build, explain };

struct Panicking;

fn build(_arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Panicking))
}

fn explain(_arguments: &Arguments) -> String {
    SPEC.summary.to_owned()
}

impl Filter for Panicking {
    #[allow(clippy::panic)] // that is what it is for
    fn run(&mut self, _io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        panic!("a filter that fails inside");
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }
}
