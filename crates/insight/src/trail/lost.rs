//! The reverse question: why is this text not in the result?

use std::path::PathBuf;

use engine::{Kept, Preview, StageKind, StageResult, fate};
use filters::Verb;
use stream::{InputName, RunControl};

use super::follow::{Lost, TrailSource, piped_input};
use super::lines::became;
use super::whereabouts::{Beyond, Gone, LostAt, Progress, Whereabouts};

/// Lines that have the text, and all that were made of lines which had it.
#[derive(Default)]
struct Followed {
    all: Vec<u64>,
    having: Vec<u64>,
}

impl Whereabouts {
    /// Where the lines that have the text end, without what is inside of stages and beyond samples.
    pub(super) fn followed(preview: &Preview, query: &str, control: &RunControl) -> Self {
        let mut all = Self {
            query: query.to_owned(),
            found: Vec::new(),
            beyond: Vec::new(),
            in_patterns: Vec::new(),
            inside: Vec::new(),
            inner: Vec::new(),
            lost: Vec::new(),
            left: 0,
            having: 0,
            unknown: None,
        };
        // Lines of the output of the stage before.
        let mut lines = Followed::default();
        for (number, stage) in preview.stages.iter().enumerate() {
            if control.is_cancelled() {
                return all;
            }
            match all.through(preview, number, lines, control) {
                Some(on) => lines = on,
                None => {
                    all.unknown = Some(number);
                    lines = all.made_by(number, stage, control);
                }
            }
        }
        all.left = lines.all.len() as u64;
        all.having = lines.having.len() as u64;
        all
    }

    /// Follows lines through a stage; `None` where it does not say what it made of what.
    fn through(
        &mut self,
        preview: &Preview,
        number: usize,
        mut lines: Followed,
        control: &RunControl,
    ) -> Option<Followed> {
        let has = |line: &[u8]| has_text(line, &self.query);
        let stage = &preview.stages[number];
        let piped = piped_input(preview, number);
        let (mut came, mut made, mut lost) = (0, Vec::new(), Vec::new());
        let (mut without, mut having) = (Vec::new(), Vec::new());
        let mut unknown = false;
        let (mut before, mut found, mut patterns) = (0, Vec::new(), Vec::new());
        for (input, record) in stage.inputs.iter().enumerate() {
            let own = if Some(input) == piped {
                std::mem::take(&mut lines)
            } else {
                let own = matching(&record.kept, &has, control);
                let name = stage.input_label(record);
                if is_program(stage, &record.name) {
                    patterns.extend((!own.is_empty()).then_some(name));
                    before += record.kept.lines();
                    continue;
                }
                if !own.is_empty() {
                    found.push(TrailSource {
                        stage: number,
                        input: Some(input),
                        name,
                        kept: record.kept.clone(),
                        known: record.lines().known(),
                        lines: own.clone(),
                    });
                }
                Followed { all: own.clone(), having: own }
            };
            if !own.all.is_empty() {
                let became = became(stage, input, &own.all);
                unknown |= became.unknown && became.lines.is_empty();
                made.extend(became.lines);
            }
            if !own.having.is_empty() && !unknown {
                // What has lost the text before does not answer the question when it ends.
                let became = self::became(stage, input, &own.having);
                came += own.having.len() as u64;
                lost.extend(became.lost.iter().map(|line| before + line));
                let (with, rest) = having_text(&stage.out, &became.lines, &has);
                having.extend(with);
                without.extend(rest);
            }
            before += record.kept.lines();
        }
        for sorted in [&mut made, &mut having, &mut without] {
            sorted.sort_unstable();
            sorted.dedup();
        }
        // Lines that have it and were made of none that had.
        let mut made_here = matching(&stage.out, &has, control);
        made_here.retain(|line| having.binary_search(line).is_err());
        if !made_here.is_empty() {
            found.push(source_of_output(number, stage, made_here.clone()));
        }
        self.found.extend(found);
        self.in_patterns.extend(patterns);
        self.look_inside(number, stage, control);
        if unknown {
            return None;
        }
        if let Some(&first) = lost.first() {
            let count = lost.len() as u64;
            let how = Gone::Ends(Lost { count, first, reason: fate(stage, first, control) });
            self.lost.push(LostAt { stage: number, came, how, lines: lost });
        }
        without.retain(|line| having.binary_search(line).is_err());
        if let Some(&first) = without.first() {
            let text = stage.out.line_start(first, 1 << 12).unwrap_or_default().to_vec();
            let how = Gone::CutAway { count: without.len() as u64, first, text };
            self.lost.push(LostAt { stage: number, came, how, lines: without });
        }
        for followed in [&mut made, &mut having] {
            followed.extend(&made_here);
            followed.sort_unstable();
            followed.dedup();
        }
        Some(Followed { all: made, having })
    }

