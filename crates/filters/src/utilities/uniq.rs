//! `uniq`: merges adjacent equal lines into one.

use std::ffi::OsStr;
use std::ops::Range;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use memchr::memchr;
use stream::{
    Block, ExitStatus, InputTrouble, LineId, Origin, Sink, StageError, StageIo, WriteMode,
};

use crate::spec::{
    Arguments, Definition, Dropped, Filter, Given, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option_maybe, option, option_maybe, shown,
};
use crate::text::characters;
use crate::text::counts::push_padded;
use crate::text::phrases::{counted, from_files};

const GROUP: OptionId = OptionId::Long("group");

const OPTIONS: &[OptionSpec] = &[
    option('c', "count", None, "put the number of repeats before each line", true),
    option('d', "repeated", None, "only lines that are repeated, each once", true),
    option_maybe(
        'D',
        "all-repeated",
        "METHOD",
        "all lines that are repeated; empty lines around groups: prepend, separate or none",
    ),
    option('f', "skip-fields", Some("NUM"), "ignore the first NUM fields", true),
    option('i', "ignore-case", None, "ignore case", false),
    option('s', "skip-chars", Some("NUM"), "then ignore NUM characters", true),
    option('u', "unique", None, "only lines that are not repeated", true),
    option('w', "check-chars", Some("NUM"), "only NUM characters count", false),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option_maybe(
        "group",
        "METHOD",
        "all lines, with empty lines around groups: separate, prepend, append or both",
    ),
];

