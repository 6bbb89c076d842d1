//! What the filters that compress and decompress share: options, names of files, and the work.

use std::ffi::OsStr;
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use stream::{
    Block, DecodingError, DecodingFailure, ExitStatus, FileFacts, Input, InputTrouble, LineId,
    Origin, Processors, ReadError, Sink, StageError, StageIo, WriteError, describe,
};

use super::encoder::{Encoder, Named};
use super::form::{Form, MAGIC_BYTES};
use crate::spec::{
    Arguments, Example, Filter, Operands, OptionId, OptionSpec, Spec, Style, UsageError, Verb,
    long_option, option,
};
use crate::text::phrases::{file_name, from_files, list};

/// A letter no command line can hold, for options that have a long name only.
const REMOVE: OptionId = OptionId::Long("rm");

const STDOUT: OptionSpec =
    option('c', "stdout", None, "write to standard output, and leave the files alone", false);
const DECOMPRESS: OptionSpec = option('d', "decompress", None, "decompress", false);
const FORCE: OptionSpec = option(
    'f',
    "force",
    None,
    "overwrite files, take any name; with -dc pass on what is not compressed",
    false,
);
const KEEP: OptionSpec = option('k', "keep", None, "keep the files that are read", false);
const TEST: OptionSpec = option('t', "test", None, "only check the data; write nothing", false);
const QUIET: OptionSpec = option('q', "quiet", None, "no warnings", false);
const VERBOSE: OptionSpec =
    option('v', "verbose", None, "print what became of each file to standard error", false);
const COMPRESS: OptionSpec = option('z', "compress", None, "compress", false);
const NO_NAME: OptionSpec =
    option('n', "no-name", None, "keep no name and time of the file in the data", false);
const THREADS: OptionSpec =
    option('T', "threads", Some("NUM"), "accepted; one thread is used", false);
const OUTPUT: OptionSpec = option('o', "output", Some("FILE"), "write to this file", false);
const REMOVE_FILES: OptionSpec = long_option("rm", None, "remove the files that are read", false);

/// The options of a filter that decompresses.
pub(crate) const UNPACKING: &[OptionSpec] =
    &[STDOUT, DECOMPRESS, FORCE, KEEP, TEST, QUIET, VERBOSE];

macro_rules! packing {
    ($($more:expr),*) => {
        &[
            STDOUT, DECOMPRESS, FORCE, KEEP, TEST, QUIET, VERBOSE,
            option('1', "fast", None, "fastest, compresses least", false),
            option('2', "", None, "level 2", false),
            option('3', "", None, "level 3", false),
            option('4', "", None, "level 4", false),
            option('5', "", None, "level 5", false),
            option('6', "", None, "level 6", false),
            option('7', "", None, "level 7", false),
            option('8', "", None, "level 8", false),
            option('9', "best", None, "slowest, compresses most", false),
            $($more),*
        ]
    };
}

/// The options of `gzip`.
pub(crate) const GZIP: &[OptionSpec] = packing!(NO_NAME);
/// The options of `bzip2`.
pub(crate) const BZIP2: &[OptionSpec] = packing!(COMPRESS);
/// The options of `xz`.
pub(crate) const XZ: &[OptionSpec] =
    packing!(COMPRESS, THREADS, option('0', "", None, "level 0", false));
/// The options of `zstd`; levels go up to `-19`.
pub(crate) const ZSTD: &[OptionSpec] = packing!(
    COMPRESS,
    THREADS,
    OUTPUT,
    REMOVE_FILES,
    option('0', "", None, "in -10 to -19: levels above 9", false)
);

/// What a filter does without options.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Task {
    /// Compresses.
    Pack,
    /// Decompresses.
    Unpack,
    /// Decompresses to standard output.
    Show,
}

/// The description of such a filter.
pub(crate) const fn spec(
    name: &'static str,
    summary: &'static str,
    options: &'static [OptionSpec],
    examples: &'static [Example],
) -> Spec {
    Spec {
        name,
        summary,
        options,
        operands: Operands::Files,
        operand_names: "[file …]",
        style: Style::Usual,
        usage_status: 1,
        examples,
    }
}

