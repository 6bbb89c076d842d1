use crate::registry::Definition;
use crate::truth::Constant;
use crate::{Operands, Spec, Style};

static SPEC: Spec = Spec {
    name: "false",
    summary: "does nothing, with status 1",
    options: &[],
    operands: Operands::Values,
    operand_names: "",
    style: Style::Own,
    usage_status: 1,
    examples: &[],
};

pub(crate) static DEFINITION: Definition = Definition {
    spec: &SPEC,
    build: |_| Ok(Box::new(Constant(1))),
    explain: |_| SPEC.summary.to_owned(),
};
