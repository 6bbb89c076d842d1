//! The search of one input: which lines are selected, and what is written of them.

use std::collections::VecDeque;
use std::ops::Range;

use bytes::Bytes;
use memchr::{memchr, memchr_iter, memrchr};
use pattern::{Pattern, TooManySteps};
use stream::{Input, InputTrouble, LineId, Lines, Origin, ReadError, StageError};

use super::output::{Binary, Listing};
use super::output_target::OutputTarget;
use super::settings::Settings;
use crate::common::input::line_set::LineSet;
use crate::common::input::nul_lines::swapped;

/// Bytes of a run of selected lines that is handled as one.
const RUN_MAX: usize = 16 * 1024;

/// From this many selected runs on it is worth asking once whether all of a block is text.
const LOOKED_AT_MAX: u32 = 16;

/// How much of an input is looked at to tell whether it is binary.
const BINARY_PROBE: usize = 96 * 1024;

pub(super) struct Search {
    pub(super) pattern: Pattern,
    pub(super) settings: Settings,
    pub(super) colored: bool,
    /// Names must not steer it.
    pub(super) on_terminal: bool,
}

/// What is known of one input while it is read.
struct Progress<'n> {
    /// The name before lines, if any.
    name: Option<&'n [u8]>,
    binary: bool,
    selected: u64,
    /// Those that are counted, or the first of those that are written, where that is wanted.
    lines: LineSet,
    done: bool,
    /// Something matched that was not written because it is no text.
    hidden: bool,
    /// Bytes of the input before the block.
    offset: u64,
    /// What is selected behind the run before it.
    ahead: Ahead,
    /// What is behind the last line that was wanted.
    left: Option<Bytes>,
    /// Where lines are put together.
    scratch: Vec<u8>,
    /// Runs of the block that were looked at whether they are text.
    looked_at: u32,
    /// All of the block is text.
    all_text: bool,
    around: Around,
}

/// The next matching line of a block, where it was looked for already.
#[derive(Default)]
enum Ahead {
    #[default]
    Unknown,
    Line(Range<usize>),
    Nothing,
}

/// Lines around selected ones.
#[derive(Default)]
struct Around {
    /// Lines still to be written behind the last selected one.
    pending: u64,
    /// The lines before the place reached that were not written, with their offsets.
    before: VecDeque<(LineId, u64, Bytes)>,
    /// The last line written.
    last_written: Option<u64>,
}

fn too_many(error: TooManySteps) -> InputTrouble {
    StageError::failed(2, error.to_string()).into()
}

impl Search {
    pub(super) fn new(pattern: Pattern, settings: Settings) -> Self {
        Self { pattern, settings, colored: false, on_terminal: false }
    }

    /// True when lines of the input are written, so that a file must not be its own output.
    pub(super) fn writes_lines(&self) -> bool {
        matches!(self.settings.listing, Listing::Lines | Listing::Matches)
            && self.settings.most == u64::MAX
    }

