//! Runs a script, one cycle a line.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use pattern::{Pattern, TooManySteps};
use stream::{ExitStatus, LineId, Replacement, Sink, StageError, StageIo, WriteMode, describe};

use super::input::{Files, Next};
use super::output::Place;
use super::settings::Settings;
use super::skip::Skipper;
use super::tree::{Action, Address, Command, End, PatternUse, Script, Substitution, When};
use crate::common::input::records::Records;
use crate::common::substitution::replace;

mod edit;
mod in_place;
mod listing;
mod watch;

/// Commands after which it is asked whether the run was cancelled.
const ROUNDS: u32 = 1 << 14;

/// What waits for the end of the cycle.
enum Queued<'s> {
    Text(&'s [u8]),
    File(&'s [u8]),
    /// A line, and whether it has a newline.
    Line(Vec<u8>, bool),
}

/// The state of a range.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Range {
    Closed,
    /// It began at a line by its number, and is over: that line does not come again.
    Over,
    /// Open up to this line; without one up to what the end says.
    Open(Option<u64>),
    /// `0,/re/` before its first line.
    Waiting,
}

/// How a cycle went on.
enum Cycle {
    /// To its end; the space is written unless that is off.
    Done,
    /// The space was deleted.
    Deleted,
    /// Begins again without reading.
    Again,
    /// To its end, and nothing after it.
    Quit(u8),
    QuitSilently(u8),
    /// As the end of the input: the space is written.
    Ended,
}

/// A text and the lines it was made of.
#[derive(Default)]
struct Space {
    text: Vec<u8>,
    lines: Vec<(LineId, LineId)>,
    /// True where the line it came from had no newline: it is written without one.
    open: bool,
}

pub(super) struct Editor<'s, 'm, 'w> {
    script: &'s Script,
    settings: &'s Settings,
    quiet: bool,
    io: &'m mut StageIo<'w>,
    files: Files<'w>,
    space: Space,
    hold: Space,
    spare: Vec<u8>,
    newline: u8,
    line: u64,
    /// Whether `t` jumps.
    changed: bool,
    ranges: Vec<Range>,
    /// The pattern used last.
    last: Option<usize>,
    queue: Vec<Queued<'s>>,
    standard: Place,
    /// The file that is edited, and its replacement.
    edited: Option<(Place, Box<dyn Replacement>)>,
    written: Vec<Place>,
    /// Files read line by line.
    readers: HashMap<&'s [u8], Option<Records<'w>>>,
    rounds: u32,
    skipper: Option<Skipper>,
    tracks: bool,
    /// The command that runs.
    command: usize,
    /// The line of which it is told why nothing is written of it.
    watched: Option<LineId>,
    /// It was read.
    reached: bool,
}

impl<'s, 'm, 'w> Editor<'s, 'm, 'w> {
    pub(super) fn new(
        script: &'s Script,
        settings: &'s Settings,
        operands: Vec<Vec<u8>>,
        io: &'m mut StageIo<'w>,
    ) -> Result<Self, StageError> {
        let mut written = Vec::new();
        for name in &script.written {
            let sink: Arc<dyn Sink> = match &name[..] {
                // The stage's own output is written through the same place as everything else.
                b"/dev/stdout" => {
                    written.push(Place::standard());
                    continue;
                }
                b"/dev/stderr" => io.error_sink()?,
                name => io
                    .files()
                    .write(Path::new(OsStr::from_bytes(name)), WriteMode::Replace)
                    .map_err(|error| {
                        let shown = String::from_utf8_lossy(name);
                        StageError::failed(
                            4,
                            format!("couldn't open file {shown}: {}", describe(&error)),
                        )
                    })?,
            };
            written.push(Place::file(name, sink));
        }
        let quiet = settings.quiet || script.quiet;
        let tracks = io.keeps_origins();
        let separate = settings.separate || settings.in_place.is_some();
        Ok(Self {
            script,
            settings,
            quiet,
            files: Files::new(operands, settings.zero, separate, tracks),
            space: Space::default(),
            hold: Space::default(),
            spare: Vec::new(),
            newline: if settings.zero { 0 } else { b'\n' },
            line: 0,
            changed: false,
            ranges: initial_ranges(script),
            last: None,
            queue: Vec::new(),
            standard: Place::standard().unbuffered(settings.unbuffered || io.out().is_eager()),
            edited: None,
            written,
            readers: HashMap::new(),
            rounds: 0,
            skipper: if settings.zero || io.watched().is_some() {
                None
            } else {
                Skipper::new(script, settings.syntax)
            },
            tracks,
            command: 0,
            watched: io.watched(),
            reached: false,
            io,
        })
    }

