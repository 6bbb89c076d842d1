//! The trail of a line, or what became of the lines with a text.

use std::sync::Arc;

use engine::{Figure, Kept, Known, Preview};
use insight::{
    Beyond, Change, Gone, Inner, LostAt, Trail, TrailStep, Whereabouts, figure, figure_lines,
    grouped, lines,
};
use tui_input::Input;

use crate::state::trials::Trials;

/// What is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Asked {
    /// The trail of a line.
    Line(insight::TrailStart),
    /// Why this text is not in the result.
    Text(String),
}

/// Where the lines of a row are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Side {
    /// In an input of the stage, of which this many lines are before them.
    In(u64),
    /// In its output.
    Out,
}

/// A row: a source, a stage, or the end.
pub(crate) struct TrailRow {
    /// The stage whose hue it has, from 0; sources and the end have none.
    pub stage: Option<usize>,
    /// Its name.
    pub label: String,
    /// What became of the lines there.
    pub words: String,
    /// Nothing of them is beyond this.
    pub ends: bool,
    /// The lines, where there are any: the stage to look at, which side of it, the lines.
    pub lines: Option<RowLines>,
}

/// The lines of a row.
pub(crate) struct RowLines {
    /// The stage they are seen at.
    pub stage: usize,
    /// They are seen by commands inside of this one only.
    pub inside_of: Option<usize>,
    /// On which side of it.
    pub side: Side,
    /// The stream they are in.
    pub kept: Arc<Kept>,
    /// Their numbers in it, from 0, in order.
    pub numbers: Vec<u64>,
}

/// A trail on screen.
pub(crate) struct TrailView {
    /// What was asked.
    pub asked: Asked,
    /// Of which result.
    pub preview: Arc<Preview>,
    /// What it is the trail of.
    pub title: String,
    /// The rows; `None` while they are looked for.
    pub rows: Option<Vec<TrailRow>>,
    /// How much of all the data was looked at, in bytes, and of how much, while that is being done.
    pub looked_at: Option<(u64, Option<u64>)>,
    /// The selected row.
    pub at: usize,
    /// The keys go to the lines of the row.
    pub in_lines: bool,
    /// What is searched for in them.
    pub query: Input,
    /// Which of them are shown, by their places in the row's numbers.
    pub shown: Vec<usize>,
    /// The selected one of those.
    pub line: usize,
    /// The search for the rows; it ends with this.
    pub trials: Trials,
}

/// Lines that are read at once.
const PART: u64 = 1024;

impl RowLines {
    /// The places of the lines that have every word of a search.
    pub(crate) fn with(&self, query: &str) -> Vec<usize> {
        let words: Vec<String> =
            query.to_lowercase().split_whitespace().map(str::to_owned).collect();
        if words.is_empty() {
            return (0..self.numbers.len()).collect();
        }
        let (mut first, mut part) = (u64::MAX, Vec::new());
        let mut found = Vec::new();
        for (place, number) in self.numbers.iter().enumerate() {
            let start = number - number % PART;
            if start != first {
                first = start;
                part = self.kept.lines_at(first, PART as usize);
            }
            let Some(line) = part.get((number - first) as usize) else { continue };
            let line = String::from_utf8_lossy(line).to_lowercase();
            if words.iter().all(|word| line.contains(word)) {
                found.push(place);
            }
        }
        found
    }
}

impl TrailView {
    /// The lines of the selected row.
    pub(crate) fn row_lines(&self) -> Option<&RowLines> {
        self.rows.as_ref()?.get(self.at)?.lines.as_ref()
    }

    /// Shows the lines of the selected row from the first one on.
    pub(crate) fn renew_lines(&mut self) {
        let query = self.query.value().to_owned();
        self.shown = self.row_lines().map(|lines| lines.with(&query)).unwrap_or_default();
        self.line = 0;
    }

    /// A row is pointed at, by its number; after the rows come the lines shown. True where it was
    /// selected already.
    pub(crate) fn click(&mut self, number: usize) -> bool {
        let rows = self.rows.as_ref().map_or(0, Vec::len);
        if let Some(line) = number.checked_sub(rows) {
            let again = self.in_lines && self.line == line;
            self.in_lines = true;
            self.line = line.min(self.shown.len().saturating_sub(1));
            return again;
        }
        let again = !self.in_lines && self.at == number;
        self.in_lines = false;
        self.at = number;
        self.renew_lines();
        again
    }

    /// Takes the rows of a trail, and selects where it ends, or else where it began.
    pub(crate) fn take(&mut self, rows: Vec<TrailRow>) {
        self.at = rows.iter().position(|row| row.ends).unwrap_or(0);
        self.rows = Some(rows);
        self.renew_lines();
    }
}