/// A status that says that something was left undone, not that it failed.
const WARNING: u8 = 2;

struct Codec {
    form: Form,
    packs: bool,
    to_output: bool,
    keeps: bool,
    force: bool,
    test: bool,
    quiet: bool,
    verbose: bool,
    names: bool,
    level: u32,
    output: Option<Vec<u8>>,
    files: Vec<Vec<u8>>,
    /// Something could not be read or written: status 1, whatever was warned of.
    failed: bool,
}

/// Reads the arguments.
///
/// # Errors
/// A level the form does not have; more than one file for one output.
pub(crate) fn build(
    spec: &'static Spec,
    form: Form,
    task: Task,
    arguments: &Arguments,
) -> Result<Box<dyn Filter>, UsageError> {
    parse(spec, form, task, arguments).map(|codec| Box::new(codec) as Box<dyn Filter>)
}

fn parse(
    spec: &'static Spec,
    form: Form,
    task: Task,
    arguments: &Arguments,
) -> Result<Codec, UsageError> {
    let (least, usual, most) = form.levels();
    let mut level: Option<(usize, u32)> = None;
    for given in arguments.options.iter().filter(|given| given.is_one_of("0123456789")) {
        let digit = given.id.letter().and_then(|digit| digit.to_digit(10)).unwrap_or_default();
        // The digits of one word are one number.
        level = match level {
            Some((word, before)) if word == given.word => {
                Some((word, before.saturating_mul(10).saturating_add(digit)))
            }
            _ => Some((given.word, digit)),
        };
    }
    if let Some((word, level)) = level.filter(|(_, level)| !(least..=most).contains(level)) {
        let message = format!("there is no level {level}: {least} to {most}");
        return Err(UsageError::with_hint(spec, Some(word), &message));
    }
    let files = arguments.operand_values();
    // The filters of this family have some of these options each.
    let output = arguments.last_of_any('o');
    if let (Some(given), 2..) = (output, files.len()) {
        let message = "several files cannot become one with -o";
        return Err(UsageError::with_hint(spec, Some(given.word), message));
    }
    let test = arguments.has_any('t');
    let packs = task == Task::Pack && !arguments.has_any('d') && !test || arguments.has_any('z');
    Ok(Codec {
        form,
        packs,
        to_output: task == Task::Show || arguments.has_any('c'),
        keeps: arguments.has_any('k') || form == Form::Zstd && !arguments.has_any(REMOVE),
        force: arguments.has_any('f'),
        test,
        quiet: arguments.has_any('q'),
        verbose: arguments.has_any('v'),
        names: !arguments.has_any('n'),
        level: level.map_or(usual, |(_, level)| level),
        output: output.map(|given| given.value.clone()),
        files,
        failed: false,
    })
}

/// Says in words what the arguments do.
pub(crate) fn explain(
    spec: &'static Spec,
    form: Form,
    task: Task,
    arguments: &Arguments,
) -> String {
    let Ok(codec) = parse(spec, form, task, arguments) else { return spec.summary.to_owned() };
    let files = from_files(&codec.files);
    let name = form.name();
    if codec.test {
        return format!("checks that the {name} data{files} can be read");
    }
    if codec.files.is_empty() || codec.to_output {
        return if codec.packs {
            format!("compresses what it reads{files} as {name} data, level {}", codec.level)
        } else {
            format!("writes what is in the {name} data{files}")
        };
    }
    let verb = if codec.packs { "compresses" } else { "decompresses" };
    let kept = if codec.keeps { "keeps" } else { "removes" };
    if let [file] = &codec.files[..] {
        let target = codec.target(file).map(|target| file_name(&target));
        let target = target.unwrap_or_else(|_| "a new file".to_owned());
        return format!("{verb} {} into {target} and {kept} it", file_name(file));
    }
    let all: Vec<String> = codec.files.iter().map(|file| file_name(file)).collect();
    format!("{verb} each of {} into a new file and {kept} it", list(&all))
}

/// What was read and what came of it, in bytes.
#[derive(Clone, Copy, Default)]
struct Amounts {
    read: u64,
    written: u64,
}