    /// Runs to the end of the input or to the end the script sets.
    pub(super) fn run(&mut self) -> Result<ExitStatus, StageError> {
        let ended = self.cycles();
        self.tell_end();
        if ended.is_err() {
            // A file that was not edited to its end stays as it was.
            self.edited = None;
        }
        // What was written before a failure stays written.
        let closed = self.close();
        let status = ended?;
        closed?;
        self.io.note_status(status);
        Ok(self.io.status())
    }

    fn cycles(&mut self) -> Result<u8, StageError> {
        let mut again = false;
        loop {
            if !again {
                self.skip()?;
                if !self.read()? {
                    return Ok(0);
                }
            }
            again = false;
            let cycle = self.cycle()?;
            if self.watched.is_some() {
                self.tell_cycle(&cycle);
            }
            match cycle {
                Cycle::Done | Cycle::Ended | Cycle::Quit(_) if !self.quiet => self.print()?,
                Cycle::Again => again = true,
                _ => {}
            }
            if let Cycle::QuitSilently(status) = cycle {
                self.files.leave();
                return Ok(status);
            }
            // As the host has it: `q` leaves a whole line.
            if let Cycle::Quit(_) = cycle {
                self.end_line()?;
            }
            // As the host has it: what is queued waits for the next line, and `D` reads none.
            if !again {
                self.write_queue()?;
            }
            if let Cycle::Quit(status) = cycle {
                self.files.leave();
                return Ok(status);
            }
        }
    }

    /// Passes over lines that no command looks at.
    fn skip(&mut self) -> Result<(), StageError> {
        let Some(skipper) = &mut self.skipper else { return Ok(()) };
        let Some(records) = self.files.records() else { return Ok(()) };
        let Some((lines, count, first)) = skipper.skip(records) else { return Ok(()) };
        self.line += count;
        if !self.quiet {
            let place = match &mut self.edited {
                Some((place, _)) => place,
                None => &mut self.standard,
            };
            place.pass(self.io, lines, self.newline, first)?;
        }
        Ok(())
    }

    /// Reads the next line into the pattern space. False at the end of the input.
    fn read(&mut self) -> Result<bool, StageError> {
        self.space.text.clear();
        loop {
            match self.files.next(self.io, &mut self.space.text)? {
                Next::End => {
                    self.commit()?;
                    return Ok(false);
                }
                Next::FileEnd => {
                    self.commit()?;
                    self.begin_file()?;
                }
                Next::Line(lines, terminated) => {
                    self.space.lines.clear();
                    self.note_line(lines, terminated);
                    return Ok(true);
                }
            }
        }
    }

    fn note_line(&mut self, lines: (LineId, LineId), terminated: bool) {
        self.line += 1;
        self.changed = false;
        if self.tracks {
            self.space.lines.push(lines);
        }
        self.space.open = !terminated;
    }

    /// Adds the next line to the pattern space. False where there is none in this text.
    fn read_more(&mut self) -> Result<bool, StageError> {
        if self.files.is_last(self.io)? {
            return Ok(false);
        }
        self.write_queue()?;
        self.space.text.push(self.newline);
        match self.files.next(self.io, &mut self.space.text)? {
            Next::Line(lines, terminated) => {
                self.note_line(lines, terminated);
                Ok(true)
            }
            Next::End | Next::FileEnd => {
                self.space.text.pop();
                Ok(false)
            }
        }
    }

    /// Begins a file of its own: lines count from 1 again, and a file to edit is opened.
    fn begin_file(&mut self) -> Result<(), StageError> {
        self.line = 0;
        self.ranges = initial_ranges(self.script);
        let Some(suffix) = &self.settings.in_place else { return Ok(()) };
        let name = self.files.name().to_vec();
        if name == b"-" {
            return Ok(());
        }
        let path = Path::new(OsStr::from_bytes(&name));
        let failure = |error: &std::io::Error| {
            let shown = String::from_utf8_lossy(&name);
            StageError::failed(4, format!("couldn't edit {shown}: {}", describe(error)))
        };
        let facts = self.io.files().facts(path).map_err(|error| failure(&error))?;
        if !facts.is_regular() {
            let shown = String::from_utf8_lossy(&name);
            let message = format!("couldn't edit {shown}: not a regular file");
            return Err(StageError::failed(4, message));
        }
        if !suffix.is_empty() {
            in_place::keep_copy(self.io, &name, suffix)?;
        }
        let replacement = self.io.files().replace(path).map_err(|error| failure(&error))?;
        self.edited = Some((Place::file(&name, replacement.sink()), replacement));
        Ok(())
    }

    /// Puts the file that was edited in its place.
    fn commit(&mut self) -> Result<(), StageError> {
        let Some((mut place, replacement)) = self.edited.take() else { return Ok(()) };
        place.flush(self.io)?;
        drop(place);
        replacement.commit().map_err(|error| {
            StageError::failed(4, format!("couldn't write the file: {}", describe(&error)))
        })
    }

