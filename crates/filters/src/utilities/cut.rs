//! `cut`: keeps parts of each line: bytes, characters or fields.

use std::ops::Range;

use memchr::{memchr, memmem};
use stream::{ExitStatus, Input, InputTrouble, Origin, StageError, StageIo};

use crate::common::input::nul_lines::{swapped, where_asked};
use crate::common::options::field_list::{Unit, parse_list};
use crate::spec::{
    Arguments, Counted, Definition, Dropped, Filter, Given, Operands, OptionId, OptionSpec, Spec,
    Style, UsageError, Verb, example, long_option, option,
};
use crate::text::phrases::{from_files, list, named};

const COMPLEMENT: OptionId = OptionId::Long("complement");
const OUTPUT_DELIMITER: OptionId = OptionId::Long("output-delimiter");

const OPTIONS: &[OptionSpec] = &[
    option('b', "bytes", Some("LIST"), "keep these bytes", true),
    option('c', "characters", Some("LIST"), "keep these characters", true),
    option('d', "delimiter", Some("CHAR"), "fields end at CHAR instead of TAB", true),
    option('f', "fields", Some("LIST"), "keep these fields", true),
    option('n', "", None, "do not split characters (with -b; accepted)", true),
    option('s', "only-delimited", None, "drop lines without the delimiter", true),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    long_option("complement", None, "keep all but the list", false),
    long_option("output-delimiter", Some("TEXT"), "put TEXT between the parts kept", false),
];

static SPEC: Spec = Spec {
    name: "cut",
    summary: "keeps parts of each line: bytes, characters or fields",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("cut -d' ' -f3 gate.log", "the third field, fields ended by single spaces"),
        example("cut -d, -f2,4- cabins.csv", "the second field and all from the fourth on"),
        example("cut -c1-10 gate.log", "the first ten characters"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Cut {
    files: Vec<Vec<u8>>,
    unit: Unit,
    /// Numbered from 0, in order, not overlapping; the last may reach to `usize::MAX`.
    ranges: Vec<Range<usize>>,
    delimiter: Vec<u8>,
    /// What goes between parts; `None` for nothing (bytes) or the delimiter (fields).
    between: Option<Vec<u8>>,
    only_delimited: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let error = |word, message: &str| Err(UsageError::new(&SPEC, word, message));
    let lists: Vec<&Given> =
        arguments.options.iter().filter(|given| given.is_one_of("bcf")).collect();
    let chosen = match lists[..] {
        [] => {
            return error(None, "you must specify a list of bytes, characters, or fields");
        }
        [only] => only,
        [_, second, ..] => return error(Some(second.word), "only one list may be specified"),
    };
    let unit = match chosen.id {
        OptionId::Letter('b') => Unit::Bytes,
        OptionId::Letter('c') => Unit::Characters,
        _ => Unit::Fields,
    };
    let mut ranges = parse_list(&chosen.value, unit)
        .map_err(|message| UsageError::new(&SPEC, Some(chosen.word), message))?;
    if arguments.has(COMPLEMENT) {
        ranges = complement(&ranges);
    }
    let mut delimiter = vec![b'\t'];
    if let Some(given) = arguments.last('d') {
        if unit != Unit::Fields {
            return error(
                Some(given.word),
                "an input delimiter may be specified only when operating on fields",
            );
        }
        delimiter.clone_from(&given.value);
        let characters =
            std::str::from_utf8(&delimiter).map_or(delimiter.len(), |text| text.chars().count());
        match characters {
            0 => delimiter = vec![0],
            1 => {}
            _ => return error(Some(given.word), "the delimiter must be a single character"),
        }
    }
    if let Some(given) = arguments.last('s')
        && unit != Unit::Fields
    {
        return error(
            Some(given.word),
            "suppressing non-delimited lines makes sense only when operating on fields",
        );
    }
    let mut between = arguments.last(OUTPUT_DELIMITER).map(|given| match &given.value[..] {
        b"" => vec![0],
        text => text.to_vec(),
    });
    if arguments.has('z') {
        // Where lines end with NUL the two are changed for each other in the data too.
        delimiter = swapped(&delimiter);
        between = between.map(|text| swapped(&text));
    }
    if between.is_none() {
        // What stood between two ranges that touch is between them again.
        ranges.dedup_by(|next, range| {
            let touching = next.start == range.end;
            if touching {
                range.end = next.end;
            }
            touching
        });
    }
    let cut = Cut {
        files: arguments.operand_values(),
        unit,
        ranges,
        between,
        delimiter,
        only_delimited: arguments.has('s'),
    };
    Ok(where_asked(arguments, Box::new(cut)))
}

fn explain(arguments: &Arguments) -> String {
    let Some(chosen) = arguments.options.iter().find(|given| given.is_one_of("bcf")) else {
        return String::new();
    };
    let (one, many) = match chosen.id {
        OptionId::Letter('b') => ("byte", "bytes"),
        OptionId::Letter('c') => ("character", "characters"),
        _ => ("field", "fields"),
    };
    let text = String::from_utf8_lossy(&chosen.value).replace(',', " ");
    let parts: Vec<String> = text
        .split_whitespace()
        .map(|part| match part.split_once('-') {
            None => part.to_owned(),
            Some(("", end)) => format!("1 to {end}"),
            Some((start, "")) => format!("{start} to the last"),
            Some((start, end)) => format!("{start} to {end}"),
        })
        .collect();
    let single = parts.len() == 1 && !parts[0].contains(' ');
    let noun = if single { one } else { many };
    let what = format!("{noun} {}", list(&parts));
    let keeps = if arguments.has(COMPLEMENT) {
        format!("drops {what} and keeps the rest")
    } else {
        format!("keeps {what}")
    };
    let files = from_files(&arguments.operand_values());
    if chosen.id != 'f' {
        return format!("{keeps} of every line{files}");
    }
    let delimiter = match arguments.last('d').map(|given| &given.value[..]) {
        None => "TAB".to_owned(),
        Some(b" ") => "single space".to_owned(),
        Some(value) => named(value).trim_start_matches("a ").to_owned(),
    };
    let others = if arguments.has('s') { "; drops lines that have none" } else { "" };
    format!("splits every line{files} at each {delimiter} and {keeps}{others}")
}

/// The parts of a line between its delimiters.
fn between(line: &[u8], delimiter: &[u8]) -> Vec<Range<usize>> {
    let mut fields = Vec::new();
    let mut start = 0;
    for at in memmem::find_iter(line, delimiter) {
        fields.push(start..at);
        start = at + delimiter.len();
    }
    fields.push(start..line.len());
    fields
}

fn complement(ranges: &[Range<usize>]) -> Vec<Range<usize>> {
    let mut others = Vec::new();
    let mut from = 0;
    for range in ranges {
        if range.start > from {
            others.push(from..range.start);
        }
        from = range.end;
    }
    if from < usize::MAX {
        others.push(from..usize::MAX);
    }
    others
}

impl Filter for Cut {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, _| self.one_input(io, input))?;
        Ok(io.status())
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        let absent = memmem::find(dropped.line, &self.delimiter).is_none();
        (self.only_delimited && absent).then(|| {
            let delimiter = match &self.delimiter[..] {
                b"\t" => "TAB".to_owned(),
                other => format!("“{}”", String::from_utf8_lossy(other)),
            };
            format!("has no {delimiter}, and -s drops such lines")
        })
    }

    fn verb(&self) -> Verb {
        Verb::Edits
    }

    fn counts(&self, line: &[u8]) -> Option<Counted> {
        Some(match self.unit {
            Unit::Bytes => Counted::Bytes,
            Unit::Characters => Counted::Characters,
            Unit::Fields => Counted::Fields(between(line, &self.delimiter)),
        })
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        let mut parts = Vec::new();
        if self.each_part(line, |part| parts.push(part)) { parts } else { Vec::new() }
    }
}

