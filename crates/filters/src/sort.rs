use std::cmp::Ordering;
use std::ops::Range;

use stream::{ExitStatus, Input, LineId, Lines, Origin, ReadError, StageError, StageIo};

use crate::registry::Definition;
use crate::spec::{example, option};
use crate::words::{from_files, list, named};
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

mod counted;
mod deep;
mod grouped;
mod held;
mod keys;
mod merge;

use counted::CountedLines;
use grouped::Grouping;
use held::{Entry, Held};
use keys::Order;

const OPTIONS: &[OptionSpec] = &[
    option('b', "ignore-leading-blanks", None, "blanks before a key do not count", true),
    option('f', "ignore-case", None, "lower case counts as upper case", true),
    option(
        'k',
        "key",
        Some("KEY"),
        "sort by a key: FROM[,TO], each field[.character][options]",
        true,
    ),
    option('n', "numeric-sort", None, "compare as numbers", true),
    option('r', "reverse", None, "the other way round", true),
    option('s', "stable", None, "lines with equal keys stay in order", false),
    option(
        't',
        "field-separator",
        Some("CHAR"),
        "fields end at CHAR instead of before blanks",
        true,
    ),
    option('u', "unique", None, "one line of those with equal keys", true),
];

static SPEC: Spec = Spec {
    name: "sort",
    summary: "puts lines in order, by bytes",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example("sort -rn", "largest number first"),
        example("sort -t, -k3,3n cabins.csv", "by the third field as a number"),
        example("sort -u spares-upper.txt", "in order, each line once"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition { spec: &SPEC, build, explain };

struct Sort {
    files: Vec<Vec<u8>>,
    order: Order,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let order = Order::new(arguments, &SPEC)?;
    Ok(Box::new(Sort { files: arguments.operand_values(), order }))
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    let mut parts = Vec::new();
    for given in arguments.all('k') {
        parts.push(keys::in_words(&given.value));
    }
    let by = if !parts.is_empty() {
        let ends = match arguments.last('t') {
            Some(given) => format!(", fields ended by {}", named(&given.value)),
            None => String::new(),
        };
        format!(" by {}{ends}", parts.join(", then by "))
    } else if arguments.has('n') {
        " by the number each begins with".to_owned()
    } else {
        String::new()
    };
    let mut ways = Vec::new();
    if arguments.has('n') && !parts.is_empty() {
        ways.push("as numbers".to_owned());
    }
    if arguments.has('f') {
        ways.push("upper and lower case the same".to_owned());
    }
    if arguments.has('r') {
        ways.push(if arguments.has('n') { "largest first" } else { "in reverse" }.to_owned());
    }
    let ways = if ways.is_empty() { String::new() } else { format!(", {}", list(&ways)) };
    let once = match (arguments.has('u'), arguments.has('k') || arguments.has('n')) {
        (true, true) => "; keeps one line of those with equal keys",
        (true, false) => "; keeps each line once",
        _ => "",
    };
    format!("puts the lines{files} in order{by}{ways}{once}")
}

/// Lines that are sorted at once even where a run must be cancelled quickly: a fraction of the
/// tenth of a second that may take.
const AT_ONCE: usize = 1 << 18;

/// Lines that are sorted in one go while a run may still be cancelled quickly.
const PIECE: usize = 1 << 15;

impl Filter for Sort {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let standard = [b"-".to_vec()];
        let files = if self.files.is_empty() { &standard[..] } else { &self.files[..] };
        let mut held = Held::default();
        let mut counted = (self.order.equal_means_same() && !io.out().keeps_origins())
            .then(CountedLines::default);
        let mut grouping =
            (self.order.equal_means_same() && io.keeps_origins()).then(Grouping::default);
        for file in files {
            let name = String::from_utf8_lossy(file).into_owned();
            let mut input = io.open(file).map_err(|error| {
                StageError::failed(2, format!("cannot read: {name}: {}", stream::describe(&error)))
            })?;
            while let Some(lines) = next(&mut input, &name)? {
                if let Some(counter) = &mut counted {
                    if counter.add(&lines) {
                        io.holds(counter.memory());
                        continue;
                    }
                    // Too few repeats to be worth it: back to lines.
                    let kept = counted.take().map(CountedLines::into_kept).unwrap_or_default();
                    for lines in kept {
                        held.add(lines)?;
                    }
                    continue;
                }
                held.add(lines)?;
                if grouping.as_mut().is_some_and(|grouping| !grouping.add(&held, held.chunks() - 1))
                {
                    grouping = None;
                }
                io.holds(held.memory());
            }
        }
        match counted {
            Some(counter) => {
                let (lines, counts) = counter.into_lines();
                for lines in lines {
                    held.add(lines)?;
                }
                self.write(io, held, None, Some(&counts))?;
            }
            None => self.write(io, held, grouping, None)?,
        }
        io.holds(0);
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        if self.order.unique { Verb::Merges } else { Verb::Orders }
    }

    fn holds(&self) -> Option<&'static str> {
        Some("the first line of the result may be the last one read")
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        self.order.key_ranges(line)
    }
}

fn next(input: &mut Input, name: &str) -> Result<Option<Lines>, StageError> {
    input.next_lines().map_err(|error| match error {
        ReadError::Cancelled => StageError::Cancelled,
        ReadError::Io(error) => {
            StageError::failed(2, format!("read failed: {name}: {}", stream::describe(&error)))
        }
    })
}

