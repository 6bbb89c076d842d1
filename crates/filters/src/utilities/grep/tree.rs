//! Which files are searched, in which order, and with how many processors.

use parking_lot::Mutex;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};

use pattern::glob_matches;
use stream::{
    FileFacts, FileKind, Files, Input, InputTrouble, Origin, ReadError, StageError, StageIo,
};

use super::output::Listing;
use super::output_target::{HeldResults, OutputTarget};
use super::search::Search;

/// Files searched at the same time are taken in batches of at most this many bytes: the results of
/// a batch are held until it is their turn.
const BATCH_BYTES: u64 = 32 << 20;
const BATCH_FILES: usize = 512;

/// What becomes of directories among the operands.
#[derive(Clone, Copy)]
pub(super) enum Directories {
    /// They are read like files, which is an error.
    Read,
    /// They are passed over.
    Skip,
    /// All files below them are searched.
    Below {
        /// Also those that links lead to.
        follows_links: bool,
    },
}

impl Directories {
    pub(super) fn goes_below(self) -> bool {
        matches!(self, Self::Below { .. })
    }
}

/// Names that are searched or passed over.
pub(super) struct Names {
    pub(super) include: Vec<Vec<u8>>,
    pub(super) exclude: Vec<Vec<u8>>,
    pub(super) exclude_directories: Vec<Vec<u8>>,
}

fn glob(patterns: &[Vec<u8>], name: &[u8]) -> bool {
    patterns.iter().any(|pattern| {
        let mut bytes = Vec::new();
        let mut quoted = false;
        for &byte in pattern {
            if byte == b'\\' && !quoted {
                quoted = true;
            } else {
                bytes.push((byte, std::mem::take(&mut quoted)));
            }
        }
        glob_matches(&bytes, name)
    })
}

fn last_part(path: &[u8]) -> &[u8] {
    let trimmed = path.iter().rposition(|byte| *byte != b'/').map_or(0, |at| at + 1);
    let path = &path[..trimmed];
    path.rsplit(|byte| *byte == b'/').next().unwrap_or(path)
}

impl Names {
    fn takes_file(&self, path: &[u8]) -> bool {
        let name = last_part(path);
        !glob(&self.exclude, name) && (self.include.is_empty() || glob(&self.include, name))
    }

    fn takes_directory(&self, path: &[u8]) -> bool {
        !glob(&self.exclude_directories, last_part(path))
    }
}

/// The files searched, one after the other or several at a time.
pub(super) struct FileSearch<'g> {
    pub(super) search: &'g Search,
    pub(super) names: &'g Names,
    pub(super) directories: Directories,
    /// Devices, named pipes and sockets are passed over.
    pub(super) skips_devices: bool,
    pub(super) named: Option<bool>,
    pub(super) several: bool,
    pub(super) silent: bool,
    /// No file was named: names below this directory are shown without `./`.
    pub(super) bare: bool,
    pub(super) any: bool,
    pub(super) failed: bool,
    /// Something was written, so a group separator may be due.
    pub(super) used: bool,
}

/// Files found, waiting to be searched together.
#[derive(Default)]
struct Batch {
    files: Vec<Vec<u8>>,
    bytes: u64,
}

fn path(name: &[u8]) -> &Path {
    Path::new(OsStr::from_bytes(name))
}

