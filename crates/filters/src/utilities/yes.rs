//! `yes`: writes a line repeatedly until its reader closes.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example,
};

static SPEC: Spec = Spec {
    name: "yes",
    summary: "writes a line repeatedly until its reader closes",
    options: &[],
    operands: Operands::Values,
    operand_names: "[text …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("yes card=4711 | head -n 3", "the line three times")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Yes {
    line: Vec<u8>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let words = arguments.operand_values();
    let mut line = if words.is_empty() { b"y".to_vec() } else { words.join(&b' ') };
    line.push(b'\n');
    Ok(Box::new(Yes { line }))
}

fn explain(arguments: &Arguments) -> String {
    let words = arguments.operand_values();
    let line = if words.is_empty() { b"y".to_vec() } else { words.join(&b' ') };
    format!("writes “{}” again and again", String::from_utf8_lossy(&line))
}

impl Filter for Yes {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let lines = self.line.repeat((16 << 10) / self.line.len() + 1);
        loop {
            io.out().put(&lines, Origin::None)?;
            io.check_cancel()?;
        }
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
