//! `join`: joins lines of two sorted files that have the same value in a field.

use std::cmp::Ordering;
use std::ops::Range;

use bytes::Bytes;
use stream::{ExitStatus, LineId, Origin, StageError, StageIo};

use crate::common::input::line_feed::{LineFeed, open_failure, read_failure};
use crate::common::options::sorted_input::{CHECK_OPTIONS, Check};
use crate::spec::{
    Arguments, Counted, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option, shown,
};
use crate::text::blanks::word;
use crate::text::phrases::file_name;

const HEADER: OptionId = OptionId::Long("header");

const OPTIONS: &[OptionSpec] = &[
    option('1', "", Some("FIELD"), "join on this field of the first file", true),
    option('2', "", Some("FIELD"), "join on this field of the second file", true),
    option('a', "", Some("FILENUM"), "also lines of this file (1 or 2) without a partner", true),
    option('e', "", Some("TEXT"), "used for a missing field", true),
    option('i', "ignore-case", None, "ignore case", false),
    option('j', "", Some("FIELD"), "join on this field of both files", false),
    option(
        'o',
        "",
        Some("LIST"),
        "the fields to write: 0 (the joined one), 1.2, 2.3, … or auto",
        true,
    ),
    option('t', "", Some("CHAR"), "fields end at CHAR instead of at blanks", true),
    option('v', "", Some("FILENUM"), "only lines of this file (1 or 2) without a partner", true),
    option('z', "zero-terminated", None, "lines end with NUL, not newline", false),
    CHECK_OPTIONS[0],
    CHECK_OPTIONS[1],
    long_option("header", None, "the first lines are headings", false),
];

