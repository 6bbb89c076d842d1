//! `od`: shows what the bytes are.

use stream::{ExitStatus, LineId, Origin, StageError, StageIo};

use crate::common::input::line_feed::read_failure;
use crate::spec::{
    Arguments, Definition, Filter, Given, Operands, OptionId, OptionSpec, Spec, Style, UsageError,
    Verb, example, option, option_attached, shown,
};
use crate::text::phrases::from_files;

mod kinds;

use kinds::{Kind, parse_types};

const OPTIONS: &[OptionSpec] = &[
    option(
        'A',
        "address-radix",
        Some("RADIX"),
        "addresses in o (octal), d (decimal), x (hexadecimal), or none (n)",
        true,
    ),
    option('N', "read-bytes", Some("NUM"), "at most NUM bytes", true),
    option('a', "", None, "names of characters: as -t a", false),
    option('b', "", None, "octal bytes: as -t o1", false),
    option('c', "", None, "characters: as -t c", false),
    option('d', "", None, "decimal, two bytes at a time: as -t u2", false),
    option('f', "", None, "floating point, four bytes at a time: as -t fF", false),
    option('i', "", None, "signed decimal, four bytes at a time: as -t dI", false),
    option('j', "skip-bytes", Some("NUM"), "skip NUM bytes", true),
    option('l', "", None, "signed decimal, eight bytes at a time: as -t dL", false),
    option('o', "", None, "octal, two bytes at a time: as -t o2", false),
    option('s', "", None, "signed decimal, two bytes at a time: as -t d2", false),
    option(
        't',
        "format",
        Some("TYPE"),
        "how bytes are shown: a, c, or d, o, u, x, f with a size; a z after it adds the text",
        true,
    ),
    option('v', "output-duplicates", None, "write repeated lines, too", true),
    option_attached('w', "width", "NUM", "NUM bytes per line (16; 32 for -w alone)"),
    option('x', "", None, "hexadecimal, two bytes at a time: as -t x2", false),
];

static SPEC: Spec = Spec {
    name: "od",
    summary: "shows what the bytes are",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("od -c awkward.txt", "characters, with names for the invisible ones"),
        example("od -A x -t x1z awkward.txt", "hexadecimal, with the text next to it"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Clone, Copy, PartialEq, Eq)]
enum Radix {
    Octal,
    Decimal,
    Hexadecimal,
    None,
}

struct Od {
    files: Vec<Vec<u8>>,
    radix: Radix,
    kinds: Vec<Kind>,
    skip: u64,
    most: Option<u64>,
    all: bool,
    width: usize,
    /// Said before anything is written.
    warning: Option<String>,
}

/// A number as C writes it, with a size suffix; `0x` and `0` begin other bases.
fn number(text: &[u8]) -> Option<u64> {
    let text = std::str::from_utf8(text).ok()?;
    let (digits, radix) = match text.strip_prefix("0x").or(text.strip_prefix("0X")) {
        Some(rest) => (rest, 16),
        None if text.starts_with('0') && text.len() > 1 => (&text[1..], 8),
        None => (text, 10),
    };
    let end = digits.find(|digit: char| !digit.is_digit(radix)).unwrap_or(digits.len());
    let value =
        if end == 0 && radix == 8 { 0 } else { u64::from_str_radix(&digits[..end], radix).ok()? };
    let factor = crate::text::counts::count(format!("1{}", &digits[end..]).as_bytes())?;
    value.checked_mul(factor)
}

