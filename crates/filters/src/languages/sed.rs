//! The stream editor (XCU sed), with the addresses, flags and commands in common use beyond the
//! standard. A script is read once ([`parser`]) and run on each line ([`editor`]); lines that none
//! of its patterns matches are passed on in one piece where the script does nothing else ([`skip`]).

use pattern::Syntax;
use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionId, OptionSpec, Program, Spec, Style,
    UsageError, Verb, example, long_option, option, option_attached,
};

mod editor;
mod input;
mod output;
mod parser;
mod settings;
mod skip;
mod summary;
mod tree;

use editor::Editor;
use parser::Fault;
use settings::Settings;
use tree::Script;

/// As `-n`.
const SILENT: OptionId = OptionId::Long("silent");

const OPTIONS: &[OptionSpec] = &[
    option('e', "expression", Some("SCRIPT"), "add these commands to the script", true),
    option('E', "regexp-extended", None, "patterns are extended regular expressions", true),
    option('f', "file", Some("FILE"), "add the commands in this file to the script", true),
    option_attached(
        'i',
        "in-place",
        "SUFFIX",
        "edit the files, keeping a copy where SUFFIX is given",
    ),
    option('l', "line-length", Some("N"), "where the command l folds lines; 70", false),
    option('n', "quiet", None, "print only what the script prints", true),
    long_option("posix", None, "accepted: what is beyond the standard stays possible", false),
    option('r', "", None, "as -E", false),
    option('s', "separate", None, "treat each file separately", false),
    long_option("silent", None, "as --quiet", false),
    option('u', "unbuffered", None, "write each line at once", false),
    option('z', "null-data", None, "lines end with NUL", false),
];

static SPEC: Spec = Spec {
    name: "sed",
    summary: "edits lines by a script of commands",
    options: OPTIONS,
    operands: Operands::PatternThenFiles,
    operand_names: "script [file]...",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("sed 's/refused/turned away/' gate.log", "replace a word by others"),
        example("sed -n '/refused/p' gate.log", "lines with the word"),
        example("sed '/^#/d; /^$/d' station.conf", "without comments and empty lines"),
        example("sed -E 's/gate-0*([0-9]+)/gate \\1/g' gate.log", "keep part of what matched"),
    ],
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, build, explain).with_programs(programs);

/// A piece of the script.
struct Piece {
    /// Where it begins in the whole.
    start: usize,
    /// Which argument it is, and its name in messages.
    word: usize,
    name: String,
}

struct Sed {
    settings: Settings,
    text: Vec<u8>,
    pieces: Vec<Piece>,
    /// Script files, with the argument; `None` where the script was read with the arguments.
    files: Vec<(bool, Vec<u8>, usize)>,
    script: Option<Script>,
    operands: Vec<Vec<u8>>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let mut operands = arguments.operands.iter();
    let mut scripts: Vec<(bool, Vec<u8>, usize)> = arguments
        .options
        .iter()
        .filter(|given| matches!(given.id, OptionId::Letter('e' | 'f')))
        .map(|given| (given.id == 'f', given.value.clone(), given.word))
        .collect();
    if scripts.is_empty() {
        let Some(script) = operands.next() else {
            return Err(UsageError::with_hint(&SPEC, None, "missing operand: a script"));
        };
        scripts.push((false, script.value.clone(), script.word));
    }
    let list_width = match arguments.last('l') {
        None => 70,
        Some(given) => match std::str::from_utf8(&given.value).ok().and_then(|v| v.parse().ok()) {
            Some(width) => width,
            None => {
                let message =
                    format!("invalid line length: {}", String::from_utf8_lossy(&given.value));
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
        },
    };
    let extended = arguments.has('E') || arguments.has('r');
    let settings = Settings {
        quiet: arguments.has('n') || arguments.has(SILENT),
        syntax: if extended { Syntax::Extended } else { Syntax::Basic },
        separate: arguments.has('s'),
        in_place: arguments.last('i').map(|given| given.value.clone()),
        zero: arguments.has('z'),
        list_width,
        unbuffered: arguments.has('u'),
    };
    let mut operands: Vec<Vec<u8>> = operands.map(|operand| operand.value.clone()).collect();
    if operands.is_empty() {
        if settings.in_place.is_some() {
            return Err(UsageError::new(&SPEC, None, "no input files to edit"));
        }
        operands.push(b"-".to_vec());
    }
    let from_files = scripts.iter().any(|(is_file, ..)| *is_file);
    let mut sed = Sed {
        settings,
        text: Vec::new(),
        pieces: Vec::new(),
        files: scripts,
        script: None,
        operands,
    };
    if !from_files {
        for (number, (_, text, word)) in std::mem::take(&mut sed.files).into_iter().enumerate() {
            sed.add(&text, word, format!("expression {}", number + 1));
        }
        match parser::parse(&sed.text, extended) {
            Ok(script) => sed.script = Some(script),
            Err(fault) => {
                let piece = sed.piece(fault.span.start);
                let (start, word) = (piece.start, piece.word);
                let mut error = UsageError::new(&SPEC, Some(word), sed.message(&fault));
                let end = fault.span.end.max(fault.span.start + 1);
                error.part = Some(fault.span.start - start..end - start);
                return Err(error);
            }
        }
    }
    Ok(Box::new(sed))
}

fn explain(arguments: &Arguments) -> String {
    let extended = arguments.has('E') || arguments.has('r');
    let quiet = arguments.has('n') || arguments.has(SILENT);
    if let Some(file) = arguments.last('f') {
        return format!("edits lines by the script in {}", String::from_utf8_lossy(&file.value));
    }
    let mut texts: Vec<Vec<u8>> = arguments.all('e').map(|given| given.value.clone()).collect();
    if texts.is_empty() {
        texts.extend(arguments.operands.first().map(|operand| operand.value.clone()));
    }
    let text = texts.join(&b'\n');
    let what = match parser::parse(&text, extended) {
        Ok(script) => summary::summary(&script, quiet || script.quiet),
        Err(_) => SPEC.summary.to_owned(),
    };
    match arguments.last('i') {
        Some(_) => format!("{what}, and replaces each file with the result"),
        None => what,
    }
}

/// The scripts among the arguments: those of `-e`, or the first operand where neither `-e` nor
/// `-f` is given.
fn programs(arguments: &Arguments) -> Vec<Program> {
    let extended = arguments.has('E') || arguments.has('r');
    let mut scripts: Vec<(usize, &[u8])> =
        arguments.all('e').map(|given| (given.word, &given.value[..])).collect();
    if scripts.is_empty() && !arguments.has('f') {
        scripts.extend(arguments.operands.first().map(|text| (text.word, &text.value[..])));
    }
    let shaded = |(word, text)| Program { word, shades: parser::shades(text, extended) };
    scripts.into_iter().map(shaded).collect()
}

impl Sed {
    fn add(&mut self, text: &[u8], word: usize, name: String) {
        if !self.pieces.is_empty() {
            self.text.push(b'\n');
        }
        self.pieces.push(Piece { start: self.text.len(), word, name });
        self.text.extend_from_slice(text);
    }

