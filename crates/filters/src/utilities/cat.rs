//! `cat`: passes its input through, file after file.

use stream::{ExitStatus, Input, InputTrouble, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb,
    example, option,
};
use crate::text::counts::push_padded;
use crate::text::phrases::{from_files, list};

const OPTIONS: &[OptionSpec] = &[
    option('A', "show-all", None, "as -vET: show everything", false),
    option('b', "number-nonblank", None, "number the lines that are not empty", false),
    option('e', "", None, "as -vE", false),
    option('E', "show-ends", None, "put $ at the end of each line", false),
    option('n', "number", None, "number all lines", false),
    option('s', "squeeze-blank", None, "squeeze runs of empty lines into one", false),
    option('t', "", None, "as -vT", false),
    option('T', "show-tabs", None, "show TAB as ^I", false),
    option('u', "", None, "write without delay (accepted; nothing to do)", true),
    option('v', "show-nonprinting", None, "show control and high bytes as ^ and M- marks", false),
];

static SPEC: Spec = Spec {
    name: "cat",
    summary: "passes its input through, file after file",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("cat -n station.conf", "number the lines"),
        example("cat -A awkward.txt", "see the invisible"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

#[derive(Default)]
struct Cat {
    files: Vec<Vec<u8>>,
    number: bool,
    number_filled: bool,
    squeeze: bool,
    ends: bool,
    tabs: bool,
    marks: bool,
    at_start: bool,
    line_number: u64,
    empty_before: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let any = |letters: &str| letters.chars().any(|letter| arguments.has(letter));
    Ok(Box::new(Cat {
        files: arguments.operand_values(),
        number: any("n") && !any("b"),
        number_filled: any("b"),
        squeeze: any("s"),
        ends: any("AeE"),
        tabs: any("AtT"),
        marks: any("Aetv"),
        at_start: true,
        ..Cat::default()
    }))
}

fn explain(arguments: &Arguments) -> String {
    let any = |letters: &str| letters.chars().any(|letter| arguments.has(letter));
    let mut parts = Vec::new();
    if any("b") {
        parts.push("numbers the lines that are not empty".to_owned());
    } else if any("n") {
        parts.push("numbers every line".to_owned());
    }
    if any("s") {
        parts.push("makes one of several empty lines".to_owned());
    }
    if any("AeEtTv") {
        parts.push("shows invisible bytes as marks".to_owned());
    }
    let files = from_files(&arguments.operand_values());
    if parts.is_empty() {
        return format!("passes on every line{files}");
    }
    format!(
        "{}{}",
        list(&parts),
        if files.is_empty() { files } else { format!(", for every line{files}") }
    )
}

impl Filter for Cat {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let plain = !(self.number
            || self.number_filled
            || self.squeeze
            || self.ends
            || self.tabs
            || self.marks);
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, name| {
            if is_output(io, input) {
                let name = String::from_utf8_lossy(name);
                io.message(&format!("{name}: input file is output file"))?;
                io.note_status(1);
                return Ok(());
            }
            if plain { pass(io, input) } else { self.edit(io, input) }
        })?;
        Ok(io.status())
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        let squeezed = self.squeeze && dropped.line.is_empty();
        squeezed.then(|| "an empty line after another one, and -s leaves one of them".to_owned())
    }

    fn verb(&self) -> Verb {
        if self.number || self.number_filled || self.ends || self.tabs || self.marks {
            Verb::Edits
        } else if self.squeeze {
            Verb::Keeps
        } else {
            Verb::Passes
        }
    }
}

/// True for a file that would be read for ever, because what is read is added to it.
fn is_output(io: &mut StageIo<'_>, input: &Input) -> bool {
    let (Some(output), Some(input)) = (io.out().file_facts(), input.file_facts()) else {
        return false;
    };
    output.is_regular() && input.inode != 0 && output.same_file(&input) && input.bytes > 0
}

