//! `paste`: puts lines of several files side by side.

use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::common::input::line_feed::{LineFeed, open_failure, read_failure};
use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};
use crate::text::characters;
use crate::text::phrases::from_files;

const OPTIONS: &[OptionSpec] = &[
    option('d', "delimiters", Some("LIST"), "use these characters in turn instead of TAB", true),
    option('s', "serial", None, "one file after the other, each as one line", true),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
];

static SPEC: Spec = Spec {
    name: "paste",
    summary: "puts lines of several files side by side",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example(
            "paste -d+ count-lower.txt count-middle.txt count-upper.txt",
            "three counts per line, ready to add up",
        ),
        example("paste -s -d, spares-upper.txt", "all lines as one, separated by commas"),
        example("paste - - -", "three lines side by side"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Paste {
    files: Vec<Vec<u8>>,
    /// An empty one puts nothing between.
    delimiters: Vec<Vec<u8>>,
    serial: bool,
}

/// The list of delimiters with its escapes; `None` when it ends in a backslash.
fn delimiters(text: &[u8]) -> Option<Vec<Vec<u8>>> {
    let mut list = Vec::new();
    let mut rest = text;
    while !rest.is_empty() {
        let (_, length) = characters::first(rest);
        let (character, after) = rest.split_at(length);
        rest = after;
        if character != b"\\" {
            list.push(character.to_vec());
            continue;
        }
        let (_, length) = if rest.is_empty() { return None } else { characters::first(rest) };
        let (escaped, after) = rest.split_at(length);
        rest = after;
        list.push(match escaped {
            b"0" => Vec::new(),
            b"b" => vec![8],
            b"f" => vec![12],
            b"n" => vec![b'\n'],
            b"r" => vec![b'\r'],
            b"t" => vec![b'\t'],
            b"v" => vec![11],
            other => other.to_vec(),
        });
    }
    if list.is_empty() {
        list.push(Vec::new());
    }
    Some(list)
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let delimiters = match arguments.last('d') {
        None => vec![b"\t".to_vec()],
        Some(given) => delimiters(&given.value).ok_or_else(|| {
            let text = String::from_utf8_lossy(&given.value);
            let message = format!("delimiter list ends with an unescaped backslash: {text}");
            UsageError::new(&SPEC, Some(given.word), message)
        })?,
    };
    let filter =
        Paste { files: arguments.operand_values(), delimiters, serial: arguments.has('s') };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let files = arguments.operand_values();
    let between = match arguments.last('d') {
        None => "TAB".to_owned(),
        Some(given) => crate::text::phrases::named(&given.value),
    };
    if arguments.has('s') {
        return format!("makes one line of all lines{}, {between} between", from_files(&files));
    }
    match files.len() {
        0 | 1 => format!("passes lines{} on", from_files(&files)),
        _ if files.iter().all(|file| file == b"-") => {
            format!("puts each {} lines side by side, {between} between", files.len())
        }
        _ => format!("puts the lines{} side by side, {between} between", from_files(&files)),
    }
}

impl Filter for Paste {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        if self.files.is_empty() {
            self.files.push(b"-".to_vec());
        }
        if self.serial {
            let files = std::mem::take(&mut self.files);
            io.each_input(&files, 1, |io, input, _| self.one_by_one(io, input))?;
        } else {
            self.side_by_side(io)?;
        }
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        if self.serial || self.files.len() > 1 { Verb::Merges } else { Verb::Passes }
    }
}

impl Paste {
    fn one_by_one(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let mut delimiters = self.delimiters.iter().cycle();
        let mut first = true;
        let traced = io.keeps_origins();
        let mut joined = Vec::new();
        while let Some(lines) = input.next_lines()? {
            joined.clear();
            for (id, line) in lines.iter() {
                if !first {
                    joined.extend_from_slice(delimiters.next().map_or(&b""[..], |text| text));
                }
                first = false;
                joined.extend_from_slice(line);
                if traced {
                    put_part(io, &joined, &[id])?;
                    joined.clear();
                }
            }
            io.out().put(&joined, Origin::Line(lines.first))?;
        }
        io.out().put(b"\n", Origin::None)?;
        Ok(())
    }

    fn side_by_side(&self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        // Each mention of standard input reads the next line of the same stream.
        let mut feeds: Vec<(LineFeed, &Vec<u8>)> = Vec::new();
        let mut columns = Vec::new();
        for file in &self.files {
            let known = feeds.iter().position(|(_, name)| *name == file && file == b"-");
            if let Some(feed) = known {
                columns.push(feed);
                continue;
            }
            let input = io.open(file).map_err(|error| open_failure(1, file, &error))?;
            columns.push(feeds.len());
            feeds.push((LineFeed::new(input), file));
        }
        // What is put before each column; nothing before the first.
        let delimiters = self.delimiters.iter().cycle().map(|text| Before::of(text));
        let delimiters: Vec<Before<'_>> =
            std::iter::once(Before::Nothing).chain(delimiters).take(columns.len()).collect();
        let mut open = vec![true; columns.len()];
        let traced = io.keeps_origins();
        let mut whole = Vec::with_capacity(stream::BLOCK_SIZE);
        let mut ids: Vec<LineId> = Vec::new();
        loop {
            let start = whole.len();
            ids.clear();
            // Delimiters are owed until another column shows that the line continues.
            let mut any = false;
            for ((&column, delimiter), open) in columns.iter().zip(&delimiters).zip(&mut open) {
                match delimiter {
                    Before::Nothing => {}
                    Before::Byte(byte) => whole.push(*byte),
                    Before::Text(text) => whole.extend_from_slice(text),
                }
                if !*open {
                    continue;
                }
                let (feed, name) = &mut feeds[column];
                *open = feed.advance().map_err(|error| read_failure(1, name, error))?;
                if *open {
                    any = true;
                    whole.extend_from_slice(feed.line());
                    if traced {
                        ids.push(feed.id());
                    }
                }
            }
            if !any {
                whole.truncate(start);
                break;
            }
            whole.push(b'\n');
            if traced {
                put_part(io, &whole, &ids)?;
                whole.clear();
            } else if whole.len() >= stream::BLOCK_SIZE / 2 {
                io.out().put(&whole, Origin::None)?;
                whole.clear();
            }
        }
        io.out().put(&whole, Origin::None)?;
        Ok(())
    }
}

/// What is put before a column. A single byte, as nearly always, is not copied as a text.
enum Before<'d> {
    Nothing,
    Byte(u8),
    Text(&'d [u8]),
}

impl<'d> Before<'d> {
    fn of(text: &'d [u8]) -> Self {
        match text {
            [] => Self::Nothing,
            [byte] => Self::Byte(*byte),
            text => Self::Text(text),
        }
    }
}

/// Writes a part of a line, or a line, that may hold newlines as delimiters.
fn put_part(io: &mut StageIo<'_>, part: &[u8], ids: &[LineId]) -> Result<(), stream::WriteError> {
    io.out().put(part, Origin::List(ids))
}
