//! `xargs`: runs commands with items from its input as arguments.

use parking_lot::Mutex;
use std::collections::VecDeque;
use std::sync::Arc;

use stream::{
    CommandEnd, CommandRequest, Commands, ExitStatus, Files, LineId, RunControl, Sink, StageError,
    StageIo,
};

use crate::common::input::line_feed::{open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Given, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option, option_attached, shown,
};
use crate::text::phrases::counted;

mod items;

use items::{Item, Items, Splitting};

const PROCESS_SLOT: OptionId = OptionId::Long("process-slot-var");

const OPTIONS: &[OptionSpec] = &[
    option('0', "null", None, "items end with NUL; quotes and blanks are part of them", false),
    option('E', "", Some("WORD"), "stop at an item that is WORD", true),
    option('I', "", Some("TEXT"), "replace TEXT with each line, one command per line", true),
    option('L', "", Some("NUM"), "NUM lines per command", true),
    option(
        'P',
        "max-procs",
        Some("NUM"),
        "NUM commands at the same time; 0 for as many as there are processors",
        false,
    ),
    option('a', "arg-file", Some("FILE"), "take items from FILE, not standard input", false),
    option(
        'd',
        "delimiter",
        Some("CHAR"),
        "items end with CHAR; quotes and blanks are part of them",
        false,
    ),
    option_attached('e', "eof", "WORD", "as -E (obsolete)"),
    option_attached('i', "replace", "TEXT", "as -I, {} without TEXT (obsolete)"),
    option_attached('l', "max-lines", "NUM", "as -L, 1 without NUM (obsolete)"),
    option('n', "max-args", Some("NUM"), "at most NUM items per command", true),
    option('o', "open-tty", None, "standard input of commands is the terminal", false),
    option(
        'p',
        "interactive",
        None,
        "not supported: see the commands with -t or in the Bench",
        true,
    ),
    option('r', "no-run-if-empty", None, "run nothing when there are no items", false),
    option('s', "max-chars", Some("NUM"), "at most NUM bytes per command line", true),
    option('t', "verbose", None, "write each command to standard error before it runs", true),
    option('x', "exit", None, "stop when a command line would be too long", true),
    long_option("show-limits", None, "accepted and without effect", false),
    long_option(
        "process-slot-var",
        Some("NAME"),
        "a variable with a number for each parallel command",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "xargs",
    summary: "runs commands with items from its input as arguments",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[command [argument …]]",
    style: Style::OptionsFirst,
    usage_status: 1,
    examples: &[
        example("ls *.txt | xargs wc -l", "one command for all names"),
        example(
            "cut -d' ' -f3 gate.log | sort -u | xargs -I{} echo 'gate {}'",
            "one command for each line",
        ),
        example("grep -rlZ refused . | xargs -0 -n 1 -P 2 wc -l", "two at a time, any name"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// The most bytes of a command line without `-s`.
const BYTES_MAX: u64 = 128 * 1024;

#[derive(Clone)]
struct Xargs {
    command: Vec<Vec<u8>>,
    splitting: Splitting,
    file: Option<Vec<u8>>,
    /// What each line is in place of.
    replaced: Option<Vec<u8>>,
    items: Option<u64>,
    lines: Option<u64>,
    bytes: u64,
    at_once: usize,
    terminal: bool,
    not_empty: bool,
    verbose: bool,
    strict: bool,
    slot: Option<String>,
}

fn positive(given: &Given, what: &str, least: u64) -> Result<u64, UsageError> {
    match std::str::from_utf8(&given.value).ok().and_then(|text| text.parse::<u64>().ok()) {
        Some(number) if number >= least => Ok(number),
        Some(_) => {
            let message = format!(
                "value {} for {what} option should be >= {least}",
                String::from_utf8_lossy(&given.value)
            );
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
        None => {
            let message = format!("invalid number {} for {what} option", shown(&given.value));
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn delimiter(given: &Given) -> Result<u8, UsageError> {
    use crate::text::escapes::{Escape, Octal, read};
    match given.value[..] {
        [byte] => Ok(byte),
        [b'\\', ref rest @ ..] => match read(rest, Octal::Bare) {
            (Escape::Bytes(bytes), used) if used == rest.len() && bytes.len() == 1 => Ok(bytes[0]),
            _ => {
                let message = format!(
                    "Invalid escape sequence {} in input delimiter specification.",
                    String::from_utf8_lossy(&given.value)
                );
                Err(UsageError::new(&SPEC, Some(given.word), message))
            }
        },
        _ => {
            let message = format!(
                "Invalid input delimiter specification {}: the delimiter must be either a single character or an escape sequence starting with \\.",
                String::from_utf8_lossy(&given.value)
            );
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn parse(arguments: &Arguments) -> Result<Xargs, UsageError> {
    if let Some(given) = arguments.last('p') {
        let message = "asking before each command is not supported: see the commands with -t, or in the Bench";
        return Err(UsageError::new(&SPEC, Some(given.word), message));
    }
    let mut xargs = Xargs {
        command: arguments.operand_values(),
        splitting: Splitting::Words { end: None, whole_lines: false },
        file: None,
        replaced: None,
        items: None,
        lines: None,
        bytes: BYTES_MAX,
        at_once: 1,
        terminal: arguments.has('o'),
        not_empty: arguments.has('r'),
        verbose: arguments.has('t'),
        strict: arguments.has('x'),
        slot: arguments
            .last(PROCESS_SLOT)
            .map(|given| String::from_utf8_lossy(&given.value).into_owned()),
    };
    if xargs.command.is_empty() {
        xargs.command = vec![b"echo".to_vec()];
    }
    let mut end = None;
    let mut separator = None;
    for given in &arguments.options {
        match given.id {
            OptionId::Letter('0') => separator = Some(0),
            OptionId::Letter('d') => separator = Some(delimiter(given)?),
            OptionId::Letter('E' | 'e') => {
                end = Some(given.value.clone()).filter(|word| !word.is_empty());
            }
            OptionId::Letter('a') => xargs.file = Some(given.value.clone()),
            // The last of these three counts.
            OptionId::Letter('I' | 'i') => {
                let text =
                    if given.value.is_empty() { b"{}".to_vec() } else { given.value.clone() };
                (xargs.replaced, xargs.items, xargs.lines) = (Some(text), None, None);
            }
            OptionId::Letter('L' | 'l') => {
                let number = if given.value.is_empty() { 1 } else { positive(given, "-L", 1)? };
                (xargs.lines, xargs.replaced, xargs.items) = (Some(number), None, None);
            }
            OptionId::Letter('n') => {
                let number = positive(given, "-n", 1)?;
                (xargs.items, xargs.lines) = (Some(number), None);
                // One item a command is what -I means anyway.
                if number != 1 {
                    xargs.replaced = None;
                } else if xargs.replaced.is_some() {
                    xargs.items = None;
                }
            }
            OptionId::Letter('s') => xargs.bytes = positive(given, "-s", 1)?.min(BYTES_MAX),
            OptionId::Letter('P') => xargs.at_once = positive(given, "-P", 0)? as usize,
            _ => {}
        }
    }
    let whole_lines = xargs.replaced.is_some();
    xargs.splitting = match separator {
        Some(byte) => Splitting::Ended(byte),
        None => Splitting::Words { end, whole_lines },
    };
    Ok(xargs)
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    parse(arguments).map(|xargs| Box::new(xargs) as Box<dyn Filter>)
}

fn explain(arguments: &Arguments) -> String {
    let Ok(xargs) = parse(arguments) else { return SPEC.summary.to_owned() };
    let words: Vec<String> =
        xargs.command.iter().map(|word| String::from_utf8_lossy(word).into_owned()).collect();
    let command = words.join(" ");
    let ends = match xargs.splitting {
        Splitting::Ended(0) => ", items ended by NUL",
        Splitting::Ended(b'\n') => ", one item a line",
        Splitting::Ended(_) => ", items ended by a delimiter",
        Splitting::Words { .. } => "",
    };
    let how = if let Some(text) = &xargs.replaced {
        format!("runs “{command}” for each line, which replaces {}", String::from_utf8_lossy(text))
    } else if let Some(lines) = xargs.lines {
        format!("runs “{command}” with the items of {} at a time", counted(lines, "line", "lines"))
    } else if let Some(items) = xargs.items {
        format!("runs “{command}” with {} at a time", counted(items, "item", "items"))
    } else {
        format!("runs “{command}” with all items, as many at a time as fit")
    };
    let at_once = match xargs.at_once {
        1 => String::new(),
        0 => "; as many at the same time as there are processors".to_owned(),
        number => format!("; {number} at the same time"),
    };
    format!("{how}{ends}{at_once}")
}

/// Items gathered for the next command.
#[derive(Default)]
struct Batch {
    items: Vec<Vec<u8>>,
    bytes: u64,
    lines: u64,
    from: Option<(LineId, LineId)>,
}

impl Batch {
    fn add(&mut self, item: &Item) {
        self.bytes += item.bytes.len() as u64 + 1;
        self.items.push(item.bytes.clone());
        self.from = Some(match self.from {
            Some((first, _)) => (first, item.id),
            None => (item.id, item.id),
        });
    }
}

/// A command ready to be run.
struct Command {
    words: Vec<Vec<u8>>,
    out: Arc<dyn Sink>,
}

impl Filter for Xargs {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let name = self.file.clone().unwrap_or_else(|| b"-".to_vec());
        let input = io.open(&name).map_err(|error| open_failure(1, &name, &error))?;
        let error = io.error_sink()?;
        let at_once = if self.at_once == 0 { io.processors().count().max(1) } else { self.at_once };
        let mut runner = Runner {
            xargs: self,
            files: io.files(),
            commands: io.commands(),
            control: io.cancel().clone(),
            error,
            at_once,
            queue: Vec::new(),
            status: 0,
            held_back: 0,
            first_held_back: None,
        };
        let outcome = runner.all(io, Items::new(input, self.splitting.clone(), name));
        let outcome = match outcome {
            Ok(()) => runner.flush(io),
            // What was read before is still run.
            Err(StageError::Failed { message, status }) if !matches!(runner.status, 124..=127) => {
                let rest = runner.flush(io);
                rest.and(Err(StageError::Failed { message, status }))
            }
            Err(error) => Err(error),
        };
        if runner.held_back > 0 {
            let first = runner.first_held_back.take().unwrap_or_default();
            let count = counted(runner.held_back, "command is", "commands are");
            io.message(&format!("{count} held back here; the first: {first}"))?;
        }
        let status = runner.status;
        outcome.map(|()| ExitStatus(status))
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        let name = self.command.first().map_or(&b"echo"[..], |name| name);
        Some(format!("it became a part of a command: {}", String::from_utf8_lossy(name)))
    }

    fn verb(&self) -> Verb {
        Verb::Acts
    }
}

struct Runner<'x, 'w> {
    xargs: &'x Xargs,
    files: &'w dyn Files,
    commands: &'w dyn Commands,
    control: RunControl,
    error: Arc<dyn Sink>,
    at_once: usize,
    /// Commands waiting until there are enough to run together.
    queue: Vec<Command>,
    status: u8,
    held_back: u64,
    first_held_back: Option<String>,
}

impl Runner<'_, '_> {
    fn all(&mut self, io: &mut StageIo<'_>, mut items: Items) -> Result<(), StageError> {
        let xargs = self.xargs;
        let fixed: u64 = xargs.command.iter().map(|word| word.len() as u64 + 1).sum();
        let mut batch = Batch::default();
        let mut any = false;
        loop {
            let item = match items.next() {
                Ok(Some(item)) => item,
                Ok(None) => break,
                Err(items::Trouble::Read(error)) => {
                    return Err(read_failure(1, &items.name, error));
                }
                Err(items::Trouble::Quote(quote)) => {
                    // What came before it is run.
                    if !batch.items.is_empty() {
                        self.batch(io, batch)?;
                    }
                    let why = format!(
                        "unmatched {quote} quote; by default quotes are special to xargs unless you use the -0 option"
                    );
                    return Err(StageError::failed(1, why));
                }
            };
            any = true;
            if let Some(text) = &xargs.replaced {
                let words: Vec<Vec<u8>> =
                    xargs.command.iter().map(|word| replaced(word, text, &item.bytes)).collect();
                let length: u64 = words.iter().map(|word| word.len() as u64 + 1).sum();
                if length > xargs.bytes {
                    return Err(StageError::failed(
                        1,
                        "command line cannot be assembled, too long",
                    ));
                }
                self.command(io, words, Some((item.id, item.id)))?;
                continue;
            }
            if fixed + item.bytes.len() as u64 + 1 > xargs.bytes {
                let long = if fixed > xargs.bytes {
                    "cannot fit single argument within argument list size limit"
                } else {
                    "argument line too long"
                };
                return Err(StageError::failed(1, long));
            }
            if fixed + batch.bytes + item.bytes.len() as u64 + 1 > xargs.bytes {
                if xargs.strict && (xargs.items.is_some() || xargs.lines.is_some()) {
                    return Err(StageError::failed(1, "argument list too long"));
                }
                self.batch(io, std::mem::take(&mut batch))?;
            }
            batch.add(&item);
            batch.lines += u64::from(item.ends_line);
            let full = xargs.items.is_some_and(|most| batch.items.len() as u64 >= most)
                || xargs.lines.is_some_and(|most| batch.lines >= most);
            if full {
                self.batch(io, std::mem::take(&mut batch))?;
            }
        }
        let alone = !any && !xargs.not_empty && xargs.replaced.is_none();
        if !batch.items.is_empty() || alone {
            self.batch(io, batch)?;
        }
        Ok(())
    }

    fn batch(&mut self, io: &mut StageIo<'_>, batch: Batch) -> Result<(), StageError> {
        let words = [&self.xargs.command[..], &batch.items[..]].concat();
        self.command(io, words, batch.from)
    }

    fn command(
        &mut self,
        io: &mut StageIo<'_>,
        words: Vec<Vec<u8>>,
        from: Option<(LineId, LineId)>,
    ) -> Result<(), StageError> {
        io.check_cancel()?;
        let out = io.out().side(from)?;
        self.queue.push(Command { words, out });
        // A few rounds' worth, so that a slow command does not hold up the others.
        let enough = if self.at_once == 1 { 1 } else { self.at_once.saturating_mul(16) };
        if self.queue.len() >= enough { self.flush(io) } else { Ok(()) }
    }

    /// Runs what is queued, this many at the same time.
    fn flush(&mut self, io: &StageIo<'_>) -> Result<(), StageError> {
        let queue = std::mem::take(&mut self.queue);
        if queue.is_empty() {
            return Ok(());
        }
        let shown: Vec<String> = queue.iter().map(|command| written(&command.words)).collect();
        let ends: Mutex<Vec<(usize, CommandEnd)>> = Mutex::default();
        let waiting: Mutex<VecDeque<(usize, Command)>> =
            Mutex::new(queue.into_iter().enumerate().collect());
        let work = |slot: usize| {
            loop {
                let next = waiting.lock().pop_front();
                let Some((number, command)) = next else { break };
                let end = self.run(&command, slot);
                let stops = matches!(
                    end,
                    CommandEnd::Exited(255)
                        | CommandEnd::Signalled(_)
                        | CommandEnd::NotFound
                        | CommandEnd::NotStarted
                );
                ends.lock().push((number, end));
                if stops || self.control.is_cancelled() {
                    waiting.lock().clear();
                }
            }
        };
        let workers = self.at_once.min(shown.len());
        if workers == 1 {
            work(0);
        } else {
            let work = &work;
            let jobs = (0..workers)
                .map(|slot| -> Box<dyn FnOnce() + Send + '_> { Box::new(move || work(slot)) });
            io.processors().run(jobs.collect());
        }
        let mut ends = ends.into_inner();
        ends.sort_by_key(|(number, _)| *number);
        io.check_cancel()?;
        for (number, end) in ends {
            self.ended(end, &shown[number])?;
        }
        Ok(())
    }

    fn run(&self, command: &Command, slot: usize) -> CommandEnd {
        if self.xargs.verbose {
            let line = format!("{}\n", written(&command.words));
            // A standard error that cannot be written has nobody to be told.
            let _ = self.error.write(stream::Block::new(line.into_bytes()));
        }
        let input = if self.xargs.terminal {
            self.files.read(std::path::Path::new("/dev/tty")).ok()
        } else {
            None
        };
        let variables = self
            .xargs
            .slot
            .iter()
            .map(|name| (name.clone(), slot.to_string().into_bytes()))
            .collect();
        self.commands.run(CommandRequest {
            words: &command.words,
            input,
            out: command.out.clone(),
            error: self.error.clone(),
            environment: stream::Environment::of(variables),
            directory: None,
            control: &self.control,
        })
    }

    fn ended(&mut self, end: CommandEnd, command: &str) -> Result<(), StageError> {
        let name = command.split(' ').next().unwrap_or_default();
        match end {
            CommandEnd::Exited(0) => Ok(()),
            CommandEnd::Exited(255) => {
                self.status = 124;
                Err(StageError::failed(124, format!("{name}: exited with status 255; aborting")))
            }
            CommandEnd::Exited(_) => {
                self.status = self.status.max(123);
                Ok(())
            }
            CommandEnd::Signalled(signal) => {
                self.status = 125;
                Err(StageError::failed(125, format!("{name}: terminated by signal {signal}")))
            }
            CommandEnd::NotFound => {
                self.status = 127;
                Err(StageError::failed(127, format!("{name}: No such file or directory")))
            }
            CommandEnd::NotStarted => {
                self.status = 126;
                Err(StageError::failed(126, format!("{name}: Permission denied")))
            }
            CommandEnd::HeldBack => {
                self.held_back += 1;
                self.first_held_back.get_or_insert_with(|| command.to_owned());
                Ok(())
            }
        }
    }
}

fn replaced(word: &[u8], text: &[u8], by: &[u8]) -> Vec<u8> {
    let mut whole = Vec::new();
    let mut rest = word;
    while let Some(at) = memchr::memmem::find(rest, text) {
        whole.extend_from_slice(&rest[..at]);
        whole.extend_from_slice(by);
        rest = &rest[at + text.len()..];
    }
    whole.extend_from_slice(rest);
    whole
}

/// A command as it could be typed, quoted where it must be.
fn written(words: &[Vec<u8>]) -> String {
    let word = |word: &Vec<u8>| {
        let text = String::from_utf8_lossy(word).into_owned();
        let plain =
            |character: char| character.is_alphanumeric() || "%+,-./:=@_^".contains(character);
        if !text.is_empty() && text.chars().all(plain) {
            return text;
        }
        format!("'{}'", text.replace('\'', "'\\''"))
    };
    words.iter().map(word).collect::<Vec<_>>().join(" ")
}
