//! Reads the inputs: their form by their first lines, then record after record.

use std::fmt::Write as _;

use stream::{Input, InputTrouble, LineId, Lines, Origin, StageError, StageIo};

use super::Fields;
use super::csv::{self, Csv};
use super::detect::{self, Form};
use super::one_line::OneLine;
use super::seen::Seen;
use super::value::Bad;
use crate::text::phrases::list;

/// Bad records that are named one by one.
const NAMED_MAX: u64 = 10;

/// Bytes of lines that are read before they are worked on by several processors.
const BATCH: usize = 1 << 20;

/// What came of a part of a batch. Kept from one batch to the next.
struct Part {
    out: Vec<u8>,
    /// Where each record ends in it, with its line; none where nobody asks.
    records: Vec<(usize, LineId)>,
    /// The first of those that cannot be read, with the place in what is written before them.
    named: Vec<(usize, LineId, Bad)>,
    seen: Seen,
}

impl Fields {
    /// Reads one input.
    pub(super) fn read(
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
        match form {
            Form::Csv(delimiter) => {
                let csv = Csv::new(self.delimiter.unwrap_or(delimiter), self.numbers);
                self.read_csv(io, input, csv, seen)
            }
            _ if self.names.is_empty() => self.list(io, input, form, seen),
            _ => self.read_lines(io, input, form, seen),
        }
    }

    /// Lists the names in records of one line each.
    fn list(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        form: Form,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let reader = OneLine::new(form, &self.names);
        while let Some(lines) = input.next_lines()? {
            for (id, line) in lines.iter() {
                let Some(line) = record(line) else { continue };
                seen.records += 1;
                if let Err(bad) = reader.all(line, &mut |name, value| seen.list(name, value)) {
                    seen.bad += 1;
                    self.name_bad(io, seen.bad, id, &bad)?;
                }
            }
        }
        Ok(())
    }

    /// Reads records of one line each on all processors, a batch of lines after the other. Memory: a
    /// batch and what is written for it. Where somebody waits for each line, or asks where it is from,
    /// a batch is what comes at once.
    fn read_lines(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        form: Form,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let processors = io.processors();
        let origins = io.keeps_origins();
        let at_once = if origins || io.out().is_eager() { 1 } else { BATCH };
        let mut parts: Vec<Part> = Vec::new();
        let mut batch = Vec::new();
        // What ends the input, after what was read before it is written.
        let mut end = None;
        while end.is_none() {
            batch.clear();
            let mut bytes = 0;
            while bytes < at_once && end.is_none() {
                match input.next_lines() {
                    Ok(Some(lines)) => {
                        bytes += lines.bytes.len();
                        batch.push(lines);
                    }
                    Ok(None) => end = Some(Ok(())),
                    Err(error) => end = Some(Err(error)),
                }
            }
            // What is little is not worth another thread.
            let workers = if bytes < BATCH / 4 { 1 } else { processors.count().min(batch.len()) };
            let size = batch.len().div_ceil(workers.max(1)).max(1);
            let count = batch.len().div_ceil(size);
            while parts.len() < count {
                parts.push(Part {
                    out: Vec::new(),
                    records: Vec::new(),
                    named: Vec::new(),
                    seen: Seen::of(self.names.len()),
                });
            }
            let mut jobs: Vec<Box<dyn FnOnce() + Send + '_>> = Vec::new();
            for (lines, part) in batch.chunks(size).zip(&mut parts) {
                jobs.push(Box::new(move || self.part(form, lines, origins, part)));
            }
            match &mut jobs[..] {
                [_, _, ..] => processors.run(jobs),
                _ => jobs.into_iter().for_each(|job| job()),
            }
            for part in &mut parts[..count] {
                self.write_part(io, part, seen)?;
            }
            if io.out().is_eager() {
                io.out().flush()?;
            }
        }
        Ok(end.unwrap_or(Ok(()))?)
    }

    /// Reads some lines, each a record.
    fn part(&self, form: Form, all: &[Lines], origins: bool, part: &mut Part) {
        part.out.clear();
        part.records.clear();
        part.named.clear();
        let mut reader = OneLine::new(form, &self.names);
        let mut values = Vec::with_capacity(self.names.len());
        for (id, line) in all.iter().flat_map(Lines::iter) {
            let Some(line) = record(line) else { continue };
            match reader.values(line, &mut values) {
                Ok(()) => {
                    part.seen.count(&values);
                    self.written.record(&self.names, &values, &mut part.out);
                }
                Err(bad) => {
                    part.seen.records += 1;
                    part.seen.bad += 1;
                    if (part.named.len() as u64) < NAMED_MAX {
                        part.named.push((part.out.len(), id, bad));
                    }
                    if self.keep_bad {
                        part.out.extend_from_slice(line);
                        part.out.push(b'\n');
                    }
                }
            }
            if origins {
                part.records.push((part.out.len(), id));
            }
        }
    }

