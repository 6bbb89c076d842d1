//! What the river says of its source, its stages and its result.

use engine::{Preview, StageResult};
use insight::{bytes, duration, grouped, limit_in_words, sample_in_words};

use crate::actions::{Action, key};
use crate::state::app::App;
use crate::text::display::safe;

/// A stage's words as they stand in the text; of one that is off, its own.
pub(super) fn stage_text(preview: &Preview, stage: &StageResult) -> String {
    let span = if let Some(off) = stage.plan.off {
        off
    } else {
        let targets = stage.plan.targets.iter().map(|target| target.span.start);
        let end = targets.min().unwrap_or(stage.span.end).min(stage.span.end);
        shell::Span::new(stage.span.start, end.max(stage.span.start))
    };
    let text = preview.text.get(span.range()).unwrap_or(&stage.name);
    safe(text.trim()).replace("^J", " ")
}

/// The first thing the first stage reads.
pub(crate) fn source_name(preview: &Preview) -> String {
    let Some(first) = preview.stages.first() else { return String::new() };
    first.inputs.first().map_or(String::new(), |input| safe(&first.input_label(input)))
}

/// True where standard input has more than is kept.
fn has_unread(app: &App) -> bool {
    app.session.workbench.capture().is_some_and(|capture| capture.unread().is_some())
}

/// What the first stage reads beside its first input: ` and 3 more`.
pub(super) fn more_sources(preview: &Preview) -> String {
    match preview.stages.first().map_or(0, |first| first.inputs.len()) {
        0 | 1 => String::new(),
        all => format!(" and {} more", grouped(all as u64 - 1)),
    }
}

/// Which part of what the first stage reads there is.
pub(super) fn source_words(app: &App, preview: &Preview) -> String {
    let inputs = &preview.stages[0].inputs;
    if preview.stages[0].follows {
        let words =
            if app.is_following() { "followed as it grows" } else { "followed until stopped" };
        return words.to_owned();
    }
    let Some(sampled) = inputs.first().and_then(|input| input.sampled.as_ref()) else {
        return String::new();
    };
    let mut words = if sampled.complete {
        "all of it".to_owned()
    } else {
        let sample = sample_in_words(preview.sample);
        match (sampled.whole_lines(), sampled.whole_bytes) {
            (Some(lines), _) if sampled.kept.lines() >= lines => {
                format!("{} so far", insight::lines(lines))
            }
            (Some(lines), _) => format!("{sample} of {} lines", grouped(lines)),
            (None, Some(whole)) if sampled.is_estimated() => {
                format!("{sample} of about {}", bytes(whole))
            }
            (None, Some(whole)) => format!("{sample} of {}", bytes(whole)),
            (None, None) if has_unread(app) => {
                let kept = app.session.workbench.capture().map_or(0, |all| all.kept().bytes());
                format!("{sample}; only {} of it are kept", bytes(kept))
            }
            (None, None) => format!("{sample}, more is coming"),
        }
    };
    if let Some(limit) = sampled.cut {
        words = format!("{words}, cut off at {}", limit_in_words(limit));
    }
    words
}

pub(super) fn footer(app: &App, preview: &Preview) -> String {
    if app.is_following() {
        let lines = preview.stages.first().map_or(0, |stage| stage.out.lines());
        return format!("following · {} lines so far · Esc stops", grouped(lines));
    }
    if app.result.waiting.is_some() {
        let progress = app.progress();
        let lines: u64 = progress.first().map_or(0, |stage| stage.lines_in.max(stage.lines_out));
        return format!("evaluating … {} lines · Ctrl-C stops", grouped(lines));
    }
    if app.is_stale() {
        return "outdated: shows the previous text".to_owned();
    }
    if let Some(path) = app.result.changed.first() {
        let name = safe(&path.display().to_string());
        return format!("{name} has changed since: {} reads it", key(Action::Reread));
    }
    let held: u64 = preview.stages.iter().map(|stage| stage.figures.peak_held_bytes).sum();
    let mut text = format!("evaluated in {}", duration(preview.elapsed_ns));
    if held > 0 {
        text.push_str(&format!(" · {} held", bytes(held)));
    }
    text
}
