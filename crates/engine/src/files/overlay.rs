//! Files that would be written: what later commands read in their place.

use parking_lot::{Mutex, MutexGuard};
use std::collections::BTreeSet;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Weak};

use rustix::fs::{Access, access};
use rustix::io::Errno;
use stream::{FileFacts, FileKind, RunControl, Sink, Source, WriteMode};

use crate::base::figure::Known;
use crate::base::sinks::Nowhere;
use crate::files::emptied::Readers;
use crate::files::identity::Identity;
use crate::files::machine::facts_of;
use crate::files::pending::{PendingFile, PendingMode};
use crate::files::place::target_of;
use crate::files::sample::count_lines;
use crate::kept::lines::Kept;
use crate::kept::sinks::{HoldBudget, KeptSink};

/// Files up to this size are counted when they would be written over.
const COUNTED_UP_TO: u64 = 64 << 20;

/// What would be written, in the order in which it would be.
#[derive(Default)]
pub(crate) struct Overlay {
    files: Mutex<Vec<PendingFile>>,
    /// Sinks that may be open still, by the files they write.
    writers: Mutex<Vec<(PathBuf, Weak<KeptSink>)>>,
    /// Sources that may be open still, by the files they read.
    readers: Readers,
    /// Files that are emptied by the same pipeline that reads them.
    lost: Mutex<BTreeSet<PathBuf>>,
    /// How much may be kept, where there is a limit.
    budget: Mutex<Option<Arc<HoldBudget>>>,
    /// Files that may not be written, and why.
    refused: Mutex<Vec<(PathBuf, String)>>,
}

/// What a file would hold.
pub(crate) struct Content {
    /// True where what it has now stays, before the parts.
    pub(crate) old: bool,
    /// What is written behind that.
    pub(crate) parts: Vec<Arc<Kept>>,
}

/// The file a path leads to, whether it is there or not; the path itself where it leads nowhere.
pub(crate) fn real_target(path: &Path) -> PathBuf {
    target_of(path).unwrap_or_else(|_| path.to_owned())
}

fn guarded<T>(list: &Mutex<T>) -> MutexGuard<'_, T> {
    list.lock()
}

fn error(errno: Errno) -> io::Error {
    io::Error::from_raw_os_error(errno.raw_os_error())
}