impl FileSearch<'_> {
    pub(super) fn all(
        &mut self,
        io: &mut StageIo<'_>,
        operands: &[Vec<u8>],
    ) -> Result<(), StageError> {
        for operand in operands {
            let named = operand != b"-";
            let kind = named.then(|| io.files().facts(path(operand)).ok()).flatten();
            let kind = kind.map(|facts| facts.kind);
            let directory = kind == Some(FileKind::Directory);
            if self.skips_devices
                && kind.is_some_and(|kind| kind != FileKind::Regular && !directory)
            {
                continue;
            }
            match self.directories {
                Directories::Skip if directory => {}
                Directories::Below { follows_links } if directory => {
                    if self.names.takes_directory(operand) {
                        let mut batch = Batch::default();
                        let mut above = Vec::new();
                        self.below(io, follows_links, operand, &mut above, &mut batch)?;
                        self.search_batch(io, &mut batch)?;
                    }
                }
                _ => {
                    let excluded = operand != b"-" && !self.names.takes_file(operand);
                    if !excluded {
                        let named = self.named.unwrap_or(self.several);
                        self.one(io, operand, named)?;
                    }
                }
            }
            if self.over() {
                break;
            }
        }
        Ok(())
    }

    fn over(&self) -> bool {
        self.any && self.search.settings.listing == Listing::Nothing
    }

    /// Everything below a directory, in order of names.
    fn below(
        &mut self,
        io: &mut StageIo<'_>,
        follows_links: bool,
        directory: &[u8],
        above: &mut Vec<FileFacts>,
        batch: &mut Batch,
    ) -> Result<(), StageError> {
        io.check_cancel()?;
        let facts = io.files().facts(path(directory));
        if let Ok(facts) = &facts {
            if above.iter().any(|other| other.same_file(facts) && facts.inode != 0) {
                return self.complain(io, directory, "warning: recursive directory loop");
            }
            above.push(*facts);
        }
        let mut names = match io.files().list(path(directory)) {
            Ok(names) => names,
            Err(error) => {
                above.pop();
                return self.fail(io, directory, &stream::describe(&error));
            }
        };
        names.sort();
        for name in names {
            let mut whole = directory.to_vec();
            if self.bare && directory == b"." {
                whole.clear();
            } else if !whole.ends_with(b"/") {
                whole.push(b'/');
            }
            whole.extend_from_slice(name.as_bytes());
            let machine = io.files().machine();
            let facts = if follows_links {
                machine.facts(path(&whole))
            } else {
                machine.link_facts(path(&whole))
            };
            match facts {
                Err(error) => self.fail(io, &whole, &stream::describe(&error))?,
                Ok(facts) if facts.is_directory() => {
                    if self.names.takes_directory(&whole) {
                        self.below(io, follows_links, &whole, above, batch)?;
                    }
                }
                // Links and devices below a directory are not searched, as the host has it.
                Ok(facts) if facts.kind == FileKind::Regular => {
                    if self.names.takes_file(&whole) {
                        batch.bytes += facts.bytes;
                        batch.files.push(whole);
                        if batch.bytes >= BATCH_BYTES || batch.files.len() >= BATCH_FILES {
                            self.search_batch(io, batch)?;
                        }
                    }
                }
                Ok(_) => {}
            }
            if self.over() {
                break;
            }
        }
        above.pop();
        Ok(())
    }

    fn complain(&self, io: &mut StageIo<'_>, name: &[u8], reason: &str) -> Result<(), StageError> {
        if self.silent {
            return Ok(());
        }
        io.message(&format!("{}: {reason}", String::from_utf8_lossy(name)))
    }

    fn fail(&mut self, io: &mut StageIo<'_>, name: &[u8], reason: &str) -> Result<(), StageError> {
        self.failed = true;
        self.complain(io, name, reason)
    }

    /// Searches one file on this thread, its results going straight on.
    fn one(&mut self, io: &mut StageIo<'_>, operand: &[u8], named: bool) -> Result<(), StageError> {
        let mut input = match io.open(operand) {
            Ok(input) => input,
            Err(error) => return self.fail(io, operand, &stream::describe(&error)),
        };
        let shown = if operand == b"-" { &self.search.settings.label[..] } else { operand };
        if is_output(io.out().file_facts(), &input) && self.search.writes_lines() {
            return self.fail(io, shown, "input file is also the output");
        }
        let mut used = self.used;
        let outcome = self.search.one(
            &mut OutputTarget::Stage(io),
            &mut input,
            named.then_some(shown),
            shown,
            &mut used,
        );
        self.used = used;
        match outcome {
            Ok(any) => {
                self.any |= any;
                Ok(())
            }
            Err(InputTrouble::Stage(error)) => Err(error),
            Err(InputTrouble::Read(ReadError::Cancelled)) => Err(StageError::Cancelled),
            Err(InputTrouble::Read(ReadError::Io(error))) => {
                self.fail(io, shown, &stream::describe(&error))
            }
        }
    }

    /// Searches files with all processors and writes their results in order.
    fn search_batch(&mut self, io: &mut StageIo<'_>, batch: &mut Batch) -> Result<(), StageError> {
        let Batch { files, bytes } = std::mem::take(batch);
        let named = self.named.unwrap_or(true);
        let workers = io.processors().count().min(files.len());
        if workers < 2 || io.keeps_origins() || bytes > 4 * BATCH_BYTES {
            for file in files {
                self.one(io, &file, named)?;
                if self.over() {
                    break;
                }
            }
            return Ok(());
        }
        let results: Vec<Mutex<HeldResults>> = files.iter().map(|_| Mutex::default()).collect();
        let next = AtomicUsize::new(0);
        let output = io.out().file_facts();
        let (machine_files, search) = (io.files(), self.search);
        let work = || {
            loop {
                let number = next.fetch_add(1, Ordering::Relaxed);
                let (Some(file), Some(result)) = (files.get(number), results.get(number)) else {
                    break;
                };
                let mut kept = result.lock();
                search_kept(machine_files, search, file, named, output, &mut kept);
            }
        };
        let jobs =
            (0..workers).map(|_| -> Box<dyn FnOnce() + Send + '_> { Box::new(work) }).collect();
        io.processors().run(jobs);
        for (file, result) in files.iter().zip(results) {
            let kept = result.into_inner();
            if self.used && !kept.out.is_empty() && self.search.settings.context.is_some() {
                let mut separator = Vec::new();
                self.search.group_separator(&mut separator);
                io.out().put(&separator, Origin::None)?;
            }
            self.used |= kept.used;
            io.out().put(&kept.out, Origin::None)?;
            self.any |= kept.any;
            match kept.error {
                None => {}
                Some(error) => return Err(error),
            }
            for message in kept.messages {
                if kept.failed {
                    self.fail(io, file, &message)?;
                } else {
                    io.message(&message)?;
                }
            }
            if self.over() {
                break;
            }
        }
        Ok(())
    }
}

