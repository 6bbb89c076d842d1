//! `grep`: keeps the lines that match a pattern.

use std::ops::Range;

use pattern::{Options, Pattern, PatternErrorKind, Syntax};
use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, long_option_maybe, option,
};
use crate::text::phrases::{counted, from_files, list};

mod line_prefix;
mod output;
mod output_target;
mod search;
mod settings;
mod tree;

use output::{Binary, Listing};
use search::Search;
use settings::Settings;
use tree::{Directories, Names};

const INCLUDE: OptionId = OptionId::Long("include");
const EXCLUDE: OptionId = OptionId::Long("exclude");
const EXCLUDE_DIRECTORY: OptionId = OptionId::Long("exclude-dir");
const COLOR: OptionId = OptionId::Long("color");
const LABEL: OptionId = OptionId::Long("label");
const LINE_BUFFERED: OptionId = OptionId::Long("line-buffered");
const BINARY_FILES: OptionId = OptionId::Long("binary-files");
const GROUP_SEPARATOR: OptionId = OptionId::Long("group-separator");
const NO_GROUP_SEPARATOR: OptionId = OptionId::Long("no-group-separator");
const COLOUR: OptionId = OptionId::Long("colour");

const OPTIONS: &[OptionSpec] = &[
    option('A', "after-context", Some("NUM"), "also NUM lines after each one", false),
    option('B', "before-context", Some("NUM"), "also NUM lines before each one", false),
    option('C', "context", Some("NUM"), "also NUM lines on both sides; -NUM is the same", false),
    option('E', "extended-regexp", None, "the pattern is an extended regular expression", true),
    option('F', "fixed-strings", None, "the pattern is plain text", true),
    option('G', "basic-regexp", None, "the pattern is a basic regular expression", false),
    option('H', "with-filename", None, "file names before lines", false),
    option('I', "", None, "skip binary files", false),
    option(
        'L',
        "files-without-match",
        None,
        "write only the names of files without a match",
        false,
    ),
    option(
        'P',
        "perl-regexp",
        None,
        "the pattern is one of Perl, with look-around; it may take many steps",
        false,
    ),
    option(
        'D',
        "devices",
        Some("ACTION"),
        "devices, named pipes and sockets among the files: read, or skip",
        false,
    ),
    option('R', "dereference-recursive", None, "as -r, but links are followed", false),
    option('T', "initial-tab", None, "a tab between what is before a line and the line", false),
    option('Z', "null", None, "NUL after file names", false),
    option('a', "text", None, "treat binary data as text", false),
    option('b', "byte-offset", None, "where each line begins, in bytes, before it", false),
    option('c', "count", None, "write only how many lines matched", true),
    option(
        'd',
        "directories",
        Some("ACTION"),
        "directories: read (an error), skip, or recurse, which is -r",
        false,
    ),
    option('e', "regexp", Some("PATTERN"), "a pattern; may be given several times", true),
    option('f', "file", Some("FILE"), "take patterns from FILE, one per line", true),
    option('h', "no-filename", None, "no file names before lines", false),
    option('i', "ignore-case", None, "ignore case", true),
    option('l', "files-with-matches", None, "write only the names of files with a match", true),
    option('m', "max-count", Some("NUM"), "stop a file after NUM lines", false),
    option('n', "line-number", None, "line numbers before lines", true),
    option('o', "only-matching", None, "write only what matched, each match on a line", false),
    option('q', "quiet", None, "print nothing; only set the status", true),
    option(
        'r',
        "recursive",
        None,
        "all files below a directory; without files, below this one",
        false,
    ),
    option('s', "no-messages", None, "no messages about files that cannot be read", true),
    option('v', "invert-match", None, "the lines that do not match", true),
    option('w', "word-regexp", None, "matches must be whole words", false),
    option('x', "line-regexp", None, "matches must be whole lines", true),
    option('y', "", None, "as -i (obsolete)", false),
    option('z', "null-data", None, "lines end with NUL, not newline", false),
    long_option("include", Some("GLOB"), "with -r: only files whose name matches", false),
    long_option("exclude", Some("GLOB"), "skip files whose name matches", false),
    long_option("exclude-dir", Some("GLOB"), "with -r: skip directories whose name matches", false),
    long_option_maybe(
        "color",
        "WHEN",
        "mark matches with colour: always, never or auto (on a terminal)",
    ),
    long_option_maybe("colour", "WHEN", "as --color"),
    long_option("label", Some("NAME"), "the name of standard input", false),
    long_option("line-buffered", None, "write each line at once", false),
    long_option(
        "binary-files",
        Some("TYPE"),
        "binary (say that they match), text, or without-match",
        false,
    ),
    long_option(
        "group-separator",
        Some("TEXT"),
        "separator between groups of lines instead of --",
        false,
    ),
    long_option("no-group-separator", None, "nothing between groups of lines", false),
];

