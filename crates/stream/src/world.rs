use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;

use crate::{Block, ReadError, RunControl, WriteError};

/// Something blocks come from: a file, a link, a sample.
pub trait Source: Send {
    /// The next block, never empty; `None` at the end, again and again.
    fn next_block(&mut self) -> Result<Option<Block>, ReadError>;

    /// Moves forward to the last part of a seekable source. False when that cannot be done
    /// here, or anything was read already; the source is then unmoved and must be read through.
    fn seek_last(&mut self, _part: Tail) -> Result<bool, ReadError> {
        Ok(false)
    }

    /// Cuts what is left into at most `parts` sources that can be read at the same time and make
    /// up the whole in order; lines may be cut too. `None` where that cannot be done; nothing
    /// may be read from a source that was cut.
    fn split(&mut self, _parts: usize) -> Option<Vec<Box<dyn Source>>> {
        None
    }

    /// The length of a regular file that is read from its beginning.
    fn file_bytes(&self) -> Option<u64> {
        None
    }

    /// What is known by now of the file behind this; `None` where there is none. A source with
    /// facts may give more after its end, when the file has grown.
    fn facts(&self) -> Option<FileFacts> {
        None
    }

    /// How many bytes of the file behind this are before the place reached.
    fn position(&self) -> Option<u64> {
        None
    }

    /// Goes back to the beginning of a file. False where that cannot be done.
    fn rewind(&mut self) -> bool {
        false
    }

    /// True where it costs and changes nothing to read on before anybody asks: a large regular
    /// file, from a place of its own.
    fn allows_ahead(&self) -> bool {
        false
    }

    /// Takes back bytes that were given last, for whoever reads the same input next. False where
    /// there is nobody.
    fn give_back(&mut self, _bytes: Bytes) -> bool {
        false
    }

    /// True for a link, which adds the time its reader waits to the reader's meter.
    fn is_link(&self) -> bool {
        false
    }
}

/// The last part of a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tail {
    /// The last lines; an unterminated last line counts as one.
    Lines(u64),
    /// The last bytes.
    Bytes(u64),
}

/// Something blocks go to: a link, a file, a kept result. Shared, because standard error may go
/// to the same place.
pub trait Sink: Send + Sync {
    /// Takes one block; waits while there is no room for it.
    fn write(&self, block: Block) -> Result<(), WriteError>;

    /// True when it is known that nobody reads any more.
    fn is_closed(&self) -> bool {
        false
    }

    /// True for a terminal.
    fn is_terminal(&self) -> bool {
        false
    }

    /// True for a link, which adds the time its writer waits to the writer's meter.
    fn is_link(&self) -> bool {
        false
    }

    /// What is known of the file behind this; `None` where there is none.
    fn facts(&self) -> Option<FileFacts> {
        None
    }

    /// States that all is written: a file that is written beside its target takes its place. Said
    /// once, by whoever opened this; what is not said leaves the target as it was.
    ///
    /// # Errors
    /// Where it cannot take its place, or something of it could not be written; the target is then
    /// as it was.
    fn put_in_place(&self) -> io::Result<()> {
        Ok(())
    }

    /// States that what was written so far is wanted, also when the run is ended before all is
    /// written: something else has been done that goes with it.
    fn keep_when_ended(&self) {}
}

/// How a file is opened for writing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WriteMode {
    /// Created, or emptied first: `>`.
    Replace,
    /// Created, or added to: `>>`.
    Append,
}

/// What a path leads to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FileKind {
    /// A regular file.
    #[default]
    Regular,
    /// A directory.
    Directory,
    /// A symbolic link (only where links are not followed).
    Link,
    /// A named pipe.
    Pipe,
    /// A socket.
    Socket,
    /// A block device.
    BlockDevice,
    /// A character device.
    CharacterDevice,
}

/// What is known of a path or of an open file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct FileFacts {
    /// Length in bytes.
    pub bytes: u64,
    /// What it is.
    pub kind: FileKind,
    /// The permission bits, with set-user-ID, set-group-ID and sticky.
    pub mode: u32,
    /// The owner's number.
    pub owner: u32,
    /// The group's number.
    pub group: u32,
    /// The device it is on.
    pub device: u64,
    /// Its number on the device.
    pub inode: u64,
    /// The last change of its data, in nanoseconds since 1970 (UTC).
    pub modified_ns: i128,
}

impl FileFacts {
    /// True for a directory.
    pub fn is_directory(&self) -> bool {
        self.kind == FileKind::Directory
    }

    /// True for a regular file.
    pub fn is_regular(&self) -> bool {
        self.kind == FileKind::Regular
    }

    /// True when both are the same file.
    pub fn same_file(&self, other: &Self) -> bool {
        (self.device, self.inode) == (other.device, other.inode)
    }
}

/// What one may want to do with a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Permission {
    /// Read it.
    Read,
    /// Write it.
    Write,
    /// Execute or search it.
    Execute,
}

/// The machine but for the contents of files: directories, environment, clock, chance.
pub trait Machine: Send + Sync {
    /// The names in a directory, in no order, without `.` and `..`.
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>>;
    /// What is known of a path, links followed.
    fn facts(&self, path: &Path) -> io::Result<FileFacts>;
    /// What is known of a path itself, be it a link.
    fn link_facts(&self, path: &Path) -> io::Result<FileFacts>;
    /// True when this process may do that.
    fn permits(&self, path: &Path, permission: Permission) -> bool;
    /// The numbers of the user and the group that count for permissions.
    fn user(&self) -> (u32, u32);
    /// An environment variable.
    fn variable(&self, name: &str) -> Option<OsString>;
    /// All environment variables.
    fn variables(&self) -> Vec<(OsString, OsString)>;
    /// The working directory.
    fn directory(&self) -> PathBuf;
    /// Nanoseconds since 1970 (UTC).
    fn now_ns(&self) -> i128;
    /// Waits. Callers wait in short pieces, so that a run can be cancelled.
    fn pause(&self, duration: Duration);
    /// A number nobody can foretell.
    fn random(&self) -> u64;
    /// Bytes of memory the machine has.
    fn memory_bytes(&self) -> u64;
    /// True when this descriptor of the process is a terminal.
    fn is_terminal(&self, descriptor: u8) -> bool;
    /// Space on disk without a name, gone when it is dropped or the process ends in whatever way.
    fn scratch(&self, directory: Option<&Path>) -> io::Result<Box<dyn Scratch>>;
}

