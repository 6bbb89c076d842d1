//! Comparing versions of the text.

use std::time::{Duration, Instant};

use insight::{apply_edits, compare_streams, stage_pairs, toggle_stage};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::actions::{Action, key};
use crate::state::app::App;
use crate::state::drawer::Drawer;
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::trail::stage_text;
use crate::state::trials::Trials;
use crate::state::versions::{Candidate, Compared, Known, VersionsNews, VersionsView};

/// So often the figures of a comparison move.
const EVERY: Duration = Duration::from_millis(100);

impl App {
    /// Notes the result on screen as a version of this session.
    pub(crate) fn note_version(&mut self) {
        if let Some(preview) = &self.result.preview {
            self.kept.versions.note(preview);
        }
    }

    /// Opens the versions of this session; with another text that is compared first, with two
    /// those with each other.
    pub(crate) fn open_versions(&mut self, others: Vec<Candidate>) {
        if self.must_wait() {
            return;
        }
        let Some(preview) = self.result.preview.clone() else {
            self.message = Some("nothing to compare yet".to_owned());
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
        let earlier = self.kept.versions.all().iter().rev();
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
            self.message = Some("there is only this one version yet".to_owned());
            return;
        }
        // What is now, with what was there before it; or the given one, or without its selected
        // stage.
        let selected = self.place.stage() + first_off;
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
        self.compare_versions(&mut view);
        self.drawer = Some(Drawer::Versions(Box::new(view)));
    }

    /// Evaluates the two versions on the same data in the background, and compares them.
    fn compare_versions(&mut self, view: &mut VersionsView) {
        self.points += 1;
        view.trials = Trials { number: self.points, control: stream::RunControl::default() };
        view.known = Known::Evaluating;
        view.progress = (0, 0);
        view.top = 0;
        let Some(preview) = self.result.preview.clone() else { return };
        let Some(request) = self.result.request.clone() else { return };
        let (number, control) = (view.trials.number, view.trials.control.clone());
        let (left, right) = (view.all[view.with].clone(), view.all[view.at].clone());
        let trials = self.session.workbench.trials();
        let events = self.session.events.clone();
        self.in_background(Job::Comparison, move || {
            let news = |news| Event::Versions(number, news);
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
            let made =
                Compared { left: left.clone(), right: right.clone(), pairs, difference: None };
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
    pub(crate) fn versions_news(&mut self, number: u64, news: VersionsNews) {
        let Some(Drawer::Versions(view)) = &mut self.drawer else { return };
        if view.trials.number != number {
            return;
        }
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
    pub(crate) fn versions_key(&mut self, view: &mut VersionsView, key: KeyEvent) -> bool {
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
                self.use_version(&chosen);
                return false;
            }
            _ => {}
        }
        if (view.at, view.with) != before {
            self.compare_versions(view);
        }
        true
    }

    /// Puts the text of a version in the place of the text; undone as any change.
    fn use_version(&mut self, chosen: &Candidate) {
        if chosen.text == self.text.editor.text() {
            return;
        }
        let cursor = chosen.at.min(chosen.text.len());
        self.text.editor.set_text(&chosen.text, cursor);
        self.message =
            Some(format!("{} is the text now; {} undoes it", chosen.name, key(Action::Undo)));
        self.text_changed();
    }
}