impl Cut {
    fn one_input(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        if self.unit == Unit::Fields && self.delimiter == b"\n" {
            return self.lines_as_fields(io, input);
        }
        let single = match (&self.ranges[..], &self.delimiter[..], self.unit) {
            ([only], &[delimiter], Unit::Fields) if only.len() == 1 => {
                Some((only.start, delimiter))
            }
            _ => None,
        };
        let slice = match &self.ranges[..] {
            [only] if self.unit != Unit::Fields => Some(only),
            _ => None,
        };
        let between: &[u8] = match (&self.between, self.unit) {
            (Some(text), _) => text,
            (None, Unit::Fields) => &self.delimiter,
            (None, _) => b"",
        };
        let mut kept = Vec::new();
        let mut ids = Vec::new();
        while let Some(lines) = input.next_lines()? {
            kept.clear();
            ids.clear();
            kept.reserve(lines.bytes.len());
            for (id, line) in lines.iter() {
                if let Some((field, delimiter)) = single {
                    match one_field(line, delimiter, field) {
                        Some(part) => kept.extend_from_slice(part),
                        None if self.only_delimited => continue,
                        None => kept.extend_from_slice(line),
                    }
                } else if let Some(range) = slice
                    && (self.unit == Unit::Bytes || line.is_ascii())
                {
                    let part = range.start.min(line.len())..range.end.min(line.len());
                    kept.extend_from_slice(&line[part]);
                } else {
                    let mut first = true;
                    let found = self.each_part(line, |part| {
                        if !first {
                            kept.extend_from_slice(between);
                        }
                        first = false;
                        kept.extend_from_slice(&line[part]);
                    });
                    if !found {
                        if self.only_delimited {
                            continue;
                        }
                        kept.extend_from_slice(line);
                    }
                }
                kept.push(b'\n');
                if self.only_delimited {
                    ids.push(id);
                }
            }
            if self.only_delimited {
                io.out().put_each(&kept, &ids)?;
            } else {
                io.out().put(&kept, Origin::Sequence(lines.first))?;
            }
        }
        Ok(())
    }