static SPEC: Spec = Spec {
    name: "join",
    summary: "joins lines of two sorted files that have the same value in a field",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "file1 file2",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("join -t, cabins.csv cabins.csv", "lines with the same first field, comma fields"),
        example("join -v1 upper.sorted lower.sorted", "lines of the first file without a partner"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Picked {
    Key,
    /// File (0 or 1) and field, from 0.
    Field(usize, usize),
}

#[derive(Clone, Copy)]
enum Separator {
    Blanks,
    Byte(u8),
    /// The whole line is one field.
    None,
}

struct Join {
    files: [Vec<u8>; 2],
    fields: [usize; 2],
    separator: Separator,
    unpaired: [bool; 2],
    pairs: bool,
    filler: Option<Vec<u8>>,
    ignore_case: bool,
    picked: Vec<Picked>,
    auto: bool,
    check: Check,
    header: bool,
}

fn file_number(arguments: &Arguments, short: char) -> Result<[bool; 2], UsageError> {
    let mut chosen = [false; 2];
    for given in arguments.all(short) {
        match &given.value[..] {
            b"1" => chosen[0] = true,
            b"2" => chosen[1] = true,
            value => {
                let message = format!("invalid file number: {}", shown(value));
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
        }
    }
    Ok(chosen)
}

fn field(text: &[u8]) -> Option<usize> {
    match std::str::from_utf8(text).ok()?.parse::<usize>() {
        Ok(0) | Err(_) => None,
        Ok(number) => Some(number - 1),
    }
}

fn picked(text: &[u8]) -> Result<Vec<Picked>, String> {
    let parts =
        text.split(|byte| matches!(byte, b',' | b' ' | b'\t')).filter(|part| !part.is_empty());
    parts
        .map(|part| match part {
            b"0" => Ok(Picked::Key),
            [b'1' | b'2', b'.', rest @ ..] => match field(rest) {
                Some(number) => Ok(Picked::Field(usize::from(part[0] - b'1'), number)),
                None => Err(format!("invalid field number: {}", shown(rest))),
            },
            _ => Err(format!("invalid field specifier: {}", shown(part))),
        })
        .collect()
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_least(&SPEC, 2)?;
    arguments.at_most(&SPEC, 2)?;
    let mut files = arguments.operand_values();
    if files[0] == b"-" && files[1] == b"-" {
        return Err(UsageError::new(&SPEC, None, "both files cannot be standard input"));
    }
    let second = files.pop().unwrap_or_default();
    let mut fields = [0, 0];
    for given in &arguments.options {
        let which: &[usize] = match given.id {
            OptionId::Letter('1') => &[0],
            OptionId::Letter('2') => &[1],
            OptionId::Letter('j') => &[0, 1],
            _ => continue,
        };
        let Some(number) = field(&given.value) else {
            let message = format!("invalid field number: {}", shown(&given.value));
            return Err(UsageError::new(&SPEC, Some(given.word), message));
        };
        for &file in which {
            fields[file] = number;
        }
    }
    let separator = match arguments.last('t') {
        None => Separator::Blanks,
        Some(given) => match given.value[..] {
            [] => Separator::None,
            [byte] => Separator::Byte(byte),
            [b'\\', b'0'] => Separator::Byte(0),
            _ => {
                let message = format!("multi-character tab {}", shown(&given.value));
                return Err(UsageError::new(&SPEC, Some(given.word), message));
            }
        },
    };
    let mut list = Vec::new();
    let mut auto = false;
    for given in arguments.all('o') {
        if given.value == b"auto" {
            auto = true;
            continue;
        }
        list.extend(
            picked(&given.value)
                .map_err(|message| UsageError::new(&SPEC, Some(given.word), message))?,
        );
    }
    let alone = file_number(arguments, 'v')?;
    let also = file_number(arguments, 'a')?;
    let filter = Join {
        files: [files.pop().unwrap_or_default(), second],
        fields,
        separator,
        unpaired: [alone[0] || also[0], alone[1] || also[1]],
        pairs: !arguments.has('v'),
        filler: arguments.last('e').map(|given| given.value.clone()),
        ignore_case: arguments.has('i'),
        picked: list,
        auto,
        check: Check::of(arguments),
        header: arguments.has(HEADER),
    };
    Ok(crate::common::input::nul_lines::where_asked(arguments, Box::new(filter)))
}

fn explain(arguments: &Arguments) -> String {
    let names: Vec<String> =
        arguments.operands.iter().map(|operand| file_name(&operand.value)).collect();
    let field = |short: char| {
        let given =
            arguments.options.iter().rev().find(|given| given.id == short || given.id == 'j');
        given.map_or_else(
            || "1".to_owned(),
            |given| String::from_utf8_lossy(&given.value).into_owned(),
        )
    };
    let names = names.join(" and ");
    let (one, other) = (field('1'), field('2'));
    let on = if one == other {
        format!("field {one}")
    } else {
        format!("field {one} of the first and {other} of the second")
    };
    if arguments.has('v') {
        return format!("keeps lines of {names} that have no partner with the same {on}");
    }
    format!("joins lines of {names} with the same {on}; both must be in order of it")
}

/// A line and the place of the field it is joined on.
#[derive(Clone, Default)]
struct Row {
    line: Bytes,
    key: Range<usize>,
    id: Option<LineId>,
}

impl Row {
    fn key(&self) -> &[u8] {
        &self.line[self.key.clone()]
    }
}

/// What is made anew for each pair of lines, kept for its memory.
#[derive(Default)]
struct Scratch {
    fields: [Vec<Range<usize>>; 2],
    out: Vec<u8>,
}

struct Side {
    feed: LineFeed,
    name: Vec<u8>,
    /// Lines read and not yet joined; those of one key together.
    rows: Vec<Row>,
    line_number: u64,
    previous: Option<Row>,
    out_of_order: bool,
}

impl Filter for Join {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut sides = Vec::new();
        for name in &self.files {
            let input = io.open(name).map_err(|error| open_failure(1, name, &error))?;
            sides.push(Side {
                feed: LineFeed::new(input),
                name: name.clone(),
                rows: Vec::new(),
                line_number: 0,
                previous: None,
                out_of_order: false,
            });
        }
        let mut scratch = Scratch::default();
        let joined = self.join(io, &mut sides, &mut scratch);
        // What was joined before an error is part of the result.
        if !io.keeps_origins() {
            io.out().put(&scratch.out, Origin::None)?;
        }
        joined?;
        if sides.iter().any(|side| side.out_of_order) {
            return Err(StageError::failed(1, "input is not in sorted order"));
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        let side = dropped.input.min(1);
        if self.unpaired[side] && self.pairs {
            return None;
        }
        if !self.pairs && !self.unpaired[side] {
            let other = ["second", "first"][side];
            return Some(format!("-v writes lines of the {other} file only"));
        }
        let mut fields = Vec::new();
        self.split(dropped.line, &mut fields);
        let value = fields.get(self.fields[side]).map(|field| &dropped.line[field.clone()]);
        let value = String::from_utf8_lossy(value.unwrap_or_default()).into_owned();
        let field = self.fields[side] + 1;
        Some(if self.pairs {
            format!("no line of the other file has “{value}”, which its field {field} is")
        } else {
            format!("has a partner in the other file: a line with “{value}”, its field {field}")
        })
    }

    fn verb(&self) -> Verb {
        if self.pairs { Verb::Merges } else { Verb::Keeps }
    }

    fn counts(&self, line: &[u8]) -> Option<Counted> {
        let mut fields = Vec::new();
        self.split(line, &mut fields);
        Some(Counted::Fields(fields))
    }

    fn marks(&self, line: &[u8]) -> Vec<Range<usize>> {
        let key = self.key(line, 0);
        if key.is_empty() { Vec::new() } else { vec![key] }
    }
}

impl Join {
    /// The places of all fields.
    fn split(&self, line: &[u8], fields: &mut Vec<Range<usize>>) {
        fields.clear();
        if line.is_empty() {
            return;
        }
        match self.separator {
            Separator::None => fields.push(0..line.len()),
            Separator::Byte(byte) => {
                let mut start = 0;
                for at in memchr::memchr_iter(byte, line) {
                    fields.push(start..at);
                    start = at + 1;
                }
                fields.push(start..line.len());
            }
            Separator::Blanks => {
                let mut at = blanks(line);
                while at < line.len() {
                    let end = at + word::<b' '>(&line[at..]);
                    fields.push(at..end);
                    at = end + blanks(&line[end..]);
                }
                // Blanks at the end end a field and begin an empty one.
                if !fields.is_empty() && is_blank(line[line.len() - 1]) {
                    fields.push(line.len()..line.len());
                }
            }
        }
    }

    /// The place of the field that file `number` is joined on; empty where there is none.
    fn key(&self, line: &[u8], number: usize) -> Range<usize> {
        let field = self.fields[number];
        match self.separator {
            Separator::None => {
                if field == 0 {
                    0..line.len()
                } else {
                    0..0
                }
            }
            Separator::Byte(byte) => {
                let mut start = 0;
                for _ in 0..field {
                    match memchr::memchr(byte, &line[start..]) {
                        Some(at) => start += at + 1,
                        None => return 0..0,
                    }
                }
                start..memchr::memchr(byte, &line[start..]).map_or(line.len(), |at| start + at)
            }
            Separator::Blanks => {
                let mut at = blanks(line);
                for _ in 0..field {
                    if at >= line.len() {
                        break;
                    }
                    at += word::<b' '>(&line[at..]);
                    at += blanks(&line[at..]);
                }
                at..at + word::<b' '>(&line[at..])
            }
        }
    }

    fn compare(&self, one: &Row, other: &Row) -> Ordering {
        let (left, right) = (one.key(), other.key());
        if self.ignore_case {
            let fold = u8::to_ascii_lowercase;
            left.iter().map(fold).cmp(right.iter().map(fold))
        } else {
            left.cmp(right)
        }
    }

    fn keys(&self, sides: &[Side], one: usize, other: usize) -> Ordering {
        self.compare(&sides[0].rows[one], &sides[1].rows[other])
    }

    /// Reads one more line of a side; false at its end.
    fn more(
        &self,
        io: &mut StageIo<'_>,
        side: &mut Side,
        number: usize,
        unpaired: bool,
    ) -> Result<bool, StageError> {
        if !side.feed.advance().map_err(|error| read_failure(1, &side.name, error))? {
            return Ok(false);
        }
        let line = side.feed.share();
        let row = Row { key: self.key(&line, number), line, id: Some(side.feed.id()) };
        side.line_number += 1;
        let looks = self.check == Check::Always || self.check == Check::WhenItMatters && unpaired;
        if looks
            && !side.out_of_order
            && let Some(previous) = &side.previous
            && self.compare(previous, &row) == Ordering::Greater
        {
            side.out_of_order = true;
            let name = String::from_utf8_lossy(&side.name);
            let line = String::from_utf8_lossy(&row.line);
            let message = format!("{name}:{}: is not sorted: {line}", side.line_number);
            if self.check == Check::Always {
                return Err(StageError::failed(1, message));
            }
            io.message(&message)?;
        }
        side.previous = Some(row.clone());
        side.rows.push(row);
        Ok(true)
    }

    fn join(
        &self,
        io: &mut StageIo<'_>,
        sides: &mut [Side],
        scratch: &mut Scratch,
    ) -> Result<(), StageError> {
        let blank = Row::default();
        let mut unpaired = false;
        for (number, side) in sides.iter_mut().enumerate() {
            self.more(io, side, number, unpaired)?;
        }
        let columns: Vec<usize> = sides
            .iter()
            .map(|side| side.rows.first().map_or(0, |row| self.count(&row.line)))
            .collect();
        let columns = [columns[0], columns[1]];
        if self.header && sides.iter().any(|side| !side.rows.is_empty()) {
            let heads =
                [0, 1].map(|number: usize| sides[number].rows.first().unwrap_or(&blank).clone());
            self.write(io, &heads[0], &heads[1], columns, false, scratch)?;
            for (number, side) in sides.iter_mut().enumerate() {
                side.previous = None;
                if !side.rows.is_empty() {
                    side.rows.clear();
                    self.more(io, side, number, unpaired)?;
                }
            }
        }
        let mut steps = 0u32;
        while !sides[0].rows.is_empty() && !sides[1].rows.is_empty() {
            steps = steps.wrapping_add(1);
            if steps.is_multiple_of(1 << 12) {
                io.check_cancel()?;
            }
            let order = self.keys(sides, 0, 0);
            if order != Ordering::Equal {
                let number = usize::from(order == Ordering::Greater);
                if self.unpaired[number] {
                    let row = sides[number].rows[0].clone();
                    self.write_alone(io, &row, number, columns, scratch)?;
                }
                sides[number].rows.clear();
                self.more(io, &mut sides[number], number, unpaired)?;
                unpaired = true;
                continue;
            }
            // All lines of both sides with this key. Memory: those lines.
            let mut ended = [false; 2];
            for number in 0..2 {
                loop {
                    if !self.more(io, &mut sides[number], number, unpaired)? {
                        ended[number] = true;
                        break;
                    }
                    let last = sides[number].rows.len() - 1;
                    let same = if number == 0 {
                        self.keys(sides, last, 0)
                    } else {
                        self.keys(sides, 0, last)
                    };
                    if same != Ordering::Equal {
                        break;
                    }
                }
            }
            let group = |number: usize| group_length(&sides[number], ended[number]);
            if self.pairs {
                for one in 0..group(0) {
                    for other in 0..group(1) {
                        self.write(
                            io,
                            &sides[0].rows[one],
                            &sides[1].rows[other],
                            columns,
                            other > 0,
                            scratch,
                        )?;
                    }
                    io.check_cancel()?;
                }
            }
            for number in 0..2 {
                let done = group_length(&sides[number], ended[number]);
                sides[number].rows.drain(..done);
            }
        }
        self.rest(io, sides, unpaired, columns, scratch)
    }

    /// Writes what is left of the longer side, and looks whether the rest is in order.
    fn rest(
        &self,
        io: &mut StageIo<'_>,
        sides: &mut [Side],
        unpaired: bool,
        columns: [usize; 2],
        scratch: &mut Scratch,
    ) -> Result<(), StageError> {
        let looks = self.check != Check::Never && !sides.iter().all(|side| side.out_of_order);
        let mut unpaired = unpaired;
        let both = [!sides[0].rows.is_empty(), !sides[1].rows.is_empty()];
        for number in 0..2 {
            if !(self.unpaired[number] || looks) || !both[number] {
                continue;
            }
            if self.unpaired[number] {
                let row = sides[number].rows[0].clone();
                self.write_alone(io, &row, number, columns, scratch)?;
            }
            unpaired |= both[1 - number];
            loop {
                sides[number].rows.clear();
                if !self.more(io, &mut sides[number], number, unpaired)? {
                    break;
                }
                if self.unpaired[number] {
                    let row = sides[number].rows[0].clone();
                    self.write_alone(io, &row, number, columns, scratch)?;
                } else if sides[number].out_of_order {
                    break;
                }
            }
        }
        Ok(())
    }

    fn write_alone(
        &self,
        io: &mut StageIo<'_>,
        row: &Row,
        number: usize,
        columns: [usize; 2],
        scratch: &mut Scratch,
    ) -> Result<(), StageError> {
        let blank = Row::default();
        if number == 0 {
            self.write(io, row, &blank, columns, false, scratch)
        } else {
            self.write(io, &blank, row, columns, false, scratch)
        }
    }

    /// Writes the line made of two rows; `again` where the first of them is that of the last line.
    #[allow(clippy::too_many_arguments)] // one line of the result, in the innermost loop
    fn write(
        &self,
        io: &mut StageIo<'_>,
        one: &Row,
        other: &Row,
        columns: [usize; 2],
        again: bool,
        scratch: &mut Scratch,
    ) -> Result<(), StageError> {
        let between = match self.separator {
            Separator::Byte(byte) => byte,
            Separator::None => b'\n',
            Separator::Blanks => b' ',
        };
        let Scratch { fields, out } = scratch;
        let rows = [one, other];
        for (row, fields) in rows.iter().zip(fields.iter_mut()).skip(usize::from(again)) {
            self.split(&row.line, fields);
        }
        let traced = io.keeps_origins();
        if traced {
            out.clear();
        }
        // A row without a number means a line that is missing.
        let keyed = usize::from(one.id.is_none());
        let mut first = true;
        let mut put = |file: usize, field: usize| {
            if !std::mem::take(&mut first) {
                out.push(between);
            }
            let value =
                fields[file].get(field).map_or(&b""[..], |range| &rows[file].line[range.clone()]);
            match (value, &self.filler) {
                (b"", Some(filler)) => out.extend_from_slice(filler),
                (value, _) => out.extend_from_slice(value),
            }
        };
        if self.picked.is_empty() {
            put(keyed, self.fields[keyed]);
            for file in 0..2 {
                let count = if self.auto { columns[file] } else { fields[file].len() };
                for field in (0..count).filter(|field| *field != self.fields[file]) {
                    put(file, field);
                }
            }
        } else {
            for picked in &self.picked {
                match *picked {
                    Picked::Key => put(keyed, self.fields[keyed]),
                    Picked::Field(file, field) => put(file, field),
                }
            }
        }
        out.push(b'\n');
        if traced {
            let ids: Vec<LineId> = [one.id, other.id].into_iter().flatten().collect();
            io.out().put(out, Origin::List(&ids))?;
        } else if out.len() >= stream::BLOCK_SIZE {
            io.out().put(out, Origin::None)?;
            out.clear();
        }
        Ok(())
    }

    fn count(&self, line: &[u8]) -> usize {
        let mut fields = Vec::new();
        self.split(line, &mut fields);
        fields.len()
    }
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

fn blanks(text: &[u8]) -> usize {
    text.iter().take_while(|byte| is_blank(**byte)).count()
}

fn group_length(side: &Side, ended: bool) -> usize {
    side.rows.len() - usize::from(!ended)
}