impl Overlay {
    pub(crate) fn lock(&self) -> MutexGuard<'_, Vec<PendingFile>> {
        self.files.lock()
    }

    /// What a file would hold; `None` where nothing was written there.
    pub(crate) fn content(&self, path: &Path) -> Option<Content> {
        let target = real_target(path);
        let open = guarded(&self.writers)
            .iter()
            .any(|(at, sink)| *at == target && sink.strong_count() > 0);
        if open && let Some(file) = self.lock().iter().find(|file| file.target == target) {
            // It is emptied already, and only then read.
            self.note_lost(file);
        }
        let mut content: Option<Content> = None;
        for file in self.lock().iter().filter(|file| file.target == target) {
            let content = content.get_or_insert(Content { old: true, parts: Vec::new() });
            if file.mode != PendingMode::Append {
                *content = Content { old: false, parts: Vec::new() };
            }
            content.parts.push(file.kept.clone());
        }
        content
    }

    /// Keeps no more than a budget lets it.
    pub(crate) fn set_budget(&self, budget: Arc<HoldBudget>) {
        *guarded(&self.budget) = Some(budget);
    }

    /// A sink for what a file would hold.
    pub(crate) fn sink(&self, kept: &Arc<Kept>) -> Arc<KeptSink> {
        Arc::new(KeptSink::within(kept.clone(), guarded(&self.budget).clone()))
    }

    /// Begins to write a file; what the system would refuse is refused.
    pub(crate) fn write(
        &self,
        path: &Path,
        mode: WriteMode,
        control: &RunControl,
    ) -> io::Result<Arc<dyn Sink>> {
        let Some(file) = self.begin(path, mode, control)? else { return Ok(Arc::new(Nowhere)) };
        let sink = self.sink(&file.kept);
        if mode == WriteMode::Replace {
            // Whoever has it open finds it empty from here on, and then what was written.
            let (kept, writing) = (file.kept.clone(), Arc::downgrade(&sink));
            let reopen = move || (writing.strong_count() == 0).then(|| Ok(kept.clone().source()));
            if self.readers.empty(&file.target, reopen) {
                self.note_lost(&file);
            }
            guarded(&self.writers).push((file.target.clone(), Arc::downgrade(&sink)));
        }
        self.add(file);
        Ok(sink)
    }

    /// A file that has content now and loses it before it is read.
    fn note_lost(&self, file: &PendingFile) {
        if file.bytes_now > 0 {
            guarded(&self.lost).insert(file.target.clone());
        }
    }

    /// A source of what a file has now, which continues in what is written there; see [`Readers::add`].
    pub(crate) fn reader(
        &self,
        path: &Path,
        source: Box<dyn Source>,
        plain: bool,
    ) -> Box<dyn Source> {
        self.readers.add(real_target(path), source, plain)
    }

    /// Files that may not be written, and why.
    pub(crate) fn refused(&self) -> Vec<(PathBuf, String)> {
        guarded(&self.refused).clone()
    }

    /// Takes a file that is written, or begins to be.
    pub(crate) fn add(&self, file: PendingFile) {
        self.lock().push(file);
    }

    /// A file to be written; `None` where writing changes no file.
    pub(crate) fn begin(
        &self,
        path: &Path,
        mode: WriteMode,
        control: &RunControl,
    ) -> io::Result<Option<PendingFile>> {
        self.try_begin(path, mode, control).inspect_err(|error| {
            guarded(&self.refused).push((path.to_owned(), stream::describe(error)));
        })
    }

    fn try_begin(
        &self,
        path: &Path,
        mode: WriteMode,
        control: &RunControl,
    ) -> io::Result<Option<PendingFile>> {
        let target = real_target(path);
        let facts = std::fs::metadata(path).ok();
        let known = self.lock().iter().any(|file| file.target == target);
        match &facts {
            Some(facts) if facts.is_dir() => return Err(error(Errno::ISDIR)),
            Some(facts) => {
                access(path, Access::WRITE_OK)?;
                if !facts.is_file() {
                    return Ok(None);
                }
            }
            None => {
                let parent = match path.parent() {
                    Some(parent) if !parent.as_os_str().is_empty() => parent,
                    _ => Path::new("."),
                };
                access(parent, Access::WRITE_OK | Access::EXEC_OK)?;
            }
        }
        let bytes_now = facts.as_ref().map_or(0, std::fs::Metadata::len);
        let lines_now = match &facts {
            None => Some(0),
            Some(_) if bytes_now <= COUNTED_UP_TO => count_lines(path, control),
            Some(_) => None,
        };
        let pending_mode = match (facts.is_some() || known, mode) {
            (false, _) => PendingMode::New,
            (true, WriteMode::Replace) => PendingMode::Replace,
            (true, WriteMode::Append) => PendingMode::Append,
        };
        Ok(Some(PendingFile {
            known: Known::Exact,
            path: path.to_owned(),
            target,
            mode: pending_mode,
            kept: Arc::new(Kept::of_run(control)),
            identity: Identity::now(path).ok(),
            lost: false,
            facts_now: facts.as_ref().map(facts_of),
            bytes_now,
            lines_now,
        }))
    }

    /// A file that was only held back is not written at all.
    pub(crate) fn remove(&self, path: &Path) {
        let target = real_target(path);
        self.lock().retain(|file| file.target != target);
    }

    /// What would be known of a file; `None` where nothing was written there.
    pub(crate) fn facts(&self, path: &Path) -> Option<FileFacts> {
        let content = self.content(path)?;
        let now = std::fs::metadata(path).ok().map(|facts| facts_of(&facts));
        let written: u64 = content.parts.iter().map(|part| part.bytes()).sum();
        let old = now.filter(|_| content.old).map_or(0, |facts| facts.bytes);
        let (owner, group) = (rustix::process::geteuid(), rustix::process::getegid());
        let new = FileFacts {
            kind: FileKind::Regular,
            mode: 0o644,
            owner: owner.as_raw(),
            group: group.as_raw(),
            ..FileFacts::default()
        };
        Some(FileFacts { bytes: old + written, ..now.unwrap_or(new) })
    }

    /// Adds the names of new files to those of a directory.
    pub(crate) fn add_names(&self, directory: &Path, names: &mut Vec<OsString>) {
        let Ok(directory) = std::fs::canonicalize(directory) else { return };
        let known: BTreeSet<OsString> = names.iter().cloned().collect();
        let mut new = BTreeSet::new();
        for file in self.lock().iter() {
            if file.target.parent() == Some(&directory)
                && let Some(name) = file.target.file_name()
                && !known.contains(name)
            {
                new.insert(name.to_owned());
            }
        }
        names.extend(new);
    }

    /// Each file that would be written, once, with all that would be written to it.
    pub(crate) fn files(&self) -> Vec<PendingFile> {
        let all = self.lock().clone();
        let mut files: Vec<PendingFile> = Vec::new();
        let lost = guarded(&self.lost).clone();
        for mut file in all {
            file.lost = lost.contains(&file.target);
            file.kept.end();
            let Some(known) = files.iter_mut().find(|known| known.target == file.target) else {
                files.push(file);
                continue;
            };
            if file.mode == PendingMode::Append {
                let joined = Kept::default();
                for part in [&known.kept, &file.kept] {
                    let mut source = part.source();
                    while let Ok(Some(block)) = source.next_block() {
                        // Only a full disk can fail here; what is shown is then cut off.
                        if joined.append(&block).is_err() {
                            break;
                        }
                    }
                }
                joined.end();
                known.kept = Arc::new(joined);
            } else {
                known.kept = file.kept;
                if known.mode == PendingMode::Append {
                    known.mode = PendingMode::Replace;
                }
            }
        }
        files
    }
}
