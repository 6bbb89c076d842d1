//! The part of an input that `tail` keeps.

use std::collections::VecDeque;

use memchr::{memchr_iter, memrchr_iter};
use stream::{Input, InputTrouble, Lines, StageIo, Tail as Part};

use crate::common::options::head_tail_count::Amount;

pub(super) fn part(
    io: &mut StageIo<'_>,
    input: &mut Input,
    amount: Amount,
) -> Result<(), InputTrouble> {
    match (amount.other_end, amount.bytes) {
        (true, false) => from_line(io, input, amount.number),
        (true, true) => from_byte(io, input, amount.number),
        (false, _) => last_part(io, input, amount),
    }
}

fn from_line(io: &mut StageIo<'_>, input: &mut Input, number: u64) -> Result<(), InputTrouble> {
    let mut skip = number.saturating_sub(1);
    while let Some(block) = input.next_block()? {
        if skip == 0 {
            io.out().pass_lines(block)?;
            continue;
        }
        if block.newlines < skip {
            skip -= block.newlines;
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

/// Memory: a block of a file; of other inputs the part kept, rounded up to whole blocks.
fn last_part(io: &mut StageIo<'_>, input: &mut Input, amount: Amount) -> Result<(), InputTrouble> {
    if amount.number == 0 {
        // Still read to the end: a writer must not see a closed pipe.
        while input.next_block()?.is_some() {}
        return Ok(());
    }
    let wanted = if amount.bytes { Part::Bytes(amount.number) } else { Part::Lines(amount.number) };
    if input.seek_last(wanted)? {
        // What is left is just what is wanted.
        while let Some(block) = input.next_block()? {
            io.out().pass_lines(block)?;
        }
        return Ok(());
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
