//! Runs on everything: asked for, watched, held, ended, kept.

use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Applied, FullEnd, FullRequest, Snapshot, UndoError, undo};
use insight::{History, RunEnd, RunRecord, SourceRecord, WrittenRecord};
use jiff::Timestamp;
use parking_lot::Mutex;

use crate::actions::{Action, key, keyed};
use crate::parts::changes::Changes;
use crate::screen::place::Focus;
use crate::screen::view_name::THROUGHPUT;
use crate::state::app::App;
use crate::state::job::Job;
use crate::state::run::{Running, Shows};
use crate::update::questions;

/// How long a run has to tidy up when the process ends.
const TIDYING: Duration = Duration::from_secs(1);

impl App {
    /// True while a run on everything continues.
    pub(crate) fn is_running(&self) -> bool {
        self.running.as_ref().is_some_and(|running| running.end.is_none())
    }

    /// Asks whether to run on everything, with what that would take.
    pub(crate) fn ask_to_run(&mut self) {
        if let Some(problem) = &self.text.problem {
            self.message = Some(problem.message.clone());
        } else if self.is_running() {
            self.message =
                Some(keyed("a run is already in progress: {throughput} shows it, Ctrl-C stops it"));
        } else if self.text.editor.text().trim().is_empty() {
            self.message = Some("nothing to run".to_owned());
        } else if let Some(why) = self.lacks_input() {
            self.message = Some(why);
        } else {
            self.throughput.estimate = None;
            let text = self.text.editor.text().to_owned();
            self.session.workbench.estimate(text, self.session.variables.clone());
            self.open_drawer(questions::run_all());
        }
    }

    /// Why a full run would not have all of its data, where that is known beforehand.
    pub(crate) fn lacks_input(&self) -> Option<String> {
        let unread = self.session.workbench.capture()?.unread()?;
        let preview = self.result.preview.as_ref()?;
        let standard = |input: &engine::InputRecord| {
            input.name == stream::InputName::Standard && input.sampled.is_some()
        };
        let reads = preview.stages.iter().any(|stage| stage.inputs.iter().any(standard));
        reads.then(|| unread.to_string())
    }

    /// Why files may not be written by a run, where that is known beforehand.
    pub(crate) fn may_not_write(&self) -> Option<String> {
        if let Some(why) = self.lacks_input() {
            return Some(why);
        }
        if let Some(note) =
            self.result.notes.iter().find(|note| note.kind == insight::NoteKind::SameFile)
        {
            return Some(note.text.clone());
        }
        let preview = self.result.preview.as_ref()?;
        let chosen = |path| !self.pending.left_out.contains(path);
        let lost = preview.pending.iter().find(|file| file.lost && chosen(&file.path))?;
        Some(format!("{} would be emptied before it is read", lost.path.display()))
    }

    /// Runs the whole text on everything; `writes` puts its files in place at the end, `follows`
    /// continues with files that grow, where a stage asks for that.
    pub(crate) fn run_all(&mut self, writes: bool, follows: bool) {
        self.message = None;
        self.remember_line();
        let estimate = self.throughput.estimate.take().unwrap_or_default();
        let text = self.text.editor.text().to_owned();
        let run = self.session.workbench.run_all(FullRequest {
            text: text.clone(),
            variables: self.session.variables.clone(),
            allowed: self.consents_for_run(),
            left_out: self.pending.left_out.clone(),
            writes,
            follows,
            expected: estimate.clone(),
        });
        let source = |(path, bytes): &(std::path::PathBuf, u64)| SourceRecord {
            path: path.clone(),
            bytes: *bytes,
        };
        self.running = Some(Running {
            run,
            text,
            began: Timestamp::now(),
            snapshot: Snapshot::default(),
            history: History::default(),
            end: None,
            status: 0,
            sources: estimate.sources.iter().map(source).collect(),
            written: Vec::new(),
            seen: Instant::now(),
        });
        self.throughput.shows = Shows::Figures;
        self.throughput.at = 0;
    }

