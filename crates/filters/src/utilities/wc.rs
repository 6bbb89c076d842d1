//! `wc`: counts lines, words and bytes.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use stream::{ExitStatus, Input, LineId, Origin, ReadError, Source, StageError, StageIo};
use unicode_width::UnicodeWidthChar;

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionId, OptionSpec, Spec, Style, UsageError, Verb,
    example, long_option, option, shown,
};
use crate::text::phrases::{from_files, list};

const NAMES_FROM: OptionId = OptionId::Long("files0-from");

const OPTIONS: &[OptionSpec] = &[
    option('c', "bytes", None, "count bytes", true),
    option('l', "lines", None, "count newlines", true),
    option('L', "max-line-length", None, "the width of the widest line", false),
    option('m', "chars", None, "count characters", true),
    option('w', "words", None, "count words", true),
    long_option(
        "files0-from",
        Some("FILE"),
        "count the files whose names are in FILE, ended by NUL; - is standard input",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "wc",
    summary: "counts lines, words and bytes",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("wc -l gate.log", "how many lines"),
        example("wc *.log", "all files and a total"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Wc {
    files: Vec<Vec<u8>>,
    /// Where the names of the files are, if not among the arguments.
    names_from: Option<Vec<u8>>,
    wanted: Wanted,
}

#[derive(Clone, Copy)]
struct Wanted {
    lines: bool,
    words: bool,
    characters: bool,
    bytes: bool,
    widest: bool,
}

#[derive(Clone, Copy, Default)]
struct Counts {
    lines: u64,
    words: u64,
    characters: u64,
    bytes: u64,
    widest: u64,
}

fn wanted(arguments: &Arguments) -> Wanted {
    let any = arguments.options.iter().any(|given| given.id != NAMES_FROM);
    Wanted {
        lines: arguments.has('l') || !any,
        words: arguments.has('w') || !any,
        characters: arguments.has('m'),
        bytes: arguments.has('c') || !any,
        widest: arguments.has('L'),
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let names_from = arguments.last(NAMES_FROM).map(|given| given.value.clone());
    if let (Some(_), Some(extra)) = (&names_from, arguments.operands.first()) {
        let message = format!(
            "extra operand {}\nfile operands cannot be combined with --files0-from",
            shown(&extra.value)
        );
        return Err(UsageError::with_hint(&SPEC, Some(extra.word), &message));
    }
    let files = arguments.operand_values();
    Ok(Box::new(Wc { files, names_from, wanted: wanted(arguments) }))
}

fn explain(arguments: &Arguments) -> String {
    let wanted = wanted(arguments);
    let mut parts = Vec::new();
    for (is_wanted, what) in [
        (wanted.lines, "lines"),
        (wanted.words, "words"),
        (wanted.characters, "characters"),
        (wanted.bytes, "bytes"),
        (wanted.widest, "the width of the widest line"),
    ] {
        if is_wanted {
            parts.push(what.to_owned());
        }
    }
    let files = match arguments.last(NAMES_FROM).map(|given| &given.value[..]) {
        None => from_files(&arguments.operand_values()),
        Some(b"-") => " of the files named by standard input".to_owned(),
        Some(name) => format!(" of the files named in {}", String::from_utf8_lossy(name)),
    };
    format!("counts {}{files}", list(&parts))
}

impl Filter for Wc {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let named = !self.files.is_empty() || self.names_from.is_some();
        let files = match &self.names_from {
            Some(from) => names(io, from)?,
            None if named => std::mem::take(&mut self.files),
            None => vec![b"-".to_vec()],
        };
        let many = files.len() > 1;
        let mut width = match self.names_from.as_deref() {
            // How many come is not known there.
            Some(b"-") => 1,
            _ => self.width_from_files(io, &files, named),
        };
        let mut total = Counts::default();
        for (number, file) in files.iter().enumerate() {
            if let Some(from) = self.names_from.as_deref()
                && !is_name(io, from, number, file)?
            {
                continue;
            }
            let mut input = match io.open(file) {
                Ok(input) => input,
                Err(error) => {
                    io.note_status(1);
                    io.message(&complaint(file, &error))?;
                    continue;
                }
            };
            if !named && self.kinds() > 1 {
                // Standard input that is a regular file gives its width as a named one does.
                width = input.file_bytes().map_or(7, |bytes| bytes.to_string().len());
            }
            let mut counts = Counts::default();
            let counted = match self.split(io, &mut input) {
                Some(parts) => count_parts(io, parts, &mut counts),
                None => self.count(&mut input, &mut counts),
            };
            match counted {
                Ok(()) => {}
                Err(ReadError::Cancelled) => return Err(StageError::Cancelled),
                Err(ReadError::Io(error)) => {
                    io.note_status(1);
                    io.message(&complaint(file, &error))?;
                }
            }
            total.lines += counts.lines;
            total.words += counts.words;
            total.characters += counts.characters;
            total.bytes += counts.bytes;
            total.widest = total.widest.max(counts.widest);
            let number = input.number();
            let origin = match counts.lines {
                0 if counts.bytes == 0 => Origin::None,
                lines => {
                    let last = if input.at_line_start() { lines - 1 } else { lines };
                    Origin::Range(LineId::new(number, 0), LineId::new(number, last))
                }
            };
            let name = io.shown_name(file);
            let line = self.line(&counts, width, named.then_some(&*name));
            io.out().line(&line, origin)?;
        }
        if many {
            let line = self.line(&total, width, Some(b"total"));
            io.out().line(&line, Origin::None)?;
        }
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Merges
    }
}

/// The names in a file, each ended by NUL. Memory: all of them.
fn names(io: &mut StageIo<'_>, from: &[u8]) -> Result<Vec<Vec<u8>>, StageError> {
    let failed = |error: &std::io::Error| {
        let name = String::from_utf8_lossy(from);
        let why = stream::describe(error);
        StageError::failed(1, format!("cannot open '{name}' for reading: {why}"))
    };
    let mut input = io.open(from).map_err(|error| failed(&error))?;
    let mut all = Vec::new();
    loop {
        match input.next_block() {
            Ok(Some(lines)) => all.extend_from_slice(&lines.bytes),
            Ok(None) => break,
            Err(ReadError::Cancelled) => return Err(StageError::Cancelled),
            Err(ReadError::Io(error)) => return Err(failed(&error)),
        }
        io.check_value(all.len())?;
    }
    if all.last() == Some(&0) {
        all.pop();
    } else if all.is_empty() {
        return Ok(Vec::new());
    }
    Ok(all.split(|byte| *byte == 0).map(<[u8]>::to_vec).collect())
}

/// False, with a message, for what is no name of a file.
fn is_name(
    io: &mut StageIo<'_>,
    from: &[u8],
    number: usize,
    name: &[u8],
) -> Result<bool, StageError> {
    let why = if name.is_empty() {
        let from = String::from_utf8_lossy(from);
        format!("{from}:{}: invalid zero-length file name", number + 1)
    } else if name == b"-" && from == b"-" {
        "when reading file names from stdin, no file name of '-' allowed".to_owned()
    } else {
        return Ok(true);
    };
    io.note_status(1);
    io.message(&why)?;
    Ok(false)
}

/// Files from this size on are counted in parts.
const SPLIT_FROM: u64 = 8 << 20;

fn count_parts(
    io: &StageIo<'_>,
    parts: Vec<Box<dyn Source>>,
    counts: &mut Counts,
) -> Result<(), ReadError> {
    let mut results: Vec<Result<Counts, ReadError>> =
        parts.iter().map(|_| Ok(Counts::default())).collect();
    let jobs = parts.into_iter().zip(&mut results).map(
        |(mut part, result)| -> Box<dyn FnOnce() + Send + '_> {
            Box::new(move || {
                let mut counts = Counts::default();
                *result = loop {
                    match part.next_block() {
                        Ok(Some(block)) => {
                            counts.lines += block.newlines();
                            counts.bytes += block.len() as u64;
                        }
                        Ok(None) => break Ok(counts),
                        Err(error) => break Err(error),
                    }
                };
            })
        },
    );
    io.processors().run(jobs.collect());
    for result in results {
        let part = result?;
        counts.lines += part.lines;
        counts.bytes += part.bytes;
    }
    Ok(())
}

fn complaint(file: &[u8], error: &std::io::Error) -> String {
    format!("{}: {}", String::from_utf8_lossy(file), stream::describe(error))
}

impl Wc {
    fn kinds(&self) -> usize {
        let wanted = self.wanted;
        [wanted.lines, wanted.words, wanted.characters, wanted.bytes, wanted.widest]
            .into_iter()
            .filter(|&wanted| wanted)
            .count()
    }

    /// The width of the columns: that of the sum of all sizes; at least 7 where an input is no
    /// regular file; 1 for a single number about a single input.
    fn width_from_files(&self, io: &StageIo<'_>, files: &[Vec<u8>], named: bool) -> usize {
        if files.len() == 1 && self.kinds() == 1 {
            return 1;
        }
        if !named {
            return 7;
        }
        let (mut total, mut least) = (0u64, 1);
        for file in files {
            let facts = if file == b"-" {
                least = 7;
                continue;
            } else {
                io.files().facts(Path::new(OsStr::from_bytes(file)))
            };
            match facts {
                Ok(facts) if facts.is_regular() => total += facts.bytes,
                Ok(_) => least = 7,
                Err(_) => {}
            }
        }
        total.to_string().len().max(least)
    }

    /// Parts of a large file to be counted at the same time, where only newlines and bytes are
    /// wanted, which do not care where a file is cut.
    fn split(&self, io: &StageIo<'_>, input: &mut Input) -> Option<Vec<Box<dyn Source>>> {
        let plain = !(self.wanted.words || self.wanted.characters || self.wanted.widest);
        let processors = io.processors().count();
        let large = input.file_bytes().is_some_and(|bytes| bytes >= SPLIT_FROM);
        if plain && large && processors > 1 && !io.keeps_origins() {
            input.split(processors)
        } else {
            None
        }
    }

    fn count(&self, input: &mut Input, counts: &mut Counts) -> Result<(), ReadError> {
        let wanted = self.wanted;
        let text = wanted.words || wanted.characters || wanted.widest;
        let mut counter = TextCounter::default();
        while let Some(block) = input.next_block()? {
            counts.bytes += block.bytes.len() as u64;
            if text {
                counter.add(&block.bytes, wanted, counts);
            }
        }
        counts.lines = input.newlines();
        if text {
            counter.end(counts);
        }
        Ok(())
    }

    fn line(&self, counts: &Counts, width: usize, name: Option<&[u8]>) -> Vec<u8> {
        let wanted = self.wanted;
        let mut line = Vec::new();
        for (is_wanted, number) in [
            (wanted.lines, counts.lines),
            (wanted.words, counts.words),
            (wanted.characters, counts.characters),
            (wanted.bytes, counts.bytes),
            (wanted.widest, counts.widest),
        ] {
            if is_wanted {
                if !line.is_empty() {
                    line.push(b' ');
                }
                line.extend_from_slice(format!("{number:width$}").as_bytes());
            }
        }
        if let Some(name) = name {
            line.push(b' ');
            line.extend_from_slice(name);
        }
        line
    }
}

/// Counts words, characters and widths over blocks that may cut characters in two.
#[derive(Default)]
struct TextCounter {
    in_word: bool,
    width: u64,
    /// The beginning of a character whose end is in the next block.
    pending: Vec<u8>,
}

impl TextCounter {
    fn add(&mut self, block: &[u8], wanted: Wanted, counts: &mut Counts) {
        if wanted.characters
            && !wanted.words
            && !wanted.widest
            && self.pending.is_empty()
            && block.is_ascii()
        {
            counts.characters += block.len() as u64;
            return;
        }
        let joined;
        let mut rest = block;
        if !self.pending.is_empty() {
            joined = [&self.pending[..], block].concat();
            rest = &joined;
        }
        let mut pending = Vec::new();
        if wanted.characters && !wanted.words && !wanted.widest {
            pending = count_characters(rest, counts).to_vec();
            rest = &[];
        }
        while let Some(&byte) = rest.first() {
            if !wanted.widest
                && let Some(chunk) = rest.first_chunk::<CHUNK>()
                && let Some((words, in_word)) = count_words(chunk, self.in_word)
            {
                counts.words += words;
                counts.characters += CHUNK as u64;
                self.in_word = in_word;
                rest = &rest[CHUNK..];
                continue;
            }
            if byte < 0x80 {
                self.ascii(byte, counts);
                rest = &rest[1..];
                continue;
            }
            match decode(rest) {
                Decoded::Character(character, length) => {
                    self.character(character, wanted, counts);
                    rest = &rest[length..];
                }
                // A byte that is no text is no character and neither ends nor begins a word.
                Decoded::Broken => rest = &rest[1..],
                Decoded::Cut => {
                    pending = rest.to_vec();
                    break;
                }
            }
        }
        self.pending = pending;
    }

    #[inline]
    fn ascii(&mut self, byte: u8, counts: &mut Counts) {
        counts.characters += 1;
        match byte {
            b' ' => {
                self.in_word = false;
                self.width += 1;
            }
            b'\t' => {
                self.in_word = false;
                self.width += 8 - self.width % 8;
            }
            b'\n' | b'\r' | 12 => {
                self.in_word = false;
                counts.widest = counts.widest.max(self.width);
                self.width = 0;
            }
            11 => self.in_word = false,
            0x21..=0x7e => {
                counts.words += u64::from(!self.in_word);
                self.in_word = true;
                self.width += 1;
            }
            _ => {}
        }
    }

    fn character(&mut self, character: char, wanted: Wanted, counts: &mut Counts) {
        counts.characters += 1;
        let space = character.is_whitespace();
        if space {
            self.in_word = false;
        } else if !character.is_control() {
            counts.words += u64::from(!self.in_word);
            self.in_word = true;
        }
        if wanted.widest {
            self.width += character.width().unwrap_or(0) as u64;
        }
    }

    fn end(&mut self, counts: &mut Counts) {
        counts.widest = counts.widest.max(self.width);
    }
}

/// Counts the characters of a text; gives the beginning of one at its end that continues.
fn count_characters<'t>(text: &'t [u8], counts: &mut Counts) -> &'t [u8] {
    let mut rest = text;
    loop {
        match std::str::from_utf8(rest) {
            Ok(text) => {
                counts.characters += text.chars().count() as u64;
                return &[];
            }
            Err(error) => {
                let (valid, after) = rest.split_at(error.valid_up_to());
                // All of it is known to be characters: their first bytes are counted.
                let first = |byte: &&u8| !(0x80..0xc0).contains(*byte);
                counts.characters += valid.iter().filter(first).count() as u64;
                match error.error_len() {
                    Some(length) => rest = &after[length..],
                    None => return after,
                }
            }
        }
    }
}

