//! `md5sum`: writes the MD5 sum of files, or checks it (not safe against forgery).

use crate::common::checksum::{Kind, OPTIONS, build, explain};
use crate::spec::{Definition, Operands, Spec, Style, example};

static SPEC: Spec = Spec {
    name: "md5sum",
    summary: "writes the MD5 sum of files, or checks it (not safe against forgery)",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("md5sum gate.log", "the sum and the name")],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, |arguments| build(arguments, Kind::Md5, &SPEC), explain);