/// The rows of a trail.
pub(crate) fn rows_of_trail(trail: &Trail, preview: &Preview) -> Vec<TrailRow> {
    let mut rows: Vec<TrailRow> = trail
        .sources
        .iter()
        .map(|source| {
            let count = source.lines.len() as u64;
            let words = match source.lines[..] {
                [one] => format!("line {} of {}", grouped(one + 1), figure(all(source))),
                _ => format!("{} of {}", grouped(count), figure_lines(all(source))),
            };
            source_row(preview, source, words)
        })
        .collect();
    rows.extend(trail.steps.iter().map(|step| step_row(step, preview)));
    if let Some(end) = trail.end_in_words(preview) {
        rows.push(TrailRow {
            stage: None,
            label: "end".to_owned(),
            words: end,
            ends: false,
            lines: None,
        });
    }
    rows
}

/// All lines of a source.
fn all(source: &insight::TrailSource) -> Figure {
    Figure::new(source.kept.lines(), source.known)
}

fn source_row(preview: &Preview, source: &insight::TrailSource, words: String) -> TrailRow {
    let stage = preview.stages.get(source.stage);
    let side = match source.input {
        None => Side::Out,
        Some(input) => Side::In(stage.map_or(0, |stage| {
            stage.inputs.iter().take(input).map(|input| input.kept.lines()).sum()
        })),
    };
    TrailRow {
        stage: source.input.is_none().then_some(source.stage),
        label: source.name.clone(),
        words,
        ends: false,
        lines: Some(RowLines {
            stage: source.stage,
            inside_of: None,
            side,
            kept: source.kept.clone(),
            numbers: source.lines.clone(),
        }),
    }
}