/// `+OFFSET[.][b]` of the old form.
fn old_offset(text: &[u8]) -> Option<u64> {
    let text = std::str::from_utf8(text.strip_prefix(b"+").unwrap_or(text)).ok()?;
    let (text, factor) = match text.strip_suffix('b') {
        Some(rest) if !rest.starts_with("0x") => (rest, 512),
        _ => (text, 1),
    };
    let (digits, radix) = match (text.strip_suffix('.'), text.strip_prefix("0x")) {
        (Some(rest), _) => (rest, 10),
        (_, Some(rest)) => (rest, 16),
        _ => (text, 8),
    };
    u64::from_str_radix(digits, radix).ok()?.checked_mul(factor)
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let amount = |short: char| {
        let Some(given) = arguments.last(short) else { return Ok(None) };
        number(&given.value).map(Some).ok_or_else(|| {
            let message = format!("invalid -{short} argument {}", shown(&given.value));
            UsageError::new(&SPEC, Some(given.word), message)
        })
    };
    let radix = match arguments.last('A').map(|given| (given.value.first(), given.word)) {
        None | Some((Some(b'o'), _)) => Radix::Octal,
        Some((Some(b'd'), _)) => Radix::Decimal,
        Some((Some(b'x'), _)) => Radix::Hexadecimal,
        Some((Some(b'n'), _)) => Radix::None,
        Some((letter, word)) => {
            let letter = letter.map_or(String::new(), |byte| char::from(*byte).to_string());
            let message = format!(
                "invalid output address radix '{letter}'; it must be one character from [doxn]"
            );
            return Err(UsageError::new(&SPEC, Some(word), message));
        }
    };
    let mut kinds = Vec::new();
    for given in &arguments.options {
        kinds.extend(kinds_of(given)?);
    }
    if kinds.is_empty() {
        kinds = kinds_of(&Given { id: 'o'.into(), value: Vec::new(), word: 0 })?;
    }
    let multiple = kinds.iter().fold(1, |multiple, kind| least_common(multiple, kind.size()));
    let mut warning = None;
    let width = match arguments.last('w') {
        None => multiple * (16 / multiple).max(1),
        Some(given) => {
            let wanted = if given.value.is_empty() { Some(32) } else { number(&given.value) };
            match wanted.map(|wanted| wanted as usize) {
                Some(wanted) if wanted > 0 && wanted % multiple == 0 && wanted <= 1 << 20 => wanted,
                None => {
                    let message = format!("invalid -w argument {}", shown(&given.value));
                    return Err(UsageError::new(&SPEC, Some(given.word), message));
                }
                Some(wanted) => {
                    warning =
                        Some(format!("warning: invalid width {wanted}; using {multiple} instead"));
                    multiple
                }
            }
        }
    };
    let mut files = arguments.operand_values();
    let mut skip = amount('j')?.unwrap_or(0);
    let new_form = arguments.options.iter().any(|given| given.is_one_of("AjNtvw"));
    if !new_form
        && let Some(last) = files.last()
        && (files.len() == 1 && last.starts_with(b"+")
            || files.len() == 2
                && last.first().is_some_and(|byte| matches!(byte, b'+' | b'0'..=b'9')))
        && let Some(offset) = old_offset(last)
    {
        skip = offset;
        files.pop();
    }
    Ok(Box::new(Od {
        files,
        radix,
        kinds,
        skip,
        most: amount('N')?,
        all: arguments.has('v'),
        width,
        warning,
    }))
}

fn kinds_of(given: &Given) -> Result<Vec<Kind>, UsageError> {
    let types: &[u8] = match given.id {
        OptionId::Letter('t') => &given.value,
        OptionId::Letter('a') => b"a",
        OptionId::Letter('b') => b"o1",
        OptionId::Letter('c') => b"c",
        OptionId::Letter('d') => b"u2",
        OptionId::Letter('f') => b"fF",
        OptionId::Letter('i') => b"dI",
        OptionId::Letter('l') => b"dL",
        OptionId::Letter('o') => b"o2",
        OptionId::Letter('s') => b"d2",
        OptionId::Letter('x') => b"x2",
        _ => return Ok(Vec::new()),
    };
    parse_types(types).map_err(|message| UsageError::new(&SPEC, Some(given.word), message))
}

fn least_common(one: usize, other: usize) -> usize {
    let (mut left, mut right) = (one, other);
    while right > 0 {
        (left, right) = (right, left % right);
    }
    one / left * other
}

fn explain(arguments: &Arguments) -> String {
    let ways: Vec<String> = arguments
        .options
        .iter()
        .filter_map(|given| kinds_of(given).ok())
        .flatten()
        .map(kinds::Kind::in_words)
        .collect();
    let ways = if ways.is_empty() {
        "two bytes at a time in octal".to_owned()
    } else {
        ways.join(", then ")
    };
    format!("shows the bytes{}: {ways}", from_files(&arguments.operand_values()))
}

/// What was written of the block before.
#[derive(Default)]
struct Last {
    block: Vec<u8>,
    starred: bool,
}