    /// Lines with the text that a stage has written of what is not known.
    fn made_by(&mut self, number: usize, stage: &StageResult, control: &RunControl) -> Followed {
        let lines = matching(&stage.out, &|line| has_text(line, &self.query), control);
        let known =
            self.found.iter().any(|source| source.stage == number && source.input.is_none());
        if !lines.is_empty() && !known {
            self.found.push(source_of_output(number, stage, lines.clone()));
        }
        Followed { all: lines.clone(), having: lines }
    }

    /// Files that commands inside a stage have read.
    fn look_inside(&mut self, number: usize, stage: &StageResult, control: &RunControl) {
        let runs_others =
            stage.verb == Some(Verb::Acts) || !matches!(stage.plan.kind, StageKind::Native(_));
        for read in stage.inside_read.iter().filter(|_| runs_others) {
            let name = read.path.display().to_string();
            if self.inside.iter().any(|(_, known)| *known == name) {
                continue;
            }
            let found = matching(&read.sampled.kept, &|line| has_text(line, &self.query), control);
            if !found.is_empty() {
                self.inside.push((number, name));
            }
        }
    }

    /// Looks at all of what was followed in part.
    pub(super) fn look_beyond(
        &mut self,
        preview: &Preview,
        control: &RunControl,
        progress: Progress<'_>,
    ) {
        let mut known: Vec<PathBuf> = Vec::new();
        let partial: Vec<_> = preview.sources().filter(|(_, sampled)| !sampled.complete).collect();
        let whole: Option<u64> = partial.iter().map(|(_, sampled)| sampled.whole_bytes).sum();
        let mut before = 0;
        for (path, sampled) in partial {
            let Some(path) = path else {
                self.beyond.push(Beyond { name: "standard input".to_owned(), found: None });
                continue;
            };
            if known.contains(&path) {
                continue;
            }
            let wanted = |line: &[u8]| has_text(line, &self.query);
            let told = |bytes| progress(before + bytes, whole);
            let found = engine::search_whole(&path, sampled, &wanted, control, &told);
            before += sampled.whole_bytes.unwrap_or(0);
            self.beyond.push(Beyond { name: path.display().to_string(), found });
            known.push(path);
        }
    }
}

/// A file of patterns or of a program, which the stage reads but does not work on.
fn is_program(stage: &StageResult, name: &InputName) -> bool {
    let (StageKind::Native(definition), InputName::File(name)) = (&stage.plan.kind, name) else {
        return false;
    };
    matches!(stage.name.as_str(), "grep" | "awk" | "sed")
        && definition
            .parse(&stage.plan.arguments)
            .is_ok_and(|arguments| arguments.all('f').any(|given| given.value == *name))
}

fn source_of_output(number: usize, stage: &StageResult, lines: Vec<u64>) -> TrailSource {
    TrailSource {
        stage: number,
        input: None,
        name: stage.name.clone(),
        kept: stage.out.clone(),
        known: stage.known(),
        lines,
    }
}

/// Of these lines of a stream those that have the text, and the others.
fn having_text(kept: &Kept, lines: &[u64], has: &dyn Fn(&[u8]) -> bool) -> (Vec<u64>, Vec<u64>) {
    const PART: u64 = 4096;
    let (mut part, mut first) = (Vec::new(), u64::MAX);
    lines.iter().copied().partition(|line| {
        let start = line - line % PART;
        if start != first {
            first = start;
            part = kept.lines_at(first, PART as usize);
        }
        part.get((line - first) as usize).is_some_and(|line| has(line))
    })
}

/// The lines of a stream for which this is true.
fn matching(kept: &Kept, has: &dyn Fn(&[u8]) -> bool, control: &RunControl) -> Vec<u64> {
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