static SPEC: Spec = Spec {
    name: "grep",
    summary: "keeps the lines that match a pattern",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "pattern [file …]",
    style: Style::NumberAmong('C'),
    usage_status: 2,
    examples: &[
        example("grep refused gate.log", "lines with the word"),
        example("grep -v '^#' station.conf", "lines that are not comments"),
        example("grep -Eo 'card=[0-9]+' gate.log", "only the card numbers"),
        example("grep -c refused gate.log", "how many lines"),
        example("grep -B2 -A2 error winch.log", "each hit with two lines around it"),
        example(
            "grep -rl --include='*.log' refused .",
            "names of the logs in this folder that have the word",
        ),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Grep {
    /// `None` where patterns come from files, which are read when the filter runs.
    search: Option<Search>,
    settings: Settings,
    texts: Vec<Vec<u8>>,
    pattern_files: Vec<Vec<u8>>,
    files: Vec<Vec<u8>>,
    directories: Directories,
    skips_devices: bool,
    names: Names,
    /// `None` to decide by how many files there are.
    named: Option<bool>,
    silent: bool,
    colored: Colored,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Colored {
    Never,
    Always,
    OnTerminal,
}

/// The pattern texts with the argument each is in, and the operands that are files.
fn patterns(arguments: &Arguments) -> Option<(Vec<(Vec<u8>, usize)>, Vec<Vec<u8>>)> {
    let mut operands = arguments.operands.iter();
    let given: Vec<(Vec<u8>, usize)> = if arguments.has('e') || arguments.has('f') {
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

fn directories(arguments: &Arguments) -> Result<Directories, UsageError> {
    let last = arguments.options.iter().rev().find(|given| given.is_one_of("rRd"));
    match last.map(|given| (given.id, &given.value[..], given.word)) {
        None | Some((OptionId::Letter('d'), b"read", _)) => Ok(Directories::Read),
        Some((OptionId::Letter('d'), b"skip", _)) => Ok(Directories::Skip),
        Some((OptionId::Letter('r'), ..) | (OptionId::Letter('d'), b"recurse", _)) => {
            Ok(Directories::Below { follows_links: false })
        }
        Some((OptionId::Letter('R'), ..)) => Ok(Directories::Below { follows_links: true }),
        Some((_, _, word)) => {
            let message = "--directories takes read, skip or recurse";
            Err(UsageError::with_hint(&SPEC, Some(word), message))
        }
    }
}

fn skips_devices(arguments: &Arguments) -> Result<bool, UsageError> {
    match arguments.last('D').map(|given| (&given.value[..], given.word)) {
        None | Some((b"read", _)) => Ok(false),
        Some((b"skip", _)) => Ok(true),
        Some((_, word)) => {
            Err(UsageError::with_hint(&SPEC, Some(word), "--devices takes read or skip"))
        }
    }
}

fn recursive(arguments: &Arguments) -> bool {
    directories(arguments).is_ok_and(Directories::goes_below)
}

fn context(arguments: &Arguments) -> Result<Option<(u64, u64)>, UsageError> {
    let number = |short| {
        let Some(given) = arguments.last(short) else { return Ok(None) };
        match std::str::from_utf8(&given.value).ok().map(str::parse::<u64>) {
            Some(Ok(number)) => Ok(Some(number)),
            // Too many digits: as many lines as there are.
            _ if !given.value.is_empty() && given.value.iter().all(u8::is_ascii_digit) => {
                Ok(Some(u64::MAX))
            }
            _ => {
                let value = String::from_utf8_lossy(&given.value);
                let message = format!("{value}: invalid context length argument");
                Err(UsageError::new(&SPEC, Some(given.word), message))
            }
        }
    };
    let both = number('C')?;
    let (before, after) = (number('B')?.or(both), number('A')?.or(both));
    Ok((before.is_some() || after.is_some()).then(|| (before.unwrap_or(0), after.unwrap_or(0))))
}

fn listing(arguments: &Arguments) -> Listing {
    if arguments.has('q') {
        Listing::Nothing
    } else if let Some(given) = arguments.options.iter().rev().find(|given| given.is_one_of("lL")) {
        if given.id == 'l' { Listing::FilesWith } else { Listing::FilesWithout }
    } else if arguments.has('c') {
        Listing::Count
    } else if arguments.has('o') {
        Listing::Matches
    } else {
        Listing::Lines
    }
}

fn binary(arguments: &Arguments) -> Result<Binary, UsageError> {
    let given = arguments
        .options
        .iter()
        .rev()
        .find(|given| matches!(given.id, OptionId::Letter('a' | 'I') | BINARY_FILES));
    match given.map(|given| (given.id, &given.value[..], given.word)) {
        None | Some((BINARY_FILES, b"binary", _)) => Ok(Binary::Said),
        Some((OptionId::Letter('a'), ..) | (BINARY_FILES, b"text", _)) => Ok(Binary::AsText),
        Some((OptionId::Letter('I'), ..) | (BINARY_FILES, b"without-match", _)) => {
            Ok(Binary::PassedOver)
        }
        Some((_, _, word)) => Err(UsageError::new(&SPEC, Some(word), "unknown binary-files type")),
    }
}

fn colored(arguments: &Arguments) -> Result<Colored, UsageError> {
    let given = arguments.options.iter().rev().find(|given| matches!(given.id, COLOR | COLOUR));
    match given.map(|given| (&given.value[..], given.word)) {
        None | Some((b"never" | b"no" | b"none", _)) => Ok(Colored::Never),
        Some((b"always" | b"yes" | b"force", _)) => Ok(Colored::Always),
        Some((b"" | b"auto" | b"tty" | b"if-tty", _)) => Ok(Colored::OnTerminal),
        Some((_, word)) => {
            let message = "--color takes always, never or auto";
            Err(UsageError::with_hint(&SPEC, Some(word), message))
        }
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let Some((texts, files)) = patterns(arguments) else {
        return Err(UsageError::with_hint(&SPEC, None, "a pattern is missing"));
    };
    let letter = arguments.options.iter().rev().find(|given| given.is_one_of("EFGP"));
    let syntax = match letter.map(|given| (given.id, given.word)) {
        Some((OptionId::Letter('E'), _)) => Syntax::Extended,
        Some((OptionId::Letter('F'), _)) => Syntax::Fixed,
        Some((OptionId::Letter('P'), word)) if texts.len() > 1 => {
            return Err(UsageError::new(&SPEC, Some(word), "-P takes a single pattern"));
        }
        Some((OptionId::Letter('P'), _)) => Syntax::Perl,
        _ => Syntax::Basic,
    };
    let most = match arguments.last('m') {
        None => u64::MAX,
        Some(given) => match std::str::from_utf8(&given.value).ok().map(str::parse::<i64>) {
            Some(Ok(number)) => u64::try_from(number).unwrap_or(u64::MAX),
            _ => return Err(UsageError::new(&SPEC, Some(given.word), "invalid max count")),
        },
    };
    let listing = listing(arguments);
    let settings = Settings {
        syntax,
        options: Options {
            ignore_case: arguments.has('i') || arguments.has('y'),
            whole_word: arguments.has('w'),
            whole_line: arguments.has('x'),
            refuse_bare_class: true,
            ..Options::default()
        },
        listing,
        inverted: arguments.has('v'),
        numbered: arguments.has('n'),
        offsets: arguments.has('b'),
        binary: binary(arguments)?,
        most,
        context: context(arguments)?
            .filter(|_| matches!(listing, Listing::Lines | Listing::Matches)),
        separator: match arguments
            .options
            .iter()
            .rev()
            .find(|given| matches!(given.id, GROUP_SEPARATOR | NO_GROUP_SEPARATOR))
        {
            None => Some(b"--".to_vec()),
            Some(given) => (given.id == GROUP_SEPARATOR).then(|| given.value.clone()),
        },
        tab: arguments.has('T'),
        null_names: arguments.has('Z'),
        zero: arguments.has('z'),
        label: arguments
            .last(LABEL)
            .map_or_else(|| b"(standard input)".to_vec(), |given| given.value.clone()),
        line_buffered: arguments.has(LINE_BUFFERED),
    };
    let pattern_files: Vec<Vec<u8>> = arguments.all('f').map(|given| given.value.clone()).collect();
    let slices: Vec<&[u8]> = texts.iter().map(|(text, _)| &text[..]).collect();
    let pattern = Pattern::new(&slices, syntax, settings.options).map_err(|error| {
        let mut usage = UsageError::new(&SPEC, Some(texts[error.text].1), error.to_string());
        // The place is within the argument only when that holds a single pattern.
        let alone = texts.iter().filter(|(_, word)| *word == texts[error.text].1).count() == 1;
        usage.part = (alone && error.kind != PatternErrorKind::TooBig).then_some(error.span);
        usage
    })?;
    let search = pattern_files.is_empty().then(|| Search::new(pattern, settings.clone()));
    let letter = arguments.options.iter().rev().find(|given| given.is_one_of("hH"));
    let globs = |id: OptionId| -> Vec<Vec<u8>> {
        arguments.all(id).map(|given| given.value.clone()).collect()
    };
    let names = Names {
        include: globs(INCLUDE),
        exclude: globs(EXCLUDE),
        exclude_directories: globs(EXCLUDE_DIRECTORY),
    };
    Ok(Box::new(Grep {
        search,
        settings,
        texts: texts.into_iter().map(|(text, _)| text).collect(),
        pattern_files,
        files,
        directories: directories(arguments)?,
        skips_devices: skips_devices(arguments)?,
        names,
        named: letter.map(|given| given.id == 'H'),
        silent: arguments.has('s') || arguments.has('q'),
        colored: colored(arguments)?,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let Some((texts, files)) = patterns(arguments) else { return String::new() };
    let from_file =
        arguments.last('f').map(|given| String::from_utf8_lossy(&given.value).into_owned());
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
    let quoted = if let Some(file) = from_file {
        let more = if quoted.is_empty() {
            String::new()
        } else {
            format!("{} or ", list(&quoted).replace(" and ", " or "))
        };
        format!("{more}a pattern of {file}")
    } else if quoted.len() > 4 {
        format!("any of {} patterns", quoted.len())
    } else {
        list(&quoted).replace(" and ", " or ")
    };
    let under = if !recursive(arguments) {
        from_files(&files)
    } else if files.is_empty() {
        " of all files below this directory".to_owned()
    } else {
        format!("{} and all files below", from_files(&files))
    };
    let which = format!("lines{under} {verb} {quoted}{kind}{case}");
    if arguments.has('q') {
        return format!("sets its status by whether there are {which}");
    }
    if arguments.has('l') || arguments.has('L') {
        let with = if arguments.has('L') { "without" } else { "with" };
        return format!("lists the files {with} {which}");
    }
    if arguments.has('c') {
        return format!("counts the {which}");
    }
    let mut said = if arguments.has('o') {
        format!("writes only what matched, one match per line, from {which}")
    } else {
        format!("keeps {which}")
    };
    if arguments.has('n') {
        said.push_str(", with line numbers");
    }
    let around = |short| {
        let given =
            arguments.options.iter().rev().find(|given| given.id == short || given.id == 'C');
        given.and_then(|given| crate::text::counts::count(&given.value)).unwrap_or(0)
    };
    match (around('B'), around('A')) {
        (0, 0) => {}
        (before, after) if before == after => {
            said.push_str(&format!(", with {} around each", counted(before, "line", "lines")));
        }
        (before, 0) => {
            said.push_str(&format!(", with {} before each", counted(before, "line", "lines")));
        }
        (0, after) => {
            said.push_str(&format!(", with {} after each", counted(after, "line", "lines")));
        }
        (before, after) => {
            said.push_str(&format!(", with {before} before and {after} after each"));
        }
    }
    if let Some(most) =
        arguments.last('m').and_then(|given| crate::text::counts::count(&given.value))
    {
        said.push_str(&format!("; stops after {}", counted(most, "line", "lines")));
    }
    said
}

impl Filter for Grep {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let colored = match self.colored {
            Colored::Never => false,
            Colored::Always => true,
            Colored::OnTerminal => io.out().is_terminal(),
        };
        let mut search = match self.search.take() {
            Some(search) => search,
            None => self.search_of_files(io)?,
        };
        search.colored = colored;
        search.on_terminal = io.out().is_terminal();
        if self.settings.most == 0 && self.settings.listing != Listing::FilesWithout {
            return Ok(ExitStatus(1));
        }
        let standard = [if self.directories.goes_below() { b".".to_vec() } else { b"-".to_vec() }];
        let files = if self.files.is_empty() { &standard[..] } else { &self.files[..] };
        let mut files_done = tree::FileSearch {
            search: &search,
            names: &self.names,
            directories: self.directories,
            skips_devices: self.skips_devices,
            named: self.named,
            several: files.len() > 1,
            silent: self.silent,
            bare: self.files.is_empty(),
            any: false,
            failed: false,
            used: false,
        };
        files_done.all(io, files)?;
        if files_done.any && self.settings.listing == Listing::Nothing {
            return Ok(ExitStatus::SUCCESS);
        }
        Ok(ExitStatus(match (files_done.failed, files_done.any) {
            (true, _) => 2,
            (false, true) => 0,
            (false, false) => 1,
        }))
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        if self.settings.listing == Listing::Nothing {
            return Some("-q writes nothing".to_owned());
        }
        let Some(search) = &self.search else {
            return Some("no match for the patterns in the file of -f".to_owned());
        };
        let patterns = match &self.texts[..] {
            [only] => format!("“{}”", String::from_utf8_lossy(only)),
            several => format!("any of {} patterns", several.len()),
        };
        let found = search.pattern.find(dropped.line, 0).ok()?;
        match (found, self.settings.inverted) {
            (None, false) => Some(format!("no match for {patterns}")),
            (Some(at), true) => {
                let part = String::from_utf8_lossy(&dropped.line[at]).into_owned();
                Some(format!("has “{part}”, and -v drops what matches {patterns}"))
            }
            _ if self.settings.most != u64::MAX => {
                let most = counted(self.settings.most, "line", "lines");
                Some(format!("not among the first {most} selected"))
            }
            (Some(at), false) if at.is_empty() && self.settings.listing == Listing::Matches => {
                Some("what matches is empty".to_owned())
            }
            _ => match self.settings.listing {
                Listing::Lines | Listing::Matches => None,
                Listing::Count => Some("it is counted, and not written itself".to_owned()),
                _ => Some("the name of its file is written, not the line".to_owned()),
            },
        }
    }

    fn verb(&self) -> Verb {
        let settings = &self.settings;
        let named = self.named.unwrap_or(self.files.len() > 1 || self.directories.goes_below());
        match settings.listing {
            Listing::Lines if self.colored == Colored::Always => Verb::Edits,
            Listing::Lines if settings.numbered || settings.offsets || named => Verb::Edits,
            Listing::Lines => Verb::Keeps,
            Listing::Matches => Verb::Splits,
            Listing::Nothing => Verb::Checks,
            _ => Verb::Merges,
        }
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        match &self.search {
            Some(search) if !self.settings.inverted => {
                search.pattern.find_all(line).map_while(Result::ok).collect()
            }
            _ => Vec::new(),
        }
    }
}

impl Grep {
    /// The search for the patterns of `-e` and of the files of `-f`.
    fn search_of_files(&self, io: &mut StageIo<'_>) -> Result<Search, StageError> {
        let mut texts = self.texts.clone();
        for file in &self.pattern_files {
            let failed = |error: &std::io::Error| {
                let name = String::from_utf8_lossy(file);
                StageError::failed(2, format!("{name}: {}", stream::describe(error)))
            };
            let mut input = io.open(file).map_err(|error| failed(&error))?;
            while let Some(lines) = input.next_lines().map_err(|error| match error {
                stream::ReadError::Cancelled => StageError::Cancelled,
                stream::ReadError::Io(error) => failed(&error),
            })? {
                texts.extend(lines.iter().map(|(_, line)| line.to_vec()));
            }
        }
        let slices: Vec<&[u8]> = texts.iter().map(|text| &text[..]).collect();
        let pattern = Pattern::new(&slices, self.settings.syntax, self.settings.options)
            .map_err(|error| StageError::failed(2, error.to_string()))?;
        Ok(Search::new(pattern, self.settings.clone()))
    }
}
