//! `sleep`: waits.

use std::time::Duration;

use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example, shown,
};

static SPEC: Spec = Spec {
    name: "sleep",
    summary: "waits",
    options: &[],
    operands: Operands::Values,
    operand_names: "number[smhd] …",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("sleep 1.5", "one and a half seconds")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// The longest time waited in one go; `infinity` is this again and again.
const LONG: f64 = 1e9;

struct Sleep {
    seconds: f64,
}

fn seconds(text: &[u8]) -> Option<f64> {
    let text = std::str::from_utf8(text).ok()?;
    let (digits, factor) = match text.char_indices().next_back()? {
        (at, 's') => (&text[..at], 1.0),
        (at, 'm') => (&text[..at], 60.0),
        (at, 'h') => (&text[..at], 3600.0),
        (at, 'd') => (&text[..at], 86400.0),
        _ => (text, 1.0),
    };
    let number: f64 = digits.parse().ok()?;
    (number >= 0.0).then_some(number * factor)
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 1)?;
    let mut all = 0.0;
    for operand in &arguments.operands {
        let Some(part) = seconds(&operand.value) else {
            let message = format!("invalid time interval {}", shown(&operand.value));
            return Err(UsageError::with_hint(&SPEC, Some(operand.word), &message));
        };
        all += part;
    }
    Ok(Box::new(Sleep { seconds: all }))
}

fn explain(arguments: &Arguments) -> String {
    let all: f64 = arguments.operands.iter().filter_map(|operand| seconds(&operand.value)).sum();
    format!("waits {all} s")
}

impl Filter for Sleep {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut left = self.seconds;
        while left > 0.0 {
            let part = left.min(LONG);
            io.pause(Duration::from_secs_f64(part))?;
            left -= part;
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