    /// Searches one input; true when it counts as found. `name` is before lines, `shown` in
    /// messages. `used` tells whether anything was written before.
    pub(super) fn one(
        &self,
        target: &mut OutputTarget<'_, '_>,
        input: &mut Input,
        name: Option<&[u8]>,
        shown: &[u8],
        used: &mut bool,
    ) -> Result<bool, InputTrouble> {
        let settings = &self.settings;
        if settings.zero {
            input.wrap(|source| Box::new(crate::common::input::nul_lines::SwapSource(source)));
        }
        // With NUL as the end of lines another byte would have to be the sign of binary data.
        let sign = if settings.zero { None } else { Some(0) };
        // Where somebody watches the first line must not wait for the probe; broken lines are then
        // found one by one.
        let probed = settings.binary != Binary::AsText && !target.is_watched();
        let binary = probed
            && sign.is_some_and(|sign| {
                input.peek(BINARY_PROBE).is_ok_and(|start| memchr(sign, start).is_some())
            });
        if binary && settings.binary == Binary::PassedOver {
            if settings.listing == Listing::FilesWithout {
                self.write_name(target, shown, Origin::None)?;
            }
            return Ok(false);
        }
        let mut progress = Progress {
            name,
            binary,
            selected: 0,
            lines: LineSet::default(),
            done: false,
            hidden: false,
            offset: 0,
            ahead: Ahead::Unknown,
            left: None,
            scratch: Vec::new(),
            looked_at: 0,
            all_text: false,
            around: Around::default(),
        };
        // What was found before an input fails still counts.
        let mut failed = None;
        while !progress.done {
            let lines = match input.next_lines() {
                Ok(Some(lines)) => lines,
                Ok(None) => break,
                Err(ReadError::Cancelled) => return Err(ReadError::Cancelled.into()),
                Err(error) => {
                    failed = Some(error);
                    break;
                }
            };
            self.block(target, &lines, &mut progress, used)?;
            progress.offset += lines.bytes.len() as u64;
        }
        if let (Some(left), 0) = (&progress.left, progress.around.pending) {
            input.leave(left);
        }
        if progress.around.pending > 0 && settings.context.is_some() {
            self.rest(target, input, &mut progress, used)?;
        }
        if progress.hidden {
            target.message(format!("{}: binary file matches", String::from_utf8_lossy(shown)))?;
        }
        let any = progress.selected > 0;
        progress.lines.with_origin(|origin| match settings.listing {
            Listing::Count => {
                let mut line = Vec::new();
                if let Some(name) = name {
                    self.name(name, b':', &mut line);
                }
                line.extend_from_slice(format!("{}\n", progress.selected).as_bytes());
                target.put(&line, origin)
            }
            Listing::FilesWith if any => self.write_name(target, shown, origin),
            Listing::FilesWithout if !any => self.write_name(target, shown, origin),
            _ => Ok(()),
        })?;
        match failed {
            Some(error) => Err(error.into()),
            None => Ok(any),
        }
    }

    fn write_name(
        &self,
        target: &mut OutputTarget<'_, '_>,
        name: &[u8],
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        let mut line = Vec::new();
        self.name(name, b'\n', &mut line);
        target.put(&line, origin)
    }

    fn block(
        &self,
        target: &mut OutputTarget<'_, '_>,
        lines: &Lines,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        // In binary data a NUL ends a line too, for the search and for counts.
        let split: Vec<u8>;
        let block: &[u8] = if progress.binary {
            split = lines.bytes.iter().map(|&byte| if byte == 0 { b'\n' } else { byte }).collect();
            &split
        } else {
            &lines.bytes
        };
        let context = self.settings.context.is_some();
        let wants_numbers = self.settings.numbered || context || target.keeps_origins();
        // The search text leaves out the last newline: behind it no line begins.
        let text = block.strip_suffix(b"\n").unwrap_or(block);
        let mut counted_to = 0;
        let mut id = lines.first;
        let mut from = 0;
        (progress.ahead, progress.looked_at, progress.all_text) = (Ahead::Unknown, 0, false);
        while from < block.len() && !progress.done {
            let selected = self.next_selected(text, block, from, progress)?;
            let start = selected.as_ref().map_or(block.len(), |line| line.start);
            if context {
                self.unselected(
                    target,
                    lines,
                    from..start,
                    &mut id,
                    &mut counted_to,
                    progress,
                    used,
                )?;
            }
            let Some(line) = selected else { break };
            if wants_numbers {
                id = id
                    .plus(memchr_iter(b'\n', &lines.bytes[counted_to..line.start]).count() as u64);
                counted_to = line.start;
            }
            from = line.end;
            if context {
                self.lead(target, id, progress, used)?;
            }
            let offset = progress.offset + line.start as u64;
            progress.looked_at += 1;
            if progress.looked_at == LOOKED_AT_MAX && self.wants_text() {
                progress.all_text = self.is_text(block);
            }
            self.select(target, &block[line.clone()], id, offset, progress, used)?;
            if let Some((_, after)) = self.settings.context {
                *used = true;
                progress.around.last_written = Some(id.line());
                let line = &block[line];
                if self.as_text() || self.settings.listing != Listing::Lines || self.is_text(line) {
                    progress.around.pending = after;
                }
            }
            if progress.done && self.settings.most != u64::MAX {
                progress.left = Some(lines.bytes.slice(from..));
            }
            if progress.done && context && progress.around.pending > 0 {
                // Behind the last one wanted only its context is left.
                let rest = from..block.len();
                self.trailing(target, lines, rest, id.plus(1), progress, used)?;
            }
        }
        Ok(())
    }

