//! Comparing versions of the text.

mod drawing;
pub(crate) mod state;

use crate::screen::canvas::Canvas;
use ratatui::layout::{Position, Size};
use std::time::{Duration, Instant};

use insight::{apply_edits, compare_streams, stage_pairs, toggle_stage};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, key};
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::{After, Drawer, Hint};
use crate::state::job::Job;
use crate::state::trials::Trials;
use crate::state::versions::Candidate;
use crate::views::trail::state::stage_text;
use crate::views::versions::state::{Compared, Known, VersionsNews, VersionsView};

/// So often the figures of a comparison move.
const EVERY: Duration = Duration::from_millis(100);

/// Opens the versions of this session.
pub(crate) fn open_earlier(app: &mut App) {
    open(app, Vec::new());
}

/// Opens the versions of this session; with another text that is compared first, with two
/// those with each other.
pub(crate) fn open(app: &mut App, others: Vec<Candidate>) {
    if app.must_wait() {
        return;
    }
    let Some(preview) = app.result.preview.clone() else {
        app.message = Some("nothing to compare yet".to_owned());
        return;
    };
    let text = preview.text.clone();
    let at = preview.stages.first().map_or(0, |stage| stage.span.start);
    let figures = preview
        .stages
        .last()
        .map(|stage| (stage.lines_out(), stage.bytes_out(), preview.elapsed_ns));
    let now = Candidate { name: "now".to_owned(), text: text.clone(), at, figures };
    let mut all = vec![now];
    let given = others.len();
    all.extend(others);
    let earlier = app.kept.versions.all().iter().rev();
    all.extend(earlier.filter(|version| version.text != text).map(|version| Candidate {
        name: format!("version {}", version.number),
        text: version.text.clone(),
        at: usize::MAX,
        figures: Some((version.lines, version.bytes, version.elapsed_ns)),
    }));
    let had_earlier = all.len() > 1;
    let first_off = all.len();
    for (number, stage) in preview.stages.iter().enumerate() {
        let Ok(edits) = toggle_stage(&text, at, number) else { continue };
        let how = if stage.plan.off.is_some() { "with" } else { "without" };
        all.push(Candidate {
            name: format!("{how} stage {}, {}", number + 1, stage_text(&preview, number)),
            text: apply_edits(&text, &edits),
            at,
            figures: None,
        });
    }
    if all.len() < 2 {
        app.message = Some("there is only this one version yet".to_owned());
        return;
    }
    // What is now, with what was there before it; or the given one, or without its selected
    // stage.
    let selected = app.place.stage() + first_off;
    let (at, with) = match given {
        2.. => (2, 1),
        _ if given == 1 || had_earlier => (0, 1),
        _ => (0, selected.min(all.len() - 1)),
    };
    let mut view = VersionsView {
        all,
        at,
        with,
        known: Known::Evaluating,
        progress: (0, 0),
        top: 0,
        trials: Trials::default(),
    };
    compare(app, &mut view);
    app.open_drawer(view);
}

