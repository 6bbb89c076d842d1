//! `[`, which is `test` with an end.

use crate::spec::{Arguments, Definition, Filter, Operands, Spec, Style, UsageError};
use crate::utilities::test::{EXAMPLES, OPTIONS, explain, test};

static SPEC: Spec = Spec {
    name: "[",
    summary: "as test, with ] at the end",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "expression ]",
    style: Style::Own,
    usage_status: 2,
    examples: EXAMPLES,
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    match arguments.operands.split_last() {
        Some((last, rest)) if last.value == b"]" => test(&SPEC, rest),
        _ => Err(UsageError::new(&SPEC, None, "missing ‘]’")),
    }
}