/// Space on disk for data that does not fit into memory.
pub trait Scratch: Send + Sync {
    /// Writes behind what was written.
    fn append(&mut self, bytes: &[u8]) -> io::Result<()>;
    /// Reads from a place on; gives how many bytes, 0 at the end.
    fn read_at(&self, at: u64, buffer: &mut [u8]) -> io::Result<usize>;
}

/// A command a stage starts: a filter or a program of the machine.
pub struct CommandRequest<'a> {
    /// The command and its arguments; never empty.
    pub words: &'a [Vec<u8>],
    /// Its standard input; nothing when `None`.
    pub input: Option<Box<dyn Source>>,
    /// Its standard output.
    pub out: Arc<dyn Sink>,
    /// Its standard error.
    pub error: Arc<dyn Sink>,
    /// What its variables are, beside those of the process.
    pub environment: Environment,
    /// Where it runs; `None` for where the process is.
    pub directory: Option<PathBuf>,
    /// Whether to stop it.
    pub control: &'a RunControl,
}

/// How the variables of a command differ from those of the process.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Environment {
    /// Set for it; the last of a name counts.
    pub set: Vec<(String, Vec<u8>)>,
    /// Variables of the process that it does not get.
    pub unset: Vec<String>,
    /// Not handed to it, but what the shell itself goes by: where commands are looked for.
    pub shell_only: Vec<(String, Vec<u8>)>,
}

impl Environment {
    /// These variables, and nothing else.
    pub fn of(set: Vec<(String, Vec<u8>)>) -> Self {
        Self { set, ..Self::default() }
    }

    /// This with what `inner` sets beyond it.
    #[must_use]
    pub fn with(&self, inner: Self) -> Self {
        let mut all = self.clone();
        all.set.extend(inner.set);
        all.unset.extend(inner.unset);
        all.shell_only.extend(inner.shell_only);
        all
    }
}

/// Which end of a command's streams the stage that starts it holds; see [`World::start`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Joined {
    /// The stage reads what the command writes.
    Output,
    /// The stage writes what the command reads.
    Input,
}

/// A command that works beside the stage that started it. Dropping it takes the stage's end away
/// and lets the command end by itself.
pub trait Running {
    /// The next block the command wrote; `None` at its end.
    fn next_block(&mut self) -> Result<Option<Block>, ReadError>;
    /// Gives the command a block to read.
    fn feed(&mut self, block: Block) -> Result<(), WriteError>;
    /// Takes the stage's end away, and waits for the end of the command.
    fn finish(self: Box<Self>) -> CommandEnd;
}

/// How a command ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CommandEnd {
    /// By itself, with this status.
    Exited(u8),
    /// By this signal.
    Signalled(u8),
    /// It was never started: there is no such command.
    NotFound,
    /// It was never started for another reason.
    NotStarted,
    /// It was not started because nothing may be changed here; somebody decides later.
    HeldBack,
}

/// A file being written that takes its place only when it is complete.
pub trait Replacement: Send {
    /// Where to write.
    fn sink(&self) -> Arc<dyn Sink>;
    /// Puts the new file in the place of the old one. Without this call the old one stays.
    fn commit(self: Box<Self>) -> io::Result<()>;
}

/// The only door from a stage to files, environment, directories and other commands.
pub trait World: Send + Sync {
    /// Opens a file for reading.
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>>;
    /// Opens a file for writing.
    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>>;
    /// Begins to replace a file.
    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>>;
    /// Removes a file that was written before.
    fn remove(&self, path: &Path) -> io::Result<()>;
    /// Runs a command to its end.
    fn run(&self, job: CommandRequest<'_>) -> CommandEnd;
    /// Starts a command beside the stage, which holds one end of its streams: that end of `job`
    /// is not used.
    ///
    /// # Errors
    /// How the command ended before it began.
    fn start(
        &self,
        job: CommandRequest<'_>,
        joined: Joined,
    ) -> Result<Box<dyn Running + '_>, CommandEnd>;
    /// True where files are followed as they grow; else what there is now is all.
    fn is_live(&self) -> bool {
        true
    }
    /// Sets the rights that new files do not get, where files are made for real.
    fn set_file_mask(&self, _mask: u32) {}
    /// Everything but contents.
    fn machine(&self) -> &dyn Machine;

    /// See [`Machine::list`].
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        self.machine().list(directory)
    }
    /// See [`Machine::facts`].
    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.machine().facts(path)
    }
    /// See [`Machine::variable`].
    fn variable(&self, name: &str) -> Option<OsString> {
        self.machine().variable(name)
    }
    /// See [`Machine::variables`].
    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.machine().variables()
    }
    /// See [`Machine::directory`].
    fn directory(&self) -> PathBuf {
        self.machine().directory()
    }
}

/// Processors a stage may ask for.
pub trait Processors: Send + Sync {
    /// How many can usefully work at once; at least 1.
    fn count(&self) -> usize;
    /// Runs all jobs, some at the same time, and returns when the last has ended.
    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>);
}
