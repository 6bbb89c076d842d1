//! `true`: does nothing, successfully.

use crate::common::constant_status::Constant;
use crate::spec::{Definition, Operands, Spec, Style};

static SPEC: Spec = Spec {
    name: "true",
    summary: "does nothing, successfully",
    options: &[],
    operands: Operands::Values,
    operand_names: "",
    style: Style::Own,
    usage_status: 1,
    examples: &[],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, |_| Ok(Box::new(Constant(0))), |_| SPEC.summary.to_owned());