    /// Opens the view of the run.
    pub(crate) fn show_run(&mut self) {
        if self.view != THROUGHPUT {
            self.show_view(THROUGHPUT);
        }
        if self.focus == Focus::Text {
            self.focus = Focus::River;
        }
    }

    /// Looks at the run that continues; true when something moved.
    pub(crate) fn look_at_run(&mut self) -> bool {
        self.running.as_mut().is_some_and(Running::look)
    }

    /// Ends the run; none of its files is then written.
    pub(crate) fn cancel_run(&mut self) {
        if let Some(running) = self.running.as_ref().filter(|running| running.end.is_none()) {
            running.run.watch.cancel();
            self.message = Some("stopping the run …".to_owned());
        }
    }

    /// Ends what continues in the background, for the end of the process: waits for stages and
    /// programs to tidy up, but not long, and leaves no file half written.
    pub(crate) fn end_everything(&mut self) {
        self.session.workbench.cancel();
        self.session.workbench.cancel_acting();
        if let Some(running) = self.running.as_ref().filter(|running| running.end.is_none()) {
            running.run.watch.cancel();
            running.run.watch.wait(TIDYING);
        }
        self.jobs.finish(TIDYING);
        // What it still has to write is written first.
        self.kept.recovery = None;
        engine::give_up_writing();
    }

    /// Holds the run, or lets it go on.
    pub(crate) fn pause_run(&mut self) {
        let Some(running) = self.running.as_mut().filter(|running| running.end.is_none()) else {
            self.message = Some("no run in progress".to_owned());
            return;
        };
        let watch = &running.run.watch;
        if watch.snapshot().paused {
            watch.resume();
        } else {
            watch.pause();
        }
        running.snapshot = watch.snapshot();
    }

    /// The run has ended: keeps its figures and says how it went.
    pub(crate) fn run_ended(&mut self, end: FullEnd) {
        let script = self.text.path.clone();
        let Some(running) = self.running.as_mut() else { return };
        running.snapshot = running.run.watch.snapshot();
        running.history.push(&running.snapshot);
        let took = insight::duration(running.snapshot.elapsed_ns);
        let mut applied = Vec::new();
        let (end, mut message) = match end {
            FullEnd::Done(status, files) => {
                running.status = status;
                applied = files;
                let lines = insight::lines(running.run.output.lines());
                (RunEnd::Done, format!("done in {took}: {lines} of output"))
            }
            FullEnd::Cancelled => {
                (RunEnd::Cancelled, format!("stopped after {took}; no files were written"))
            }
            FullEnd::Failed(why) => (RunEnd::Failed(why.clone()), why),
        };
        if running.status != 0 {
            message.push_str(&format!(" · status {}", running.status));
        }
        running.end = Some(end);
        running.written = applied
            .iter()
            .map(|file| WrittenRecord {
                path: file.path.clone(),
                bytes: file.bytes,
                lines: file.lines,
            })
            .collect();
        let record = running.record(script.as_deref());
        self.keep_run(record);
        if applied.is_empty() {
            self.message = Some(message + &self.not_written());
            // Pending tells from now on of all of the data.
            self.pending.difference = None;
            self.refresh_views();
            return;
        }
        let names: Vec<String> = applied
            .iter()
            .map(|file| {
                let name = file.path.file_name().unwrap_or_default().to_string_lossy();
                format!("{name}, {}, {}", insight::lines(file.lines), insight::bytes(file.bytes))
            })
            .collect();
        self.message =
            Some(format!("written: {} · {} undoes it", names.join("; "), key(Action::UndoWrite)));
        self.pending.applied = applied.into_iter().map(|one| Arc::new(Mutex::new(one))).collect();
        self.pending.written_by =
            self.running.as_ref().map_or(String::new(), |run| run.text.clone());
        // What is pending now is told anew: the files are there.
        self.session.workbench.forget();
        self.text_changed();
    }

