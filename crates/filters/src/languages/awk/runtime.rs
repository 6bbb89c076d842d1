//! Runs a compiled program: the state it works on, and its statements.

use std::cell::RefCell;
use std::rc::Rc;

use stream::{Origin, StageError, StageIo};

use super::code::{ARGV, ArrayPlace, Code, ENVIRON, Node, Place, Special, Step, Target, When};
use super::operands::MainInput;
use super::record::{FIELDS_MAX, Record, push_value};
use super::shared_text::SharedText;
use super::split::Splitter;
use super::stop::{Eval, Stop, fault};
use super::streams::Streams;
use super::text::NumberFormat;
use super::tree::Redirection;
use super::value::{Array, SharedArray, Slot, Value};
pub(super) use state::Watch;
use state::{Chance, Frames, Gathered, Lineage, Local, Made, Specials};

mod evaluate;
mod format;
mod functions;
mod places;
mod state;
mod watch;

/// Calls within calls beyond this end the program instead of exhausting the memory.
const CALLS_MAX: usize = 20_000;

/// Rounds of loops after which it is asked whether the run was cancelled.
const ROUNDS: u32 = 1 << 14;

/// Bytes that are gathered before they are handed on.
const OUT_SIZE: usize = 16 * 1024;

/// Patterns made while running that are kept.
const PATTERNS_MAX: usize = 256;

/// How a statement ended.
#[derive(Clone, Copy)]
pub(super) enum Flow {
    On,
    Break,
    Continue,
    /// The value is in `Frames::returned`.
    Return,
}

/// A program that runs.
pub(super) struct Runtime<'m, 'w> {
    pub(super) code: &'m Code,
    pub(super) io: &'m mut StageIo<'w>,
    pub(super) record: Record,
    pub(super) input: MainInput<'w>,
    pub(super) streams: Streams<'w>,
    pub(super) globals: Vec<Slot>,
    pub(super) arrays: Vec<SharedArray>,
    pub(super) specials: Specials,
    frames: Frames,
    made: Made,
    chance: Chance,
    pub(super) lineage: Lineage,
    gathered: Gathered,
    /// Which ranges of records (`first, last`) are open.
    ranges: Vec<bool>,
    /// Rounds of loops since it was asked whether the run was cancelled.
    rounds: u32,
    pub(super) status: u8,
    /// True while rules for records run.
    pub(super) in_record: bool,
    /// The line of which it is told why nothing is written of it.
    pub(super) watch: Option<Watch<'m>>,
}

impl<'m, 'w> Runtime<'m, 'w> {
    pub(super) fn new(code: &'m Code, io: &'m mut StageIo<'w>, arguments: &[Vec<u8>]) -> Self {
        let splitter = Rc::new(Splitter::Blanks);
        let mut arrays: Vec<SharedArray> = Vec::with_capacity(code.arrays.max(2));
        arrays.resize_with(code.arrays.max(2), Rc::default);
        let mut argv = Array::default();
        let words = std::iter::once(&b"awk"[..]).chain(arguments.iter().map(Vec::as_slice));
        for (number, word) in words.enumerate() {
            let slot = Slot { value: Value::input(word), lines: None };
            argv.insert(number.to_string().into_bytes().into(), slot);
        }
        let argc = Value::Number(argv.len() as f64);
        arrays[ARGV] = Rc::new(RefCell::new(argv));
        let mut environ = Array::default();
        for (name, value) in io.files().variables() {
            let slot = Slot { value: Value::input(value.as_encoded_bytes()), lines: None };
            environ.insert(name.as_encoded_bytes().into(), slot);
        }
        arrays[ENVIRON] = Rc::new(RefCell::new(environ));
        let mut globals = Vec::with_capacity(code.globals.len());
        globals.resize_with(code.globals.len(), Slot::default);
        Self {
            code,
            record: Record::new(splitter.clone()),
            input: MainInput::default(),
            streams: Streams::default(),
            globals,
            arrays,
            specials: Specials::new(argc, splitter),
            frames: Frames::default(),
            made: Made::new(code),
            chance: Chance::default(),
            lineage: Lineage { tracks: io.keeps_origins(), ..Lineage::default() },
            gathered: Gathered { out: Vec::new(), eager: io.out().is_eager() },
            ranges: vec![false; code.ranges],
            rounds: 0,
            status: 0,
            in_record: false,
            watch: None,
            io,
        }
    }

    /// Runs the whole program: what comes first, the records, what comes last.
    pub(super) fn program(&mut self) -> Eval<()> {
        crate::common::stack::running(|| self.run_all())
    }

