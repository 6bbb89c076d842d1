//! `tac`: reverses the order of lines: the last one first.

mod separator;

use bytes::Bytes;
use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option,
};
use crate::text::phrases::{from_files, named};
use separator::Separator;

const OPTIONS: &[OptionSpec] = &[
    option('b', "before", None, "the separator is before a record, not after it", false),
    option('r', "regex", None, "the separator is a regular expression", false),
    option('s', "separator", Some("TEXT"), "records end with TEXT instead of a newline", false),
];

static SPEC: Spec = Spec {
    name: "tac",
    summary: "reverses the order of lines: the last one first",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("tac winch.log", "the newest entry first")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Tac {
    files: Vec<Vec<u8>>,
    separator: Separator,
    before: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let given = arguments.last('s');
    let text = given.map_or(&b"\n"[..], |given| &given.value);
    let wrong = |message: String| UsageError::new(&SPEC, given.map(|given| given.word), message);
    let separator = match (arguments.has('r'), text) {
        (true, []) => return Err(wrong("separator cannot be empty".to_owned())),
        (true, text) => Separator::matching(text).map_err(|error| wrong(error.to_string()))?,
        // An empty one means NUL.
        (false, []) => Separator::text(vec![0]),
        (false, text) => Separator::text(text.to_vec()),
    };
    Ok(Box::new(Tac { files: arguments.operand_values(), separator, before: arguments.has('b') }))
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    match arguments.last('s') {
        None => format!("reverses the order of the lines{files}, the last one first"),
        Some(given) => {
            let what = if arguments.has('r') { "a match of " } else { "" };
            format!(
                "reverses the order of the records{files} that {what}{} ends, the last one first",
                named(&given.value)
            )
        }
    }
}

impl Filter for Tac {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, _| {
            if self.separator.is_newline() && !self.before {
                lines(io, input)
            } else {
                self.records(io, input)
            }
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        // Records that end elsewhere, or begin with what ends others, cut lines and join them.
        let of_lines = self.separator.is_newline() && !self.before;
        if of_lines { Verb::Orders } else { Verb::Edits }
    }

    fn holds(&self) -> Option<&'static str> {
        Some("the first line of the result is the last one read")
    }
}

/// Memory: the input.
fn lines(io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
    let mut held: Vec<(Bytes, LineId)> = Vec::new();
    let mut bytes = 0;
    while let Some(lines) = input.next_lines()? {
        bytes += lines.bytes.len() as u64;
        io.holds(bytes);
        held.push((lines.bytes, lines.first));
    }
    let (mut turned, mut ids) = (Vec::new(), Vec::new());
    while let Some((block, first)) = held.pop() {
        io.check_cancel()?;
        turned.clear();
        turned.reserve(block.len());
        let ends_line = block.ends_with(b"\n");
        let mut end = block.len();
        while end > 0 {
            let start = memchr::memrchr(b'\n', &block[..end - 1]).map_or(0, |at| at + 1);
            turned.extend_from_slice(&block[start..end]);
            end = start;
        }
        if io.keeps_origins() {
            let count = memchr::memchr_iter(b'\n', &block).count() as u64 + u64::from(!ends_line);
            // A last line without a newline runs into the one before it.
            for number in (0..count).rev() {
                ids.push(first.plus(number));
            }
            put(io, &turned, &ids)?;
            ids.clear();
        } else {
            io.out().put(&turned, Origin::None)?;
        }
        bytes -= block.len() as u64;
        io.holds(bytes);
    }
    Ok(())
}

/// Writes lines turned round; the first of them may lack its newline.
fn put(io: &mut StageIo<'_>, turned: &[u8], ids: &[LineId]) -> Result<(), InputTrouble> {
    let mut rest = turned;
    let newlines = memchr::memchr_iter(b'\n', turned).count();
    let mut ids = ids.iter();
    if newlines < ids.len() {
        // Two input lines share one output line, or the only line has no newline.
        let open = ids.next().copied();
        let end = memchr::memchr(b'\n', turned).map_or(turned.len(), |at| at + 1);
        let pair: Vec<LineId> = open.into_iter().chain(ids.next().copied()).collect();
        io.out().put(&turned[..end], Origin::List(&pair))?;
        rest = &turned[end..];
    }
    for id in ids {
        let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
        io.out().put(&rest[..end], Origin::Line(*id))?;
        rest = &rest[end..];
    }
    Ok(())
}

impl Tac {
    /// Memory: the input, and up to 24 bytes for each separator.
    fn records(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let mut data: Vec<u8> = Vec::new();
        let mut first = LineId::new(input.number(), 0);
        while let Some(block) = input.next_block()? {
            if data.is_empty() {
                first = block.first;
            }
            data.extend_from_slice(&block.bytes);
            io.holds(data.len() as u64);
        }
        let mut newlines_before = memchr::memchr_iter(b'\n', &data).count() as u64;
        let mut end = data.len();
        let found = self.separator.all(&data, || io.check_cancel())?;
        let cuts = found.iter().map(|found| if self.before { found.start } else { found.end });
        for cut in cuts.chain(std::iter::once(0)) {
            let part = &data[cut..end];
            newlines_before -= memchr::memchr_iter(b'\n', part).count() as u64;
            io.out().put(part, Origin::Sequence(first.plus(newlines_before)))?;
            end = cut;
        }
        io.holds(0);
        Ok(())
    }
}
