//! Patterns as programs for a backtracking machine. It finds what groups match, and it is the only
//! way to match back-references. It tries the ways through a pattern in order, earlier
//! alternatives and more repetitions first.
//!
//! Without back-references no place of the program is tried twice at the same place of the text,
//! so time is bounded by program times text. With them it is not: a step limit ends the search
//! with an error.

use std::ops::Range;

use regex_syntax::hir::{Class, Hir, HirKind, Look};

use crate::decode::decode;
use crate::tree::Node;
use crate::{Captures, TooManySteps};

/// Instructions a program may have.
const SIZE_LIMIT: usize = 1 << 17;

/// Steps one search may take where there are back-references.
const STEP_LIMIT: u64 = 4_000_000;

/// Bits of memory for places tried.
const VISITED_LIMIT: usize = 1 << 31;

#[derive(Clone, Debug)]
enum Instruction {
    Leaf(Hir),
    Split(usize, usize),
    Jump(usize),
    Save(usize),
    /// Remembers the place where an iteration begins.
    Enter(usize),
    /// Goes on at the first when the iteration took in something, else at the second.
    Loop(usize, usize, usize),
    BackReference(u32),
    Done,
}

pub(crate) struct Program {
    code: Vec<Instruction>,
    /// Two for each group and the whole.
    saves: usize,
    loops: usize,
    back_references: bool,
    ignore_case: bool,
}

/// What backtracking has to do next.
enum Todo {
    Try { pc: usize, at: usize },
    RestoreSave { slot: usize, value: Option<usize> },
    RestoreLoop { slot: usize, value: usize },
}

impl Program {
    /// `None` where the program would be too large.
    pub(crate) fn new(node: &Node, groups: u32, ignore_case: bool) -> Option<Self> {
        let mut program = Self {
            code: Vec::new(),
            saves: 2 * (groups as usize + 1),
            loops: 0,
            back_references: node.has_back_reference(),
            ignore_case,
        };
        program.add(node)?;
        program.push(Instruction::Done)?;
        Some(program)
    }

    fn push(&mut self, instruction: Instruction) -> Option<usize> {
        self.code.push(instruction);
        (self.code.len() <= SIZE_LIMIT).then_some(self.code.len() - 1)
    }

    fn add(&mut self, node: &Node) -> Option<()> {
        match node {
            Node::Leaf(hir) => {
                self.push(Instruction::Leaf(hir.clone()))?;
            }
            Node::BackReference(number, _) => {
                self.push(Instruction::BackReference(*number))?;
            }
            Node::Group(number, node) => {
                self.push(Instruction::Save(2 * *number as usize))?;
                self.add(node)?;
                self.push(Instruction::Save(2 * *number as usize + 1))?;
            }
            Node::Concat(nodes) => {
                for node in nodes {
                    self.add(node)?;
                }
            }
            Node::Alternation(nodes) => {
                let mut ends = Vec::new();
                for (number, node) in nodes.iter().enumerate() {
                    if number + 1 == nodes.len() {
                        self.add(node)?;
                        break;
                    }
                    let split = self.push(Instruction::Split(0, 0))?;
                    self.add(node)?;
                    ends.push(self.push(Instruction::Jump(0))?);
                    self.code[split] = Instruction::Split(split + 1, self.code.len());
                }
                for end in ends {
                    self.code[end] = Instruction::Jump(self.code.len());
                }
            }
            Node::Repeat { min, max, node } => {
                for _ in 0..*min {
                    self.add(node)?;
                }
                match max {
                    None => {
                        let slot = self.loops;
                        self.loops += 1;
                        let split = self.push(Instruction::Split(0, 0))?;
                        self.push(Instruction::Enter(slot))?;
                        self.add(node)?;
                        let end = self.push(Instruction::Loop(slot, split, 0))?;
                        self.code[end] = Instruction::Loop(slot, split, end + 1);
                        self.code[split] = Instruction::Split(split + 1, end + 1);
                    }
                    Some(max) => {
                        let mut splits = Vec::new();
                        for _ in *min..*max {
                            splits.push(self.push(Instruction::Split(0, 0))?);
                            self.add(node)?;
                        }
                        let end = self.code.len();
                        for split in splits {
                            self.code[split] = Instruction::Split(split + 1, end);
                        }
                    }
                }
            }
        }
        Some(())
    }

