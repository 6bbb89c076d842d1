//! `head`: keeps the first lines (10 by default).

use std::collections::VecDeque;

use memchr::memchr_iter;
use stream::{ExitStatus, Input, InputTrouble, Lines, StageError, StageIo};

use crate::common::input::nul_lines::where_asked;
use crate::common::options::file_headers::Headers;
use crate::common::options::head_tail_count::Amount;
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb,
    example, option,
};
use crate::text::phrases::from_files;

const OPTIONS: &[OptionSpec] = &[
    option('c', "bytes", Some("[-]NUM"), "the first NUM bytes; with - all but the last NUM", false),
    option('n', "lines", Some("[-]NUM"), "the first NUM lines; with - all but the last NUM", true),
    option('q', "quiet", None, "no headers with file names", false),
    option('v', "verbose", None, "headers with file names", false),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
];

static SPEC: Spec = Spec {
    name: "head",
    summary: "keeps the first lines (10 by default)",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberAndUnit { option: 'n', units: b"lcbkm", plus: false },
    usage_status: 1,
    examples: &[
        example("head -n 5 gate.log", "the first five lines"),
        example("head -n -2 winch.log", "all but the last two"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Head {
    files: Vec<Vec<u8>>,
    amount: Amount,
    headers: Headers,
}

fn amount(arguments: &Arguments) -> Result<Amount, UsageError> {
    Amount::of(&SPEC, arguments, b'-', b'+')
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let files = arguments.operand_values();
    let headers = Headers::of(arguments, files.len());
    Ok(where_asked(arguments, Box::new(Head { amount: amount(arguments)?, headers, files })))
}

fn explain(arguments: &Arguments) -> String {
    let Ok(amount) = amount(arguments) else { return String::new() };
    let many = amount.in_words();
    let files = from_files(&arguments.operand_values());
    let each = if arguments.operands.len() > 1 { ", for each file" } else { "" };
    if amount.other_end {
        format!("keeps all but the last {many}{files}{each}")
    } else {
        format!("keeps the first {many}{files}{each}")
    }
}

impl Filter for Head {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let amount = self.amount;
        let mut headers = self.headers;
        io.each_input(&self.files, 1, |io, input, name| {
            headers.write(io, name)?;
            match (amount.other_end, amount.bytes) {
                (false, false) => first_lines(io, input, amount.number),
                (false, true) => first_bytes(io, input, amount.number),
                (true, _) => all_but_last(io, input, amount),
            }
        })?;
        Ok(io.status())
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        let many = self.amount.in_words();
        Some(if self.amount.other_end {
            format!("among the last {many}")
        } else {
            format!("not among the first {many}")
        })
    }

    fn verb(&self) -> Verb {
        Verb::Keeps
    }

    fn holds(&self) -> Option<&'static str> {
        (self.amount.other_end && self.amount.number > 0)
            .then_some("it must see what follows before it can write")
    }
}

fn first_lines(io: &mut StageIo<'_>, input: &mut Input, number: u64) -> Result<(), InputTrouble> {
    let mut wanted = number;
    while wanted > 0 {
        let Some(lines) = input.next_lines()? else { break };
        if lines.newlines < wanted {
            wanted -= lines.newlines;
            io.out().pass_lines(lines)?;
            continue;
        }
        // The newline that ends the last line wanted.
        let end =
            memchr_iter(b'\n', &lines.bytes).nth(usize::try_from(wanted - 1).unwrap_or(usize::MAX));
        let end = end.map_or(lines.bytes.len(), |at| at + 1);
        input.leave(&lines.bytes[end..]);
        io.out().pass(lines.bytes.slice(..end), lines.first)?;
        break;
    }
    Ok(())
}

fn first_bytes(io: &mut StageIo<'_>, input: &mut Input, number: u64) -> Result<(), InputTrouble> {
    let mut wanted = number;
    while wanted > 0 {
        let Some(block) = input.next_block()? else { break };
        let length = (block.bytes.len() as u64).min(wanted);
        wanted -= length;
        if wanted == 0 {
            input.leave(&block.bytes[length as usize..]);
        }
        io.out().pass(block.bytes.slice(..length as usize), block.first)?;
    }
    Ok(())
}

/// Passes on everything but the last lines or bytes. Memory: the part held back, rounded up to
/// whole blocks.
fn all_but_last(
    io: &mut StageIo<'_>,
    input: &mut Input,
    amount: Amount,
) -> Result<(), InputTrouble> {
    let size = |lines: &Lines| -> u64 {
        if amount.bytes {
            lines.bytes.len() as u64
        } else {
            let open = lines.bytes.last().is_some_and(|&byte| byte != b'\n');
            memchr_iter(b'\n', &lines.bytes).count() as u64 + u64::from(open)
        }
    };
    let mut held: VecDeque<(Lines, u64)> = VecDeque::new();
    let mut held_size = 0;
    let mut held_bytes = 0;
    while let Some(lines) = if amount.bytes { input.next_block()? } else { input.next_lines()? } {
        held_size += size(&lines);
        held_bytes += lines.bytes.len() as u64;
        let length = size(&lines);
        held.push_back((lines, length));
        io.holds(held_bytes);
        while let Some((_, length)) = held.front() {
            if held_size - length < amount.number {
                break;
            }
            if let Some((lines, length)) = held.pop_front() {
                held_size -= length;
                held_bytes -= lines.bytes.len() as u64;
                io.out().pass_lines(lines)?;
            }
        }
    }
    // Of what is held, all but the last part goes out.
    let mut surplus = held_size.saturating_sub(amount.number);
    for (lines, length) in held {
        if surplus == 0 {
            break;
        }
        let end = if length <= surplus {
            lines.bytes.len()
        } else if amount.bytes {
            surplus as usize
        } else {
            memchr_iter(b'\n', &lines.bytes).nth(surplus as usize - 1).map_or(0, |at| at + 1)
        };
        surplus -= length.min(surplus);
        io.out().pass(lines.bytes.slice(..end), lines.first)?;
    }
    io.holds(0);
    Ok(())
}
