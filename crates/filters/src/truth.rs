//! `true` and `false`.

use stream::{ExitStatus, StageError, StageIo};

use crate::registry::Definition;
use crate::{Arguments, Filter, Operands, Spec, Style, UsageError, Verb};

static TRUE: Spec = Spec {
    name: "true",
    summary: "does nothing, successfully",
    options: &[],
    operands: Operands::Values,
    operand_names: "",
    style: Style::Own,
    usage_status: 1,
    examples: &[],
};

static FALSE: Spec = Spec {
    name: "false",
    summary: "does nothing, with status 1",
    options: &[],
    operands: Operands::Values,
    operand_names: "",
    style: Style::Own,
    usage_status: 1,
    examples: &[],
};

pub(crate) static TRUE_DEFINITION: Definition =
    Definition { spec: &TRUE, build: |_| Ok(Box::new(Constant(0))), explain };
pub(crate) static FALSE_DEFINITION: Definition =
    Definition { spec: &FALSE, build: build_false, explain };

struct Constant(u8);

fn build_false(_arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Constant(1)))
}

fn explain(_arguments: &Arguments) -> String {
    "does nothing; only its status counts".to_owned()
}

impl Filter for Constant {
    fn run(&mut self, _io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        Ok(ExitStatus(self.0))
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
