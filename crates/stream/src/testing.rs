//! Files, sources and sinks held in memory, for tests of this crate and of those above.

use parking_lot::Mutex;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use crate::{
    Block, CommandEnd, CommandRequest, Commands, Decoding, FileFacts, FileKind, Files, Joined,
    Machine, Permission, ReadError, Replacement, Running, Scratch, Sink, Source, WriteError,
    WriteMode,
};

mod probe;
mod processors;

pub use probe::{ProbeSink, ProbeSource, lost_of_sink, lost_of_source};
pub use processors::{OneProcessor, Processed};

/// A source that hands out its data in pieces of a fixed size.
pub struct CutSource {
    data: bytes::Bytes,
    cut: usize,
}

impl CutSource {
    /// `data` in pieces of `cut` bytes (at least 1).
    pub fn new(data: &[u8], cut: usize) -> Self {
        Self { data: bytes::Bytes::copy_from_slice(data), cut: cut.max(1) }
    }
}

impl Source for CutSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.data.is_empty() {
            return Ok(None);
        }
        Ok(Some(Block::new(self.data.split_to(self.cut.min(self.data.len())))))
    }
}

/// Files in `/broken` are read to their last byte; then comes an error instead of the end.
struct Breaks(CutSource);

impl Source for Breaks {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match self.0.next_block()? {
            Some(block) => Ok(Some(block)),
            None => Err(io::Error::from_raw_os_error(5).into()),
        }
    }
}

/// A sink that keeps everything it is given.
#[derive(Default)]
pub struct MemorySink(Mutex<Vec<u8>>);

impl MemorySink {
    /// What was written.
    pub fn contents(&self) -> Vec<u8> {
        self.0.lock().clone()
    }
}

impl Sink for MemorySink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.0.lock().extend_from_slice(block.bytes());
        Ok(())
    }
}

/// Files in memory, read in pieces of a fixed size; a clock that only moves when somebody waits. What
/// is in `/full` cannot be written, what is in `/broken` not read to its end.
#[derive(Default)]
pub struct FixedFiles {
    /// The files by name.
    pub files: BTreeMap<PathBuf, Vec<u8>>,
    /// The size of the pieces; 0 for whole files.
    pub cut: usize,
    /// What was written, by name.
    pub written: Mutex<BTreeMap<PathBuf, Arc<MemorySink>>>,
    /// Bytes of memory the machine is said to have.
    pub memory: u64,
    /// Nanoseconds since 1970.
    pub clock_ns: AtomicU64,
}

impl FixedFiles {
    fn facts_of(&self, path: &Path) -> Option<FileFacts> {
        if let Some(data) = self.files.get(path) {
            return Some(FileFacts {
                bytes: data.len() as u64,
                mode: 0o644,
                ..FileFacts::default()
            });
        }
        let inside = |name: &PathBuf| name != path && name.starts_with(path);
        (path == Path::new("/") || self.files.keys().any(inside)).then(|| FileFacts {
            kind: FileKind::Directory,
            mode: 0o755,
            ..FileFacts::default()
        })
    }
}

impl Files for FixedFiles {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        let data = self.files.get(path).ok_or_else(|| io::Error::from_raw_os_error(2))?;
        let cut = if self.cut == 0 { data.len() } else { self.cut };
        let source = CutSource::new(data, cut);
        if path.parent().is_some_and(|parent| parent == Path::new("/broken")) {
            return Ok(Box::new(Breaks(source)));
        }
        Ok(Box::new(source))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        if path.parent().is_some_and(|parent| parent == Path::new("/full")) {
            return Ok(Arc::new(FullSink));
        }
        let sink = Arc::new(MemorySink::default());
        if mode == WriteMode::Append
            && let Some(old) = self.files.get(path)
        {
            let _ = sink.write(Block::new(old.clone()));
        }
        let mut written = self.written.lock();
        written.insert(path.to_owned(), sink.clone());
        Ok(sink)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        Ok(Box::new(Replaced(self.write(path, WriteMode::Replace)?)))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.written.lock().remove(path);
        Ok(())
    }

    /// Nothing grows here.
    fn is_live(&self) -> bool {
        false
    }

    fn machine(&self) -> &dyn Machine {
        self
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        self.read(path).map(decoding.open)
    }

    fn remove_original(&self, _path: &Path) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn may_remove_original(&self) -> bool {
        false
    }

    fn set_file_mask(&self, _mask: u32) {
        // No file has rights here.
    }
}

/// A machine without commands.
pub struct NoCommands;

impl Commands for NoCommands {
    fn run(&self, _request: CommandRequest<'_>) -> CommandEnd {
        CommandEnd::NotFound
    }

    fn start(
        &self,
        _request: CommandRequest<'_>,
        _joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd> {
        Err(CommandEnd::NotFound)
    }
}

/// A disk without room.
struct FullSink;

impl Sink for FullSink {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Err(WriteError::Io(io::Error::from_raw_os_error(28)))
    }
}

struct Replaced(Arc<dyn Sink>);

impl Replacement for Replaced {
    fn sink(&self) -> Arc<dyn Sink> {
        self.0.clone()
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        Ok(())
    }
}

impl Machine for FixedFiles {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        let mut names: Vec<OsString> = Vec::new();
        for path in self.files.keys() {
            let rest = if directory == Path::new(".") {
                Some(path.as_path())
            } else {
                path.strip_prefix(directory).ok()
            };
            if let Some(first) = rest.and_then(|rest| rest.components().next()) {
                names.push(first.as_os_str().to_owned());
            }
        }
        names.dedup();
        Ok(names)
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.facts_of(path).ok_or_else(|| io::Error::from_raw_os_error(2))
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        Machine::facts(self, path)
    }

    fn permits(&self, path: &Path, _permission: Permission) -> bool {
        self.facts_of(path).is_some()
    }

    fn user(&self) -> (u32, u32) {
        (0, 0)
    }

    fn variable(&self, _name: &str) -> Option<OsString> {
        None
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        Vec::new()
    }

    fn directory(&self) -> PathBuf {
        PathBuf::from("/")
    }

    fn now_ns(&self) -> i128 {
        i128::from(self.clock_ns.load(Ordering::Relaxed))
    }

    fn pause(&self, duration: Duration) {
        self.clock_ns.fetch_add(duration.as_nanos() as u64, Ordering::Relaxed);
    }

    fn random(&self) -> u64 {
        7
    }

    fn memory_bytes(&self) -> u64 {
        if self.memory == 0 { 1 << 30 } else { self.memory }
    }

    fn is_terminal(&self, _descriptor: u8) -> bool {
        false
    }

    fn scratch(&self, _directory: Option<&Path>) -> io::Result<Box<dyn Scratch>> {
        Ok(Box::new(MemoryScratch(Vec::new())))
    }
}

struct MemoryScratch(Vec<u8>);

impl Scratch for MemoryScratch {
    fn append(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.0.extend_from_slice(bytes);
        Ok(())
    }

    fn read_at(&self, at: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let rest = self.0.get(at as usize..).unwrap_or_default();
        let length = rest.len().min(buffer.len());
        buffer[..length].copy_from_slice(&rest[..length]);
        Ok(length)
    }
}
