use std::ops::Range;

use memchr::{memchr, memchr_iter, memrchr};
use pattern::{Options, Pattern, PatternErrorKind, Syntax};
use stream::{ExitStatus, Input, InputTrouble, LineId, Lines, Origin, StageError, StageIo};

use crate::registry::Definition;
use crate::spec::{example, option};
use crate::words::{counted, from_files, list};
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

/// How much of an input is looked at to tell whether it is binary.
const BINARY_PROBE: usize = 96 * 1024;

const OPTIONS: &[OptionSpec] = &[
    option('E', "extended-regexp", None, "the pattern is an extended regular expression", true),
    option('F', "fixed-strings", None, "the pattern is plain text", true),
    option('G', "basic-regexp", None, "the pattern is a basic regular expression", false),
    option('a', "text", None, "treat binary data as text", false),
    option('c', "count", None, "write only how many lines matched", true),
    option('e', "regexp", Some("PATTERN"), "a pattern; may be given several times", true),
    option('h', "no-filename", None, "no file names before lines", false),
    option('H', "with-filename", None, "file names before lines", false),
    option('i', "ignore-case", None, "upper and lower case are the same", true),
    option('l', "files-with-matches", None, "write only the names of files with a match", true),
    option(
        'L',
        "files-without-match",
        None,
        "write only the names of files without a match",
        false,
    ),
    option('m', "max-count", Some("NUM"), "stop a file after NUM lines", false),
    option('n', "line-number", None, "line numbers before lines", true),
    option('o', "only-matching", None, "write only what matched, each match on a line", false),
    option('q', "quiet", None, "write nothing; the status tells", true),
    option('s', "no-messages", None, "no messages about files that cannot be read", true),
    option('v', "invert-match", None, "the lines that do not match", true),
    option('w', "word-regexp", None, "matches must be whole words", false),
    option('x', "line-regexp", None, "matches must be whole lines", true),
];

