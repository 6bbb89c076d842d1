//! The parts of the state of a program that runs, each with what belongs together.

use std::ops::Range;
use std::rc::Rc;

use pattern::Pattern;
use stream::LineId;

use super::super::code::{Code, Special};
use super::super::shared_text::SharedText;
use super::super::split::Splitter;
use super::super::text::NumberFormat;
use super::super::value::{SharedArray, Slot, Value};
use crate::common::input::line_set::LineSet;
use crate::common::input::records::Separator;
use crate::common::substitution::Replacement;

/// The variables that awk itself looks at, and what was made of their values.
pub(in super::super) struct Specials {
    /// Their values as they were set; those of `NR` and `FNR` are beside them.
    pub(super) values: [Value; 14],
    /// Records read.
    pub(in super::super) nr: f64,
    /// Records read from the current file.
    pub(in super::super) fnr: f64,
    /// `FS`.
    pub(super) splitter: Rc<Splitter>,
    /// `RS`.
    pub(in super::super) separator: Rc<Separator>,
    /// `OFS`.
    pub(super) output_separator: Vec<u8>,
    /// `ORS`.
    pub(super) output_end: Vec<u8>,
    /// `SUBSEP`.
    pub(super) subscript_separator: Vec<u8>,
    /// `CONVFMT`.
    pub(super) convfmt: NumberFormat,
    /// `OFMT`.
    pub(super) ofmt: NumberFormat,
}

impl Specials {
    /// As they are before the program begins (XCU awk, Variables and Special Variables).
    pub(super) fn new(argc: Value, splitter: Rc<Splitter>) -> Self {
        let mut values: [Value; 14] = std::array::from_fn(|_| Value::Unset);
        values[Special::Argc as usize] = argc;
        for (special, text) in [
            (Special::Convfmt, "%.6g"),
            (Special::Fs, " "),
            (Special::Ofmt, "%.6g"),
            (Special::Ofs, " "),
            (Special::Ors, "\n"),
            (Special::Rs, "\n"),
            (Special::Subsep, "\u{1c}"),
        ] {
            values[special as usize] = Value::text(text.as_bytes());
        }
        values[Special::Rstart as usize] = Value::Number(0.0);
        values[Special::Rlength as usize] = Value::Number(-1.0);
        Self {
            values,
            nr: 0.0,
            fnr: 0.0,
            splitter,
            separator: Rc::new(Separator::Byte(b'\n')),
            output_separator: b" ".to_vec(),
            output_end: b"\n".to_vec(),
            subscript_separator: vec![0x1c],
            convfmt: NumberFormat::new(b"%.6g"),
            ofmt: NumberFormat::new(b"%.6g"),
        }
    }
}

/// A parameter or local variable of a function that runs.
pub(in super::super) enum Local {
    Value(Slot),
    Array(SharedArray),
}

/// The functions that run: their parameters and local variables.
pub(super) struct Frames {
    /// Those of all functions that run, the innermost last.
    pub(super) locals: Vec<Local>,
    /// Where those of the innermost begin.
    pub(super) base: usize,
    /// How many functions run within each other.
    pub(super) calls: usize,
    /// What the function that ends now gives.
    pub(super) returned: Value,
}

impl Default for Frames {
    fn default() -> Self {
        Self { locals: Vec::new(), base: 0, calls: 0, returned: Value::Unset }
    }
}

/// Texts of the program and what was made of texts, so that it is made once.
pub(super) struct Made {
    /// The texts of the program, shared with values.
    pub(super) texts: Vec<SharedText>,
    /// Patterns made from values while running, by their texts; the latest are kept.
    pub(super) patterns: Vec<(Vec<u8>, Rc<Pattern>)>,
    /// Replacements that are texts of the program, by the places of those.
    pub(super) replacements: Vec<Option<Rc<Replacement>>>,
    /// Buffers that can be used again.
    pub(super) spare: Vec<Vec<u8>>,
}

impl Made {
    pub(super) fn new(code: &Code) -> Self {
        Self {
            texts: code.texts.iter().map(|text| text[..].into()).collect(),
            patterns: Vec::new(),
            replacements: vec![None; code.texts.len()],
            spare: Vec::new(),
        }
    }
}

/// `rand` and `srand`.
pub(super) struct Chance {
    pub(super) random: fastrand::Rng,
    pub(super) seed: f64,
}

impl Default for Chance {
    fn default() -> Self {
        Self { random: fastrand::Rng::with_seed(0), seed: 0.0 }
    }
}

/// Where what is written comes from; kept only where the run keeps origins.
#[derive(Default)]
pub(in super::super) struct Lineage {
    /// True where the run keeps origins.
    pub(in super::super) tracks: bool,
    /// The lines of what was looked at since the last look.
    pub(super) reads: LineSet,
    /// The lines of the current record.
    pub(in super::super) current: Option<(LineId, LineId)>,
}

/// What was written but not handed on yet.
pub(super) struct Gathered {
    /// The bytes; only without lineage.
    pub(super) out: Vec<u8>,
    /// True where every line is handed on at once.
    pub(super) eager: bool,
}

/// A line that is watched, and what is known of it.
pub(in super::super) struct Watch<'m> {
    pub(super) line: LineId,
    /// The program, to name its conditions.
    text: &'m [u8],
    /// Why nothing was written of it.
    pub(super) reasons: Vec<String>,
    /// It was the current record.
    pub(super) reached: bool,
}

impl<'m> Watch<'m> {
    pub(in super::super) fn new(line: LineId, text: &'m [u8]) -> Self {
        Self { line, text, reasons: Vec::new(), reached: false }
    }

    /// A part of the program, on one line.
    pub(super) fn source(&self, at: &Range<usize>) -> String {
        let text = self.text.get(at.clone()).unwrap_or_default();
        let words = String::from_utf8_lossy(text);
        words.split_whitespace().collect::<Vec<_>>().join(" ")
    }
}
