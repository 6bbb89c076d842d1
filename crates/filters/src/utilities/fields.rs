//! Fields by name out of records of open formats. A filter of our own.

use std::borrow::Cow;
use std::fmt::Write as _;

use indexmap::IndexMap;
use stream::{ExitStatus, Input, InputTrouble, LineId, Lines, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb,
    example, option,
};
use crate::text::phrases::{counted, file_name, list};

mod csv;
mod detect;
mod json;
mod pairs;
mod value;
mod written;

use csv::Csv;
use detect::Form;
use json::Json;
use value::{Bad, Value};
use written::Written;

const JSON: char = '\u{1}';
const CSV: char = '\u{2}';
const TSV: char = '\u{3}';
const PAIRS: char = '\u{4}';
const AS: char = '\u{5}';
const HEADING: char = '\u{6}';

const OPTIONS: &[OptionSpec] = &[
    option(JSON, "json", None, "the data is JSON, one record a line (RFC 8259)", false),
    option(CSV, "csv", None, "the data is CSV (RFC 4180)", false),
    option(TSV, "tsv", None, "the data is CSV with TAB between the fields", false),
    option(PAIRS, "pairs", None, "the data has name=value pairs, one record a line", false),
    option('d', "delimiter", Some("CHAR"), "CSV: what is between the fields", false),
    option('n', "numbers", None, "CSV: no heading; the fields are called 1, 2, 3 …", false),
    option(AS, "as", Some("FORM"), "write csv, json or pairs; else TAB between the fields", false),
    option(HEADING, "heading", None, "begin with a line of the names (csv always does)", false),
    option(
        'k',
        "keep-bad",
        None,
        "pass on records that cannot be read; else they are dropped",
        false,
    ),
    option('q', "quiet", None, "do not print what was missing or could not be read", false),
    option('f', "file", Some("FILE"), "read this file, not standard input; may be repeated", false),
];