    /// Lines passed over: those behind a selected one are written, the last ones are remembered.
    #[allow(clippy::too_many_arguments)] // what one block knows
    fn unselected(
        &self,
        target: &mut OutputTarget<'_, '_>,
        lines: &Lines,
        range: Range<usize>,
        id: &mut LineId,
        counted_to: &mut usize,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let (before, _) = self.settings.context.unwrap_or_default();
        let mut at = range.start;
        if at >= range.end {
            return Ok(());
        }
        *id = id.plus(memchr_iter(b'\n', &lines.bytes[*counted_to..at]).count() as u64);
        while at < range.end && progress.around.pending > 0 {
            let end = line_end(&lines.bytes, at);
            self.context_line(
                target,
                &lines.bytes[at..end],
                *id,
                progress.offset + at as u64,
                progress,
                used,
            )?;
            progress.around.pending = progress.around.pending.saturating_sub(1);
            *id = id.plus(1);
            at = end;
        }
        *counted_to = at;
        if before == 0 || at >= range.end {
            return Ok(());
        }
        // Only the last few of the rest may be wanted; they are found from the end.
        let mut starts = VecDeque::new();
        let mut end = range.end;
        while end > at && (starts.len() as u64) < before {
            let start =
                memrchr(b'\n', &lines.bytes[at..end - 1]).map_or(at, |found| at + found + 1);
            starts.push_front(start..end);
            end = start;
        }
        let skipped = memchr_iter(b'\n', &lines.bytes[at..end]).count() as u64;
        let ring = &mut progress.around.before;
        if skipped > 0 {
            ring.clear();
        }
        let mut number = id.plus(skipped);
        for line in starts {
            ring.push_back((number, progress.offset + line.start as u64, lines.bytes.slice(line)));
            number = number.plus(1);
        }
        while ring.len() as u64 > before {
            ring.pop_front();
        }
        Ok(())
    }

    /// What is before a selected line: a separator, and the lines before it.
    fn lead(
        &self,
        target: &mut OutputTarget<'_, '_>,
        id: LineId,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let before = std::mem::take(&mut progress.around.before);
        let first = before.front().map_or(id, |(number, ..)| *number);
        let adjacent = progress.around.last_written.is_some_and(|last| last + 1 == first.line());
        if *used && !adjacent && !progress.binary {
            let mut separator = Vec::new();
            self.group_separator(&mut separator);
            target.put(&separator, Origin::None)?;
        }
        for (number, offset, line) in before {
            self.context_line(target, &line, number, offset, progress, used)?;
        }
        Ok(())
    }

    /// The context behind the last selected line that was wanted.
    fn trailing(
        &self,
        target: &mut OutputTarget<'_, '_>,
        lines: &Lines,
        range: Range<usize>,
        first: LineId,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let (mut at, mut id) = (range.start, first);
        while at < range.end && progress.around.pending > 0 {
            let end = line_end(&lines.bytes, at);
            let line = &lines.bytes[at..end];
            self.context_line(target, line, id, progress.offset + at as u64, progress, used)?;
            progress.around.pending = progress.around.pending.saturating_sub(1);
            id = id.plus(1);
            at = end;
        }
        Ok(())
    }

    /// Context that reaches into further blocks.
    fn rest(
        &self,
        target: &mut OutputTarget<'_, '_>,
        input: &mut Input,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        while progress.around.pending > 0 {
            let Some(lines) = input.next_lines()? else { break };
            self.trailing(target, &lines, 0..lines.bytes.len(), lines.first, progress, used)?;
            progress.offset += lines.bytes.len() as u64;
        }
        Ok(())
    }

    fn context_line(
        &self,
        target: &mut OutputTarget<'_, '_>,
        line: &[u8],
        id: LineId,
        offset: u64,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        progress.around.last_written = Some(id.line());
        if !self.as_text() && !self.is_text(line) && self.settings.listing == Listing::Lines {
            // As the host has it: what is no text ends the context.
            (progress.hidden, progress.around.pending) = (true, 0);
            return Ok(());
        }
        if self.settings.listing == Listing::Matches || progress.binary {
            return Ok(());
        }
        let mut whole = Vec::with_capacity(line.len() + 16);
        self.prefix(progress.name, id, offset, b'-', &mut whole);
        let line = line.strip_suffix(b"\n").unwrap_or(line);
        // Where the search is inverted the context is what matches.
        if self.colored && self.settings.inverted {
            self.marked(line, &mut whole)?;
        } else {
            self.push_line(line, &mut whole);
        }
        self.end_line(&mut whole);
        *used = true;
        target.put(&whole, self.origin_of(id))?;
        Ok(())
    }