/// Evaluates the two versions on the same data in the background, and compares them.
fn compare(app: &mut App, view: &mut VersionsView) {
    app.points += 1;
    view.trials = Trials { number: app.points, control: stream::RunControl::default() };
    view.known = Known::Evaluating;
    view.progress = (0, 0);
    view.top = 0;
    let Some(preview) = app.result.preview.clone() else { return };
    let Some(request) = app.result.request.clone() else { return };
    let (number, control) = (view.trials.number, view.trials.control.clone());
    let (left, right) = (view.all[view.with].clone(), view.all[view.at].clone());
    let trials = app.session.workbench.trials();
    let events = app.events.clone();
    app.in_background_until(Job::Comparison, control.clone(), move || {
        let news = |news| Event::then(move |app| take_news(app, number, news));
        let evaluate = |one: &Candidate| {
            let request = engine::Request {
                text: one.text.clone(),
                at: one.at,
                script: None,
                plan: None,
                sample: preview.sample,
                allowed: engine::Consents::default(),
                ..request.clone()
            };
            if one.text == preview.text {
                return Ok(preview.clone());
            }
            let own = stream::RunControl::default();
            trials
                .evaluate(request, Some(&preview), &own)
                .map_err(|error| format!("{}: {error}", one.name))
        };
        let (left, right) = match (evaluate(&left), evaluate(&right)) {
            (Ok(left), Ok(right)) => (left, right),
            (Err(why), _) | (_, Err(why)) => return news(VersionsNews::Failed(why)),
        };
        let pairs = stage_pairs(&left, &right);
        let made = Compared { left: left.clone(), right: right.clone(), pairs, difference: None };
        // Nobody listens any more when the screen is gone.
        let _ = events.send(news(VersionsNews::Made(Box::new(made))));
        let (Some(one), Some(other)) = (left.stages.last(), right.stages.last()) else {
            return news(VersionsNews::Difference(Box::default()));
        };
        let mut told = Instant::now();
        let difference = compare_streams(&one.out, &other.out, &control, &mut |done, all| {
            if told.elapsed() >= EVERY {
                told = Instant::now();
                let _ = events.send(news(VersionsNews::Progress(done, all)));
            }
        });
        news(VersionsNews::Difference(Box::new(difference)))
    });
}

/// Takes news of the comparison on screen.
pub(crate) fn take_news(app: &mut App, number: u64, news: VersionsNews) {
    let view = app.drawer_of_mut::<VersionsView>();
    let Some(view) = view.filter(|view| view.trials.number == number) else { return };
    match news {
        VersionsNews::Made(made) => view.known = Known::Made(made),
        VersionsNews::Progress(done, all) => view.progress = (done, all),
        VersionsNews::Failed(why) => view.known = Known::Failed(why),
        VersionsNews::Difference(difference) => {
            if let Known::Made(made) = &mut view.known {
                made.difference = Some(*difference);
            }
        }
    }
}

/// A key while versions are compared; false where that ends.
pub(crate) fn pressed(app: &mut App, view: &mut VersionsView, key: KeyEvent) -> bool {
    let last = view.all.len() - 1;
    let before = (view.at, view.with);
    match key.code {
        KeyCode::Up => view.at = view.at.saturating_sub(1),
        KeyCode::Down => view.at = (view.at + 1).min(last),
        KeyCode::Home => view.at = 0,
        KeyCode::End => view.at = last,
        KeyCode::Char('m') => view.with = view.at,
        KeyCode::Char('x') => std::mem::swap(&mut view.at, &mut view.with),
        KeyCode::PageDown | KeyCode::Char(' ') => view.top += 10,
        KeyCode::PageUp => view.top = view.top.saturating_sub(10),
        KeyCode::Enter => {
            let chosen = view.all[view.at].clone();
            use_version(app, &chosen);
            return false;
        }
        _ => {}
    }
    if (view.at, view.with) != before {
        compare(app, view);
    }
    true
}

/// Puts the text of a version in the place of the text; undone as any change.
fn use_version(app: &mut App, chosen: &Candidate) {
    if chosen.text == app.text.editor.text() {
        return;
    }
    let cursor = chosen.at.min(chosen.text.len());
    app.text.editor.set_text(&chosen.text, cursor);
    app.message = Some(format!("{} is the text now; {} undoes it", chosen.name, key(Action::Undo)));
    app.text_changed();
}

impl Drawer<App> for VersionsView {
    fn name(&self) -> &'static str {
        "versions"
    }

    fn rows(&self, _app: &App, size: Size) -> u16 {
        size.height
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        drawing::draw(canvas, self, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        vec![
            ("↑↓", "version 2"),
            ("m", "compare with this one"),
            ("Enter", "take it"),
            ("Esc", "close"),
            ("x", "swap"),
            ("PgUp/PgDn", "scroll"),
        ]
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        After::stays_if(pressed(app, self, key))
    }

    fn clicked(&mut self, row: usize, app: &mut App) -> After {
        if row == self.at {
            return self.key(KeyEvent::from(KeyCode::Enter), app);
        }
        self.at = row.min(self.all.len() - 1);
        compare(app, self);
        After::Stays
    }

    fn is_whole(&self) -> bool {
        true
    }
}