impl Sort {
    /// Sorts what is held and writes it; with counts, the line with entry number n so often.
    fn write(
        &self,
        io: &mut StageIo<'_>,
        held: Held,
        grouping: Option<Grouping>,
        counts: Option<&[u64]>,
    ) -> Result<(), StageError> {
        let order = &self.order;
        let processors = io.processors();
        let parts = processors.count().max(1);
        let compare = |one: &Entry, other: &Entry| compare(order, &held, one, other);
        let traced = io.keeps_origins();
        let (entries, skip) = match grouping {
            Some(_) => (Vec::new(), 0),
            None => held.entries(processors),
        };
        let all: usize = entries.iter().map(Vec::len).sum();
        let sorted: Box<dyn Iterator<Item = Entry> + '_> = if let Some(grouping) = grouping {
            Box::new(grouping.sorted(&held, order).into_iter())
        } else if order.plain && (!traced || all <= AT_ONCE) {
            let mut dealt = deep::deal(entries, &held, order, parts);
            let jobs = dealt.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
                let held = &held;
                Box::new(move || {
                    if traced {
                        deep::sort::<true>(part, held, order, skip, 0);
                    } else {
                        deep::sort::<false>(part, held, order, skip, 0);
                    }
                })
            });
            processors.run(jobs.collect());
            Box::new(dealt.into_iter().flatten())
        } else {
            let pieces = self.sorted_pieces(io, entries.concat(), &held, parts, skip)?;
            Box::new(merge::two(pieces, &compare))
        };
        let (lines, ids) = (Vec::new(), Vec::new());
        let mut writer = Writer { held: &held, run: None, lines, ids, traced };
        let mut last: Option<Entry> = None;
        let mut written = 0u32;
        for entry in sorted {
            written = written.wrapping_add(1);
            if written.is_multiple_of(1 << 14) {
                io.check_cancel()?;
            }
            if order.unique {
                let line = held.line(&entry);
                if last.is_some_and(|last| order.same(held.line(&last), line)) {
                    continue;
                }
                last = Some(entry);
            }
            let repeats = match counts {
                Some(counts) if !order.unique => counts[entry.row as usize],
                _ => 1,
            };
            for _ in 0..repeats {
                writer.write(io, &entry)?;
            }
        }
        writer.flush(io)
    }

    /// Sorts piece by piece, and merges until at most two are left.
    fn sorted_pieces(
        &self,
        io: &StageIo<'_>,
        entries: Vec<Entry>,
        held: &Held,
        parts: usize,
        skip: usize,
    ) -> Result<Vec<Vec<Entry>>, StageError> {
        let order = &self.order;
        let processors = io.processors();
        let share = entries.len().div_ceil(parts).max(1);
        let size = if io.keeps_origins() { PIECE } else { share };
        let mut pieces: Vec<Vec<Entry>> = entries.chunks(size).map(<[Entry]>::to_vec).collect();
        drop(entries);
        for batch in pieces.chunks_mut(parts) {
            io.check_cancel()?;
            let jobs = batch.iter_mut().map(|piece| -> Box<dyn FnOnce() + Send + '_> {
                Box::new(move || sort_piece(order, held, piece, skip))
            });
            processors.run(jobs.collect());
        }
        let compare = |one: &Entry, other: &Entry| compare(order, held, one, other);
        while pieces.len() > 2 {
            io.check_cancel()?;
            pieces = merge::pairs(pieces, &compare, processors);
        }
        Ok(pieces)
    }
}

/// Writes lines. Where origins are kept they are gathered with their lines; else lines that stood
/// one after the other in the input go out together, shared.
struct Writer<'h> {
    held: &'h Held,
    /// The lines gathered: the first of them, and its part of the chunk so far.
    run: Option<(Entry, Range<usize>)>,
    lines: Vec<u8>,
    ids: Vec<LineId>,
    traced: bool,
}

impl Writer<'_> {
    #[inline]
    fn write(&mut self, io: &mut StageIo<'_>, entry: &Entry) -> Result<(), StageError> {
        let whole = self.held.whole(entry);
        if self.traced || whole.is_none() {
            self.lines.extend_from_slice(self.held.line(entry));
            self.lines.push(b'\n');
            self.ids.push(self.held.id(entry));
            if !self.traced || self.lines.len() >= stream::BLOCK_SIZE {
                self.flush(io)?;
            }
            return Ok(());
        }
        let part = whole.unwrap_or_default();
        if let Some((first, run)) = &mut self.run {
            if first.chunk == entry.chunk && run.end == part.start {
                run.end = part.end;
                return Ok(());
            }
            self.flush(io)?;
        }
        self.run = Some((*entry, part));
        Ok(())
    }

    #[inline]
    fn flush(&mut self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        if let Some((first, run)) = self.run.take() {
            let id = self.held.id(&first);
            if run.len() < SHARED_RUN {
                io.out().put(self.held.bytes(first.chunk, run), Origin::Sequence(id))?;
            } else {
                io.out().pass(self.held.share(first.chunk, run), id)?;
            }
        }
        if !self.lines.is_empty() {
            io.out().put_each(&self.lines, &self.ids)?;
            self.lines.clear();
            self.ids.clear();
        }
        Ok(())
    }
}

/// Runs from this many bytes on are passed on shared.
const SHARED_RUN: usize = 8 << 10;

#[inline]
fn compare(order: &Order, held: &Held, one: &Entry, other: &Entry) -> Ordering {
    one.prefix.cmp(&other.prefix).then_with(|| order.compare(held.line(one), held.line(other)))
}

fn sort_piece(order: &Order, held: &Held, piece: &mut [Entry], skip: usize) {
    for entry in piece.iter_mut() {
        entry.prefix = order.prefix(held.line(entry), skip);
    }
    piece.sort_by(|one, other| compare(order, held, one, other));
}
