//! Runs that were kept, two of them side by side.

use std::sync::Arc;

use insight::{ComparedRow, KeptRun, compare};
use ratatui::crossterm::event::KeyCode;

use crate::actions::keyed;
use crate::state::app::App;
use crate::state::screen::Screen;
use crate::state::versions::Candidate;

impl App {
    /// The kept runs, newest first, as they were read last.
    pub(crate) fn runs(&self) -> &[KeptRun] {
        self.kept.kept_runs.as_ref().map_or(&[], |runs| &runs[..])
    }

    /// Reads the kept runs where they are on screen and not known.
    pub(crate) fn refresh_compare(&mut self) {
        if self.screen == Screen::Compare && self.kept.kept_runs.is_none() {
            let runs = self.kept.runs.as_ref().map(insight::Runs::all).unwrap_or_default();
            self.kept.kept_runs = Some(Arc::new(runs));
        }
        self.compare.at = self.compare.at.min(self.runs().len().saturating_sub(1));
    }

    /// The number of the run that the selected one is compared with.
    pub(crate) fn compared_with(&self) -> Option<usize> {
        let (runs, at) = (self.runs(), self.compare.at);
        if let Some(marked) = &self.compare.marked {
            return runs.iter().position(|run| run.id == *marked).filter(|found| *found != at);
        }
        let text = &runs.get(at)?.record.text;
        let before = at + 1..runs.len();
        before.clone().find(|&number| runs[number].record.text == *text).or(before.clone().next())
    }

    /// The two runs on screen, the earlier choice first, and their commands side by side.
    pub(crate) fn compared_runs(&self) -> Option<(&KeptRun, &KeptRun, Vec<ComparedRow>)> {
        let runs = self.runs();
        let (first, second) = (runs.get(self.compared_with()?)?, runs.get(self.compare.at)?);
        Some((first, second, compare(&first.record, &second.record)))
    }

    /// A key of the Compare view; false where it means nothing there.
    pub(crate) fn compare_key(&mut self, code: KeyCode) -> bool {
        let last = self.runs().len().saturating_sub(1);
        match code {
            KeyCode::Up => self.compare.at = self.compare.at.saturating_sub(1),
            KeyCode::Down => self.compare.at = (self.compare.at + 1).min(last),
            KeyCode::Home => self.compare.at = 0,
            KeyCode::End => self.compare.at = last,
            KeyCode::Char('m') => {
                let id = self.runs().get(self.compare.at).map(|run| run.id.clone());
                self.compare.marked = if self.compare.marked == id { None } else { id };
            }
            KeyCode::Enter => {
                let text = self.runs().get(self.compare.at).map(|run| run.record.text.clone());
                if let Some(text) = text {
                    self.remember_line();
                    self.text.editor.set_text(&text, text.len());
                    self.message =
                        Some(keyed("the text of that run; {undo} brings back the other"));
                    self.open_screen(Screen::Bench);
                    self.text_changed();
                }
            }
            KeyCode::Char('M') => self.compare_results_of_runs(),
            KeyCode::Char('d') | KeyCode::Delete => self.forget_run(),
            KeyCode::Esc => self.open_screen(Screen::Bench),
            _ => return false,
        }
        true
    }

    /// What the texts of the two runs give on the data as it is now.
    fn compare_results_of_runs(&mut self) {
        let text = |run: &KeptRun| run.record.text.clone();
        let pair = self.compared_runs().map(|(first, second, _)| (text(first), text(second)));
        let Some((first, second)) = pair else {
            self.message = Some("there are no two runs to compare yet".to_owned());
            return;
        };
        let run = |name: &str, text: String| Candidate {
            name: name.to_owned(),
            text,
            at: usize::MAX,
            figures: None,
        };
        self.open_versions(vec![run("text of run 1", first), run("text of run 2", second)]);
    }

    fn forget_run(&mut self) {
        let Some(id) = self.runs().get(self.compare.at).map(|run| run.id.clone()) else { return };
        let removed = self.kept.runs.as_ref().map(|runs| runs.remove(&id));
        self.message = Some(match removed {
            Some(Err(error)) => format!("not deleted: {}", stream::describe(&error)),
            _ => "the figures of that run were deleted".to_owned(),
        });
        self.kept.kept_runs = None;
        self.refresh_compare();
    }
}