    /// Keeps the figures of a run beside the keys.
    fn keep_run(&mut self, record: RunRecord) {
        let Some(runs) = self.kept.runs.clone() else { return };
        self.with_files(Job::Writing, move || {
            let kept = runs.keep(&record);
            move |app: &mut Self| {
                app.kept.kept_runs = None;
                app.refresh_views();
                if let Err(error) = kept {
                    let why = format!("its figures are not kept: {}", stream::describe(&error));
                    let said = app.message.take().map(|said| format!("{said} · {why}"));
                    app.message = Some(said.unwrap_or(why));
                }
            }
        });
    }

    /// The files that the last run has left as they are, in words.
    fn not_written(&self) -> String {
        let Some(running) = &self.running else { return String::new() };
        let unwritten = running.run.unwritten.lock();
        let names: Vec<String> = unwritten
            .iter()
            .map(|one| {
                let name = one.path.file_name().unwrap_or_default().to_string_lossy();
                format!("{name}, {}", insight::lines(one.kept.lines()))
            })
            .collect();
        match &names[..] {
            [] => String::new(),
            names => format!(
                " · not written: {} (o shows it, {} compares it)",
                names.join("; "),
                keyed("{pending}")
            ),
        }
    }

    /// What the last run wrote for files without writing them, where it was of this very text.
    pub(crate) fn unwritten(&self) -> Vec<engine::Unwritten> {
        let of_text = |running: &&Running| {
            self.result.preview.as_ref().is_some_and(|preview| preview.text == running.text)
        };
        let running = self.running.as_ref().filter(of_text);
        running.map(|running| running.run.unwritten.lock().clone()).unwrap_or_default()
    }

    /// Ends writes of earlier sessions that were cut off, and takes over what may be undone of the
    /// last one.
    pub(crate) fn take_over_writes(&mut self) {
        let lines: Vec<String> =
            engine::recover_writes().iter().flat_map(insight::recovered_in_words).collect();
        self.pending.applied =
            engine::left_to_undo().into_iter().map(|one| Arc::new(Mutex::new(one))).collect();
        let undo = match self.pending.applied.len() {
            0 => None,
            1 => Some(keyed("an interrupted session wrote a file: {undo-write} undoes it")),
            count => Some(keyed(&format!(
                "an interrupted session wrote {count} files: {{undo-write}} undoes it"
            ))),
        };
        let all: Vec<String> = lines.into_iter().chain(undo).collect();
        if !all.is_empty() {
            self.message = Some(all.join(" · "));
        }
    }

    /// Brings back what the files of the last run were.
    pub(crate) fn undo_write(&mut self) {
        if self.pending.applied.is_empty() {
            self.message = Some("nothing was written, so there is nothing to undo".to_owned());
            return;
        }
        let mut applied = std::mem::take(&mut self.pending.applied);
        self.message = Some("bringing the files back …".to_owned());
        self.with_files(Job::Writing, move || {
            let mut undone = 0;
            let mut failed = None;
            while let Some(one) = applied.pop() {
                if let Err(error) = undo(&mut one.lock()) {
                    failed = Some(error);
                    applied.push(one.clone());
                    break;
                }
                undone += 1;
            }
            let changes = match &failed {
                Some(UndoError::Changed(changed)) => {
                    let sides = changed.ours.as_ref().zip(changed.now.as_ref());
                    let difference = sides.map(|(ours, now)| insight::difference_of(ours, now));
                    Some(Changes { path: changed.path.clone(), difference, top: 0 })
                }
                _ => None,
            };
            move |app: &mut Self| app.undone(undone, applied, failed, changes)
        });
    }

    /// Files were brought back; those that are left can still be.
    fn undone(
        &mut self,
        undone: usize,
        left: Vec<Arc<Mutex<Applied>>>,
        failed: Option<UndoError>,
        changes: Option<Changes>,
    ) {
        let files = if undone == 1 { "file is" } else { "files are" };
        self.message = match (&failed, &changes) {
            (None, _) => Some(format!("{undone} {files} as before")),
            // The drawer says it.
            (Some(_), Some(_)) => None,
            (Some(error), None) => Some(error.to_string()),
        };
        if let Some(changes) = changes {
            self.open_drawer(changes);
        }
        // What was written meanwhile is newer.
        self.pending.applied.splice(0..0, left);
        self.session.workbench.forget();
        self.text_changed();
    }
}