fn is_output(output: Option<FileFacts>, input: &Input) -> bool {
    match (output, input.file_facts()) {
        (Some(output), Some(input)) => {
            output.is_regular()
                && input.is_regular()
                && output.same_file(&input)
                && input.inode != 0
        }
        _ => false,
    }
}

fn search_kept(
    files: &dyn Files,
    search: &Search,
    file: &[u8],
    named: bool,
    output: Option<FileFacts>,
    kept: &mut HeldResults,
) {
    let source = match files.read(path(file)) {
        Ok(source) => source,
        Err(error) => {
            kept.failed = true;
            return kept.messages.push(stream::describe(&error));
        }
    };
    let mut input = Input::new(source, 0);
    if is_output(output, &input) && search.writes_lines() {
        kept.failed = true;
        return kept.messages.push("input file is also the output".to_owned());
    }
    let mut used = false;
    let outcome = search.one(
        &mut OutputTarget::Kept(kept),
        &mut input,
        named.then_some(file),
        file,
        &mut used,
    );
    kept.used = used;
    match outcome {
        Ok(any) => kept.any = any,
        Err(InputTrouble::Stage(error)) => kept.error = Some(error),
        Err(InputTrouble::Read(ReadError::Cancelled)) => kept.error = Some(StageError::Cancelled),
        Err(InputTrouble::Read(ReadError::Io(error))) => {
            kept.failed = true;
            kept.messages.push(stream::describe(&error));
        }
    }
}