    fn run_all(&mut self) -> Eval<()> {
        let ends = |outcome: Eval<()>| match outcome {
            Err(stop) if matches!(*stop, Stop::Exit) => Ok(true),
            Err(other) => Err(other),
            Ok(()) => Ok(false),
        };
        let code = self.code;
        let over = ends(code.begin.iter().try_for_each(|body| self.run(body).map(|_| ())))?;
        let reads = !code.rules.is_empty() || !code.end.is_empty();
        if !over && reads {
            ends(self.each_record())?;
        }
        self.in_record = false;
        ends(code.end.iter().try_for_each(|body| self.run(body).map(|_| ())))?;
        Ok(())
    }

    /// Hands on all that was written and waits for the commands; gives how many were held back.
    pub(super) fn finish(&mut self) -> Result<usize, StageError> {
        self.flush_out()?;
        self.io.out().flush()?;
        self.leave_input();
        self.streams.finish()
    }

    /// Runs the rules on the current record.
    pub(super) fn rules(&mut self) -> Eval<()> {
        let code = self.code;
        if self.is_watched() {
            return self.watched_rules();
        }
        for rule in &code.rules {
            let applies = match &rule.when {
                When::Always => true,
                When::Matches(condition) => self.truth(condition)?,
                When::Range(first, last, state) => {
                    if !self.ranges[*state] && self.truth(first)? {
                        self.ranges[*state] = true;
                        self.ranges[*state] = !self.truth(last)?;
                        true
                    } else if self.ranges[*state] {
                        self.ranges[*state] = !self.truth(last)?;
                        true
                    } else {
                        false
                    }
                }
            };
            if !applies {
                continue;
            }
            match &rule.body {
                None => self.print(&[], None)?,
                Some(body) => {
                    self.run(body)?;
                }
            }
        }
        Ok(())
    }

    /// Runs statements.
    pub(super) fn run(&mut self, steps: &[Step]) -> Eval<Flow> {
        for step in steps {
            match step {
                // The usual ones do not pay for what the others need.
                Step::Run(node) => self.effect(node)?,
                Step::Print { values, to: None } => self.print(values, None)?,
                other => match self.step(other)? {
                    Flow::On => {}
                    flow => return Ok(flow),
                },
            }
        }
        Ok(Flow::On)
    }

    fn step(&mut self, step: &Step) -> Eval<Flow> {
        match step {
            Step::Run(node) => self.effect(node)?,
            Step::Print { values, to } => self.print(values, to.as_deref())?,
            Step::Printf { values, to, at } => self.print_formatted(values, to.as_deref(), *at)?,
            Step::If(condition, at, then, otherwise) => {
                let holds = if self.is_watched() {
                    self.watched_truth(condition, at)?
                } else {
                    self.truth(condition)?
                };
                let chosen = if holds { then } else { otherwise };
                return self.run(chosen);
            }
            Step::Loop { condition, step, body, first } => {
                let mut look = *first;
                loop {
                    if look
                        && let Some(condition) = condition
                        && !self.truth(condition)?
                    {
                        break;
                    }
                    look = true;
                    self.round()?;
                    match self.run(body)? {
                        Flow::On | Flow::Continue => {}
                        Flow::Break => break,
                        Flow::Return => return Ok(Flow::Return),
                    }
                    if let Some(step) = step {
                        self.step(step)?;
                    }
                }
            }
            Step::ForIn { variable, array, body } => {
                let keys: Vec<SharedText> = self.array(*array).borrow().keys().cloned().collect();
                for key in keys {
                    self.round()?;
                    let lines = if self.lineage.tracks {
                        self.array(*array)
                            .borrow()
                            .get(&key[..])
                            .and_then(|slot| slot.lines.clone())
                    } else {
                        None
                    };
                    let slot = Slot { value: Value::Text(key), lines };
                    self.set_slot(variable, slot)?;
                    match self.run(body)? {
                        Flow::On | Flow::Continue => {}
                        Flow::Break => break,
                        Flow::Return => return Ok(Flow::Return),
                    }
                }
            }
            Step::Next(at) | Step::NextFile(at) => {
                if !self.in_record {
                    return fault(*at, "next is not possible here: no record is being read");
                }
                let next = matches!(step, Step::Next(_));
                return Err(Box::new(if next { Stop::Next } else { Stop::NextFile }));
            }
            Step::Exit(status) => {
                if let Some(status) = status {
                    // As a process has it: the low eight bits.
                    self.status = self.number(status)? as i64 as u8;
                }
                return Err(Box::new(Stop::Exit));
            }
            Step::Return(value) => {
                if self.lineage.tracks {
                    self.lineage.reads.clear();
                }
                self.frames.returned = match value {
                    Some(value) => self.value(value)?,
                    None => Value::Unset,
                };
                return Ok(Flow::Return);
            }
            Step::Break => return Ok(Flow::Break),
            Step::Continue => return Ok(Flow::Continue),
            Step::Delete(array, key) => {
                let key = self.key(key)?;
                self.array(*array).borrow_mut().swap_remove(&key[..]);
                self.give_back(key);
            }
            Step::Clear(array) => self.array(*array).borrow_mut().clear(),
        }
        Ok(Flow::On)
    }