static SPEC: Spec = Spec {
    name: "uniq",
    summary: "merges adjacent equal lines into one",
    options: OPTIONS,
    operands: Operands::OneFile,
    operand_names: "[file [output]]",
    style: Style::NumberAmong('f'),
    usage_status: 1,
    examples: &[
        example("sort spares-upper.txt | uniq -c", "how often each line occurs"),
        example("sort spares-upper.txt | uniq -d", "the lines that occur more than once"),
        example("sort spares-upper.txt | uniq -u", "the lines that occur only once"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// Where empty lines go between groups.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Delimit {
    None,
    /// Before every group.
    Prepend,
    /// Behind every group.
    Append,
    /// Between groups.
    Separate,
    /// Before the first, between, and behind the last.
    Both,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Writes {
    /// One line of a group.
    First,
    /// All lines of groups of several.
    AllRepeated(Delimit),
    /// All lines.
    Groups(Delimit),
}

struct Uniq {
    files: Vec<Vec<u8>>,
    output: Option<Vec<u8>>,
    count: bool,
    repeated: bool,
    single: bool,
    writes: Writes,
    key: Key,
}

/// The part of a line that counts.
struct Key {
    fields: u64,
    characters: u64,
    most: u64,
    ignore_case: bool,
    whole: bool,
}

fn delimit(
    given: &Given,
    names: &[(&str, Delimit)],
    otherwise: Delimit,
    long: &str,
) -> Result<Delimit, UsageError> {
    if given.value.is_empty() {
        return Ok(otherwise);
    }
    let begun: Vec<Delimit> = names
        .iter()
        .filter(|(name, _)| name.as_bytes().starts_with(&given.value))
        .map(|(_, delimit)| *delimit)
        .collect();
    match begun[..] {
        [only] => Ok(only),
        _ => {
            let message = format!("invalid argument {} for ‘--{long}’", shown(&given.value));
            Err(UsageError::with_hint(&SPEC, Some(given.word), &message))
        }
    }
}

fn writes(arguments: &Arguments) -> Result<Writes, UsageError> {
    let mut writes = Writes::First;
    if let Some(given) = arguments.last('D') {
        let names = [
            ("none", Delimit::None),
            ("prepend", Delimit::Prepend),
            ("separate", Delimit::Separate),
        ];
        writes = Writes::AllRepeated(delimit(given, &names, Delimit::None, "all-repeated")?);
    }
    if let Some(given) = arguments.last(GROUP) {
        let names = [
            ("prepend", Delimit::Prepend),
            ("append", Delimit::Append),
            ("separate", Delimit::Separate),
            ("both", Delimit::Both),
        ];
        if arguments.options.iter().any(|given| given.is_one_of("cdDu")) {
            let message = "--group is mutually exclusive with -c/-d/-D/-u";
            return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
        }
        writes = Writes::Groups(delimit(given, &names, Delimit::Separate, "group")?);
    }
    if let (Writes::AllRepeated(_), Some(given)) = (writes, arguments.last('c')) {
        let message = "printing all duplicated lines and repeat counts is meaningless";
        return Err(UsageError::with_hint(&SPEC, Some(given.word), message));
    }
    Ok(writes)
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_most(&SPEC, 2)?;
    let mut files = arguments.operand_values();
    let output = if files.len() > 1 { files.pop() } else { None };
    let number = |short, what| arguments.number(&SPEC, short, what);
    let fields = number('f', "invalid number of fields to skip")?.unwrap_or(0);
    let characters = number('s', "invalid number of bytes to skip")?.unwrap_or(0);
    let most = number('w', "invalid number of bytes to compare")?;
    let ignore_case = arguments.has('i');
    let filter = Uniq {
        files,
        output: output.filter(|name| name != b"-"),
        count: arguments.has('c'),
        repeated: arguments.has('d'),
        single: arguments.has('u'),
        writes: writes(arguments)?,
        key: Key {
            fields,
            characters,
            most: most.unwrap_or(u64::MAX),
            ignore_case,
            whole: fields == 0 && characters == 0 && most.is_none() && !ignore_case,
        },
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let operands = arguments.operand_values();
    let files = from_files(&operands[..operands.len().min(1)]);
    let mut by = String::new();
    let number = |short| arguments.number(&SPEC, short, "").ok().flatten();
    if let Some(fields) = number('f') {
        by.push_str(&format!(", not looking at the first {}", counted(fields, "field", "fields")));
    }
    if let Some(characters) = number('s') {
        by.push_str(&format!(", leaving out {}", counted(characters, "character", "characters")));
    }
    if let Some(most) = number('w') {
        by.push_str(&format!(", comparing {}", counted(most, "character", "characters")));
    }
    if arguments.has('i') {
        by.push_str(", case ignored");
    }
    let what = match writes(arguments) {
        Ok(Writes::AllRepeated(_)) => "keeps all lines that are repeated by the next one",
        Ok(Writes::Groups(_)) => "puts empty lines between groups of equal lines",
        _ => match (arguments.has('d'), arguments.has('u')) {
            (false, false) => "merges adjacent equal lines into one",
            (true, false) => "keeps one line of each group of adjacent equal lines",
            (false, true) => "keeps lines that differ from both neighbours",
            (true, true) => "keeps nothing: -d and -u exclude each other",
        },
    };
    let count = if arguments.has('c') { ", with their number before it" } else { "" };
    let into = match operands.get(1) {
        Some(name) => format!(", into {}", String::from_utf8_lossy(name)),
        None => String::new(),
    };
    format!("{what}{files}{by}{count}{into}")
}

/// How many lines at the beginning of `rest`, each with its newline, are `line`.
#[inline]
fn repeats(line: &[u8], rest: &[u8]) -> u64 {
    let whole = line.len() + 1;
    let is_one =
        |text: &[u8]| text.len() >= whole && text[whole - 1] == b'\n' && text[..whole - 1] == *line;
    if !is_one(rest) {
        return 0;
    }
    // Lines that are like the ones before them, many at once as long as that goes well.
    let (mut found, mut step) = (1, 8);
    loop {
        let here = &rest[(found - 1) * whole..];
        if here.len() >= (step + 1) * whole
            && here[..step * whole] == here[whole..(step + 1) * whole]
        {
            found += step;
            step = (step * 2).min(512);
        } else if step > 8 {
            step = 8;
        } else if is_one(&rest[found * whole..]) {
            found += 1;
        } else {
            return found as u64;
        }
    }
}

/// The group of equal lines being read.
struct Group {
    line: Vec<u8>,
    key: Range<usize>,
    first: LineId,
    last: LineId,
    count: u64,
}

impl Uniq {
    /// The file that is written, where one is named.
    fn opened(&self, io: &StageIo<'_>) -> Result<Option<FileOut>, StageError> {
        let Some(name) = &self.output else { return Ok(None) };
        let path = Path::new(OsStr::from_bytes(name));
        let opened = io.files().write(path, WriteMode::Replace);
        let sink = opened.map_err(|error| {
            let name = String::from_utf8_lossy(name);
            StageError::failed(1, format!("{name}: {}", stream::describe(&error)))
        })?;
        Ok(Some(FileOut { sink, gathered: Vec::new() }))
    }
}

impl Filter for Uniq {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let mut writer = Writer { uniq: self, file: None, groups: 0 };
        // Of lines equal to the first of their group nothing but the number matters.
        let counts_only = self.writes == Writes::First;
        io.each_input(&files, 1, |io, input, _| {
            // Only now: where there is no input the output stays as it is.
            writer.file = writer.uniq.opened(io)?;
            let mut group: Option<Group> = None;
            while let Some(lines) = input.next_lines()? {
                let mut rest: &[u8] = &lines.bytes;
                let mut id = lines.first;
                while !rest.is_empty() {
                    if let (true, Some(group)) = (counts_only, &mut group) {
                        let repeats = repeats(&group.line, rest);
                        if repeats > 0 {
                            group.last = id.plus(repeats - 1);
                            id = id.plus(repeats);
                            group.count += repeats;
                            rest = &rest[repeats as usize * (group.line.len() + 1)..];
                            continue;
                        }
                    }
                    let end = memchr(b'\n', rest).unwrap_or(rest.len());
                    let (line, after) = (&rest[..end], &rest[rest.len().min(end + 1)..]);
                    let key = self.key.of(line);
                    match &mut group {
                        Some(group)
                            if self
                                .key
                                .same(&group.line[group.key.clone()], &line[key.clone()]) =>
                        {
                            group.last = id;
                            group.count += 1;
                            writer.repeat(io, group, line)?;
                        }
                        Some(group) => {
                            writer.end(io, group)?;
                            group.line.clear();
                            group.line.extend_from_slice(line);
                            group.key = key;
                            (group.first, group.last, group.count) = (id, id, 1);
                            writer.begin(io, group)?;
                        }
                        None => {
                            let new =
                                Group { line: line.to_vec(), key, first: id, last: id, count: 1 };
                            writer.begin(io, &new)?;
                            group = Some(new);
                        }
                    }
                    (rest, id) = (after, id.plus(1));
                }
            }
            if let Some(group) = &group {
                writer.end(io, group)?;
                writer.close(io)?;
            }
            writer.flush()?;
            Ok(())
        })?;
        Ok(io.status())
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        let key = &dropped.line[self.key.of(dropped.line)];
        let same = |number: u64| {
            let line = dropped.lines.line(dropped.input, number);
            line.is_some_and(|line| self.key.same(&line[self.key.of(&line)], key))
        };
        let before = (0..dropped.number).rev().take_while(|number| same(*number)).count() as u64;
        let last = dropped.lines.count(dropped.input);
        let after = (dropped.number + 1..last).take_while(|number| same(*number)).count() as u64;
        let group = before + 1 + after;
        let all_repeated = matches!(self.writes, Writes::AllRepeated(_));
        match group {
            1 if self.repeated || all_repeated => {
                Some("no line next to it is equal to it".to_owned())
            }
            1 => None,
            _ if self.single => {
                let first = dropped.number - before + 1;
                Some(format!(
                    "comes {group} times in a row, in lines {first} to {}",
                    first + group - 1
                ))
            }
            _ if before > 0 => {
                Some(format!("the same as line {} before it", dropped.number - before + 1))
            }
            _ => None,
        }
    }

    fn verb(&self) -> Verb {
        match self.writes {
            Writes::First if !self.count => Verb::Keeps,
            Writes::AllRepeated(Delimit::None) => Verb::Keeps,
            _ => Verb::Merges,
        }
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        if self.key.whole { Vec::new() } else { vec![self.key.of(line)] }
    }
}

impl Key {
    #[inline]
    fn of(&self, line: &[u8]) -> Range<usize> {
        if self.whole {
            return 0..line.len();
        }
        let blank = |byte: u8| matches!(byte, b' ' | b'\t');
        let mut at = 0;
        for _ in 0..self.fields {
            if at == line.len() {
                break;
            }
            at += line[at..].iter().take_while(|byte| blank(**byte)).count();
            at += line[at..].iter().take_while(|byte| !blank(**byte)).count();
        }
        let skip = |from: usize, most: u64| {
            let rest = &line[from..];
            if most == u64::MAX {
                return line.len();
            }
            let most = usize::try_from(most).unwrap_or(usize::MAX);
            characters::each(rest).take(most).fold(from, |at, (_, bytes)| at + bytes.len())
        };
        let start = if self.characters == 0 { at } else { skip(at, self.characters) };
        start..skip(start, self.most)
    }

    #[inline]
    fn same(&self, one: &[u8], other: &[u8]) -> bool {
        if self.ignore_case { one.eq_ignore_ascii_case(other) } else { one == other }
    }
}

/// The file named as the second operand.
struct FileOut {
    sink: Arc<dyn Sink>,
    gathered: Vec<u8>,
}

struct Writer<'u> {
    uniq: &'u Uniq,
    file: Option<FileOut>,
    /// Groups written so far.
    groups: u64,
}

impl Writer<'_> {
    fn put(
        &mut self,
        io: &mut StageIo<'_>,
        line: &[u8],
        origin: Origin<'_>,
    ) -> Result<(), InputTrouble> {
        let Some(file) = &mut self.file else { return Ok(io.out().line(line, origin)?) };
        file.gathered.extend_from_slice(line);
        file.gathered.push(b'\n');
        if file.gathered.len() >= stream::BLOCK_SIZE { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> Result<(), InputTrouble> {
        if let Some(file) = &mut self.file
            && !file.gathered.is_empty()
        {
            file.sink.write(Block::new(std::mem::take(&mut file.gathered)))?;
        }
        Ok(())
    }

    fn begin(&mut self, io: &mut StageIo<'_>, group: &Group) -> Result<(), InputTrouble> {
        let Writes::Groups(delimit) = self.uniq.writes else { return Ok(()) };
        let wanted = match delimit {
            Delimit::Prepend | Delimit::Both => true,
            Delimit::Separate => self.groups > 0,
            _ => false,
        };
        if wanted {
            self.put(io, b"", Origin::None)?;
        }
        self.groups += 1;
        self.put(io, &group.line, Origin::Line(group.first))
    }

    fn repeat(
        &mut self,
        io: &mut StageIo<'_>,
        group: &Group,
        line: &[u8],
    ) -> Result<(), InputTrouble> {
        match self.uniq.writes {
            Writes::First => Ok(()),
            Writes::Groups(_) => self.put(io, line, Origin::Line(group.last)),
            Writes::AllRepeated(delimit) => {
                if group.count == 2 {
                    let wanted = match delimit {
                        Delimit::Prepend => true,
                        Delimit::Separate => self.groups > 0,
                        _ => false,
                    };
                    if wanted {
                        self.put(io, b"", Origin::None)?;
                    }
                    self.groups += 1;
                    // With -u the first of a group is left out.
                    if !self.uniq.single {
                        self.put(io, &group.line, Origin::Line(group.first))?;
                    }
                }
                self.put(io, line, Origin::Line(group.last))
            }
        }
    }

    fn end(&mut self, io: &mut StageIo<'_>, group: &Group) -> Result<(), InputTrouble> {
        match self.uniq.writes {
            Writes::Groups(Delimit::Append) => return self.put(io, b"", Origin::None),
            Writes::Groups(_) | Writes::AllRepeated(_) => return Ok(()),
            Writes::First => {}
        }
        if self.uniq.repeated && group.count == 1 || self.uniq.single && group.count > 1 {
            return Ok(());
        }
        let origin = Origin::Range(group.first, group.last);
        if self.uniq.count {
            let mut whole = Vec::with_capacity(group.line.len() + 8);
            push_padded(group.count, 7, &mut whole);
            whole.push(b' ');
            whole.extend_from_slice(&group.line);
            return self.put(io, &whole, origin);
        }
        self.put(io, &group.line, origin)
    }

    fn close(&mut self, io: &mut StageIo<'_>) -> Result<(), InputTrouble> {
        if self.uniq.writes == Writes::Groups(Delimit::Both) {
            self.put(io, b"", Origin::None)?;
        }
        Ok(())
    }
}