fn pass(io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
    while let Some(block) = input.next_block()? {
        io.out().pass_lines(block)?;
    }
    Ok(())
}

impl Cat {
    fn edit(&mut self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let mut shown = Vec::new();
        let marked = Marked::new(self.marks, self.tabs, self.ends);
        let each = io.keeps_origins();
        while let Some(lines) = input.next_lines()? {
            if !(each || self.number || self.number_filled || self.squeeze) && self.marks {
                marked.apply(&lines.bytes, &mut shown);
                io.out().put(&shown, Origin::None)?;
                shown.clear();
                continue;
            }
            let whole_lines = lines.bytes.last() == Some(&b'\n');
            let last = lines.first.plus(lines.newlines);
            for (id, line) in lines.iter() {
                let ended = whole_lines || id != last;
                self.one_line(line, ended, &marked, &mut shown);
                if each {
                    io.out().put(&shown, Origin::Line(id))?;
                    shown.clear();
                }
            }
            io.out().put(&shown, Origin::None)?;
            shown.clear();
        }
        Ok(())
    }

    fn one_line(&mut self, line: &[u8], ended: bool, marked: &Marked, shown: &mut Vec<u8>) {
        let empty = line.is_empty() && self.at_start && ended;
        if self.squeeze && empty && self.empty_before {
            return;
        }
        self.empty_before = empty;
        if self.at_start && (self.number || self.number_filled && !line.is_empty()) {
            self.line_number += 1;
            push_padded(self.line_number, 6, shown);
            shown.push(b'\t');
        }
        let carriage = self.ends && ended && !self.marks && line.ends_with(b"\r");
        let line = if carriage { &line[..line.len() - 1] } else { line };
        if self.marks || self.tabs {
            marked.apply(line, shown);
        } else {
            shown.extend_from_slice(line);
        }
        if carriage {
            mark(b'\r', shown);
        }
        if ended {
            if self.ends {
                shown.push(b'$');
            }
            shown.push(b'\n');
        }
        self.at_start = ended;
    }
}

/// How each byte is shown: in at most four bytes.
struct Marked([([u8; 4], u8); 256]);

/// Bytes looked at in one go.
const PIECE: usize = 1024;

impl Marked {
    fn new(marks: bool, tabs: bool, ends: bool) -> Self {
        let mut table = [([0; 4], 1); 256];
        for byte in 0..=255_u8 {
            let mut shown = vec![byte];
            let is_marked = match byte {
                b'\n' => false,
                b'\t' => tabs,
                _ => marks,
            };
            if is_marked {
                shown.clear();
                mark(byte, &mut shown);
            } else if byte == b'\n' && ends {
                shown.insert(0, b'$');
            }
            let (bytes, length) = &mut table[usize::from(byte)];
            bytes[..shown.len()].copy_from_slice(&shown);
            *length = shown.len() as u8;
        }
        Self(table)
    }

    /// Appends `bytes` as they are shown. Four bytes are always written, and as many count as
    /// there are: what a byte becomes is no branch.
    fn apply(&self, bytes: &[u8], out: &mut Vec<u8>) {
        for piece in bytes.chunks(PIECE) {
            let mut target = [0_u8; PIECE * 4 + 4];
            let mut end = 0;
            for &byte in piece {
                let (shown, length) = &self.0[usize::from(byte)];
                target[end..end + 4].copy_from_slice(shown);
                end += usize::from(*length);
            }
            out.extend_from_slice(&target[..end]);
        }
    }
}

/// A byte in `^` and `M-` notation.
fn mark(byte: u8, shown: &mut Vec<u8>) {
    let low = if byte >= 128 {
        shown.extend_from_slice(b"M-");
        byte - 128
    } else {
        byte
    };
    match low {
        0..=31 => shown.extend_from_slice(&[b'^', low + 64]),
        127 => shown.extend_from_slice(b"^?"),
        _ => shown.push(low),
    }
}