    #[inline]
    fn round(&mut self) -> Eval<()> {
        self.rounds = self.rounds.wrapping_add(1);
        if self.rounds.is_multiple_of(ROUNDS) {
            self.io.check_cancel()?;
        }
        Ok(())
    }

    /// An empty buffer; see [`Runtime::give_back`].
    fn buffer(&mut self) -> Vec<u8> {
        self.made.spare.pop().unwrap_or_default()
    }

    fn give_back(&mut self, mut buffer: Vec<u8>) {
        if buffer.capacity() <= 1 << 16 && self.made.spare.len() < 16 {
            buffer.clear();
            self.made.spare.push(buffer);
        }
    }

    /// Notes that the current record was looked at.
    #[inline]
    fn touch(&mut self) {
        if self.lineage.tracks
            && let Some((from, to)) = self.lineage.current
        {
            self.lineage.reads.add(from, to);
        }
    }

    /// As [`Runtime::touch`], but not at the end, when no record is current.
    #[inline]
    fn touch_in_record(&mut self) {
        if self.in_record {
            self.touch();
        }
    }

    fn print(&mut self, values: &[Node], to: Option<&Target>) -> Eval<()> {
        if self.lineage.tracks {
            self.lineage.reads.clear();
        }
        let straight = to.is_none() && !self.lineage.tracks;
        // What comes from a function called here goes before this line.
        let mut buffer =
            if straight { std::mem::take(&mut self.gathered.out) } else { self.buffer() };
        let start = buffer.len();
        let pushed = self.push_line(values, &mut buffer);
        if straight {
            if pushed.is_err() {
                // What was written before stays.
                buffer.truncate(start);
            }
            if !self.gathered.out.is_empty() {
                buffer.splice(start..start, self.gathered.out.drain(..));
            }
            self.gathered.out = buffer;
            pushed?;
            if self.gathered.out.len() >= OUT_SIZE || self.gathered.eager {
                self.flush_out()?;
            }
            return Ok(());
        }
        pushed?;
        self.put(&buffer, to)?;
        self.give_back(buffer);
        Ok(())
    }

    /// Adds the values as `print` writes them.
    fn push_line(&mut self, values: &[Node], buffer: &mut Vec<u8>) -> Eval<()> {
        if values.is_empty() {
            self.push_column(0, buffer);
        }
        for (number, value) in values.iter().enumerate() {
            if number > 0 {
                buffer.extend_from_slice(&self.specials.output_separator);
            }
            self.push_printed(value, buffer)?;
        }
        buffer.extend_from_slice(&self.specials.output_end);
        Ok(())
    }

    /// Hands what was written to the output.
    fn flush_out(&mut self) -> Result<(), StageError> {
        if !self.gathered.out.is_empty() {
            self.io.out().put(&self.gathered.out, Origin::None)?;
            self.gathered.out.clear();
        }
        Ok(())
    }

    /// Hands on everything, so that others can write to the same place.
    pub(super) fn flush(&mut self) -> Result<(), StageError> {
        self.flush_out()?;
        Ok(self.io.out().flush()?)
    }

    fn print_formatted(&mut self, values: &[Node], to: Option<&Target>, at: usize) -> Eval<()> {
        if self.lineage.tracks {
            self.lineage.reads.clear();
        }
        let mut buffer = self.buffer();
        self.format(values, at, &mut buffer)?;
        self.put(&buffer, to)?;
        self.give_back(buffer);
        Ok(())
    }

    fn put(&mut self, bytes: &[u8], to: Option<&Target>) -> Eval<()> {
        let Some(target) = to else { return self.put_out(bytes) };
        let mut name = self.buffer();
        self.push(&target.name, &mut name)?;
        if name.is_empty() {
            return fault(target.at, "the name of the file or command is empty");
        }
        if target.how != Redirection::Pipe && (name == b"/dev/stdout" || name == b"-") {
            self.give_back(name);
            return self.put_out(bytes);
        }
        if self.streams.is_new(target.how, &name) {
            // A command started now, or a file that is the same, writes behind what came before.
            self.flush()?;
        }
        self.streams.write(self.io, target.how, &name, bytes)?;
        self.give_back(name);
        Ok(())
    }

    /// Writes to standard output what was made of the lines looked at.
    #[inline]
    fn put_out(&mut self, bytes: &[u8]) -> Eval<()> {
        if !self.lineage.tracks {
            self.gathered.out.extend_from_slice(bytes);
            if self.gathered.out.len() >= OUT_SIZE || self.gathered.eager {
                self.flush_out()?;
            }
            return Ok(());
        }
        if self.lineage.reads.is_empty() && self.in_record {
            self.touch();
        }
        let reads = std::mem::take(&mut self.lineage.reads);
        reads.with_origin(|origin| self.io.out().put(bytes, origin))?;
        self.lineage.reads = reads;
        Ok(())
    }
}
