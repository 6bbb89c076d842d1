use std::collections::VecDeque;

use memchr::{memchr_iter, memrchr_iter};
use stream::{ExitStatus, Input, InputTrouble, Lines, StageError, StageIo, Tail as Part};

use crate::amount::Amount;
use crate::head::{header, headers_wanted};
use crate::registry::Definition;
use crate::spec::{example, option};
use crate::words::from_files;
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

const OPTIONS: &[OptionSpec] = &[
    option('c', "bytes", Some("[+]NUM"), "the last NUM bytes; with + from byte NUM on", true),
    option('n', "lines", Some("[+]NUM"), "the last NUM lines; with + from line NUM on", true),
    option('q', "quiet", None, "no headers with file names", false),
    option('v', "verbose", None, "headers with file names", false),
];

static SPEC: Spec = Spec {
    name: "tail",
    summary: "keeps the last lines (10 unless told otherwise)",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberIs('n'),
    usage_status: 1,
    examples: &[
        example("tail -n 3 winch.log", "the last three lines"),
        example("tail -n +2 cabins.csv", "everything from the second line on"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition { spec: &SPEC, build, explain };

struct Tail {
    files: Vec<Vec<u8>>,
    amount: Amount,
    headers: bool,
}

fn amount(arguments: &Arguments) -> Result<Amount, UsageError> {
    Amount::of(&SPEC, arguments, b'+', b'-')
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let files = arguments.operand_values();
    let headers = headers_wanted(arguments, files.len());
    Ok(Box::new(Tail { amount: amount(arguments)?, headers, files }))
}

fn explain(arguments: &Arguments) -> String {
    let Ok(amount) = amount(arguments) else { return String::new() };
    let files = from_files(&arguments.operand_values());
    let each = if arguments.operands.len() > 1 { ", for each file" } else { "" };
    let one = if amount.bytes { "byte" } else { "line" };
    if amount.other_end {
        format!("keeps everything from {one} {} on{files}{each}", amount.number.max(1))
    } else {
        format!("keeps the last {}{files}{each}", amount.in_words())
    }
}

impl Filter for Tail {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let amount = self.amount;
        let mut first = true;
        io.each_input(&self.files, 1, |io, input, name| {
            if self.headers {
                header(io, name, &mut first)?;
            }
            match (amount.other_end, amount.bytes) {
                (true, false) => from_line(io, input, amount.number),
                (true, true) => from_byte(io, input, amount.number),
                (false, _) => last_part(io, input, amount),
            }
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Keeps
    }

    fn holds(&self) -> Option<&'static str> {
        (!self.amount.other_end).then_some("it knows the last lines only at the end")
    }
}

fn from_line(io: &mut StageIo<'_>, input: &mut Input, number: u64) -> Result<(), InputTrouble> {
    let mut skip = number.saturating_sub(1);
    while let Some(block) = input.next_block()? {
        if skip == 0 {
            io.out().pass(block.bytes, block.first)?;
            continue;
        }
        match memchr_iter(b'\n', &block.bytes).nth(usize::try_from(skip - 1).unwrap_or(usize::MAX))
        {
            Some(at) => {
                let rest = block.bytes.slice(at + 1..);
                io.out().pass(rest, block.first.plus(skip))?;
                skip = 0;
            }
            None => skip -= memchr_iter(b'\n', &block.bytes).count() as u64,
        }
    }
    Ok(())
}

fn from_byte(io: &mut StageIo<'_>, input: &mut Input, number: u64) -> Result<(), InputTrouble> {
    let mut skip = number.saturating_sub(1);
    while let Some(block) = input.next_block()? {
        let dropped = (block.bytes.len() as u64).min(skip);
        skip -= dropped;
        let dropped = dropped as usize;
        let newlines = memchr_iter(b'\n', &block.bytes[..dropped]).count() as u64;
        io.out().pass(block.bytes.slice(dropped..), block.first.plus(newlines))?;
    }
    Ok(())
}

/// Memory: the part kept, rounded up to whole blocks.
fn last_part(io: &mut StageIo<'_>, input: &mut Input, amount: Amount) -> Result<(), InputTrouble> {
    if amount.number == 0 {
        // Still read to the end: a writer must not see a closed pipe.
        while input.next_block()?.is_some() {}
        return Ok(());
    }
    if amount.bytes {
        input.seek_last(Part::Bytes(amount.number))?;
    } else {
        input.seek_last(Part::Lines(amount.number))?;
    }
    let mut held: VecDeque<(Lines, u64)> = VecDeque::new();
    let (mut held_size, mut held_bytes) = (0, 0);
    // Newlines are counted; an unterminated last line adds one at the end.
    let mut open = 0;
    while let Some(block) = input.next_block()? {
        let newlines = memchr_iter(b'\n', &block.bytes).count() as u64;
        let size = if amount.bytes { block.bytes.len() as u64 } else { newlines };
        open = u64::from(!amount.bytes && block.bytes.last() != Some(&b'\n'));
        held_size += size;
        held_bytes += block.bytes.len() as u64;
        held.push_back((block, size));
        // One more newline than wanted must stay: it ends the line before the part.
        while let Some((_, size)) = held.front() {
            if held_size - size <= amount.number {
                break;
            }
            if let Some((block, size)) = held.pop_front() {
                held_size -= size;
                held_bytes -= block.bytes.len() as u64;
            }
        }
        io.holds(held_bytes);
    }
    let mut surplus = (held_size + open).saturating_sub(amount.number);
    for (block, size) in held {
        if surplus > 0 && (size < surplus || size == surplus && amount.bytes) {
            surplus -= size;
            continue;
        }
        let start = if surplus == 0 {
            0
        } else if amount.bytes {
            surplus as usize
        } else {
            // The newline that ends the last line left out.
            let keep = (size - surplus) as usize;
            memrchr_iter(b'\n', &block.bytes).nth(keep).map_or(0, |at| at + 1)
        };
        let newlines = memchr_iter(b'\n', &block.bytes[..start]).count() as u64;
        surplus = 0;
        io.out().pass(block.bytes.slice(start..), block.first.plus(newlines))?;
    }
    io.holds(0);
    Ok(())
}
