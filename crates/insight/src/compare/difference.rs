//! What a file that would be written has now, beside what it would have.

use std::path::Path;
use std::time::Duration;

use engine::{PendingFile, PendingMode};
use similar::{Algorithm, ChangeTag, TextDiff};

/// Bytes of either side that are compared; what is behind them is left out, which is said.
const COMPARED: usize = 1 << 20;

/// Lines around a change that are shown.
const AROUND: usize = 2;

/// How long the comparing may take; a coarser result comes then.
const PATIENCE: Duration = Duration::from_millis(500);

/// Which side has a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// Both.
    Both,
    /// Only what is there now.
    Old,
    /// Only what would be written.
    New,
    /// Neither: this many lines that are the same are left out here.
    Skipped(usize),
}

/// A line of the comparison.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DifferenceRow {
    /// Which side has it.
    pub side: Side,
    /// Its number in what is there now, from 1.
    pub old: Option<usize>,
    /// Its number in what would be there, from 1.
    pub new: Option<usize>,
    /// The line, without its newline.
    pub text: String,
}

/// What would change in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Difference {
    /// The lines.
    pub rows: Vec<DifferenceRow>,
    /// True where only the beginning was compared.
    pub cut: bool,
}

/// Compares a file as it is with what it would be. Reads at most 1 MiB of either side.
pub fn difference(file: &PendingFile) -> Difference {
    let (old, old_cut) = beginning(&file.path);
    let written = file.kept.source();
    let (mut new, new_cut) = taken(written);
    // Of a longer file the end is what changes, and it is not among what was read.
    let cut = old_cut || new_cut;
    if file.mode == PendingMode::Append {
        new = [&old[..], &new[..]].concat();
    }
    compared(&old, &new, cut)
}

/// Compares two contents, of each at most the first MiB.
pub fn difference_of(old: &[u8], new: &[u8]) -> Difference {
    let cut = old.len().max(new.len()) > COMPARED;
    compared(&old[..old.len().min(COMPARED)], &new[..new.len().min(COMPARED)], cut)
}

fn compared(old: &[u8], new: &[u8], cut: bool) -> Difference {
    let (old, new) = (String::from_utf8_lossy(old), String::from_utf8_lossy(new));
    let compared = TextDiff::configure()
        .algorithm(Algorithm::Patience)
        .timeout(PATIENCE)
        .diff_lines(&*old, &*new);
    let mut rows = Vec::new();
    let mut last_old = 0;
    for group in compared.grouped_ops(AROUND) {
        let begins = group.first().map_or(0, |operation| operation.old_range().start);
        if begins > last_old {
            let side = Side::Skipped(begins - last_old);
            rows.push(DifferenceRow { side, old: None, new: None, text: String::new() });
        }
        for operation in group {
            last_old = operation.old_range().end;
            for change in compared.iter_changes(&operation) {
                let side = match change.tag() {
                    ChangeTag::Equal => Side::Both,
                    ChangeTag::Delete => Side::Old,
                    ChangeTag::Insert => Side::New,
                };
                let text = change.value();
                rows.push(DifferenceRow {
                    side,
                    old: change.old_index().map(|at| at + 1),
                    new: change.new_index().map(|at| at + 1),
                    text: text.strip_suffix('\n').unwrap_or(text).to_owned(),
                });
            }
        }
    }
    Difference { rows, cut }
}

fn beginning(path: &Path) -> (Vec<u8>, bool) {
    use std::io::Read;
    let mut bytes = Vec::new();
    let Ok(Some(file)) = engine::open_regular(path) else { return (bytes, false) };
    // What cannot be read is shown as nothing; writing it would fail and say so.
    let _ = file.take(COMPARED as u64 + 1).read_to_end(&mut bytes);
    let cut = bytes.len() > COMPARED;
    bytes.truncate(COMPARED);
    (bytes, cut)
}

fn taken(mut source: Box<dyn stream::Source>) -> (Vec<u8>, bool) {
    let mut bytes = Vec::new();
    while let Ok(Some(block)) = source.next_block() {
        bytes.extend_from_slice(block.bytes());
        if bytes.len() > COMPARED {
            bytes.truncate(COMPARED);
            return (bytes, true);
        }
    }
    (bytes, false)
}
