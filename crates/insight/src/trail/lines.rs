//! From lines of a stage's output to those of its inputs, and back.

use engine::StageResult;
use stream::Origins;

/// The lines of each input that these lines of the output were made of; each in order, each once.
/// `lines` are in order.
pub(super) fn made_of(stage: &StageResult, lines: &[u64]) -> Vec<Vec<u64>> {
    let mut inputs: Vec<Vec<u64>> = vec![Vec::new(); stage.inputs.len()];
    let origins = stage.origins.lock();
    for &line in lines {
        for id in origins.get(line).iter() {
            if let Some(input) = inputs.get_mut(id.input()) {
                input.push(id.line());
            }
        }
    }
    for input in &mut inputs {
        input.sort_unstable();
        input.dedup();
    }
    inputs
}

/// What became of lines of one input.
pub(super) struct Became {
    /// The lines of the output that were made of them, in order.
    pub(super) lines: Vec<u64>,
    /// Those of which nothing is in the output, in order.
    pub(super) lost: Vec<u64>,
    /// No line of the output says what it was made of.
    pub(super) unknown: bool,
}

/// What became of lines of one input; `lines` are in order. Looks at the origins of all lines of
/// the output.
pub(super) fn became(stage: &StageResult, input: usize, lines: &[u64]) -> Became {
    let mut found = vec![false; lines.len()];
    let mut made = Vec::new();
    let origins = stage.origins.lock();
    let all = stage.out.lines();
    let mut unknown = all > 0 || stage.filter.is_none();
    for number in 0..all {
        let from = origins.get(number);
        unknown &= from.is_empty();
        let mut has = false;
        match from {
            Origins::Range(first, last) if first.input() == last.input() => {
                if first.input() == input {
                    let start = lines.partition_point(|line| *line < first.line());
                    let end = lines.partition_point(|line| *line <= last.line());
                    has = start < end;
                    found[start..end].fill(true);
                }
            }
            from => {
                for id in from.iter().filter(|id| id.input() == input) {
                    if let Ok(at) = lines.binary_search(&id.line()) {
                        found[at] = true;
                        has = true;
                    }
                }
            }
        }
        if has {
            made.push(number);
        }
    }
    let lost = lines.iter().zip(&found).filter(|(_, found)| !**found).map(|(line, _)| *line);
    Became { lost: lost.collect(), lines: made, unknown }
}