    fn close(&mut self) -> Result<(), StageError> {
        self.commit()?;
        self.standard.flush(self.io)?;
        for place in &mut self.written {
            place.flush(self.io)?;
        }
        Ok(())
    }

    #[allow(clippy::too_many_lines)] // one arm for each command
    fn cycle(&mut self) -> Result<Cycle, StageError> {
        let script = self.script;
        let mut at = 0;
        while let Some(command) = script.commands.get(at) {
            self.rounds = self.rounds.wrapping_add(1);
            if self.rounds.is_multiple_of(ROUNDS) {
                self.io.check_cancel()?;
            }
            self.io.check_value(self.space.text.len().max(self.hold.text.len()))?;
            if !self.selects(command)? {
                at = match command.action {
                    Action::Block(end) => end,
                    _ => at + 1,
                };
                continue;
            }
            self.command = at;
            at += 1;
            match &command.action {
                Action::Block(_) | Action::Nothing => {}
                Action::Append(text) => self.queue.push(Queued::Text(text)),
                Action::ReadFile(name) => self.queue.push(Queued::File(name)),
                Action::ReadLine(name) => {
                    if let Some((line, terminated)) = self.next_line_of(name)? {
                        self.queue.push(Queued::Line(line, terminated));
                    }
                }
                Action::Insert(text) => self.put_made(text)?,
                Action::Change(text) => {
                    let open = match command.when {
                        When::Range(_, _, state) if !command.negated => {
                            !matches!(self.ranges[state], Range::Closed | Range::Over)
                        }
                        _ => false,
                    };
                    if !open {
                        self.put_made(text)?;
                    }
                    return Ok(Cycle::Deleted);
                }
                Action::Branch(to) => at = to.unwrap_or(script.commands.len()),
                Action::BranchIfChanged(to) => {
                    if std::mem::take(&mut self.changed) {
                        at = to.unwrap_or(script.commands.len());
                    }
                }
                Action::BranchUnlessChanged(to) => {
                    if !std::mem::take(&mut self.changed) {
                        at = to.unwrap_or(script.commands.len());
                    }
                }
                Action::Delete => return Ok(Cycle::Deleted),
                Action::DeleteFirst => {
                    let Some(end) = memchr::memchr(self.newline, &self.space.text) else {
                        return Ok(Cycle::Deleted);
                    };
                    if self.has_line_each() {
                        self.space.lines.remove(0);
                    }
                    self.space.text.drain(..=end);
                    return Ok(Cycle::Again);
                }
                Action::FileName => {
                    let mut name = self.files.name().to_vec();
                    name.push(b'\n');
                    self.put_made(&name)?;
                }
                Action::CopyFromHold => self.space.copy_from(&self.hold),
                Action::AppendFromHold => self.space.append_from(&self.hold, self.newline),
                Action::CopyToHold => self.hold.copy_from(&self.space),
                Action::AppendToHold => self.hold.append_from(&self.space, self.newline),
                Action::Exchange => std::mem::swap(&mut self.space, &mut self.hold),
                Action::List(width) => {
                    let width = width.unwrap_or(self.settings.list_width);
                    let text = listing::listed(&self.space.text, width);
                    self.put_made(&text)?;
                }
                Action::Next => {
                    if self.files.is_last(self.io)? {
                        return Ok(Cycle::Ended);
                    }
                    if !self.quiet {
                        self.print()?;
                    } else if self.has_watched() {
                        self.tell_command();
                    }
                    self.write_queue()?;
                    if !self.read()? {
                        return Ok(Cycle::Deleted);
                    }
                }
                Action::AppendNext => {
                    if !self.read_more()? {
                        return Ok(Cycle::Ended);
                    }
                }
                Action::Print => self.print()?,
                Action::PrintFirst => self.print_first(None)?,
                Action::Quit(status) => return Ok(Cycle::Quit(*status)),
                Action::QuitSilently(status) => return Ok(Cycle::QuitSilently(*status)),
                Action::Substitute(substitution) => self.substitute(substitution)?,
                Action::WriteFile(place) => self.print_to(*place)?,
                Action::WriteFirst(place) => self.print_first(Some(*place))?,
                Action::Translate(translation) => {
                    translation.apply(&mut self.space.text, &mut self.spare);
                }
                Action::Number => {
                    let text = format!("{}\n", self.line);
                    self.put_made(text.as_bytes())?;
                }
                Action::Empty => self.space.text.clear(),
            }
        }
        Ok(Cycle::Done)
    }

    fn selects(&mut self, command: &'s Command) -> Result<bool, StageError> {
        let selected = match &command.when {
            When::Always => true,
            When::At(address) => self.is_at(address)?,
            When::Range(first, end, state) => self.in_range(first, end, *state)?,
        };
        Ok(selected != command.negated)
    }