impl Filter for Codec {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut files = std::mem::take(&mut self.files);
        if files.is_empty() {
            files.push(b"-".to_vec());
        }
        for file in &files {
            let done = if self.test {
                self.check(io, file)
            } else if self.output.is_none() && (self.to_output || file == b"-") {
                self.show(io, file)
            } else {
                self.replace(io, file)
            };
            match done {
                Ok(()) => {}
                Err(InputTrouble::Read(ReadError::Cancelled)) => return Err(StageError::Cancelled),
                Err(InputTrouble::Read(ReadError::Io(error))) => self.report(io, file, &error)?,
                Err(InputTrouble::Stage(error)) => return Err(error),
            }
        }
        Ok(if self.failed { ExitStatus(1) } else { io.status() })
    }

    fn verb(&self) -> Verb {
        let standard = self.files.is_empty() || self.files.iter().any(|file| file == b"-");
        if self.test {
            Verb::Checks
        } else if !(standard || self.to_output) {
            Verb::Copies
        } else if self.packs {
            Verb::Merges
        } else if standard {
            Verb::Makes
        } else {
            Verb::Passes
        }
    }
}

impl Codec {
    fn warn(&self, io: &mut StageIo<'_>, file: &[u8], text: &str) -> Result<(), StageError> {
        io.note_status(WARNING);
        if self.quiet {
            return Ok(());
        }
        io.message(&format!("{}: {text}", file_name(file)))
    }

    fn fail(&mut self, io: &mut StageIo<'_>, file: &[u8], text: &str) -> Result<(), StageError> {
        self.failed = true;
        io.message(&format!("{}: {text}", file_name(file)))
    }

    fn report(
        &mut self,
        io: &mut StageIo<'_>,
        file: &[u8],
        error: &io::Error,
    ) -> Result<(), StageError> {
        let text = describe(error);
        match DecodingError::inside(error).map(|error| &error.failure) {
            Some(DecodingFailure::Trailing(_)) => self.warn(io, file, &text),
            Some(DecodingFailure::OtherForm { found: Some(found), .. }) => {
                let reader = Form::ALL.iter().find(|form| form.name() == *found);
                let reader = reader.map_or("", |form| form.reader());
                self.fail(io, file, &format!("{text}; {reader} reads it"))
            }
            _ => self.fail(io, file, &text),
        }
    }

    fn open(&self, io: &mut StageIo<'_>, file: &[u8]) -> Result<Input, InputTrouble> {
        let opened =
            if self.packs { io.open(file) } else { io.open_decoded(file, self.form.decoding()) };
        opened.map_err(|error| InputTrouble::Read(error.into()))
    }

    /// Opens what may be compressed or not: `-f` passes on what is not.
    fn open_either(&self, io: &mut StageIo<'_>, file: &[u8]) -> Result<Input, InputTrouble> {
        let is_ours = |first: &[u8]| Form::of_content(first) == Some(self.form);
        let facts = io.files().facts(path(file));
        if file != b"-" && facts.is_ok_and(|facts| facts.is_regular()) {
            if is_ours(&io.look(file, MAGIC_BYTES)?) {
                return self.open(io, file);
            }
            return io.open(file).map_err(|error| InputTrouble::Read(error.into()));
        }
        // A pipe is opened once.
        let mut input = io.open(file).map_err(|error| InputTrouble::Read(error.into()))?;
        if is_ours(input.peek(MAGIC_BYTES)?) {
            input.wrap(self.form.decoding().open);
        }
        Ok(input)
    }

