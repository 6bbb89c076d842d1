//! `sha256sum`: writes the SHA-256 sum of files, or checks it.

use crate::common::checksum::{Kind, OPTIONS, build, explain};
use crate::spec::{Definition, Operands, Spec, Style, example};

static SPEC: Spec = Spec {
    name: "sha256sum",
    summary: "writes the SHA-256 sum of files, or checks it",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("sha256sum *.txt > SUMS", "the sums of several files"),
        example("sha256sum -c SUMS", "whether they are still the same"),
    ],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, |arguments| build(arguments, Kind::Sha256, &SPEC), explain);
