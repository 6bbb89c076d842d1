//! `split`: splits a file into several.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use bytes::Bytes;
use stream::{
    Block, ExitStatus, Input, Origin, Scratch, Sink, StageError, StageIo, WriteError, WriteMode,
};

use crate::common::input::line_feed::{open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, long_option_maybe, option, shown,
};
use crate::text::phrases::from_files;

mod names;

use names::{Alphabet, FileNames};

const ADDITIONAL: OptionId = OptionId::Long("additional-suffix");
const NUMERIC: OptionId = OptionId::Long("numeric-suffixes");
const HEXADECIMAL: OptionId = OptionId::Long("hex-suffixes");
const VERBOSE: OptionId = OptionId::Long("verbose");

const OPTIONS: &[OptionSpec] = &[
    option('C', "line-bytes", Some("SIZE"), "whole lines, at most SIZE bytes per file", false),
    option(
        'a',
        "suffix-length",
        Some("NUM"),
        "NUM letters after the prefix (2, or as many as needed)",
        true,
    ),
    option('b', "bytes", Some("SIZE"), "SIZE bytes per file", true),
    option('d', "", None, "digits instead of letters", false),
    option('e', "elide-empty-files", None, "with -n: no empty files", false),
    option('l', "lines", Some("NUM"), "NUM lines per file (default 1000)", true),
    option(
        'n',
        "number",
        Some("CHUNKS"),
        "N files; K/N: the Kth to standard output; l/N: whole lines; r/N: lines by turns",
        false,
    ),
    option('t', "separator", Some("CHAR"), "lines end with CHAR, not newline; \\0 for NUL", false),
    option('u', "unbuffered", None, "write at once with -n r/N (accepted)", false),
    option('x', "", None, "hexadecimal digits instead of letters", false),
    long_option("additional-suffix", Some("SUFFIX"), "an ending for every name", false),
    long_option_maybe("numeric-suffixes", "FROM", "as -d, beginning with FROM"),
    long_option_maybe("hex-suffixes", "FROM", "as -x, beginning with FROM"),
    long_option("verbose", None, "print the names of the files as they are created", false),
];

