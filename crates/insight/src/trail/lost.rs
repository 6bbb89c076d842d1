//! The reverse question: why is this text not in the result?

use engine::{Preview, fate};
use stream::RunControl;

use super::follow::{Lost, TrailSource, input_name, piped_input};
use super::lines::became;

/// Lines that end at a stage.
pub struct LostAt {
    /// Which stage, from 0.
    pub stage: usize,
    /// How many came to it.
    pub came: u64,
    /// Those that end there.
    pub lost: Lost,
    /// The text of the first of them, as it came to the stage.
    pub text: Vec<u8>,
}

/// What became of the lines of the sources that have a text.
pub struct Whereabouts {
    /// The text that was looked for.
    pub query: String,
    /// The lines that have it, source by source.
    pub found: Vec<TrailSource>,
    /// The stages at which some of them end, in order.
    pub lost: Vec<LostAt>,
    /// Lines of the result that were made of them.
    pub left: u64,
    /// The stage beyond which nothing is known: an external program.
    pub unknown: Option<usize>,
}

impl Whereabouts {
    /// Looks for the text in everything the pipeline reads from outside, letters in either case
    /// unless one is a capital, and follows the lines that have it to the end. `control` ends it.
    pub fn of(preview: &Preview, query: &str, control: &RunControl) -> Self {
        let mut all = Self {
            query: query.to_owned(),
            found: Vec::new(),
            lost: Vec::new(),
            left: 0,
            unknown: None,
        };
        let has = |line: &[u8]| has_text(line, query);
        // Lines of the output of the stage before.
        let mut lines: Vec<u64> = Vec::new();
        for (number, stage) in preview.stages.iter().enumerate() {
            if control.is_cancelled() {
                return all;
            }
            let piped = piped_input(preview, number);
            let (mut came, mut made, mut lost) = (0, Vec::new(), Vec::new());
            let mut unknown = false;
            let mut before = 0;
            for (input, record) in stage.inputs.iter().enumerate() {
                let own = if Some(input) == piped {
                    std::mem::take(&mut lines)
                } else {
                    let own = matching(&record.kept, &has, control);
                    if !own.is_empty() {
                        all.found.push(TrailSource {
                            stage: number,
                            input,
                            name: input_name(&record.name),
                            kept: record.kept.clone(),
                            lines: own.clone(),
                        });
                    }
                    own
                };
                if !own.is_empty() {
                    let became = became(stage, input, &own);
                    unknown |= became.unknown && became.lines.is_empty();
                    came += own.len() as u64;
                    made.extend(became.lines);
                    lost.extend(became.lost.iter().map(|line| before + line));
                }
                before += record.kept.lines();
            }
            if unknown {
                all.unknown = Some(number);
                return all;
            }
            if let Some(&first) = lost.first() {
                let text = stage
                    .input_at(first)
                    .and_then(|(input, line)| stage.inputs[input].kept.line_start(line, 1 << 12));
                all.lost.push(LostAt {
                    stage: number,
                    came,
                    lost: Lost {
                        count: lost.len() as u64,
                        first,
                        reason: fate(stage, first, control),
                    },
                    text: text.unwrap_or_default().to_vec(),
                });
            }
            made.sort_unstable();
            made.dedup();
            lines = made;
        }
        all.left = lines.len() as u64;
        all
    }
}

/// The lines of a stream for which this is true.
fn matching(kept: &engine::Kept, has: &dyn Fn(&[u8]) -> bool, control: &RunControl) -> Vec<u64> {
    const PART: usize = 50_000;
    let (mut found, mut first) = (Vec::new(), 0);
    while !control.is_cancelled() {
        let lines = kept.lines_at(first, PART);
        let hits = lines.iter().enumerate().filter(|(_, line)| has(line));
        found.extend(hits.map(|(at, _)| first + at as u64));
        if lines.len() < PART {
            break;
        }
        first += PART as u64;
    }
    found
}

/// The line has the text; in either case where that has no capital letter.
fn has_text(line: &[u8], query: &str) -> bool {
    use bstr::ByteSlice;
    if query.is_empty() {
        return false;
    }
    if query.chars().any(char::is_uppercase) {
        return line.contains_str(query);
    }
    if line.is_ascii() {
        let query = query.as_bytes();
        return line.windows(query.len()).any(|part| part.eq_ignore_ascii_case(query));
    }
    line.to_str_lossy().to_lowercase().contains(query)
}