    fn is_text(&self, bytes: &[u8]) -> bool {
        // With NUL as the end of lines a NUL here is a newline of the data.
        std::str::from_utf8(bytes).is_ok() && (self.settings.zero || memchr(0, bytes).is_none())
    }

    /// Records that end with NUL are no lines, so it is not known from which line one comes.
    fn origin_of(&self, id: LineId) -> Origin<'static> {
        if self.settings.zero { Origin::None } else { Origin::Line(id) }
    }

    /// True where lines are written only if they are text.
    fn wants_text(&self) -> bool {
        !self.as_text() && self.settings.listing == Listing::Lines
    }

    fn as_text(&self) -> bool {
        self.settings.binary == Binary::AsText
    }

    /// Adds bytes of a line, newlines and NUL changed back where they were changed.
    fn push_line(&self, line: &[u8], into: &mut Vec<u8>) {
        if self.settings.zero {
            into.extend_from_slice(&swapped(line));
        } else {
            into.extend_from_slice(line);
        }
    }

    fn end_line(&self, into: &mut Vec<u8>) {
        into.push(if self.settings.zero { 0 } else { b'\n' });
    }

    /// The next run of selected lines: lines that follow each other, where nothing asks for them
    /// one by one.
    fn next_selected(
        &self,
        text: &[u8],
        block: &[u8],
        from: usize,
        progress: &mut Progress<'_>,
    ) -> Result<Option<Range<usize>>, InputTrouble> {
        let settings = &self.settings;
        if !settings.inverted {
            let first = match std::mem::take(&mut progress.ahead) {
                Ahead::Unknown => self.next_match(text, block, from)?,
                Ahead::Line(line) => Some(line),
                Ahead::Nothing => None,
            };
            let Some(mut run) = first else { return Ok(None) };
            if !self.by_runs(progress) {
                return Ok(Some(run));
            }
            while run.len() < RUN_MAX {
                match self.next_match(text, block, run.end)? {
                    Some(next) if next.start == run.end => run.end = next.end,
                    other => {
                        progress.ahead = other.map_or(Ahead::Nothing, Ahead::Line);
                        break;
                    }
                }
            }
            return Ok(Some(run));
        }
        let mut start = from;
        loop {
            let next = self.next_match(text, block, start)?;
            let end = next.as_ref().map_or(block.len(), |line| line.start);
            if start < end {
                let single = settings.most != u64::MAX
                    || settings.numbered
                    || settings.offsets
                    || progress.name.is_some()
                    || settings.context.is_some()
                    || settings.zero
                    || progress.binary;
                let end = if single { line_end(block, start) } else { end };
                return Ok(Some(start..end));
            }
            let Some(next) = next else { return Ok(None) };
            start = next.end;
        }
    }

    /// True where matching lines that follow each other may be handled as one.
    fn by_runs(&self, progress: &Progress<'_>) -> bool {
        let settings = &self.settings;
        matches!(settings.listing, Listing::Lines | Listing::Count)
            && settings.most == u64::MAX
            && settings.context.is_none()
            && !settings.zero
            && !progress.binary
    }

    fn next_match(
        &self,
        text: &[u8],
        block: &[u8],
        from: usize,
    ) -> Result<Option<Range<usize>>, InputTrouble> {
        let mut from = from;
        while from <= text.len() && from < block.len() {
            let Some((at, certain)) = self.pattern.find_candidate(text, from) else {
                return Ok(None);
            };
            let start = memrchr(b'\n', &text[from..at]).map_or(from, |found| from + found + 1);
            let end = line_end(block, at);
            let line = &block[start..end];
            if certain
                || self
                    .pattern
                    .is_match(line.strip_suffix(b"\n").unwrap_or(line))
                    .map_err(too_many)?
            {
                return Ok(Some(start..end));
            }
            from = end;
        }
        Ok(None)
    }

    fn select(
        &self,
        target: &mut OutputTarget<'_, '_>,
        bytes: &[u8],
        id: LineId,
        offset: u64,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let settings = &self.settings;
        let count = if settings.inverted || self.by_runs(progress) {
            memchr_iter(b'\n', bytes).count() as u64 + u64::from(!bytes.ends_with(b"\n"))
        } else {
            1
        };
        progress.selected += count;
        if settings.listing != Listing::Lines && target.keeps_origins() && !settings.zero {
            // In binary data more lines may be counted than there are.
            progress.lines.add(id, if progress.binary { id } else { id.plus(count - 1) });
        }
        progress.done = progress.selected >= settings.most
            || matches!(
                settings.listing,
                Listing::Nothing | Listing::FilesWith | Listing::FilesWithout
            );
        match settings.listing {
            Listing::Lines => {
                if progress.binary {
                    (progress.hidden, progress.done) = (true, true);
                    return Ok(());
                }
                if !self.as_text() && !progress.all_text && !self.is_text(bytes) {
                    return self.text_lines(target, bytes, id, offset, progress, used);
                }
                self.write_lines(target, bytes, id, offset, progress, used)
            }
            Listing::Matches if settings.inverted => Ok(()),
            Listing::Matches => self.matches(target, bytes, id, offset, progress, used),
            _ => Ok(()),
        }
    }

    fn matches(
        &self,
        target: &mut OutputTarget<'_, '_>,
        bytes: &[u8],
        id: LineId,
        offset: u64,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let line = bytes.strip_suffix(b"\n").unwrap_or(bytes);
        let mut whole = Vec::new();
        for part in self.pattern.find_all(line) {
            let part = part.map_err(too_many)?;
            let matched = &line[part.clone()];
            if progress.binary {
                (progress.hidden, progress.done) = (true, true);
                return Ok(());
            }
            if !self.as_text() && !self.is_text(matched) {
                progress.hidden = true;
                continue;
            }
            whole.clear();
            self.prefix(progress.name, id, offset + part.start as u64, b':', &mut whole);
            let shown = if self.settings.zero { swapped(matched) } else { matched.to_vec() };
            self.matched(&shown, &mut whole);
            self.end_line(&mut whole);
            *used = true;
            target.put(&whole, self.origin_of(id))?;
        }
        if self.settings.context.is_some() {
            *used = true;
        }
        Ok(())
    }

    /// A run with bytes that are no text: only the lines that are text are written.
    fn text_lines(
        &self,
        target: &mut OutputTarget<'_, '_>,
        bytes: &[u8],
        id: LineId,
        offset: u64,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        let (mut id, mut offset) = (id, offset);
        for line in bytes.split_inclusive(|&byte| byte == b'\n') {
            if self.is_text(line) {
                self.write_lines(target, line, id, offset, progress, used)?;
            } else {
                progress.hidden = true;
            }
            id = id.plus(1);
            offset += line.len() as u64;
        }
        Ok(())
    }

    fn write_lines(
        &self,
        target: &mut OutputTarget<'_, '_>,
        bytes: &[u8],
        id: LineId,
        offset: u64,
        progress: &mut Progress<'_>,
        used: &mut bool,
    ) -> Result<(), InputTrouble> {
        *used = true;
        let settings = &self.settings;
        let plain = !self.colored && !settings.zero;
        if plain && progress.name.is_none() && !settings.numbered && !settings.offsets {
            target.put(bytes, Origin::Sequence(id))?;
            if !bytes.is_empty() && !bytes.ends_with(b"\n") {
                target.put(b"\n", Origin::None)?;
            }
        } else {
            let mut id = id;
            let mut offset = offset;
            let mut whole = std::mem::take(&mut progress.scratch);
            whole.clear();
            let traced = target.keeps_origins();
            let mut rest = bytes;
            while !rest.is_empty() {
                let (line, after) = rest.split_at(line_end(rest, 0));
                rest = after;
                self.prefix(progress.name, id, offset, b':', &mut whole);
                let text = line.strip_suffix(b"\n").unwrap_or(line);
                if self.colored && !settings.inverted {
                    self.marked(text, &mut whole)?;
                } else {
                    self.push_line(text, &mut whole);
                }
                self.end_line(&mut whole);
                if traced {
                    target.put(&whole, self.origin_of(id))?;
                    whole.clear();
                }
                id = id.plus(1);
                offset += line.len() as u64;
            }
            target.put(&whole, Origin::None)?;
            progress.scratch = whole;
        }
        if settings.line_buffered {
            target.flush()?;
        }
        Ok(())
    }
}

fn line_end(block: &[u8], at: usize) -> usize {
    memchr(b'\n', &block[at..]).map_or(block.len(), |end| at + end + 1)
}