    fn piece(&self, at: usize) -> &Piece {
        let found = self.pieces.partition_point(|piece| piece.start <= at).saturating_sub(1);
        &self.pieces[found]
    }

    fn message(&self, fault: &Fault) -> String {
        let piece = self.piece(fault.span.start);
        let end = fault.span.start.min(self.text.len());
        let before = &self.text[piece.start..end];
        let line = memchr::memchr_iter(b'\n', before).count() + 1;
        let row = memchr::memrchr(b'\n', before).map_or(0, |newline| newline + 1);
        let column = crate::text::characters::count(&before[row..]) + 1;
        let place = if line > 1 {
            format!("{}, line {line}, column {column}", piece.name)
        } else {
            format!("{}, column {column}", piece.name)
        };
        format!("{place}: {}", fault.message)
    }

    fn read_scripts(&mut self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        let mut number = 0;
        for (is_file, text, word) in std::mem::take(&mut self.files) {
            if !is_file {
                number += 1;
                self.add(&text, word, format!("expression {number}"));
                continue;
            }
            let shown = String::from_utf8_lossy(&text).into_owned();
            let mut input = io.open(&text).map_err(|error| {
                let reason = stream::describe(&error);
                StageError::failed(1, format!("couldn't open file {shown}: {reason}"))
            })?;
            let mut contents = Vec::new();
            loop {
                match input.next_block() {
                    Ok(Some(block)) => contents.extend_from_slice(&block.bytes),
                    Ok(None) => break,
                    Err(error) => {
                        return Err(crate::common::input::line_feed::read_failure(1, &text, error));
                    }
                }
            }
            let body = contents.strip_suffix(b"\n").unwrap_or(&contents);
            self.add(body, word, shown);
        }
        Ok(())
    }
}

impl Filter for Sed {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        if self.script.is_none() {
            self.read_scripts(io)?;
            let extended = self.settings.syntax == Syntax::Extended;
            let script = parser::parse(&self.text, extended)
                .map_err(|fault| StageError::failed(1, self.message(&fault)))?;
            self.script = Some(script);
        }
        let Some(script) = &self.script else { return Ok(ExitStatus::SUCCESS) };
        let operands = self.operands.clone();
        Editor::new(script, &self.settings, operands, io)?.run()
    }

    fn verb_varies(&self) -> bool {
        true
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        let Some(script) = &self.script else { return Vec::new() };
        let mut marks: Vec<std::ops::Range<usize>> = Vec::new();
        for pattern in &script.patterns {
            marks.extend(pattern.find_all(line).map_while(Result::ok));
        }
        marks.sort_by_key(|range| (range.start, range.end));
        marks
    }

    fn tells_fate(&self) -> bool {
        true
    }

    fn verb(&self) -> Verb {
        match &self.script {
            Some(script) if summary::keeps(script) => Verb::Keeps,
            _ => Verb::Edits,
        }
    }
}