static SPEC: Spec = Spec {
    name: "split",
    summary: "splits a file into several",
    options: OPTIONS,
    operands: Operands::OneFile,
    operand_names: "[file [prefix]]",
    style: Style::NumberAmong('l'),
    usage_status: 1,
    examples: &[
        example("split -l 1000 gate.log part-", "files part-aa, part-ab, … of a thousand lines"),
        example("split -n l/4 -d gate.log", "four files of about the same size, lines whole"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    Lines(u64),
    Bytes(u64),
    LineBytes(u64),
    /// This many files of equal size; with a number, only that one, to standard output.
    Chunks(u64, Option<u64>),
    /// As before, lines whole.
    LineChunks(u64, Option<u64>),
    /// Lines by turns.
    Turns(u64, Option<u64>),
}

struct Split {
    file: Vec<u8>,
    way: Way,
    names: FileNames,
    elide: bool,
    separator: u8,
    verbose: bool,
}

fn chunks(text: &[u8]) -> Result<Way, String> {
    let text = String::from_utf8_lossy(text).into_owned();
    let (kind, rest) = match text.split_once('/') {
        Some(("l", rest)) => ('l', rest),
        Some(("r", rest)) => ('r', rest),
        _ => ('b', text.as_str()),
    };
    let number = |part: &str| match part.parse::<u64>() {
        Ok(0) => Err(format!("invalid number of chunks: ‘{part}’: Numerical result out of range")),
        Ok(number) => Ok(number),
        Err(_) => Err(format!("invalid number of chunks: ‘{part}’")),
    };
    let (chosen, count) = match rest.split_once('/') {
        None => (None, number(rest)?),
        Some((chosen, count)) => {
            let count = number(count)?;
            let Some(chosen) =
                chosen.parse::<u64>().ok().filter(|chosen| (1..=count).contains(chosen))
            else {
                return Err(format!("invalid chunk number: ‘{chosen}’"));
            };
            (Some(chosen), count)
        }
    };
    Ok(match kind {
        'l' => Way::LineChunks(count, chosen),
        'r' => Way::Turns(count, chosen),
        _ => Way::Chunks(count, chosen),
    })
}

fn way(arguments: &Arguments) -> Result<Way, UsageError> {
    let mut ways = arguments.options.iter().filter(|given| given.is_one_of("Cbln"));
    let Some(given) = ways.next() else { return Ok(Way::Lines(1000)) };
    if let Some(second) = ways.next() {
        return Err(UsageError::with_hint(
            &SPEC,
            Some(second.word),
            "cannot split in more than one way",
        ));
    }
    let error = |message: String| UsageError::new(&SPEC, Some(given.word), message);
    if given.id == 'n' {
        return chunks(&given.value).map_err(error);
    }
    let what = if given.id == 'l' { "lines" } else { "bytes" };
    let number = crate::text::counts::count(&given.value)
        .ok_or_else(|| error(format!("invalid number of {what}: {}", shown(&given.value))))?;
    if number == 0 {
        return Err(error(format!(
            "invalid number of {what}: {}: Numerical result out of range",
            shown(&given.value)
        )));
    }
    Ok(match given.id {
        OptionId::Letter('l') => Way::Lines(number),
        OptionId::Letter('b') => Way::Bytes(number),
        _ => Way::LineBytes(number),
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_most(&SPEC, 2)?;
    let way = way(arguments)?;
    let mut operands = arguments.operand_values();
    let prefix =
        if operands.len() > 1 { operands.pop().unwrap_or_default() } else { b"x".to_vec() };
    let mut alphabet = Alphabet::Letters;
    let mut start = None;
    for given in &arguments.options {
        alphabet = match given.id {
            OptionId::Letter('d') | NUMERIC => Alphabet::Digits,
            OptionId::Letter('x') | HEXADECIMAL => Alphabet::Hexadecimal,
            _ => continue,
        };
        if !given.value.is_empty() {
            let radix = if alphabet == Alphabet::Hexadecimal { 16 } else { 10 };
            let number = std::str::from_utf8(&given.value)
                .ok()
                .and_then(|text| u64::from_str_radix(text, radix).ok());
            start = Some(number.ok_or_else(|| {
                let message = format!("{}: invalid start value for suffix", shown(&given.value));
                UsageError::with_hint(&SPEC, Some(given.word), &message)
            })?);
        }
    }
    let additional = match arguments.last(ADDITIONAL) {
        None => Vec::new(),
        Some(given) if given.value.contains(&b'/') => {
            let message =
                format!("invalid suffix {}, contains directory separator", shown(&given.value));
            return Err(UsageError::with_hint(&SPEC, Some(given.word), &message));
        }
        Some(given) => given.value.clone(),
    };
    let length =
        arguments.number(&SPEC, 'a', "invalid suffix length")?.filter(|length| *length > 0);
    let files = match way {
        Way::Chunks(count, None) | Way::LineChunks(count, None) | Way::Turns(count, None) => {
            Some(count)
        }
        _ => None,
    };
    let names = FileNames::new(
        prefix,
        alphabet,
        length.map(|length| length.min(64) as usize),
        start,
        additional,
        files,
    )
    .map_err(|message| {
        UsageError::new(&SPEC, arguments.last('a').map(|given| given.word), message)
    })?;
    let separator = match arguments.last('t').map(|given| (&given.value[..], given.word)) {
        None => b'\n',
        Some((b"\\0", _)) => 0,
        Some((&[byte], _)) => byte,
        Some((value, word)) => {
            let message = if value.is_empty() {
                "empty record separator".to_owned()
            } else {
                format!("multi-character separator {}", shown(value))
            };
            return Err(UsageError::new(&SPEC, Some(word), message));
        }
    };
    Ok(Box::new(Split {
        file: operands.pop().unwrap_or_else(|| b"-".to_vec()),
        way,
        names,
        elide: arguments.has('e'),
        separator,
        verbose: arguments.has(VERBOSE),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let operands = arguments.operand_values();
    let file = from_files(&operands[..operands.len().min(1)]);
    let prefix = operands
        .get(1)
        .map_or_else(|| "x".to_owned(), |prefix| String::from_utf8_lossy(prefix).into_owned());
    let how = match way(arguments) {
        Ok(Way::Lines(number)) => {
            format!("of {}", crate::text::phrases::counted(number, "line", "lines"))
        }
        Ok(Way::Bytes(number)) => {
            format!("of {}", crate::text::phrases::counted(number, "byte", "bytes"))
        }
        Ok(Way::LineBytes(number)) => {
            format!(
                "of whole lines, at most {}",
                crate::text::phrases::counted(number, "byte", "bytes")
            )
        }
        Ok(
            Way::Chunks(_, Some(number))
            | Way::LineChunks(_, Some(number))
            | Way::Turns(_, Some(number)),
        ) => {
            return format!("writes part {number} of the data{file}");
        }
        Ok(Way::Chunks(count, _)) => format!("of equal size, {count} in all"),
        Ok(Way::LineChunks(count, _)) => {
            format!("of about equal size with whole lines, {count} in all")
        }
        Ok(Way::Turns(count, _)) => format!("by turns, {count} in all"),
        Err(_) => return String::new(),
    };
    format!("cuts the data{file} into files {prefix}… {how}")
}

/// The file being written.
struct Part {
    name: String,
    sink: Arc<dyn Sink>,
}

impl Part {
    fn write(&self, bytes: Bytes) -> Result<(), StageError> {
        if bytes.is_empty() {
            return Ok(());
        }
        self.sink.write(Block::new(bytes)).map_err(|error| match error {
            WriteError::Io(error) => open_failure(1, self.name.as_bytes(), &error),
            other => other.into(),
        })
    }
}

impl Filter for Split {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let name = self.file.clone();
        let mut input = io.open(&name).map_err(|error| open_failure(1, &name, &error))?;
        match self.way {
            Way::Lines(number) => self.lines(io, &mut input, number)?,
            Way::Bytes(number) => self.bytes(io, &mut input, number)?,
            Way::LineBytes(number) => self.line_bytes(io, &mut input, number)?,
            Way::Turns(count, chosen) => self.turns(io, &mut input, count, chosen)?,
            Way::Chunks(count, chosen) | Way::LineChunks(count, chosen) => {
                let whole_lines = matches!(self.way, Way::LineChunks(..));
                match input.file_bytes() {
                    Some(bytes) => {
                        self.chunks(
                            io,
                            &mut From::Input(input),
                            bytes,
                            count,
                            chosen,
                            whole_lines,
                        )?;
                    }
                    None => {
                        // The size must be known first.
                        let (mut kept, bytes) = spool(io, &mut input, &name)?;
                        self.chunks(io, &mut kept, bytes, count, chosen, whole_lines)?;
                    }
                }
            }
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn why_dropped(&self, _dropped: &Dropped<'_>) -> Option<String> {
        Some("it goes into one of the files, not to the output".to_owned())
    }

    fn verb(&self) -> Verb {
        match self.way {
            Way::Chunks(_, Some(_)) | Way::LineChunks(_, Some(_)) | Way::Turns(_, Some(_)) => {
                Verb::Keeps
            }
            _ => Verb::Acts,
        }
    }
}

/// Where chunks are read from.
enum From {
    Input(Input),
    Scratch(Box<dyn Scratch>, u64),
}

impl From {
    fn next(&mut self, name: &[u8]) -> Result<Option<Bytes>, StageError> {
        match self {
            Self::Input(input) => {
                let lines = input.next_block().map_err(|error| read_failure(1, name, error))?;
                Ok(lines.map(|lines| lines.bytes))
            }
            Self::Scratch(scratch, at) => {
                let mut buffer = vec![0; stream::BLOCK_SIZE];
                let read = scratch
                    .read_at(*at, &mut buffer)
                    .map_err(|error| open_failure(1, name, &error))?;
                *at += read as u64;
                buffer.truncate(read);
                Ok((read > 0).then(|| buffer.into()))
            }
        }
    }
}

fn spool(io: &StageIo<'_>, input: &mut Input, name: &[u8]) -> Result<(From, u64), StageError> {
    let failed = |error: std::io::Error| open_failure(1, name, &error);
    let mut scratch = io.files().machine().scratch(None).map_err(failed)?;
    let mut bytes = 0;
    while let Some(lines) = input.next_block().map_err(|error| read_failure(1, name, error))? {
        scratch.append(&lines.bytes).map_err(failed)?;
        bytes += lines.bytes.len() as u64;
    }
    Ok((From::Scratch(scratch, 0), bytes))
}

impl Split {
    fn open(&mut self, io: &mut StageIo<'_>) -> Result<Part, StageError> {
        io.check_cancel()?;
        let Some(name) = self.names.next() else {
            return Err(StageError::failed(1, "output file suffixes exhausted"));
        };
        let shown = String::from_utf8_lossy(&name).into_owned();
        if self.verbose {
            io.out().line(format!("creating file '{shown}'").as_bytes(), Origin::None)?;
        }
        let path = Path::new(OsStr::from_bytes(&name));
        let sink = io
            .files()
            .write(path, WriteMode::Replace)
            .map_err(|error| open_failure(1, &name, &error))?;
        Ok(Part { name: shown, sink })
    }

    /// Cuts the input in pieces: `piece` takes the next one off a block, given how much the part
    /// still lacks, and says how much it lacks then (0 ends it).
    fn pieces(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        number: u64,
        piece: impl Fn(&mut Bytes, u64) -> (Bytes, u64),
    ) -> Result<(), StageError> {
        let mut part: Option<Part> = None;
        let mut left = number;
        let name = self.file.clone();
        while let Some(block) = input.next_block().map_err(|error| read_failure(1, &name, error))? {
            let mut bytes = block.bytes;
            while !bytes.is_empty() {
                if part.is_none() {
                    part = Some(self.open(io)?);
                    left = number;
                }
                let (taken, lacking) = piece(&mut bytes, left);
                left = lacking;
                if let Some(open) = &part {
                    open.write(taken)?;
                }
                if left == 0 {
                    part = None;
                }
            }
        }
        Ok(())
    }

    fn lines(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        number: u64,
    ) -> Result<(), StageError> {
        let separator = self.separator;
        self.pieces(io, input, number, |bytes, left| {
            let last = usize::try_from(left - 1).unwrap_or(usize::MAX);
            match memchr::memchr_iter(separator, bytes).nth(last) {
                Some(at) => (bytes.split_to(at + 1), 0),
                None => {
                    let lines = memchr::memchr_iter(separator, bytes).count() as u64;
                    (std::mem::take(bytes), left - lines)
                }
            }
        })
    }

    fn bytes(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        number: u64,
    ) -> Result<(), StageError> {
        self.pieces(io, input, number, |bytes, left| {
            let taken = bytes.split_to(left.min(bytes.len() as u64) as usize);
            let lacking = left - taken.len() as u64;
            (taken, lacking)
        })
    }

    /// Memory: one part, or its limit.
    fn line_bytes(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        number: u64,
    ) -> Result<(), StageError> {
        let name = self.file.clone();
        let mut part: Option<Part> = None;
        let mut written = 0u64;
        let mut line: Vec<u8> = Vec::new();
        // True where the line being read has been begun in a part because it is too long for one.
        let mut split = false;
        while let Some(block) = input.next_block().map_err(|error| read_failure(1, &name, error))? {
            let mut rest = &block.bytes[..];
            while !rest.is_empty() {
                let end = memchr::memchr(self.separator, rest).map(|at| at + 1);
                let room = usize::try_from(number - line.len() as u64).unwrap_or(usize::MAX);
                let taken = end.unwrap_or(rest.len()).min(room);
                line.extend_from_slice(&rest[..taken]);
                rest = &rest[taken..];
                let whole = end == Some(taken);
                if !whole && (line.len() as u64) < number {
                    continue;
                }
                // A line that does not fit goes into a part of its own, and is cut there.
                if split || written > 0 && written + line.len() as u64 > number {
                    part = None;
                }
                if part.is_none() {
                    part = Some(self.open(io)?);
                    written = 0;
                }
                if let Some(open) = &part {
                    written += line.len() as u64;
                    open.write(std::mem::take(&mut line).into())?;
                }
                split = !whole;
                if split {
                    part = None;
                    split = false;
                }
            }
        }
        if !line.is_empty() {
            if written > 0 && written + line.len() as u64 > number {
                part = None;
            }
            let open = match part {
                Some(open) => open,
                None => self.open(io)?,
            };
            open.write(line.into())?;
        }
        Ok(())
    }

    fn turns(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        count: u64,
        chosen: Option<u64>,
    ) -> Result<(), StageError> {
        let name = self.file.clone();
        let mut parts: Vec<Part> = Vec::new();
        if chosen.is_none() && !self.elide {
            for _ in 0..count {
                parts.push(self.open(io)?);
            }
        }
        let separator = self.separator;
        let mut turn = 0u64;
        let mut gathered: Vec<Vec<u8>> = Vec::new();
        while let Some(block) = input.next_block().map_err(|error| read_failure(1, &name, error))? {
            let mut id = block.first;
            for piece in block.bytes.split_inclusive(|byte| *byte == separator) {
                let place = turn % count;
                if chosen == Some(place + 1) {
                    io.out().put(piece, Origin::Line(id))?;
                } else if chosen.is_none() {
                    while place as usize >= parts.len() {
                        parts.push(self.open(io)?);
                    }
                    gathered.resize(parts.len(), Vec::new());
                    gathered[place as usize].extend_from_slice(piece);
                }
                if piece.ends_with(b"\n") {
                    id = id.plus(1);
                }
                if piece.last() == Some(&self.separator) {
                    turn += 1;
                }
            }
            for (part, bytes) in parts.iter().zip(&mut gathered) {
                part.write(std::mem::take(bytes).into())?;
            }
        }
        Ok(())
    }

    fn chunks(
        &mut self,
        io: &mut StageIo<'_>,
        from: &mut From,
        bytes: u64,
        count: u64,
        chosen: Option<u64>,
        whole_lines: bool,
    ) -> Result<(), StageError> {
        let name = self.file.clone();
        let share = (bytes / count).max(1);
        // Where chunk number n (from 0) ends, before lines are looked at.
        let end_of =
            |number: u64| if number + 1 >= count { u64::MAX } else { (number + 1) * share };
        let mut number = 0;
        let mut at = 0u64;
        let mut part: Option<Part> = None;
        let mut opened = 0;
        // With whole lines: true at the start of a line.
        let mut fresh = true;
        while let Some(mut rest) = from.next(&name)? {
            while !rest.is_empty() {
                if fresh || !whole_lines {
                    while at >= end_of(number) {
                        number += 1;
                        part = None;
                    }
                }
                // Chunks before this one that got nothing are empty files.
                while chosen.is_none() && part.is_none() {
                    if opened < number && self.elide {
                        opened = number;
                    }
                    let next = self.open(io)?;
                    if opened == number {
                        part = Some(next);
                    }
                    opened += 1;
                }
                let length = if whole_lines {
                    // Up to the end of the line that reaches beyond the chunk's end.
                    let inside =
                        end_of(number).saturating_sub(at).saturating_sub(1).min(rest.len() as u64)
                            as usize;
                    memchr::memchr(self.separator, &rest[inside.min(rest.len())..])
                        .map_or(rest.len(), |found| inside + found + 1)
                } else {
                    (end_of(number) - at).min(rest.len() as u64) as usize
                };
                let piece = rest.split_to(length);
                at += length as u64;
                fresh = piece.last() == Some(&self.separator);
                if chosen == Some(number + 1) {
                    io.out().put(&piece, Origin::None)?;
                } else if let Some(open) = &part {
                    open.write(piece)?;
                }
            }
        }
        while chosen.is_none() && !self.elide && opened < count {
            self.open(io)?;
            opened += 1;
        }
        Ok(())
    }
}
