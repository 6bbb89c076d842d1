//! `basename`: writes the last part of a path.

use crate::common::path_output::Names;
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, example, option,
};

const OPTIONS: &[OptionSpec] = &[
    option('a', "multiple", None, "every operand is a name", false),
    option('s', "suffix", Some("SUFFIX"), "drop this ending; means -a", false),
    option('z', "zero", None, "end names with NUL, not newline", false),
];

static SPEC: Spec = Spec {
    name: "basename",
    summary: "writes the last part of a path",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "path [suffix]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("basename /srv/kestrel/gate.log .log", "gate"),
        example("basename -s .txt -a logs/a.txt logs/b.txt", "a and b"),
    ],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, build, |_| SPEC.summary.to_owned());

/// XBD `basename`: trailing slashes dropped, then everything up to the last slash.
fn base(path: &[u8]) -> &[u8] {
    let end = path.iter().rposition(|byte| *byte != b'/');
    match end {
        None if path.is_empty() => path,
        None => b"/",
        Some(last) => {
            let start = path[..last].iter().rposition(|byte| *byte == b'/').map_or(0, |at| at + 1);
            &path[start..=last]
        }
    }
}

fn without_suffix<'p>(name: &'p [u8], suffix: &[u8]) -> &'p [u8] {
    match name.strip_suffix(suffix) {
        Some(rest) if !rest.is_empty() => rest,
        _ => name,
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 1)?;
    let mut names = arguments.operand_values();
    let mut suffix = arguments.last('s').map(|given| given.value.clone()).unwrap_or_default();
    if !arguments.has('a') && !arguments.has('s') {
        arguments.at_most(&SPEC, 2)?;
        if names.len() == 2 {
            suffix = names.pop().unwrap_or_default();
        }
    }
    let results = names.iter().map(|name| without_suffix(base(name), &suffix).to_vec()).collect();
    Ok(Box::new(Names::new(results, arguments.has('z'))))
}