    fn show(&mut self, io: &mut StageIo<'_>, file: &[u8]) -> Result<(), InputTrouble> {
        if self.packs {
            if io.out().is_terminal() && !self.force {
                let message = "compressed data is not written to a terminal; -f does it anyway";
                return Err(StageError::failed(1, message).into());
            }
            let mut input = self.open(io, file)?;
            let named = self.named(io, file);
            let first = LineId::new(input.number(), 0);
            pack(&mut input, self.form, self.level, named, |bytes, line| {
                io.out().put(bytes, Origin::Range(first, first.plus(line)))
            })?;
            return Ok(());
        }
        if self.form.wants_suffix() && file != b"-" && !self.force && !self.form.has_suffix(file) {
            return Ok(self.warn(io, file, "unknown suffix, ignored; < reads any name")?);
        }
        let either = !self.packs && self.force;
        let mut input = if either { self.open_either(io, file)? } else { self.open(io, file)? };
        while let Some(lines) = input.next_block_with(io.processors())? {
            if file == b"-" {
                // Lines of compressed data are not lines of anything.
                io.out().put(&lines.bytes, Origin::None)?;
            } else {
                io.out().pass_lines(lines)?;
            }
        }
        Ok(())
    }

    fn check(&self, io: &mut StageIo<'_>, file: &[u8]) -> Result<(), InputTrouble> {
        let mut input = self.open(io, file)?;
        let mut amounts = Amounts::default();
        while let Some(lines) = input.next_block_with(io.processors())? {
            amounts.written += lines.bytes.len() as u64;
        }
        if self.verbose {
            io.message(&format!("{}: {} bytes, no errors", file_name(file), amounts.written))?;
        }
        Ok(())
    }

    /// What the data says of the file it was made from.
    fn named(&self, io: &StageIo<'_>, file: &[u8]) -> Named {
        if !self.names || file == b"-" {
            return Named::default();
        }
        let facts = io.files().facts(path(file)).unwrap_or_default();
        let modified = u32::try_from(facts.modified_ns / 1_000_000_000).unwrap_or(0);
        let name = path(file).file_name().map(|name| name.as_bytes().to_vec());
        Named { name, modified }
    }

    /// The name of the file that is made of this one.
    fn target(&self, file: &[u8]) -> Result<Vec<u8>, &'static str> {
        if let Some(output) = &self.output {
            return Ok(output.clone());
        }
        if self.packs {
            if self.form.has_suffix(file) && !self.force {
                return Err("has the suffix of compressed data already, left as it is");
            }
            return Ok([file, self.form.suffixes()[0].0.as_bytes()].concat());
        }
        let found = self.form.suffixes().iter().find(|(end, _)| file.ends_with(end.as_bytes()));
        let Some((end, instead)) = found else { return Err("unknown suffix, ignored") };
        let stem = &file[..file.len() - end.len()];
        if stem.is_empty() || stem.ends_with(b"/") {
            return Err("nothing before its suffix, ignored");
        }
        Ok([stem, instead.as_bytes()].concat())
    }

    /// Makes a new file of one, with its rights and its time, in its place unless it is kept.
    fn replace(&mut self, io: &mut StageIo<'_>, file: &[u8]) -> Result<(), InputTrouble> {
        let target = match self.target(file) {
            Ok(target) => target,
            Err(why) => return Ok(self.warn(io, file, why)?),
        };
        let system = |error: io::Error| InputTrouble::Read(error.into());
        let facts: Option<FileFacts> = match file {
            b"-" => None,
            _ => Some(io.files().facts(path(file)).map_err(system)?),
        };
        if facts.is_some_and(|facts| !facts.is_regular()) {
            let what = if facts.is_some_and(|facts| facts.is_directory()) {
                "is a directory, ignored"
            } else {
                "not a regular file, ignored"
            };
            return Ok(self.warn(io, file, what)?);
        }
        if !self.force && io.files().facts(path(&target)).is_ok() {
            return Ok(self.warn(io, &target, "already exists; -f overwrites it")?);
        }
        let keeps = self.keeps || file == b"-";
        if !keeps && !io.files().may_remove_original() {
            let text = "not compressed in its place: a file is removed only by a real run; -k \
                        keeps it";
            return Ok(self.fail(io, file, text)?);
        }
        let mut input = self.open(io, file)?;
        let named = self.named(io, file);
        let replacement = io.files().replace(path(&target)).map_err(system)?;
        if let Some(facts) = &facts {
            replacement.resemble(facts).map_err(system)?;
        }
        let sink = replacement.sink();
        let mut trailing = None;
        let amounts = if self.packs {
            pack(&mut input, self.form, self.level, named, |bytes, _| write(&*sink, bytes))?
        } else {
            match unpack(&mut input, &*sink, io.processors()) {
                Ok(amounts) => amounts,
                Err((InputTrouble::Read(ReadError::Io(error)), amounts)) => {
                    let failure = DecodingError::inside(&error).map(|error| &error.failure);
                    if !matches!(failure, Some(DecodingFailure::Trailing(_))) {
                        return Err(InputTrouble::Read(error.into()));
                    }
                    trailing = Some(error);
                    amounts
                }
                Err((trouble, _)) => return Err(trouble),
            }
        };
        drop(sink);
        if let Err(error) = replacement.commit() {
            return Ok(self.fail(io, &target, &describe(&error))?);
        }
        if let Some(error) = trailing {
            self.report(io, file, &error)?;
        }
        if !keeps && let Err(error) = io.files().remove_original(path(file)) {
            return Ok(self.fail(io, file, &format!("not removed: {}", describe(&error)))?);
        }
        if self.verbose {
            let said = said(amounts, &target);
            io.message(&format!("{}: {said}", file_name(file)))?;
        }
        Ok(())
    }
}