    /// Writes what came of a part, and says what was wrong with it.
    fn write_part(
        &self,
        io: &mut StageIo<'_>,
        part: &mut Part,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let mut from = 0;
        let mut named = part.named.iter().peekable();
        let mut number = seen.bad;
        for (to, id) in &part.records {
            while let Some((_, line, bad)) = named.next_if(|(place, ..)| *place <= from) {
                number += 1;
                self.name_bad(io, number, *line, bad)?;
            }
            if *to > from {
                io.out().put(&part.out[from..*to], Origin::Line(*id))?;
            }
            from = *to;
        }
        for (place, line, bad) in named {
            io.out().put(&part.out[from..*place], Origin::None)?;
            from = *place;
            number += 1;
            self.name_bad(io, number, *line, bad)?;
        }
        io.out().put(&part.out[from..], Origin::None)?;
        seen.take_counts(&mut part.seen);
        Ok(())
    }

    fn read_csv(
        &self,
        io: &mut StageIo<'_>,
        input: &mut Input,
        mut csv: Csv,
        seen: &mut Seen,
    ) -> Result<(), InputTrouble> {
        let mut out = Vec::new();
        while let Some(lines) = input.next_lines()? {
            for (id, line) in lines.iter() {
                self.csv_line(io, &mut csv, line, id, seen, &mut out)?;
            }
            io.out().put(&out, Origin::None)?;
            out.clear();
            if io.out().is_eager() {
                io.out().flush()?;
            }
        }
        while self.unclosed(io, &mut csv, seen, &mut out)? {}
        io.out().put(&out, Origin::None)?;
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
                if self.names.is_empty() {
                    seen.records += 1;
                    for (name, value) in csv.named() {
                        seen.list(name, value);
                    }
                    return Ok(());
                }
                let values = csv.values(&self.names);
                seen.count(&values);
                self.written.record(&self.names, &values, out);
                put_record(io, out, Origin::Range(first, id))?;
            }
            csv::Step::Bad(bad, first) => {
                self.bad_csv(io, csv.record(), &bad, (first, id), seen, out)?;
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
        let line = lines.next().unwrap_or_default();
        self.bad_csv(io, line, &bad, (first, first), seen, out)?;
        for (number, line) in lines.enumerate() {
            self.csv_line(io, csv, line, first.plus(number as u64 + 1), seen, out)?;
        }
        Ok(true)
    }

    /// A record that cannot be read: named, and passed on where that is asked for.
    fn bad_csv(
        &self,
        io: &mut StageIo<'_>,
        record: &[u8],
        bad: &Bad,
        lines: (LineId, LineId),
        seen: &mut Seen,
        out: &mut Vec<u8>,
    ) -> Result<(), InputTrouble> {
        let (first, last) = lines;
        seen.records += 1;
        seen.bad += 1;
        if seen.bad <= NAMED_MAX {
            io.out().put(out, Origin::None)?;
            out.clear();
        }
        self.name_bad(io, seen.bad, first, bad)?;
        if self.keep_bad && !self.names.is_empty() {
            out.extend_from_slice(record);
            out.push(b'\n');
            put_record(io, out, Origin::Range(first, last))?;
        }
        Ok(())
    }

    /// Names the record that is bad number `number`, where that is not one of many.
    fn name_bad(
        &self,
        io: &mut StageIo<'_>,
        number: u64,
        line: LineId,
        bad: &Bad,
    ) -> Result<(), StageError> {
        if number > NAMED_MAX || self.quiet {
            return Ok(());
        }
        let mut message = format!("line {}", line.line() + 1);
        if let Some(at) = bad.at {
            let _ = write!(message, ", byte {at}");
        }
        let _ = write!(message, ": {}", bad.why);
        io.message(&message)
    }
}

/// A line without what else ends it; `None` where nothing is in it.
fn record(line: &[u8]) -> Option<&[u8]> {
    let line = line.strip_suffix(b"\r").unwrap_or(line);
    (!line.iter().all(u8::is_ascii_whitespace)).then_some(line)
}

/// Writes a record at once where its origin is kept, else with others.
fn put_record(
    io: &mut StageIo<'_>,
    out: &mut Vec<u8>,
    origin: Origin<'_>,
) -> Result<(), InputTrouble> {
    if io.keeps_origins() {
        io.out().put(out, origin)?;
        out.clear();
    }
    Ok(())
}
