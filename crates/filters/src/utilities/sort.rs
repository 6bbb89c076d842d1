//! `sort`: puts lines in order, by bytes.

use std::cmp::Ordering;
use std::ffi::OsStr;
use std::ops::Range;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use stream::{ExitStatus, Origin, StageError, StageIo, WriteError};

use crate::common::input::line_feed::LineFeed;
use crate::spec::{
    Arguments, Counted, Definition, Dropped, Filter, Given, Operands, OptionId, OptionSpec, Spec,
    Style, UsageError, Verb, example, long_option, option, option_maybe, shown,
};
use crate::text::phrases::{from_files, list, named};

mod blanks;
mod by_keys;
mod check;
mod compare;
mod counted;
mod failure;
mod grouped;
mod in_order;
mod keys;
mod line_store;
mod merge;
mod output_target;
mod partition;
mod prefix_sort;
mod runs;
mod writer;

use counted::CountedLines;
use failure::{cannot_read, read_failed};
use grouped::Grouping;
use in_order::InOrder;
use keys::Order;
use line_store::{Entry, Held};
use output_target::OutputTarget;
use runs::{Run, Runs};
use writer::Writer;

const PARALLEL: OptionId = OptionId::Long("parallel");

const OPTIONS: &[OptionSpec] = &[
    option('C', "", None, "as -c, but say nothing", true),
    option('M', "month-sort", None, "compare as names of months", false),
    option('R', "random-sort", None, "random order, equal keys together", false),
    option(
        'S',
        "buffer-size",
        Some("SIZE"),
        "hold at most SIZE in memory, the rest on disk: KiB, or with b, K, M, G, %",
        false,
    ),
    option('T', "temporary-directory", Some("DIR"), "the directory for temporary files", false),
    option('V', "version-sort", None, "compare as versions: 1.9 before 1.10", false),
    option('b', "ignore-leading-blanks", None, "ignore blanks before a key", true),
    OptionSpec {
        posix: true,
        ..option_maybe('c', "check", "HOW", "only say which line is out of order (HOW: quiet)")
    },
    option('d', "dictionary-order", None, "ignore all but blanks, letters and digits", true),
    option('f', "ignore-case", None, "lower case counts as upper case", true),
    option('g', "general-numeric-sort", None, "compare as floating point: 1e3, -inf", false),
    option('h', "human-numeric-sort", None, "compare as sizes: 2K before 1G", false),
    option('i', "ignore-nonprinting", None, "ignore what cannot be printed", true),
    option(
        'k',
        "key",
        Some("KEY"),
        "sort by a key: FROM[,TO], each field[.character][options]",
        true,
    ),
    option('m', "merge", None, "the files are in order; merge them", true),
    option('n', "numeric-sort", None, "compare as numbers", true),
    option('o', "output", Some("FILE"), "write to FILE, which may be one that is read", true),
    option('r', "reverse", None, "reverse the order", true),
    option('s', "stable", None, "lines with equal keys stay in order", false),
    option(
        't',
        "field-separator",
        Some("CHAR"),
        "fields end at CHAR instead of before blanks",
        true,
    ),
    option('u', "unique", None, "one line of those with equal keys", true),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option(
        "sort",
        Some("WORD"),
        "numeric, general-numeric, human-numeric, month, random or version",
        false,
    ),
    long_option("parallel", Some("NUM"), "use at most NUM processors", false),
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
        example("sort -t, -k3,3n cabins.csv", "by the third field, as a number"),
        example("sort -u spares-upper.txt", "in order, each line once"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Sort {
    files: Vec<Vec<u8>>,
    order: Order,
    task: Task,
    output: Option<Vec<u8>>,
    memory: Memory,
    directory: Option<Vec<u8>>,
    processors: usize,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Task {
    Sort,
    Merge,
    Check { quiet: bool },
}

/// How much may be held in memory.
#[derive(Clone, Copy)]
enum Memory {
    /// A quarter of what the machine has.
    Usual,
    Bytes(u64),
    Percent(u64),
}

/// Less than this is never worth a run of its own.
const MEMORY_LEAST: u64 = 1 << 20;

fn memory(arguments: &Arguments) -> Result<Memory, UsageError> {
    let Some(given) = arguments.last('S') else { return Ok(Memory::Usual) };
    let digits = given.value.iter().take_while(|byte| byte.is_ascii_digit()).count();
    let (number, suffix) = given.value.split_at(digits);
    let number = crate::text::counts::count(number);
    let amount = match (number, suffix) {
        (Some(number), b"") => Some(Memory::Bytes(number.saturating_mul(1024))),
        (Some(number), b"b") => Some(Memory::Bytes(number)),
        (Some(number), b"%") if number <= 100 => Some(Memory::Percent(number)),
        (Some(_), _) => crate::text::counts::count(&given.value).map(Memory::Bytes),
        (None, _) => None,
    };
    amount.ok_or_else(|| {
        let message = format!("invalid -S argument {}", shown(&given.value));
        UsageError::new(&SPEC, Some(given.word), message)
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let order = Order::new(arguments, &SPEC)?;
    let checks = arguments.options.iter().filter(|given| given.is_one_of("cC"));
    let task = match checks.clone().next_back() {
        Some(given) => {
            if let Some(extra) = arguments.operands.get(1) {
                let message =
                    format!("extra operand {} not allowed with {}", shown(&extra.value), given.id);
                return Err(UsageError::with_hint(&SPEC, Some(extra.word), &message));
            }
            if let Some(output) = arguments.last('o') {
                let message = format!("options '{}o' are incompatible", given.id);
                return Err(UsageError::new(&SPEC, Some(output.word), message));
            }
            let quiet = quiet_check(given)?;
            if let Some(other) = checks.clone().find(|other| quiet_check(other).ok() != Some(quiet))
            {
                let message = "options '-cC' are incompatible";
                return Err(UsageError::new(&SPEC, Some(other.word), message));
            }
            Task::Check { quiet }
        }
        None if arguments.has('m') => Task::Merge,
        None => Task::Sort,
    };
    let outputs: Vec<_> = arguments.all('o').collect();
    if let [first, .., last] = outputs[..]
        && first.value != last.value
    {
        return Err(UsageError::new(&SPEC, Some(last.word), "multiple output files specified"));
    }
    let processors = arguments.number(&SPEC, PARALLEL, "invalid number of processors")?;
    if let (Some(0), Some(given)) = (processors, arguments.last(PARALLEL)) {
        return Err(UsageError::new(&SPEC, Some(given.word), "number in parallel must be nonzero"));
    }
    let filter = Sort {
        files: arguments.operand_values(),
        order,
        task,
        output: outputs.first().map(|given| given.value.clone()),
        memory: memory(arguments)?,
        directory: arguments.last('T').map(|given| given.value.clone()),
        processors: processors.map_or(usize::MAX, |number| number as usize),
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

/// Whether a check says nothing: `-C`, `--check=quiet`.
fn quiet_check(given: &Given) -> Result<bool, UsageError> {
    let begins = |word: &str| word.as_bytes().starts_with(&given.value);
    if given.id == 'C' {
        return Ok(true);
    }
    match &given.value[..] {
        b"" => Ok(false),
        _ if begins("quiet") || begins("silent") => Ok(true),
        _ if begins("diagnose-first") => Ok(false),
        other => {
            let message = format!("invalid argument {} for ‘--check’", shown(other));
            let error = UsageError::with_hint(&SPEC, Some(given.word), &message);
            Err(UsageError { status: 1, ..error })
        }
    }
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    if arguments.has('c') || arguments.has('C') {
        return format!("checks whether the lines{files} are sorted");
    }
    let mut parts = Vec::new();
    for given in arguments.all('k') {
        parts.push(keys::in_words(&given.value));
    }
    let by = if parts.is_empty() {
        let whole = [
            ('n', " by the number each begins with"),
            ('g', " by the floating-point number each begins with"),
            ('h', " by the size each begins with"),
            ('M', " by the month each begins with"),
            ('V', " as versions"),
            ('R', " by chance, equal ones together"),
        ];
        let found = whole.iter().find(|(letter, _)| arguments.has(*letter));
        found.map_or_else(String::new, |(_, words)| (*words).to_owned())
    } else {
        let ends = match arguments.last('t') {
            Some(given) => format!(", fields ended by {}", named(&given.value)),
            None => String::new(),
        };
        format!(" by {}{ends}", parts.join(", then by "))
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
    let into = match arguments.last('o') {
        Some(given) => format!(", into {}", String::from_utf8_lossy(&given.value)),
        None => String::new(),
    };
    let does = if arguments.has('m') { "merges the sorted lines" } else { "puts the lines" };
    format!("{does}{files} in order{by}{ways}{once}{into}")
}

/// Lines that are sorted at once even where a run must be cancelled quickly: a fraction of the
/// tenth of a second that may take.
const AT_ONCE: usize = 1 << 18;

/// Lines that are sorted in one go while a run may still be cancelled quickly.
const PIECE: usize = 1 << 15;

/// Lines of each input that are compared with one that was dropped, at most.
const LOOKED_AT: u64 = 1 << 20;

impl Filter for Sort {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        if self.order.is_random() {
            self.order.seed = io.files().machine().random();
        }
        if let Task::Check { quiet } = self.task {
            let file = self.files.first().cloned().unwrap_or_else(|| b"-".to_vec());
            return check::check(io, &file, &self.order, quiet);
        }
        let Some(name) = self.output.clone() else {
            self.sort_or_merge(io, &mut OutputTarget::Stage)?;
            return Ok(ExitStatus::SUCCESS);
        };
        // The file takes its new content only when all of it is there, so it may be read too.
        let shown = String::from_utf8_lossy(&name).into_owned();
        let failed = |error: &std::io::Error| {
            StageError::failed(2, format!("open failed: {shown}: {}", stream::describe(error)))
        };
        let path = Path::new(OsStr::from_bytes(&name));
        let replacement = io.files().replace(path).map_err(|error| failed(&error))?;
        let mut target = OutputTarget::File { sink: replacement.sink(), gathered: Vec::new() };
        let written = self.sort_or_merge(io, &mut target).and_then(|()| target.flush());
        written.map_err(|error| match error {
            StageError::Write(WriteError::Io(error)) => StageError::failed(
                2,
                format!("write failed: {shown}: {}", stream::describe(&error)),
            ),
            other => other,
        })?;
        replacement.commit().map_err(|error| failed(&error))?;
        Ok(ExitStatus::SUCCESS)
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        if !self.order.unique || self.order.is_random() {
            return None;
        }
        // Of equal lines the first one stays.
        for input in 0..=dropped.input {
            let before =
                if input == dropped.input { dropped.number } else { dropped.lines.count(input) };
            let equal = |number: &u64| {
                let line = dropped.lines.line(input, *number);
                line.is_some_and(|line| self.order.same(&line, dropped.line))
            };
            if let Some(number) = (0..before.min(LOOKED_AT)).find(equal) {
                let file = if input == dropped.input { "" } else { " of a file before it" };
                return Some(format!("equal to line {}{file}", number + 1));
            }
        }
        None
    }

    fn verb(&self) -> Verb {
        match self.task {
            Task::Check { .. } => Verb::Checks,
            _ if self.order.unique => Verb::Merges,
            _ => Verb::Orders,
        }
    }

    fn memory_limit(&self, machine_bytes: u64) -> Option<u64> {
        Some(self.memory_bytes(machine_bytes))
    }

    fn holds(&self) -> Option<&'static str> {
        Some("the first line of the result may be the last one read")
    }

    fn counts(&self, line: &[u8]) -> Option<Counted> {
        self.order.fields(line).map(Counted::Fields)
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        self.order.key_ranges(line)
    }
}

impl Sort {
    fn memory_bytes(&self, machine: u64) -> u64 {
        let bytes = match self.memory {
            Memory::Usual => machine / 4,
            Memory::Bytes(bytes) => bytes,
            Memory::Percent(percent) => machine / 100 * percent,
        };
        bytes.max(MEMORY_LEAST)
    }

    fn files(&self) -> Vec<Vec<u8>> {
        if self.files.is_empty() { vec![b"-".to_vec()] } else { self.files.clone() }
    }

    fn sort_or_merge(
        &self,
        io: &mut StageIo<'_>,
        target: &mut OutputTarget<'_>,
    ) -> Result<(), StageError> {
        if self.task == Task::Merge {
            let mut runs = Vec::new();
            for file in self.files() {
                let name = String::from_utf8_lossy(&file).into_owned();
                let input = io.open(&file).map_err(|error| cannot_read(&name, &error))?;
                runs.push(Run::File(Box::new(LineFeed::new(input)), name));
            }
            return self.merge(io, runs, target);
        }
        let (held, runs) = self.read(io, target)?;
        let Some(mut runs) = runs else { return Ok(()) };
        if runs.len() == 0 {
            return Ok(());
        }
        if let Some(held) = held {
            self.add_run(io, held, &mut runs)?;
        }
        io.holds(0);
        while runs.len() > runs::RUNS_MAX {
            runs = self.merge_some(io, &runs)?;
        }
        self.merge(io, runs.readers(), target)
    }

    fn merge(
        &self,
        io: &mut StageIo<'_>,
        runs: Vec<Run<'_>>,
        target: &mut OutputTarget<'_>,
    ) -> Result<(), StageError> {
        let traced = io.keeps_origins();
        let mut gathered = Vec::with_capacity(stream::BLOCK_SIZE);
        let mut ids = Vec::new();
        runs::merge(runs, &self.order, |line, id| {
            gathered.extend_from_slice(line);
            gathered.push(b'\n');
            if traced {
                ids.extend(id);
            }
            if gathered.len() < stream::BLOCK_SIZE {
                return Ok(());
            }
            target.put_each(io, &gathered, &ids)?;
            gathered.clear();
            ids.clear();
            io.check_cancel()
        })?;
        target.put_each(io, &gathered, &ids)
    }

    /// Merges this many runs at a time into longer ones.
    fn merge_some(&self, io: &mut StageIo<'_>, runs: &Runs) -> Result<Runs, StageError> {
        let mut longer = self.new_runs(io)?;
        let mut readers = runs.readers();
        while !readers.is_empty() {
            let rest = readers.split_off(readers.len().min(runs::RUNS_MAX));
            longer.begin();
            self.merge(io, readers, &mut OutputTarget::Run(&mut longer))?;
            longer.end()?;
            readers = rest;
        }
        Ok(longer)
    }

    fn new_runs(&self, io: &StageIo<'_>) -> Result<Runs, StageError> {
        let directory = self.directory.as_ref().map(|name| Path::new(OsStr::from_bytes(name)));
        let scratch = io.files().machine().scratch(directory).map_err(|error| {
            let place = directory.map_or_else(
                || "the usual directory".to_owned(),
                |path| path.display().to_string(),
            );
            StageError::failed(
                2,
                format!("cannot create temporary file in {place}: {}", stream::describe(&error)),
            )
        })?;
        Ok(Runs::new(scratch))
    }

    /// Sorts what is held and writes it to disk.
    fn add_run(&self, io: &mut StageIo<'_>, held: Held, runs: &mut Runs) -> Result<(), StageError> {
        runs.begin();
        self.write(io, held, None, None, &mut OutputTarget::Run(&mut *runs))?;
        runs.end()
    }

    /// Reads everything. Without runs on disk it is sorted and written at once, and nothing is
    /// given back.
    #[allow(clippy::type_complexity)]
    fn read(
        &self,
        io: &mut StageIo<'_>,
        target: &mut OutputTarget<'_>,
    ) -> Result<(Option<Held>, Option<Runs>), StageError> {
        let memory = self.memory_bytes(io.files().machine().memory_bytes());
        // Where origins are kept the data is a sample, which fits.
        let traced = io.keeps_origins();
        let mut held = Held::default();
        let mut runs: Option<Runs> = None;
        let mut counted = (self.order.equal_means_same() && !traced).then(CountedLines::default);
        let mut grouping = (self.order.equal_means_same() && traced).then(Grouping::default);
        let mut in_order = InOrder::new(&self.order, traced);
        for file in self.files() {
            let name = String::from_utf8_lossy(&file).into_owned();
            let mut input = io.open(&file).map_err(|error| cannot_read(&name, &error))?;
            while let Some(lines) = input.next_lines().map_err(|error| read_failed(&name, error))? {
                in_order.look(&self.order, &lines);
                if let Some(counter) = &mut counted {
                    if counter.add(&lines) {
                        io.holds(counter.memory());
                        if counter.memory() > memory {
                            // Too many different lines: those so far are the first run.
                            let (kept, counts) =
                                counted.take().map(CountedLines::into_lines).unwrap_or_default();
                            in_order.give_up();
                            let mut part = Held::default();
                            for lines in kept {
                                part.add(lines)?;
                            }
                            let mut new = self.new_runs(io)?;
                            new.begin();
                            self.write(
                                io,
                                part,
                                None,
                                Some(&counts),
                                &mut OutputTarget::Run(&mut new),
                            )?;
                            new.end()?;
                            runs = Some(new);
                        }
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
                if held.memory() > memory && !traced {
                    if runs.is_none() {
                        runs = Some(self.new_runs(io)?);
                    }
                    if let Some(runs) = &mut runs {
                        in_order.give_up();
                        self.add_run(io, std::mem::take(&mut held), runs)?;
                    }
                }
            }
        }
        if runs.is_some() {
            return Ok((Some(held), runs));
        }
        match counted {
            Some(counter) => {
                let (lines, counts) = counter.into_lines();
                for lines in lines {
                    held.add(lines)?;
                }
                self.write(io, held, None, Some(&counts), target)?;
            }
            None if in_order.holds() => {
                for (bytes, first) in held.into_chunks() {
                    let open = !bytes.ends_with(b"\n");
                    target.pass(io, bytes, first)?;
                    if open {
                        target.put(io, b"\n", Origin::None)?;
                    }
                }
            }
            None => self.write(io, held, grouping, None, target)?,
        }
        io.holds(0);
        Ok((None, None))
    }

    /// Sorts what is held and writes it; with counts, the line with entry number n so often.
    fn write(
        &self,
        io: &mut StageIo<'_>,
        held: Held,
        grouping: Option<Grouping>,
        counts: Option<&[u64]>,
        target: &mut OutputTarget<'_>,
    ) -> Result<(), StageError> {
        let order = &self.order;
        let processors = io.processors();
        let parts = processors.count().min(self.processors).max(1);
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
            let mut dealt = partition::deal(entries, parts, |one, other| {
                order.compare(held.line(one), held.line(other))
            });
            let jobs = dealt.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
                let held = &held;
                Box::new(move || {
                    if traced {
                        prefix_sort::sort::<true>(part, held, order, skip, 0);
                    } else {
                        prefix_sort::sort::<false>(part, held, order, skip, 0);
                    }
                })
            });
            processors.run(jobs.collect());
            Box::new(dealt.into_iter().flatten())
        } else if traced {
            let pieces = self.sorted_pieces(io, entries, &held, parts, skip)?;
            Box::new(merge::two(pieces, &compare))
        } else {
            let dealt = by_keys::sorted(entries, &held, order, parts, skip, processors);
            Box::new(dealt.into_iter().flatten())
        };
        let mut writer = Writer::new(&held, traced);
        let mut last: Option<Entry> = None;
        let mut sorted = sorted;
        let mut next = Vec::with_capacity(FETCHED);
        let mut rounds = 0u32;
        loop {
            next.extend(sorted.by_ref().take(FETCHED));
            if next.is_empty() {
                break;
            }
            held.fetch(&next);
            rounds = rounds.wrapping_add(1);
            if rounds.is_multiple_of(256) {
                io.check_cancel()?;
            }
            for entry in next.drain(..) {
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
                    writer.write(io, &entry, target)?;
                }
            }
        }
        writer.flush(io, target)
    }

    /// Sorts small piece by small piece, so that a run can be cancelled quickly, and merges until
    /// at most two are left.
    fn sorted_pieces(
        &self,
        io: &StageIo<'_>,
        entries: Vec<Vec<Entry>>,
        held: &Held,
        parts: usize,
        skip: usize,
    ) -> Result<Vec<Vec<Entry>>, StageError> {
        let order = &self.order;
        let processors = io.processors();
        let small = |part: Vec<Entry>| {
            part.chunks(PIECE).map(<[Entry]>::to_vec).collect::<Vec<Vec<Entry>>>()
        };
        let mut pieces: Vec<Vec<Entry>> = entries.into_iter().flat_map(small).collect();
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

/// Lines that are brought near at the same time before they are written.
const FETCHED: usize = 64;

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