    fn is_at(&mut self, address: &Address) -> Result<bool, StageError> {
        Ok(match address {
            Address::Line(line) => self.line == *line,
            Address::Step(first, 0) => self.line == *first,
            Address::Step(first, step) => {
                self.line >= *first && (self.line - first).is_multiple_of(*step)
            }
            Address::Last => self.files.is_last(self.io)?,
            Address::Pattern(pattern) => self.matches(*pattern)?,
            Address::Start => false,
        })
    }

    fn in_range(&mut self, first: &Address, end: &End, state: usize) -> Result<bool, StageError> {
        match self.ranges[state] {
            Range::Over => Ok(false),
            Range::Closed => {
                // A line that was passed over begins the range as soon as it is looked at.
                let by_number = match first {
                    Address::Line(line) if self.line < *line => return Ok(false),
                    Address::Line(line) => Some(*line),
                    _ if !self.is_at(first)? => return Ok(false),
                    _ => None,
                };
                let closed = if by_number.is_some() { Range::Over } else { Range::Closed };
                let last = match end {
                    End::Line(line) => Some(*line),
                    End::After(count) => Some(self.line + count),
                    End::Multiple(0) => Some(self.line),
                    End::Multiple(step) => Some(self.line.next_multiple_of(*step)),
                    End::Last | End::Pattern(_) => None,
                };
                // An end that is not behind the first line leaves that line alone.
                let one = match last {
                    Some(last) => last <= self.line,
                    None => *end == End::Last && self.files.is_last(self.io)?,
                };
                self.ranges[state] = if one { closed } else { Range::Open(last) };
                Ok(last.is_none_or(|last| {
                    by_number.is_none_or(|line| self.line <= last || self.line == line)
                }))
            }
            Range::Open(Some(last)) => {
                if self.line >= last {
                    self.ranges[state] = closed_behind(first);
                }
                // A number that was passed over ends the range before this line; a count, as the
                // host has it, with it.
                Ok(self.line <= last || !matches!(end, End::Line(_)))
            }
            Range::Open(None) | Range::Waiting => {
                let ends = match end {
                    End::Pattern(pattern) => self.matches(*pattern)?,
                    _ => self.files.is_last(self.io)?,
                };
                self.ranges[state] = if ends { closed_behind(first) } else { Range::Open(None) };
                Ok(true)
            }
        }
    }

    /// The pattern, which becomes the one used last.
    fn pattern(&mut self, pattern: PatternUse) -> Result<&'s Pattern, StageError> {
        let number = match pattern {
            PatternUse::Known(number) => Some(number),
            PatternUse::Last => self.last,
        };
        self.last = number;
        match number {
            Some(number) => Ok(&self.script.patterns[number]),
            None => Err(StageError::failed(1, "no previous regular expression")),
        }
    }

    fn matches(&mut self, pattern: PatternUse) -> Result<bool, StageError> {
        let pattern = self.pattern(pattern)?;
        pattern.is_match(&self.space.text).map_err(|error| self.too_many(error))
    }

    fn too_many(&self, error: TooManySteps) -> StageError {
        StageError::failed(4, format!("line {}: {error}", self.line))
    }

    fn substitute(&mut self, substitution: &'s Substitution) -> Result<(), StageError> {
        let pattern = self.pattern(substitution.pattern)?;
        let most = if substitution.all { usize::MAX } else { 1 };
        let mut changed = std::mem::take(&mut self.spare);
        changed.clear();
        let replacement = &substitution.replacement;
        if replacement.groups() > pattern.groups() {
            let message =
                format!("line {}: the pattern has no group {}", self.line, replacement.groups());
            return Err(StageError::failed(1, message));
        }
        let count =
            replace(pattern, &self.space.text, replacement, substitution.from, most, &mut changed)
                .map_err(|error| self.too_many(error))?;
        if count == 0 {
            self.spare = changed;
            return Ok(());
        }
        self.spare = std::mem::replace(&mut self.space.text, changed);
        self.changed = true;
        if substitution.print {
            self.print()?;
        }
        match substitution.write {
            Some(place) => self.print_to(place),
            None => Ok(()),
        }
    }
}

/// How a range is that is over.
fn closed_behind(first: &Address) -> Range {
    match first {
        Address::Line(_) => Range::Over,
        _ => Range::Closed,
    }
}

fn initial_ranges(script: &Script) -> Vec<Range> {
    let mut ranges = vec![Range::Closed; script.ranges];
    for command in &script.commands {
        if let When::Range(Address::Start, _, state) = command.when {
            ranges[state] = Range::Waiting;
        }
    }
    ranges
}