/// The text of a stage, on one line.
pub(crate) fn stage_text(preview: &Preview, stage: usize) -> String {
    let span = preview.stages.get(stage).map(|stage| stage.span);
    let text = span.and_then(|span| preview.text.get(span.range())).unwrap_or_default();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The lines that come into a stage, of the first input that has some.
fn lines_into(preview: &Preview, stage: usize, from: &[u64]) -> Option<RowLines> {
    let own = preview.stages.get(stage)?;
    let (input, _) = own.input_at(*from.first()?)?;
    let before: u64 = own.inputs.iter().take(input).map(|input| input.kept.lines()).sum();
    let kept = own.inputs[input].kept.clone();
    let end = before + kept.lines();
    let numbers =
        from.iter().filter(|flat| (before..end).contains(*flat)).map(|flat| flat - before);
    Some(RowLines {
        stage,
        inside_of: None,
        side: Side::In(before),
        kept: kept.clone(),
        numbers: numbers.collect(),
    })
}

fn step_row(step: &TrailStep, preview: &Preview) -> TrailRow {
    let ends = step.change == Change::Ends;
    let lines = if step.lines.is_empty() {
        lines_into(preview, step.stage, &step.from)
    } else {
        preview.stages.get(step.stage).map(|stage| RowLines {
            stage: step.stage,
            inside_of: None,
            side: Side::Out,
            kept: stage.out.clone(),
            numbers: step.lines.clone(),
        })
    };
    TrailRow {
        stage: Some(step.stage),
        label: stage_text(preview, step.stage),
        words: step.words(preview),
        ends,
        lines,
    }
}

/// The rows of what became of the lines with a text.
pub(crate) fn rows_of_text(found: &Whereabouts, preview: &Preview) -> Vec<TrailRow> {
    let plain = |label: &str, words: String, ends| TrailRow {
        stage: None,
        label: label.to_owned(),
        words,
        ends,
        lines: None,
    };
    let query = &found.query;
    let have = |count: u64| if count == 1 { "has" } else { "have" };
    let mut rows: Vec<TrailRow> = Vec::new();
    for source in &found.found {
        let count = source.lines.len() as u64;
        let of = figure_lines(all(source));
        let what = if source.input.is_none() { " that it makes" } else { "" };
        let words = format!("{} of {of}{what} {} “{query}”", grouped(count), have(count));
        rows.push(source_row(preview, source, words));
    }
    for (stage, name) in &found.inside {
        let what = stage_text(preview, *stage);
        let words = format!("has “{query}”, and is read by a command inside {what}");
        rows.push(plain(name, words, false));
    }
    let in_patterns = found.in_patterns.iter();
    rows.extend(in_patterns.map(|name| plain(name, format!("has “{query}”, as a pattern"), false)));
    rows.extend(found.beyond.iter().map(|beyond| beyond_row(beyond, query)));
    rows.extend(found.inner.iter().map(|inner| inner_row(inner, query)));
    if found.found.is_empty() && !found.inner.is_empty() {
        let words = format!("no line of it has “{query}”");
        rows.push(plain("result", words, false));
        return rows;
    }
    if found.found.is_empty() {
        let nowhere = found.inside.is_empty()
            && found.beyond.iter().all(|beyond| beyond.found.is_some_and(|found| found.count == 0));
        let words = if nowhere {
            format!("no line that comes into the pipeline has “{query}”")
        } else {
            format!("no line that was followed has “{query}”")
        };
        rows.push(plain("result", words, true));
        return rows;
    }
    rows.extend(found.lost.iter().map(|lost| lost_row(lost, preview, query)));
    if let Some(stage) = found.unknown {
        let words = "what it made of them is not known: no filter of Ylotrope".to_owned();
        let mut row = plain(&stage_text(preview, stage), words, false);
        row.stage = Some(stage);
        rows.push(row);
    }
    let last = preview.stages.last();
    let known = last.map_or(Known::OfPart, engine::StageResult::known);
    let (having, left) = (Figure::new(found.having, known), Figure::new(found.left, known));
    let words = match (found.having, found.left) {
        (0, 0) => format!("nothing of them is in {}", of_part("the result", known)),
        (0, 1) => format!("no line has it; {} is made of them", figure_lines(left)),
        (0, _) => format!("no line has it; {} are made of them", figure_lines(left)),
        (count, _) => format!("{} of it {} “{query}”", figure_lines(having), have(count)),
    };
    rows.push(plain("result", words, false));
    rows
}

/// Names a part as one.
fn of_part(what: &str, known: Known) -> String {
    match known {
        Known::Exact => what.to_owned(),
        Known::AtLeast | Known::OfPart => format!("{what} of this part of the data"),
    }
}

/// What is in all of a source that was followed in part.
fn beyond_row(beyond: &Beyond, query: &str) -> TrailRow {
    let words = match beyond.found {
        None => "only a part of it was looked at".to_owned(),
        Some(found) if found.count == 0 => {
            format!("none of all {} has “{query}”", lines(found.lines))
        }
        Some(found) => {
            let have = if found.count == 1 { "has" } else { "have" };
            format!(
                "in all of it {} of {} {have} “{query}”, the first is line {}",
                grouped(found.count),
                lines(found.lines),
                grouped(found.first)
            )
        }
    };
    TrailRow { stage: None, label: beyond.name.clone(), words, ends: false, lines: None }
}

/// The same inside of a stage.
fn inner_row(inner: &Inner, query: &str) -> TrailRow {
    let mut row = lost_row(&inner.lost, &inner.preview, query);
    row.stage = Some(inner.stage);
    row.label = format!("inside: {}", row.label);
    if inner.rounds > 1 {
        row.words.push_str(&format!(" (in {} rounds)", grouped(inner.rounds)));
    }
    if let Some(lines) = &mut row.lines {
        lines.inside_of = Some(inner.stage);
    }
    row
}

/// Where lines end, or continue without the text.
fn lost_row(lost: &LostAt, preview: &Preview, query: &str) -> TrailRow {
    let count = |count: u64| match (count, lost.came) {
        (1, 1) => "the line".to_owned(),
        (2, 2) => "both lines".to_owned(),
        (count, came) if count == came => format!("all {}", lines(count)),
        (count, came) => format!("{} of {}", grouped(count), lines(came)),
    };
    let (words, at) = match &lost.how {
        Gone::Ends(ends) => {
            let reason = ends.reason.as_deref().unwrap_or("this stage writes nothing of it");
            let verb = if ends.count == 1 { "ends" } else { "end" };
            let first = if ends.count == 1 { "" } else { ", the first" };
            let words = format!("{} {verb} here{first}: {reason}", count(ends.count));
            (words, lines_into(preview, lost.stage, &lost.lines))
        }
        Gone::CutAway { count, text, .. } => {
            let text: String = String::from_utf8_lossy(text).chars().take(60).collect();
            let (verb, first_one) =
                if *count == 1 { ("continues", "it is") } else { ("continue", "the first is") };
            let words =
                format!("{} {verb} without “{query}”: {first_one} now “{text}”", lines(*count));
            let at = preview.stages.get(lost.stage).map(|stage| RowLines {
                stage: lost.stage,
                inside_of: None,
                side: Side::Out,
                kept: stage.out.clone(),
                numbers: lost.lines.clone(),
            });
            (words, at)
        }
    };
    TrailRow {
        stage: Some(lost.stage),
        label: stage_text(preview, lost.stage),
        words,
        ends: true,
        lines: at,
    }
}