/// Bytes looked at at once where they are letters and spaces only. Counts of a chunk fit in a byte.
const CHUNK: usize = 64;

/// The words that begin in a chunk, and whether it ends within one; `None` where it has bytes
/// that are neither spaces nor printable ASCII.
fn count_words(chunk: &[u8; CHUNK], in_word: bool) -> Option<(u64, bool)> {
    // Without branches, for the compiler to make these loops work on many bytes at a time.
    let space = |byte: u8| byte == b' ' || byte.wrapping_sub(9) < 5;
    let other = |byte: u8| byte.wrapping_sub(0x20) > 0x5e && !space(byte);
    if chunk.iter().fold(false, |any, &byte| any | other(byte)) {
        return None;
    }
    let begins = |before: u8, byte: u8| u8::from(space(before) & !space(byte));
    let inner = chunk.iter().zip(&chunk[1..]);
    let mut words = inner.fold(0u8, |words, (&before, &byte)| words + begins(before, byte));
    words += u8::from(!in_word & !space(chunk[0]));
    Some((u64::from(words), !space(chunk[CHUNK - 1])))
}

enum Decoded {
    Character(char, usize),
    Broken,
    Cut,
}

fn decode(bytes: &[u8]) -> Decoded {
    let length = match bytes[0] {
        0xc2..=0xdf => 2,
        0xe0..=0xef => 3,
        0xf0..=0xf4 => 4,
        _ => return Decoded::Broken,
    };
    let part = &bytes[..length.min(bytes.len())];
    match std::str::from_utf8(part) {
        Ok(text) => text
            .chars()
            .next()
            .map_or(Decoded::Broken, |character| Decoded::Character(character, length)),
        Err(error) if error.error_len().is_none() && part.len() < length => Decoded::Cut,
        Err(_) => Decoded::Broken,
    }
}
