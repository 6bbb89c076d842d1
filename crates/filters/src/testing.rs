//! A filter that fails inside, for tests of what runs filters; it is in no list of filters. And ways
//! to the parsers of programs without running them.

use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb};

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
pub static PANICKING: Definition = Definition::new(&SPEC, build, explain);

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

/// Parses a text as the program of `awk`, `sed` or `bc`, to its end or its first error, and finds
/// its parts, but runs nothing. True where it is a program.
pub fn parses(filter: &str, text: &[u8]) -> bool {
    if filter == "bc" {
        return crate::languages::bc::parses(text);
    }
    let Some(definition) = crate::registry::find(filter.as_bytes()) else { return false };
    let arguments = [text.to_vec()];
    let parts = definition.programs(&arguments);
    debug_assert!(
        parts
            .iter()
            .flat_map(|part| &part.shades)
            .all(|(range, _)| { range.start <= range.end && range.end <= text.len() })
    );
    definition.build(&arguments).is_ok()
}