impl Filter for Od {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        if let Some(warning) = &self.warning {
            io.message(warning)?;
        }
        let files = if self.files.is_empty() { vec![b"-".to_vec()] } else { self.files.clone() };
        let (mut skip, mut left) = (self.skip, self.most.unwrap_or(u64::MAX));
        let mut address = self.skip;
        let mut pending: Vec<u8> = Vec::new();
        // The lines that the pending bytes are from.
        let mut from: Option<LineId> = None;
        let mut last = Last::default();
        let mut opened = false;
        let mut out = Vec::with_capacity(stream::BLOCK_SIZE * 2);
        for file in files {
            if left == 0 && skip == 0 {
                break;
            }
            let mut input = match io.open(&file) {
                Ok(input) => {
                    opened = true;
                    input
                }
                Err(error) => {
                    io.note_status(1);
                    let name = String::from_utf8_lossy(&file).into_owned();
                    io.message(&format!("{name}: {}", stream::describe(&error)))?;
                    continue;
                }
            };
            loop {
                if left == 0 && skip == 0 {
                    break;
                }
                let lines = match input.next_block() {
                    Ok(Some(lines)) => lines,
                    Ok(None) => break,
                    Err(error) => match read_failure(1, &file, error) {
                        StageError::Failed { message, .. } => {
                            io.note_status(1);
                            io.message(&message)?;
                            break;
                        }
                        other => return Err(other),
                    },
                };
                let skipped = skip.min(lines.bytes.len() as u64) as usize;
                skip -= skipped as u64;
                let taken = (left.min((lines.bytes.len() - skipped) as u64)) as usize;
                left -= taken as u64;
                let mut bytes = &lines.bytes[skipped..skipped + taken];
                let mut id = lines.first;
                if io.keeps_origins() {
                    id =
                        id.plus(memchr::memchr_iter(b'\n', &lines.bytes[..skipped]).count() as u64);
                }
                // A block begun before is filled up first; whole ones are not copied.
                if !pending.is_empty() {
                    let room = (self.width - pending.len()).min(bytes.len());
                    pending.extend_from_slice(&bytes[..room]);
                    let part = &bytes[..room];
                    bytes = &bytes[room..];
                    if pending.len() == self.width {
                        let block = std::mem::take(&mut pending);
                        self.block(io, &block, &mut address, &mut last, &mut out, from.take(), id)?;
                    }
                    id = after(io, id, part);
                }
                while bytes.len() >= self.width {
                    let (block, rest) = bytes.split_at(self.width);
                    self.block(io, block, &mut address, &mut last, &mut out, Some(id), id)?;
                    id = after(io, id, block);
                    bytes = rest;
                }
                if !bytes.is_empty() {
                    from = from.or(Some(id));
                    pending.extend_from_slice(bytes);
                }
            }
        }
        if !opened && io.status() != ExitStatus::SUCCESS {
            // Nothing was read, so there is no place to name.
            return Ok(io.status());
        }
        if skip > 0 {
            return Err(StageError::failed(1, "cannot skip past end of combined input"));
        }
        if !pending.is_empty() {
            let id = from.unwrap_or(LineId::new(0, 0));
            self.write_block(&pending, address, &mut out);
            address += pending.len() as u64;
            io.out().put(&out, Origin::Line(id))?;
            out.clear();
        }
        if self.radix != Radix::None {
            self.address(address, &mut out);
            out.push(b'\n');
        }
        io.out().put(&out, Origin::None)?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Merges
    }
}

/// The line that follows on `bytes` of line `id`, where that is kept.
fn after(io: &StageIo<'_>, id: LineId, bytes: &[u8]) -> LineId {
    if io.keeps_origins() { id.plus(memchr::memchr_iter(b'\n', bytes).count() as u64) } else { id }
}

impl Od {
    #[allow(clippy::too_many_arguments)] // what continues from block to block
    fn block(
        &self,
        io: &mut StageIo<'_>,
        block: &[u8],
        address: &mut u64,
        last: &mut Last,
        out: &mut Vec<u8>,
        from: Option<LineId>,
        id: LineId,
    ) -> Result<(), StageError> {
        if !self.all && last.block == block {
            if !last.starred {
                out.extend_from_slice(b"*\n");
            }
            last.starred = true;
        } else {
            self.write_block(block, *address, out);
            last.starred = false;
            last.block.clear();
            last.block.extend_from_slice(block);
        }
        *address += block.len() as u64;
        if io.keeps_origins() {
            let first = from.unwrap_or(id);
            let inside = memchr::memchr_iter(b'\n', &block[..block.len() - 1]).count() as u64;
            let origin = if first.input() == id.input() {
                Origin::Range(first, first.plus(inside))
            } else {
                Origin::Line(id)
            };
            io.out().put(out, origin)?;
            out.clear();
        } else if out.len() >= stream::BLOCK_SIZE {
            io.out().put(out, Origin::None)?;
            out.clear();
        }
        Ok(())
    }

    fn address(&self, address: u64, out: &mut Vec<u8>) {
        let text = match self.radix {
            Radix::Octal => format!("{address:07o}"),
            Radix::Decimal => format!("{address:07}"),
            Radix::Hexadecimal => format!("{address:06x}"),
            Radix::None => String::new(),
        };
        out.extend_from_slice(text.as_bytes());
    }

    fn write_block(&self, block: &[u8], address: u64, out: &mut Vec<u8>) {
        // The widest kind decides how wide the others are spread.
        let widest =
            self.kinds.iter().map(|kind| (kind.width() + 1) * (self.width / kind.size())).max();
        let blanks = match self.radix {
            Radix::Hexadecimal => 6,
            Radix::None => 0,
            _ => 7,
        };
        for (number, kind) in self.kinds.iter().enumerate() {
            if number == 0 {
                self.address(address, out);
            } else {
                out.resize(out.len() + blanks, b' ');
            }
            let fields = self.width / kind.size();
            let pad = widest.unwrap_or(0) - (kind.width() + 1) * fields;
            kind.write(block, self.width, pad, out);
            out.push(b'\n');
        }
    }
}
