//! Pointing at a line, a field, a column, and doing something with it.

use std::sync::Arc;

use engine::Kept;
use insight::{Group, beginning, replacing};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::actions::keyed;
use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind};
use crate::state::lens::{Content, row_lines};
use crate::state::list::List;
use crate::state::place::Place;
use crate::state::point::{Entry, PointView, PutAt};
use crate::state::screen::Screen;
use crate::state::trials::Trials;
use crate::update::trials::{LINE, ground_of};

impl App {
    /// Points at the line under the cursor of the lens.
    pub(crate) fn point_at_line(&mut self) {
        let Some(preview) = self.result.preview.clone() else { return };
        if self.must_wait() {
            return;
        }
        let (row, left, right) = row_lines(&preview, &self.lens.content, self.lens.cursor);
        let output = |stage: usize| preview.stages.get(stage).map(|stage| stage.out.clone());
        let pointed = match (&self.lens.content, self.shown()) {
            (Content::Stream { .. }, Place::Source) => {
                self.stream_of(Place::Source).map(|kept| (PutAt::Source, kept, row.left, left))
            }
            (Content::Stream { .. }, place) => {
                let stage = place.stage();
                output(stage).map(|kept| (PutAt::After(stage), kept, row.left, left))
            }
            // A line that is dropped is pointed at where it comes in.
            (Content::Stage { stage, .. }, _) if row.right.is_some() => {
                output(*stage).map(|kept| (PutAt::After(*stage), kept, row.right, right))
            }
            (Content::Stage { stage, .. }, _) => {
                let result = preview.stages.get(*stage);
                let place = result.and_then(|result| result.input_at(row.left?));
                let at = stage.checked_sub(1).map_or(PutAt::Source, PutAt::After);
                result.zip(place).map(|(result, (input, line))| {
                    (at, result.inputs[input].kept.clone(), Some(line), left)
                })
            }
            (Content::Bytes { .. } | Content::Empty, _) => None,
        };
        let Some((at, kept, Some(line), Some(text))) = pointed else {
            self.message = Some("no line here to point at".to_owned());
            return;
        };
        let text = text[..text.len().min(LINE)].to_vec();
        self.point(at, &kept, Some(line + 1), text, None, 0);
    }

    /// Points at a column of the Columns view.
    pub(crate) fn point_at_column(&mut self, number: usize) {
        let Some(kept) = self.columns.kept.clone() else { return };
        if self.must_wait() {
            return;
        }
        let splitting =
            self.columns.counted.as_ref().map(|counted| counted.table.splitting.clone());
        let at = PutAt::of(self.shown());
        self.point(at, &kept, None, Vec::new(), splitting, number - 1);
    }

    fn point(
        &mut self,
        at: PutAt,
        kept: &Arc<Kept>,
        line: Option<u64>,
        text: Vec<u8>,
        splitting: Option<insight::Splitting>,
        field: usize,
    ) {
        let exact = self.known_of(kept) == engine::Known::Exact;
        let (input, whole) = beginning(kept);
        let whole = whole && exact;
        let mut point = PointView {
            ground: ground_of(kept, splitting),
            line,
            other_line: self.range_end.filter(|(of, _)| *of == at).map(|(_, line)| line),
            text,
            field,
            marked: None,
            at,
            list: List::new(Vec::new()),
            examples: self.examples.marks.len(),
            offers: Vec::new(),
            outcomes: Vec::new(),
            input,
            whole,
            by_awk: false,
            trials: Trials::default(),
        };
        point.renew();
        self.try_offers(&mut point);
        self.drawer = Some(Drawer::Point(Box::new(point)));
    }

    /// Tries all offers in the background.
    fn try_offers(&mut self, point: &mut PointView) {
        let stages = point.offers.iter().map(|offer| offer.stages.clone());
        point.trials = self.try_all(stages.enumerate().collect(), point.input.clone());
    }

    /// Tries the offers of what is pointed at once more: it is something else now.
    pub(crate) fn renew_point(&mut self) {
        if let Some(Drawer::Point(mut point)) =
            self.drawer.take_if(|drawer| matches!(drawer, Drawer::Point(_)))
        {
            self.try_offers(&mut point);
            self.drawer = Some(Drawer::Point(point));
        }
    }

    /// A key while something is pointed at; false where that ends.
    pub(crate) fn point_key(&mut self, point: &mut PointView, key: KeyEvent) -> bool {
        let shift = key.modifiers.contains(KeyModifiers::SHIFT);
        let other = key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        let before = (point.field, point.marked.clone());
        match key.code {
            KeyCode::Left if shift => point.mark(false, false),
            KeyCode::Right if shift => point.mark(false, true),
            KeyCode::Left if other => point.mark(true, false),
            KeyCode::Right if other => point.mark(true, true),
            KeyCode::Left => point.step(-1),
            KeyCode::Right => point.step(1),
            KeyCode::Tab => point.by_awk = !point.by_awk,
            _ => {
                if point.list.key(key) {
                    self.take_offer(point);
                    return false;
                }
            }
        }
        if (point.field, point.marked.clone()) != before {
            self.try_offers(point);
        }
        true
    }

    /// Puts the selected offer into the text, or asks for what it needs.
    fn take_offer(&mut self, point: &PointView) {
        let at = point.at;
        match point.entry() {
            Some(Entry::RangeEnd) => {
                self.range_end = point.line.map(|line| (at, line));
                self.message = Some("marked; point at the other end of the range".to_owned());
                return;
            }
            Some(Entry::Example) => return self.add_example(point, false),
            Some(Entry::CounterExample) => return self.add_example(point, true),
            _ => {}
        }
        let Some((offer, stages)) = point.chosen() else { return };
        if let Some(old) = &offer.replaces {
            self.drawer =
                Some(Drawer::prompt(PromptKind::Replacement { at, old: old.clone() }, ""));
            return;
        }
        let (stages, group) = (stages.to_owned(), offer.group);
        self.put_stages(at, &stages);
        // Where lines were chosen, their columns are what one wants to see next; else the result.
        if self.screen == Screen::Columns && group != Group::Lines {
            self.open_screen(Screen::Bench);
        }
    }

    /// Puts a stage that replaces a text into the pipeline.
    pub(crate) fn put_replacement(&mut self, at: PutAt, old: &str, new: &str) {
        self.put_stages(at, &replacing(old, new));
    }

    /// Puts stages into the text; the last of them is selected.
    pub(crate) fn put_stages(&mut self, at: PutAt, stages: &str) {
        let (text, cursor) = (self.text.editor.text(), self.text.editor.cursor());
        let passes = self.result.preview.as_ref().is_some_and(|preview| {
            preview.stages.first().is_some_and(|stage| stage.changes_nothing)
        });
        let put = match at {
            // What only passes the source on stays where it is.
            PutAt::Source if !passes => insight::insert_at_source(text, cursor, stages),
            PutAt::Source => insight::insert_stages(text, cursor, 1, stages),
            PutAt::After(stage) => insight::insert_stages(text, cursor, stage + 1, stages),
        };
        self.range_end = None;
        match put {
            Ok(put) => {
                self.text.editor.set_text(&put.text, put.cursor);
                self.message = Some(keyed("put in; {undo} undoes it"));
                self.text_changed();
                self.place = Place::Stage(put.last);
                self.lens.search = None;
                self.refresh_lens(false);
            }
            Err(error) => self.message = Some(error.to_string()),
        }
    }
}