    /// Fields that end where lines do: all of the input is one record.
    fn lines_as_fields(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let between = self.between.as_deref().unwrap_or(b"\n");
        let mut number = 0;
        let mut wrote = false;
        while let Some(lines) = input.next_lines()? {
            let undelimited = number == 0 && lines.newlines == 0;
            for (id, line) in lines.iter() {
                let kept = self.ranges.iter().any(|range| range.contains(&number));
                number += 1;
                if undelimited && self.only_delimited || !kept && !undelimited {
                    continue;
                }
                if wrote {
                    io.out().put(between, Origin::None)?;
                }
                wrote = true;
                io.out().put(line, Origin::Line(id))?;
            }
        }
        // A record of one field is dropped where it has nothing that is wanted.
        if wrote || number > 1 || number == 1 && !self.only_delimited {
            io.out().put(b"\n", Origin::None)?;
        }
        Ok(())
    }

    /// The parts of a line that are kept, in order; false for a line without the delimiter.
    #[inline]
    fn each_part(&self, line: &[u8], mut part: impl FnMut(Range<usize>)) -> bool {
        match self.unit {
            // Where every byte is a character there is nothing to decode.
            Unit::Characters if !line.is_ascii() => self.each_part_in_characters(line, part),
            Unit::Bytes | Unit::Characters => {
                for range in &self.ranges {
                    if range.start < line.len() {
                        part(range.start..range.end.min(line.len()));
                    }
                }
            }
            Unit::Fields => {
                return match self.delimiter[..] {
                    [byte] => self.each_field(line, part, |rest| memchr(byte, rest)),
                    _ => {
                        let finder = memmem::Finder::new(&self.delimiter);
                        self.each_field(line, part, |rest| finder.find(rest))
                    }
                };
            }
        }
        true
    }

    #[inline]
    fn each_field(
        &self,
        line: &[u8],
        mut part: impl FnMut(Range<usize>),
        find: impl Fn(&[u8]) -> Option<usize>,
    ) -> bool {
        let Some(first) = find(line) else { return false };
        let last = self.ranges.last().map_or(0, |range| range.end);
        let mut end = Some(first);
        let (mut number, mut start) = (0, 0);
        for range in &self.ranges {
            let mut from = None;
            while number < range.end {
                if number >= range.start {
                    let from = *from.get_or_insert(start);
                    if self.between.is_some() {
                        part(start..end.unwrap_or(line.len()));
                    } else if range.end == usize::MAX {
                        part(from..line.len());
                        return true;
                    } else if number + 1 == range.end || end.is_none() {
                        part(from..end.unwrap_or(line.len()));
                    }
                }
                let Some(at) = end else { return true };
                number += 1;
                if number >= last {
                    return true;
                }
                start = at + self.delimiter.len();
                end = find(&line[start..]).map(|at| start + at);
            }
        }
        true
    }

    fn each_part_in_characters(&self, line: &[u8], mut part: impl FnMut(Range<usize>)) {
        let mut ends = character_ends(line);
        let mut number = 0;
        let mut at = 0;
        for range in &self.ranges {
            while number < range.start {
                let Some(end) = ends.next() else { return };
                at = end;
                number += 1;
            }
            let start = at;
            if range.end == usize::MAX {
                if start < line.len() {
                    part(start..line.len());
                }
                return;
            }
            while number < range.end {
                let Some(end) = ends.next() else { break };
                at = end;
                number += 1;
            }
            if at > start {
                part(start..at);
            }
        }
    }
}

#[inline]
fn one_field(line: &[u8], delimiter: u8, field: usize) -> Option<&[u8]> {
    let mut end = memchr(delimiter, line)?;
    let mut start = 0;
    for _ in 0..field {
        if end == line.len() {
            return Some(b"");
        }
        start = end + 1;
        end = memchr(delimiter, &line[start..]).map_or(line.len(), |at| start + at);
    }
    Some(&line[start..end])
}

/// Where each character of the line ends; an invalid byte is one character.
fn character_ends(line: &[u8]) -> impl Iterator<Item = usize> + '_ {
    use bstr::ByteSlice;
    // `char_indices` gives one replacement for several bytes of a broken sequence; those are
    // single characters here.
    line.char_indices().flat_map(|(start, end, character)| {
        let broken = character == '\u{FFFD}' && &line[start..end] != "\u{FFFD}".as_bytes();
        let from = if broken { start + 1 } else { end };
        from..=end
    })
}