static SPEC: Spec = Spec {
    name: "grep",
    summary: "keeps the lines that match a pattern",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "pattern [file …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example("grep refused gate.log", "lines with the word"),
        example("grep -v '^#' station.conf", "lines that are not comments"),
        example("grep -Eo 'card=[0-9]+' gate.log", "only the card numbers"),
        example("grep -c refused gate.log", "how many lines"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition { spec: &SPEC, build, explain };

#[derive(Clone, Copy, PartialEq, Eq)]
enum Listing {
    Lines,
    Count,
    Matches,
    FilesWith,
    FilesWithout,
    Nothing,
}

struct Grep {
    pattern: Pattern,
    files: Vec<Vec<u8>>,
    listing: Listing,
    inverted: bool,
    numbered: bool,
    named: bool,
    silent: bool,
    text: bool,
    most: u64,
    any_selected: bool,
}

/// The pattern texts with the argument each is in, and the operands that are files.
fn patterns(arguments: &Arguments) -> Option<(Vec<(Vec<u8>, usize)>, Vec<Vec<u8>>)> {
    let mut operands = arguments.operands.iter();
    let given: Vec<(Vec<u8>, usize)> = if arguments.has('e') {
        arguments.all('e').map(|given| (given.value.clone(), given.word)).collect()
    } else {
        let operand = operands.next()?;
        vec![(operand.value.clone(), operand.word)]
    };
    let mut texts = Vec::new();
    for (value, word) in given {
        // A pattern list has one pattern a line.
        texts.extend(value.split(|&byte| byte == b'\n').map(|text| (text.to_vec(), word)));
    }
    Some((texts, operands.map(|operand| operand.value.clone()).collect()))
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let Some((texts, files)) = patterns(arguments) else {
        let message = "a pattern is missing\nTry 'grep --help' for more information.";
        return Err(UsageError::new(&SPEC, None, message));
    };
    let syntax_letter = arguments.options.iter().rev().find(|given| "EFG".contains(given.short));
    let syntax = match syntax_letter.map(|given| given.short) {
        Some('E') => Syntax::Extended,
        Some('F') => Syntax::Fixed,
        _ => Syntax::Basic,
    };
    let options = Options {
        ignore_case: arguments.has('i'),
        whole_word: arguments.has('w'),
        whole_line: arguments.has('x'),
    };
    let slices: Vec<&[u8]> = texts.iter().map(|(text, _)| &text[..]).collect();
    let pattern = Pattern::new(&slices, syntax, options).map_err(|error| {
        let mut usage = UsageError::new(&SPEC, Some(texts[error.text].1), error.to_string());
        // The place is within the argument only when that holds a single pattern.
        let alone = texts.iter().filter(|(_, word)| *word == texts[error.text].1).count() == 1;
        usage.part = (alone && error.kind != PatternErrorKind::TooBig).then_some(error.span);
        usage
    })?;
    let most = match arguments.last('m') {
        None => u64::MAX,
        Some(given) => match std::str::from_utf8(&given.value).ok().map(str::parse::<i64>) {
            Some(Ok(number)) => u64::try_from(number).unwrap_or(u64::MAX),
            _ => return Err(UsageError::new(&SPEC, Some(given.word), "invalid max count")),
        },
    };
    let listing = if arguments.has('q') {
        Listing::Nothing
    } else if let Some(given) =
        arguments.options.iter().rev().find(|given| "lL".contains(given.short))
    {
        if given.short == 'l' { Listing::FilesWith } else { Listing::FilesWithout }
    } else if arguments.has('c') {
        Listing::Count
    } else if arguments.has('o') {
        Listing::Matches
    } else {
        Listing::Lines
    };
    let name_letter = arguments.options.iter().rev().find(|given| "hH".contains(given.short));
    let named = name_letter.map_or(files.len() > 1, |given| given.short == 'H');
    Ok(Box::new(Grep {
        pattern,
        listing,
        named,
        inverted: arguments.has('v'),
        numbered: arguments.has('n'),
        silent: arguments.has('s') || arguments.has('q'),
        text: arguments.has('a'),
        most,
        files,
        any_selected: false,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let Some((texts, files)) = patterns(arguments) else { return String::new() };
    let quoted: Vec<String> =
        texts.iter().map(|(text, _)| format!("“{}”", String::from_utf8_lossy(text))).collect();
    let verb = match (arguments.has('x'), arguments.has('w'), arguments.has('v')) {
        (true, _, false) => "that are wholly",
        (true, _, true) => "that are not wholly",
        (_, true, false) => "with the whole word",
        (_, true, true) => "without the whole word",
        (_, _, false) => "with",
        (_, _, true) => "without",
    };
    let kind = if arguments.has('F') { " as plain text" } else { "" };
    let case = if arguments.has('i') { " in any case" } else { "" };
    let quoted = if quoted.len() > 4 {
        format!("any of {} patterns", quoted.len())
    } else {
        list(&quoted).replace(" and ", " or ")
    };
    let which = format!("lines{} {verb} {quoted}{kind}{case}", from_files(&files));
    if arguments.has('q') {
        return format!("tells by its status whether there are {which}");
    }
    if arguments.has('l') || arguments.has('L') {
        let with = if arguments.has('L') { "without" } else { "with" };
        return format!("lists the files {with} {which}");
    }
    if arguments.has('c') {
        return format!("counts the {which}");
    }
    let mut said = if arguments.has('o') {
        format!("writes only what matched, one a line, from {which}")
    } else {
        format!("keeps {which}")
    };
    if arguments.has('n') {
        said.push_str(", with line numbers");
    }
    if let Some(most) = arguments.last('m').and_then(|given| crate::numbers::count(&given.value)) {
        said.push_str(&format!("; stops after {}", counted(most, "line", "lines")));
    }
    said
}

impl Filter for Grep {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        if self.most == 0 && self.listing != Listing::FilesWithout {
            return Ok(ExitStatus(1));
        }
        let mut failed = false;
        let standard = [b"-".to_vec()];
        for operand in if files.is_empty() { &standard[..] } else { &files[..] } {
            let mut trouble = io.open(operand).map_err(|error| stream::describe(&error));
            let outcome = match &mut trouble {
                Ok(input) => self.one_input(io, input, operand),
                Err(reason) => {
                    failed = true;
                    self.complain(io, operand, reason)?;
                    continue;
                }
            };
            match outcome {
                Ok(()) => {}
                Err(InputTrouble::Stage(error)) => return Err(error),
                Err(InputTrouble::Read(stream::ReadError::Cancelled)) => {
                    return Err(StageError::Cancelled);
                }
                Err(InputTrouble::Read(stream::ReadError::Io(error))) => {
                    failed = true;
                    self.complain(io, operand, &stream::describe(&error))?;
                }
            }
            if self.any_selected && self.listing == Listing::Nothing {
                return Ok(ExitStatus::SUCCESS);
            }
        }
        Ok(ExitStatus(match (failed, self.any_selected) {
            (true, _) => 2,
            (false, true) => 0,
            (false, false) => 1,
        }))
    }

    fn verb(&self) -> Verb {
        match self.listing {
            Listing::Lines if self.numbered || self.named => Verb::Edits,
            Listing::Lines => Verb::Keeps,
            Listing::Matches => Verb::Splits,
            _ => Verb::Merges,
        }
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        if self.inverted {
            Vec::new()
        } else {
            self.pattern.find_all(line).map_while(Result::ok).collect()
        }
    }
}

/// What is known of one input while it is read.
struct Progress<'n> {
    name: &'n [u8],
    binary: bool,
    selected: u64,
    first: Option<LineId>,
    last: LineId,
    done: bool,
    /// Something matched that was not written because it is no text.
    hidden: bool,
}

impl Grep {
    fn complain(
        &self,
        io: &mut StageIo<'_>,
        operand: &[u8],
        reason: &str,
    ) -> Result<(), StageError> {
        if self.silent {
            return Ok(());
        }
        io.message(&format!("{}: {reason}", shown_name(operand)))
    }

    fn one_input(
        &mut self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        name: &[u8],
    ) -> Result<(), InputTrouble> {
        let binary = !self.text && memchr(0, input.peek(BINARY_PROBE)?).is_some();
        let start = LineId::new(input.number(), 0);
        let mut progress = Progress {
            name,
            binary,
            selected: 0,
            first: None,
            last: start,
            done: false,
            hidden: false,
        };
        while !progress.done {
            let Some(lines) = input.next_lines()? else { break };
            self.block(io, &lines, &mut progress)?;
        }
        if progress.hidden {
            io.message(&format!("{}: binary file matches", shown_name(name)))?;
        }
        let any = progress.selected > 0;
        self.any_selected |= any != (self.listing == Listing::FilesWithout);
        let origin = progress.first.map_or(Origin::None, |from| Origin::Range(from, progress.last));
        let name = shown_name(name);
        match self.listing {
            Listing::Count => {
                let prefix = if self.named { format!("{name}:") } else { String::new() };
                io.out().line(format!("{prefix}{}", progress.selected).as_bytes(), origin)?;
            }
            Listing::FilesWith if any => io.out().line(name.as_bytes(), origin)?,
            Listing::FilesWithout if !any => io.out().line(name.as_bytes(), origin)?,
            _ => {}
        }
        Ok(())
    }

    fn block(
        &self,
        io: &mut StageIo<'_>,
        lines: &Lines,
        progress: &mut Progress<'_>,
    ) -> Result<(), InputTrouble> {
        // In binary data a NUL ends a line too, for the search and for counts.
        let split: Vec<u8>;
        let block: &[u8] = if progress.binary {
            split = lines.bytes.iter().map(|&byte| if byte == 0 { b'\n' } else { byte }).collect();
            &split
        } else {
            &lines.bytes
        };
        let wants_numbers = self.numbered || io.out().keeps_origins();
        // The search text leaves out the last newline: behind it no line begins.
        let text = block.strip_suffix(b"\n").unwrap_or(block);
        let mut counted_to = 0;
        let mut id = lines.first;
        let mut from = 0;
        while from < block.len() && !progress.done {
            let Some(line) = self.next_selected(text, block, from, progress) else { break };
            if wants_numbers {
                id = id
                    .plus(memchr_iter(b'\n', &lines.bytes[counted_to..line.start]).count() as u64);
                counted_to = line.start;
            }
            from = line.end;
            self.select(io, &block[line], id, progress)?;
        }
        Ok(())
    }

    /// The next run of selected lines: one line for a match, all lines up to the next match
    /// where the search is inverted. With a limit, line by line.
    fn next_selected(
        &self,
        text: &[u8],
        block: &[u8],
        from: usize,
        progress: &Progress<'_>,
    ) -> Option<Range<usize>> {
        if !self.inverted {
            return self.next_match(text, block, from);
        }
        let mut start = from;
        loop {
            let next = self.next_match(text, block, start);
            let end = next.as_ref().map_or(block.len(), |line| line.start);
            if start < end {
                let single =
                    self.most != u64::MAX || self.numbered || self.named || progress.binary;
                let end = if single { line_end(block, start) } else { end };
                return Some(start..end);
            }
            start = next?.end;
        }
    }

    fn next_match(&self, text: &[u8], block: &[u8], from: usize) -> Option<Range<usize>> {
        let mut from = from;
        while from <= text.len() && from < block.len() {
            let at = self.pattern.find_candidate(text, from)?;
            let start = memrchr(b'\n', &text[from..at]).map_or(from, |found| from + found + 1);
            let end = line_end(block, at);
            let line = &block[start..end];
            if !self.pattern.candidates_only()
                || self.pattern.is_match(line.strip_suffix(b"\n").unwrap_or(line))
            {
                return Some(start..end);
            }
            from = end;
        }
        None
    }

    fn select(
        &self,
        io: &mut StageIo<'_>,
        bytes: &[u8],
        id: LineId,
        progress: &mut Progress<'_>,
    ) -> Result<(), InputTrouble> {
        let count = if self.inverted {
            memchr_iter(b'\n', bytes).count() as u64 + u64::from(!bytes.ends_with(b"\n"))
        } else {
            1
        };
        progress.selected += count;
        progress.first = progress.first.or(Some(id));
        // In binary data more lines may be counted than there are.
        progress.last = if progress.binary { id } else { id.plus(count - 1) };
        progress.done = progress.selected >= self.most
            || matches!(
                self.listing,
                Listing::Nothing | Listing::FilesWith | Listing::FilesWithout
            );
        match self.listing {
            Listing::Lines => {
                let text_run =
                    self.text || std::str::from_utf8(bytes).is_ok() && memchr(0, bytes).is_none();
                if progress.binary {
                    (progress.hidden, progress.done) = (true, true);
                    return Ok(());
                }
                if !text_run {
                    return self.text_lines(io, bytes, id, progress);
                }
                self.write_lines(io, bytes, id, progress)
            }
            Listing::Matches if self.inverted => Ok(()),
            Listing::Matches => {
                let line = bytes.strip_suffix(b"\n").unwrap_or(bytes);
                for part in self.pattern.find_all(line) {
                    let matched = &line[part];
                    if progress.binary {
                        (progress.hidden, progress.done) = (true, true);
                        return Ok(());
                    }
                    if !self.text && !is_text(matched) {
                        progress.hidden = true;
                        continue;
                    }
                    let mut whole = self.prefix(progress.name, id);
                    whole.extend_from_slice(matched);
                    io.out().line(&whole, Origin::Line(id))?;
                }
                Ok(())
            }
            _ => Ok(()),
        }
    }

    /// A run with bytes that are no text: only the lines that are text are written.
    fn text_lines(
        &self,
        io: &mut StageIo<'_>,
        bytes: &[u8],
        id: LineId,
        progress: &mut Progress<'_>,
    ) -> Result<(), InputTrouble> {
        let mut id = id;
        for line in bytes.split_inclusive(|&byte| byte == b'\n') {
            if is_text(line) {
                self.write_lines(io, line, id, progress)?;
            } else {
                progress.hidden = true;
            }
            id = id.plus(1);
        }
        Ok(())
    }

    fn write_lines(
        &self,
        io: &mut StageIo<'_>,
        bytes: &[u8],
        id: LineId,
        progress: &Progress<'_>,
    ) -> Result<(), InputTrouble> {
        if self.named || self.numbered {
            let prefix = self.prefix(progress.name, id);
            if !bytes.is_empty() {
                io.out().put(&prefix, Origin::Line(id))?;
            }
        }
        io.out().put(bytes, Origin::Sequence(id))?;
        if !bytes.is_empty() && !bytes.ends_with(b"\n") {
            io.out().put(b"\n", Origin::None)?;
        }
        Ok(())
    }

    fn prefix(&self, name: &[u8], id: LineId) -> Vec<u8> {
        let mut prefix = Vec::new();
        if self.named {
            prefix.extend_from_slice(shown_name(name).as_bytes());
            prefix.push(b':');
        }
        if self.numbered {
            prefix.extend_from_slice(format!("{}:", id.line() + 1).as_bytes());
        }
        prefix
    }
}

fn is_text(bytes: &[u8]) -> bool {
    std::str::from_utf8(bytes).is_ok() && memchr(0, bytes).is_none()
}

fn shown_name(operand: &[u8]) -> String {
    if operand == b"-" {
        "(standard input)".to_owned()
    } else {
        String::from_utf8_lossy(operand).into_owned()
    }
}

fn line_end(block: &[u8], at: usize) -> usize {
    memchr(b'\n', &block[at..]).map_or(block.len(), |end| at + end + 1)
}
