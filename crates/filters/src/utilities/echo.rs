//! `echo`: writes its arguments as one line.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};
use crate::text::escapes::{Escape, Octal, read};

const OPTIONS: &[OptionSpec] = &[
    option('n', "", None, "no newline at the end", false),
    option('e', "", None, "understand escapes such as \\n and \\t", false),
    option('E', "", None, "no escapes (as without an option)", false),
];

static SPEC: Spec = Spec {
    name: "echo",
    summary: "writes its arguments as one line",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[word …]",
    style: Style::Own,
    usage_status: 1,
    examples: &[example("echo -e 'gate-03\\ngate-17'", "two lines from one argument")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Echo {
    text: Vec<u8>,
}

/// Leading arguments that are options: `-` and nothing but `n`, `e` and `E` behind it.
fn split(arguments: &Arguments) -> (bool, bool, Vec<&[u8]>) {
    let (mut newline, mut escapes) = (true, false);
    let mut words = arguments.operands.iter().map(|operand| &operand.value[..]).peekable();
    while let Some(word) = words.peek() {
        let letters = word.strip_prefix(b"-").unwrap_or_default();
        if letters.is_empty() || !letters.iter().all(|letter| b"neE".contains(letter)) {
            break;
        }
        for letter in letters {
            match letter {
                b'n' => newline = false,
                b'e' => escapes = true,
                _ => escapes = false,
            }
        }
        words.next();
    }
    (newline, escapes, words.collect())
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let (newline, escapes, words) = split(arguments);
    let joined = words.join(&b' ');
    let mut text = Vec::new();
    let mut at = 0;
    while at < joined.len() {
        if joined[at] != b'\\' || !escapes {
            text.push(joined[at]);
            at += 1;
            continue;
        }
        let (escape, used) = read(&joined[at + 1..], Octal::WithZero);
        at += 1 + used;
        match escape {
            Escape::Bytes(bytes) => text.extend_from_slice(&bytes),
            Escape::Stop => return Ok(Box::new(Echo { text })),
        }
    }
    if newline {
        text.push(b'\n');
    }
    Ok(Box::new(Echo { text }))
}

fn explain(arguments: &Arguments) -> String {
    let (newline, escapes, words) = split(arguments);
    let count = crate::text::phrases::counted(words.len() as u64, "word", "words");
    let escapes = if escapes { ", with escapes understood" } else { "" };
    let end = if newline { "" } else { ", without a newline at the end" };
    format!("makes one line of {count}{escapes}{end}")
}

impl Filter for Echo {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        io.out().put(&self.text, Origin::None)?;
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