    /// The match that begins at `start`: the first one that ends at `end`, or, without `end`,
    /// the longest. `steps` counts down over several calls.
    pub(crate) fn at(
        &self,
        text: &[u8],
        start: usize,
        end: Option<usize>,
        steps: &mut u64,
    ) -> Result<Option<Captures>, TooManySteps> {
        let width = end.unwrap_or(text.len()) - start + 1;
        let mut visited = Visited::default();
        if !self.back_references {
            let bits = width.checked_mul(self.code.len()).filter(|bits| *bits <= VISITED_LIMIT);
            visited.0 = vec![0; bits.ok_or(TooManySteps)?.div_ceil(64)];
        }
        let mut saves: Vec<Option<usize>> = vec![None; self.saves];
        let mut loops = vec![usize::MAX; self.loops];
        let mut best: Option<Captures> = None;
        let mut todo = vec![Todo::Try { pc: 0, at: start }];
        while let Some(next) = todo.pop() {
            let (mut pc, mut at) = match next {
                Todo::Try { pc, at } => (pc, at),
                Todo::RestoreSave { slot, value } => {
                    saves[slot] = value;
                    continue;
                }
                Todo::RestoreLoop { slot, value } => {
                    loops[slot] = value;
                    continue;
                }
            };
            loop {
                if self.back_references {
                    *steps = steps.checked_sub(1).ok_or(TooManySteps)?;
                } else if visited.seen(pc * width + at - start) {
                    break;
                }
                match &self.code[pc] {
                    Instruction::Leaf(hir) => match leaf(hir, text, at) {
                        Some(length) if at + length <= end.unwrap_or(text.len()) => {
                            at += length;
                            pc += 1;
                        }
                        _ => break,
                    },
                    Instruction::Split(first, second) => {
                        todo.push(Todo::Try { pc: *second, at });
                        pc = *first;
                    }
                    Instruction::Jump(to) => pc = *to,
                    Instruction::Save(slot) => {
                        todo.push(Todo::RestoreSave { slot: *slot, value: saves[*slot] });
                        saves[*slot] = Some(at);
                        pc += 1;
                    }
                    Instruction::Enter(slot) => {
                        todo.push(Todo::RestoreLoop { slot: *slot, value: loops[*slot] });
                        loops[*slot] = at;
                        pc += 1;
                    }
                    Instruction::Loop(slot, again, out) => {
                        pc = if loops[*slot] == at { *out } else { *again };
                    }
                    Instruction::BackReference(number) => {
                        let Some(length) = self.repeated(*number, &saves, text, at) else { break };
                        at += length;
                        pc += 1;
                    }
                    Instruction::Done => {
                        let better = best.as_ref().is_none_or(|best| at > best.whole().end);
                        if end.is_none_or(|end| end == at) && better {
                            saves[0] = Some(start);
                            saves[1] = Some(at);
                            best = Some(Captures(
                                saves.chunks(2).map(|pair| Some(pair[0]?..pair[1]?)).collect(),
                            ));
                            // Nothing longer can come.
                            if end.is_some() || at == text.len() {
                                return Ok(best);
                            }
                        }
                        break;
                    }
                }
            }
        }
        Ok(best)
    }

    /// The leftmost match at or behind `from`, of those the longest. `candidate` gives the next
    /// place worth a try.
    pub(crate) fn find(
        &self,
        text: &[u8],
        from: usize,
        candidate: impl Fn(usize) -> Option<usize>,
    ) -> Result<Option<Captures>, TooManySteps> {
        let mut steps = STEP_LIMIT;
        let mut from = from;
        while from <= text.len() {
            let Some(start) = candidate(from) else { return Ok(None) };
            if let Some(found) = self.at(text, start, None, &mut steps)?
                && !(found.whole().is_empty() && inside_character(text, start))
            {
                return Ok(Some(found));
            }
            from = start + 1;
        }
        Ok(None)
    }

    fn repeated(
        &self,
        number: u32,
        saves: &[Option<usize>],
        text: &[u8],
        at: usize,
    ) -> Option<usize> {
        let number = number as usize;
        let group: Range<usize> = saves[2 * number]?..saves[2 * number + 1]?;
        let wanted = text.get(group)?;
        let rest = &text[at..];
        if !self.ignore_case {
            return rest.starts_with(wanted).then_some(wanted.len());
        }
        let same = rest.len() >= wanted.len() && rest[..wanted.len()].eq_ignore_ascii_case(wanted);
        same.then_some(wanted.len())
    }
}

#[derive(Default)]
struct Visited(Vec<u64>);

impl Visited {
    /// Whether the bit was set; sets it.
    fn seen(&mut self, bit: usize) -> bool {
        let (word, mask) = (bit / 64, 1 << (bit % 64));
        let seen = self.0[word] & mask != 0;
        self.0[word] |= mask;
        seen
    }
}

/// How many bytes a leaf matches at a place; 0 for an assertion that holds.
fn leaf(hir: &Hir, text: &[u8], at: usize) -> Option<usize> {
    match hir.kind() {
        HirKind::Empty => Some(0),
        HirKind::Literal(literal) => text[at..].starts_with(&literal.0).then_some(literal.0.len()),
        HirKind::Look(look) => holds(*look, text, at).then_some(0),
        HirKind::Class(Class::Unicode(class)) => {
            let (character, length) = decode(&text[at..])?;
            let ranges = class.ranges();
            let place = ranges.partition_point(|range| range.end() < character);
            ranges.get(place).filter(|range| range.start() <= character).map(|_| length)
        }
        HirKind::Class(Class::Bytes(class)) => {
            let byte = *text.get(at)?;
            class
                .ranges()
                .iter()
                .any(|range| (range.start()..=range.end()).contains(&byte))
                .then_some(1)
        }
        _ => None,
    }
}

/// True where a character of several bytes has begun and not ended: nothing is between its bytes.
fn inside_character(text: &[u8], at: usize) -> bool {
    (1..4.min(at + 1))
        .any(|back| decode(&text[at - back..]).is_some_and(|(_, length)| length > back))
}

fn holds(look: Look, text: &[u8], at: usize) -> bool {
    let before = || {
        let begin = (1..=4.min(at)).find_map(|back| {
            decode(&text[at - back..]).filter(|(_, length)| *length == back).map(|(found, _)| found)
        });
        begin.is_some_and(is_word)
    };
    let after = || decode(&text[at..]).is_some_and(|(character, _)| is_word(character));
    match look {
        Look::Start => at == 0,
        Look::End => at == text.len(),
        Look::StartLF => at == 0 || text[at - 1] == b'\n',
        Look::EndLF => at == text.len() || text[at] == b'\n',
        Look::WordUnicode => before() != after(),
        Look::WordUnicodeNegate => before() == after(),
        Look::WordStartUnicode => !before() && after(),
        Look::WordEndUnicode => before() && !after(),
        Look::WordStartHalfUnicode => !before(),
        Look::WordEndHalfUnicode => !after(),
        _ => false,
    }
}

fn is_word(character: char) -> bool {
    regex_syntax::is_word_character(character)
}