static SPEC: Spec = Spec {
    name: "fields",
    summary: "writes fields by name out of JSON lines, CSV and name=value pairs",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[name …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example(
            "fields < cabins.csv",
            "which fields there are, in how many records, and the first value",
        ),
        example("fields cabin name < cabins.csv", "two columns, with TAB between them"),
        example(
            "fields card zone < gate.log | sort -u",
            "values of name=value pairs among other words",
        ),
        example(
            "fields -q time cabin /winch/load --as csv < events.json",
            "nested fields by their pointer",
        ),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// Bad records that are named one by one.
const NAMED_MAX: u64 = 10;

/// Bytes of lines that are read before they are worked on by several processors.
const BATCH: usize = 1 << 20;

/// Different names that are listed.
const NAMES_MAX: usize = 10_000;

struct Fields {
    form: Option<Form>,
    delimiter: Option<u8>,
    numbers: bool,
    written: Written,
    heading: bool,
    keep_bad: bool,
    quiet: bool,
    names: Vec<Vec<u8>>,
    files: Vec<Vec<u8>>,
}

fn parse(arguments: &Arguments) -> Result<Fields, UsageError> {
    let hint = |word: Option<usize>, message: &str| UsageError::with_hint(&SPEC, word, message);
    let mut forms = arguments.options.iter().filter_map(|given| {
        let form = match given.short {
            JSON => Form::Json,
            CSV => Form::Csv(b','),
            TSV => Form::Csv(b'\t'),
            PAIRS => Form::Pairs,
            _ => return None,
        };
        Some((form, given.word))
    });
    let form = forms.next();
    if let (Some((first, _)), Some((_, word))) =
        (form, forms.find(|(other, _)| form.is_some_and(|(form, _)| form != *other)))
    {
        return Err(hint(Some(word), &format!("the data is {} already", first.name())));
    }
    let delimiter = match arguments.last('d') {
        None => None,
        Some(given) => match given.value[..] {
            [byte] if byte != b'"' && byte != b'\n' => Some(byte),
            _ if given.value == b"\\t" => Some(b'\t'),
            _ => return Err(hint(Some(given.word), "the delimiter is one character, not a quote")),
        },
    };
    let written = match arguments.last(AS) {
        None => Written::Tab,
        Some(given) => match &given.value[..] {
            b"csv" => Written::Csv,
            b"json" => Written::Json,
            b"pairs" => Written::Pairs,
            b"tab" => Written::Tab,
            _ => return Err(hint(Some(given.word), "written as what? csv, json, pairs or tab")),
        },
    };
    if let (Some((Form::Json | Form::Pairs, _)), Some(given)) =
        (form, arguments.last('d').or(arguments.last('n')))
    {
        return Err(hint(Some(given.word), "-d and -n are for CSV"));
    }
    Ok(Fields {
        form: form.map(|(form, _)| form),
        delimiter,
        numbers: arguments.has('n'),
        written,
        heading: arguments.has(HEADING) || written == Written::Csv,
        keep_bad: arguments.has('k'),
        quiet: arguments.has('q'),
        names: arguments.operand_values(),
        files: arguments.all('f').map(|given| given.value.clone()).collect(),
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    parse(arguments).map(|fields| Box::new(fields) as Box<dyn Filter>)
}

fn explain(arguments: &Arguments) -> String {
    let Ok(fields) = parse(arguments) else { return SPEC.summary.to_owned() };
    let data = match fields.form {
        Some(Form::Json) => "the JSON records",
        Some(Form::Csv(_)) => "the CSV records",
        Some(Form::Pairs) => "the name=value pairs",
        None => "the records",
    };
    let files: Vec<String> = fields.files.iter().map(|file| file_name(file)).collect();
    let of = if files.is_empty() { String::new() } else { format!(" of {}", list(&files)) };
    if fields.names.is_empty() {
        return format!(
            "lists the fields of {data}{of}, in how many records each is, and its first value"
        );
    }
    let names: Vec<String> =
        fields.names.iter().map(|name| String::from_utf8_lossy(name).into_owned()).collect();
    let form = match fields.written {
        Written::Tab => "with TAB between them",
        Written::Csv => "as CSV",
        Written::Json => "as JSON",
        Written::Pairs => "as name=value pairs",
    };
    format!("writes {} of {data}{of}, {form}", list(&names))
}

/// What reads the records of a form.
enum Reader {
    Json(Json),
    Csv(Csv),
    Pairs,
}

/// What came of a part of a batch.
#[derive(Default)]
struct Part {
    out: Vec<u8>,
    records: u64,
    missing: Vec<u64>,
    bad: u64,
    /// The first of these.
    named: Vec<(LineId, Bad)>,
}

/// What a run has seen.
struct Seen {
    records: u64,
    bad: u64,
    /// In how many records each wanted field is missing.
    missing: Vec<u64>,
    /// Every name with the records that have it and the first value, where names are listed.
    listed: IndexMap<Vec<u8>, (u64, Vec<u8>)>,
    more_names: bool,
}

impl Filter for Fields {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let mut seen = Seen {
            records: 0,
            bad: 0,
            missing: vec![0; self.names.len()],
            listed: IndexMap::new(),
            more_names: false,
        };
        let mut head = self.heading && !self.names.is_empty();
        io.each_input(&files, 2, |io, input, _| {
            if std::mem::take(&mut head) {
                let mut line = Vec::new();
                self.written.heading(&self.names, &mut line);
                io.out().put(&line, Origin::None)?;
            }
            self.read(io, input, &mut seen)
        })?;
        if self.names.is_empty() {
            for (name, (records, first)) in &seen.listed {
                let mut line = Vec::new();
                let values = [
                    Value::Text(name.into()),
                    Value::Text(records.to_string().into_bytes().into()),
                    Value::Text(first.into()),
                ];
                let names = [b"name".to_vec(), b"records".to_vec(), b"first".to_vec()];
                self.written.record(&names, &values, &mut line);
                io.out().put(&line, Origin::None)?;
            }
        }
        self.tell(io, &seen)?;
        Ok(if seen.bad > 0 { ExitStatus(1) } else { io.status() })
    }

    fn verb(&self) -> Verb {
        if self.names.is_empty() { Verb::Merges } else { Verb::Edits }
    }

    fn verb_varies(&self) -> bool {
        true
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        if self.names.is_empty() {
            return None;
        }
        if dropped.line.iter().all(u8::is_ascii_whitespace) {
            return Some("an empty line is not a record".to_owned());
        }
        let form = self.form.or_else(|| {
            let first = dropped.lines.line(dropped.input, 0)?;
            detect::form(&[&first, dropped.line])
        })?;
        let bad = match form {
            Form::Json => Json::new(&self.names).values(dropped.line).err()?,
            Form::Pairs => pairs::values(dropped.line, &self.names).err()?,
            Form::Csv(_) if dropped.number == 0 && !self.numbers => {
                return Some("the heading of the CSV data".to_owned());
            }
            Form::Csv(_) => return None,
        };
        Some(format!("a record that cannot be read: {}", bad.why))
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        let form = self.form.or_else(|| detect::form(&[line]));
        let begin = line.as_ptr() as usize;
        let place = |part: &[u8]| {
            let from = (part.as_ptr() as usize).checked_sub(begin)?;
            (from + part.len() <= line.len()).then(|| from..from + part.len())
        };
        match form {
            Some(Form::Json) => {
                Json::new(&self.names).raw(line).iter().filter_map(|raw| place(raw)).collect()
            }
            Some(Form::Pairs) => {
                let Ok(values) = pairs::values(line, &self.names) else { return Vec::new() };
                let borrowed = values.iter().filter_map(|value| match value {
                    Value::Text(Cow::Borrowed(text)) => place(text),
                    _ => None,
                });
                borrowed.collect()
            }
            _ => Vec::new(),
        }
    }
}

impl Fields {
    /// Reads one input: its form by its first lines, then record after record.
    fn read(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let form = match self.form {
            Some(form) => form,
            None => {
                let first = input.peek(detect::LOOKED_AT)?;
                let lines: Vec<&[u8]> = first.split(|byte| *byte == b'\n').collect();
                let Some(form) = detect::form(&lines) else {
                    if first.iter().all(u8::is_ascii_whitespace) {
                        return Ok(());
                    }
                    let message = "which form? --json, --csv or --pairs says it";
                    return Err(StageError::failed(2, message).into());
                };
                form
            }
        };
        let mut reader = match form {
            Form::Json => Reader::Json(Json::new(&self.names)),
            Form::Pairs => Reader::Pairs,
            Form::Csv(delimiter) => {
                Reader::Csv(Csv::new(self.delimiter.unwrap_or(delimiter), self.numbers))
            }
        };
        let by_parts = !self.names.is_empty()
            && form.is_of_lines()
            && !io.keeps_origins()
            && !io.out().is_eager();
        if by_parts {
            return self.read_by_parts(io, input, form, seen);
        }
        let mut out = Vec::new();
        while let Some(lines) = input.next_lines()? {
            match &mut reader {
                Reader::Csv(csv) => self.csv(io, csv, &lines, seen, &mut out)?,
                Reader::Json(json) => {
                    let mut read = |line: &[u8], out: &mut Vec<u8>, seen: &mut Seen| {
                        if self.names.is_empty() {
                            return json::all(line, &mut |name, value| seen.list(name, value));
                        }
                        let values = json.values(line)?;
                        self.write(&values, seen, out);
                        Ok(())
                    };
                    self.lines(io, &lines, seen, &mut out, &mut read)?;
                }
                Reader::Pairs => {
                    let mut read = |line: &[u8], out: &mut Vec<u8>, seen: &mut Seen| {
                        if self.names.is_empty() {
                            return pairs::all(line, &mut |name, value| seen.list(name, value));
                        }
                        let values = pairs::values(line, &self.names)?;
                        self.write(&values, seen, out);
                        Ok(())
                    };
                    self.lines(io, &lines, seen, &mut out, &mut read)?;
                }
            }
            if !io.keeps_origins() {
                io.out().put(&out, Origin::None)?;
                out.clear();
            }
            if io.out().is_eager() {
                io.out().flush()?;
            }
        }
        if let Reader::Csv(csv) = &mut reader {
            while self.unclosed(io, csv, seen, &mut out)? {}
            io.out().put(&out, Origin::None)?;
        }
        Ok(())
    }

    /// Reads records of one line each on all processors, a batch of lines after the other. Memory: two
    /// batches and what is written for them.
    fn read_by_parts(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        form: Form,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let processors = io.processors();
        // What ends the input, after what was read before it is written.
        let mut end = None;
        while end.is_none() {
            let mut batch = Vec::new();
            let mut bytes = 0;
            while bytes < BATCH {
                match input.next_lines() {
                    Ok(Some(lines)) => {
                        bytes += lines.bytes.len();
                        batch.push(lines);
                    }
                    Ok(None) => end = Some(Ok(())),
                    Err(error) => end = Some(Err(error)),
                }
                if end.is_some() {
                    break;
                }
            }
            // What is little is not worth another thread.
            let workers = if bytes < BATCH / 4 { 1 } else { processors.count().min(batch.len()) };
            let size = batch.len().div_ceil(workers.max(1)).max(1);
            let mut parts: Vec<Part> = batch.chunks(size).map(|_| Part::default()).collect();
            if let [part] = &mut parts[..] {
                self.part(form, &batch, part);
            } else {
                let jobs = batch.chunks(size).zip(&mut parts).map(|(lines, part)| {
                    Box::new(move || self.part(form, lines, part)) as Box<dyn FnOnce() + Send + '_>
                });
                processors.run(jobs.collect());
            }
            for part in parts {
                seen.records += part.records;
                for (all, missing) in seen.missing.iter_mut().zip(part.missing) {
                    *all += missing;
                }
                for (line, bad) in &part.named {
                    self.name_bad(io, *line, bad, seen)?;
                }
                seen.bad += part.bad - part.named.len() as u64;
                io.out().put(&part.out, Origin::None)?;
            }
        }
        Ok(end.unwrap_or(Ok(()))?)
    }

    /// Reads some lines, each a record.
    fn part(&self, form: Form, all: &[Lines], part: &mut Part) {
        let json = Json::new(&self.names);
        part.missing = vec![0; self.names.len()];
        for (id, line) in all.iter().flat_map(Lines::iter) {
            let line = line.strip_suffix(b"\r").unwrap_or(line);
            if line.iter().all(u8::is_ascii_whitespace) {
                continue;
            }
            part.records += 1;
            let values = match form {
                Form::Json => json.values(line),
                _ => pairs::values(line, &self.names),
            };
            match values {
                Ok(values) => {
                    for (value, missing) in values.iter().zip(&mut part.missing) {
                        *missing += u64::from(*value == Value::Missing);
                    }
                    self.written.record(&self.names, &values, &mut part.out);
                }
                Err(bad) => {
                    part.bad += 1;
                    if (part.named.len() as u64) < NAMED_MAX {
                        part.named.push((id, bad));
                    }
                    if self.keep_bad {
                        part.out.extend_from_slice(line);
                        part.out.push(b'\n');
                    }
                }
            }
        }
    }

    /// Reads records of one line each with `read`, which writes them.
    fn lines(
        &self,
        io: &mut StageIo<'_>,
        lines: &Lines,
        seen: &mut Seen,
        out: &mut Vec<u8>,
        read: &mut dyn FnMut(&[u8], &mut Vec<u8>, &mut Seen) -> Result<(), Bad>,
    ) -> Result<(), InputTrouble> {
        let each = io.keeps_origins();
        for (id, line) in lines.iter() {
            let line = line.strip_suffix(b"\r").unwrap_or(line);
            if line.iter().all(u8::is_ascii_whitespace) {
                continue;
            }
            seen.records += 1;
            match read(line, out, seen) {
                Ok(()) if each => {
                    io.out().put(out, Origin::Line(id))?;
                    out.clear();
                }
                Ok(()) => {}
                Err(bad) => self.bad(io, line, &bad, (id, id), seen, out)?,
            }
        }
        Ok(())
    }

    fn csv(
        &self,
        io: &mut StageIo<'_>,
        csv: &mut Csv,
        lines: &Lines,
        seen: &mut Seen,
        out: &mut Vec<u8>,
    ) -> Result<(), InputTrouble> {
        for (id, line) in lines.iter() {
            self.csv_line(io, csv, line, id, seen, out)?;
        }
        Ok(())
    }

    fn csv_line(
        &self,
        io: &mut StageIo<'_>,
        csv: &mut Csv,
        line: &[u8],
        id: LineId,
        seen: &mut Seen,
        out: &mut Vec<u8>,
    ) -> Result<(), InputTrouble> {
        match csv.line(line, id, &self.names) {
            csv::Step::More => {}
            csv::Step::Heading => {
                if let Some(name) = csv.unknown(&self.names).first() {
                    let text = |name: &[u8]| String::from_utf8_lossy(name).into_owned();
                    let known: Vec<String> = csv.heading().map(text).collect();
                    let message = format!("no field “{}”: there are {}", text(name), list(&known));
                    return Err(StageError::failed(2, message).into());
                }
            }
            csv::Step::Record(first) => {
                seen.records += 1;
                if self.names.is_empty() {
                    for (name, value) in csv.named() {
                        seen.list(name, value);
                    }
                    return Ok(());
                }
                self.write(&csv.values(&self.names), seen, out);
                if io.keeps_origins() {
                    io.out().put(out, Origin::Range(first, id))?;
                    out.clear();
                }
            }
            csv::Step::Bad(bad, first) => {
                seen.records += 1;
                self.bad(io, csv.record(), &bad, (first, id), seen, out)?;
            }
            csv::Step::Unclosed => {
                self.unclosed(io, csv, seen, out)?;
            }
        }
        Ok(())
    }

    /// A quote that is not closed costs its line: those after it are read again without it. False
    /// where none is open.
    fn unclosed(
        &self,
        io: &mut StageIo<'_>,
        csv: &mut Csv,
        seen: &mut Seen,
        out: &mut Vec<u8>,
    ) -> Result<bool, InputTrouble> {
        let Some((record, bad, first)) = csv.take_open() else { return Ok(false) };
        let mut lines = record.split(|byte| *byte == b'\n');
        seen.records += 1;
        self.bad(io, lines.next().unwrap_or_default(), &bad, (first, first), seen, out)?;
        for (number, line) in lines.enumerate() {
            self.csv_line(io, csv, line, first.plus(number as u64 + 1), seen, out)?;
        }
        Ok(true)
    }

    fn write(&self, values: &[Value<'_>], seen: &mut Seen, out: &mut Vec<u8>) {
        for (value, missing) in values.iter().zip(&mut seen.missing) {
            *missing += u64::from(*value == Value::Missing);
        }
        self.written.record(&self.names, values, out);
    }

    /// A record that cannot be read: named, and passed on where that is asked for.
    fn bad(
        &self,
        io: &mut StageIo<'_>,
        record: &[u8],
        bad: &Bad,
        lines: (LineId, LineId),
        seen: &mut Seen,
        out: &mut Vec<u8>,
    ) -> Result<(), InputTrouble> {
        let (first, last) = lines;
        self.name_bad(io, first, bad, seen)?;
        if self.keep_bad && !self.names.is_empty() {
            out.extend_from_slice(record);
            out.push(b'\n');
            if io.keeps_origins() {
                io.out().put(out, Origin::Range(first, last))?;
                out.clear();
            }
        }
        Ok(())
    }

    /// Counts a record that cannot be read, and names it where not many were named.
    fn name_bad(
        &self,
        io: &mut StageIo<'_>,
        line: LineId,
        bad: &Bad,
        seen: &mut Seen,
    ) -> Result<(), StageError> {
        seen.bad += 1;
        if seen.bad > NAMED_MAX || self.quiet {
            return Ok(());
        }
        let mut message = format!("line {}", line.line() + 1);
        if let Some(at) = bad.at {
            let _ = write!(message, ", byte {at}");
        }
        let _ = write!(message, ": {}", bad.why);
        io.message(&message)
    }

    /// What was missing and what could not be read.
    fn tell(&self, io: &mut StageIo<'_>, seen: &Seen) -> Result<(), StageError> {
        if self.quiet {
            return Ok(());
        }
        let records = counted(seen.records - seen.bad, "record", "records");
        if seen.bad > 0 {
            let what = if self.keep_bad { "passed on as it was" } else { "dropped" };
            let bad = counted(seen.bad, "record", "records");
            io.message(&format!(
                "{bad} of {} cannot be read, {what}",
                counted(seen.records, "", "").trim()
            ))?;
        }
        for (name, missing) in self.names.iter().zip(&seen.missing).filter(|(_, count)| **count > 0)
        {
            let name = String::from_utf8_lossy(name);
            let missing = counted(*missing, "", "");
            io.message(&format!("“{name}” is missing in {} of {records}", missing.trim()))?;
        }
        if seen.more_names {
            io.message(&format!("only the first {NAMES_MAX} names are listed"))?;
        }
        Ok(())
    }
}

impl Seen {
    fn list(&mut self, name: &[u8], value: &[u8]) {
        if let Some((records, _)) = self.listed.get_mut(name) {
            *records += 1;
        } else if self.listed.len() < NAMES_MAX {
            self.listed.insert(name.to_vec(), (1, value.to_vec()));
        } else {
            self.more_names = true;
        }
    }
}