fn path(name: &[u8]) -> &Path {
    Path::new(OsStr::from_bytes(name))
}

/// What became of a file, for `-v`.
fn said(amounts: Amounts, target: &[u8]) -> String {
    let Amounts { read, written } = amounts;
    let part = if read == 0 { 0.0 } else { written as f64 * 100.0 / read as f64 };
    format!("{read} bytes became {written} ({part:.1} %) in {}", file_name(target))
}

fn write(sink: &dyn Sink, bytes: &[u8]) -> Result<(), WriteError> {
    sink.write(Block::new(bytes.to_vec()))
}

/// Bytes that are gathered before they are written.
const GATHERED: usize = 64 * 1024;

/// Compresses an input to its end. `write` is given what comes of it, with the number of newlines that
/// were read by then.
fn pack(
    input: &mut Input,
    form: Form,
    level: u32,
    named: Named,
    mut write: impl FnMut(&[u8], u64) -> Result<(), WriteError>,
) -> Result<Amounts, InputTrouble> {
    let system = |error: io::Error| InputTrouble::Read(error.into());
    let mut amounts = Amounts::default();
    let mut encoder = Encoder::begin(form, level, named).map_err(system)?;
    // The last line that was read, also where it is not ended.
    let mut last = 0;
    // What comes of it depends on the pieces an encoder is given: they are always the same.
    let mut held: Vec<u8> = Vec::new();
    while let Some(lines) = input.next_block()? {
        held.extend_from_slice(&lines.bytes);
        let whole = held.len() / GATHERED * GATHERED;
        for piece in held[..whole].chunks(GATHERED) {
            encoder.write(piece).map_err(system)?;
        }
        held.drain(..whole);
        amounts.read += lines.bytes.len() as u64;
        let open = u64::from(!lines.bytes.ends_with(b"\n"));
        last = (input.newlines() + open).saturating_sub(1);
        let written = encoder.written();
        if written.len() >= GATHERED {
            amounts.written += written.len() as u64;
            write(written, last)?;
            written.clear();
        }
    }
    encoder.write(&held).map_err(system)?;
    let rest = encoder.finish().map_err(system)?;
    amounts.written += rest.len() as u64;
    write(&rest, last)?;
    Ok(amounts)
}

/// Decompresses an input to its end.
fn unpack(
    input: &mut Input,
    sink: &dyn Sink,
    processors: &dyn Processors,
) -> Result<Amounts, (InputTrouble, Amounts)> {
    let mut amounts = Amounts::default();
    loop {
        match input.next_block_with(processors) {
            Ok(None) => {
                amounts.read = input.position().unwrap_or(0);
                return Ok(amounts);
            }
            Ok(Some(lines)) => {
                amounts.written += lines.bytes.len() as u64;
                sink.write(Block::new(lines.bytes))
                    .map_err(|error| (InputTrouble::from(error), amounts))?;
            }
            Err(error) => return Err((error.into(), amounts)),
        }
    }
}
