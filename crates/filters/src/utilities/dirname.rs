//! `dirname`: writes a path without its last part.

use crate::common::path_output::Names;
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, example, option,
};

const OPTIONS: &[OptionSpec] =
    &[option('z', "zero", None, "end names with NUL, not newline", false)];

static SPEC: Spec = Spec {
    name: "dirname",
    summary: "writes a path without its last part",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "path …",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("dirname /srv/kestrel/gate.log", "/srv/kestrel")],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, build, |_| SPEC.summary.to_owned());

fn directory(path: &[u8]) -> &[u8] {
    let trimmed = |path: &[u8]| path.iter().rposition(|byte| *byte != b'/').map_or(0, |at| at + 1);
    let end = trimmed(path);
    if end == 0 {
        return if path.is_empty() { b"." } else { b"/" };
    }
    match path[..end].iter().rposition(|byte| *byte == b'/') {
        None => b".",
        Some(at) => match trimmed(&path[..at]) {
            0 => b"/",
            length => &path[..length],
        },
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 1)?;
    let results = arguments.operand_values().iter().map(|name| directory(name).to_vec()).collect();
    Ok(Box::new(Names::new(results, arguments.has('z'))))
}
