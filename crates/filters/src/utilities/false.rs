//! `false`: does nothing, with status 1.

use crate::common::constant_status::Constant;
use crate::spec::{Definition, Operands, Spec, Style};

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

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, |_| Ok(Box::new(Constant(1))), |_| SPEC.summary.to_owned());
