//! Blocks read from and written to descriptors.

use std::fs::File;
use std::io::{self, Seek, SeekFrom};
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

use memchr::{memchr_iter, memrchr_iter};
use stream::{BLOCK_SIZE, Block, FileFacts, ReadError, Sink, Source, Tail, WriteError};

use super::machine::facts_of;

/// What a pipe holds at most, unless somebody has changed it.
const PIPE_SIZE: usize = 64 * 1024;

/// Reads the next block from a pipe or a terminal; `None` at the end.
pub(crate) fn read_block(descriptor: impl AsFd) -> io::Result<Option<Block>> {
    read_up_to(descriptor, PIPE_SIZE)
}

/// Reads the next block from something that has this many bytes, where that is known.
fn read_block_of(descriptor: impl AsFd, bytes: Option<u64>) -> io::Result<Option<Block>> {
    // One more shows that a small file is over, and all of it is read at once.
    let room = bytes.map_or(PIPE_SIZE as u64, |bytes| bytes.max(16 << 10) + 1);
    read_up_to(descriptor, room.min(BLOCK_SIZE as u64) as usize)
}

fn read_up_to(descriptor: impl AsFd, room: usize) -> io::Result<Option<Block>> {
    let mut buffer = Vec::with_capacity(room);
    loop {
        match rustix::io::read(&descriptor, rustix::buffer::spare_capacity(&mut buffer)) {
            Ok(0) => return Ok(None),
            Ok(_) => return Ok(Some(Block::gathered(&mut buffer))),
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
}

/// Writes a whole block to a descriptor.
pub(crate) fn write_block(descriptor: impl AsFd, bytes: &[u8]) -> Result<(), WriteError> {
    let mut rest = bytes;
    while !rest.is_empty() {
        match rustix::io::write(&descriptor, rest) {
            Ok(written) => rest = &rest[written..],
            Err(rustix::io::Errno::INTR) => {}
            Err(rustix::io::Errno::PIPE) => return Err(WriteError::Closed),
            Err(error) => return Err(WriteError::Io(error.into())),
        }
    }
    Ok(())
}

/// Bytes of a file from which reading it ahead is worth a thread.
const AHEAD_FROM: u64 = 16 * BLOCK_SIZE as u64;

/// An open file.
pub(crate) struct FileSource {
    pub(crate) file: File,
    bytes: Option<u64>,
    untouched: bool,
}

impl FileSource {
    /// Reads `file` from where it is.
    ///
    /// # Errors
    /// Where it cannot be looked at.
    pub(crate) fn of(file: File) -> io::Result<Self> {
        let facts = file.metadata()?;
        let bytes = facts.is_file().then_some(facts.len());
        if bytes.is_some_and(|bytes| bytes > BLOCK_SIZE as u64) {
            // Asks for more to be read ahead; nothing is lost where that is not possible.
            let _ = rustix::fs::fadvise(&file, 0, None, rustix::fs::Advice::Sequential);
        }
        Ok(Self { file, bytes, untouched: true })
    }
}

impl Source for FileSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.untouched = false;
        Ok(read_block_of(&self.file, self.bytes)?)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        let Some(bytes) = self.bytes.filter(|_| self.untouched) else { return Ok(false) };
        let start = match part {
            Tail::Bytes(number) => bytes.saturating_sub(number),
            Tail::Lines(number) => start_of_last_lines(&self.file, bytes, number)?,
        };
        self.file.seek(SeekFrom::Start(start))?;
        Ok(true)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let bytes = self.bytes.filter(|_| self.untouched)?;
        let file = Arc::new(self.file.try_clone().ok()?);
        let share = (bytes / parts.max(1) as u64).max(1);
        let part = |number: u64, last: bool| -> Box<dyn Source> {
            // The last part reads on to wherever the file ends by then.
            let end = if last { u64::MAX } else { (number + 1) * share };
            Box::new(RangeSource { file: file.clone(), at: number * share, end })
        };
        let parts = parts.max(1) as u64;
        Some((0..parts).map(|number| part(number, number + 1 == parts)).collect())
    }

    fn file_bytes(&self) -> Option<u64> {
        self.bytes
    }

    fn allows_ahead(&self) -> bool {
        self.bytes.is_some_and(|bytes| bytes >= AHEAD_FROM)
    }

    fn facts(&self) -> Option<FileFacts> {
        self.file.metadata().ok().map(|facts| facts_of(&facts))
    }

    fn position(&self) -> Option<u64> {
        rustix::fs::tell(&self.file).ok()
    }

    fn rewind(&mut self) -> bool {
        self.go_to(0)
    }

    fn go_to(&mut self, position: u64) -> bool {
        self.file.seek(SeekFrom::Start(position)).is_ok()
    }
}

/// A source of an open file, a pipe or a terminal.
///
/// # Errors
/// Where it cannot be looked at.
pub fn source_of(file: File) -> io::Result<Box<dyn Source>> {
    Ok(Box::new(FileSource::of(file)?))
}

/// Reads the first bytes of a file.
pub(crate) fn read_first(path: &Path, bytes: u64) -> io::Result<Box<dyn Source>> {
    Ok(Box::new(RangeSource { file: Arc::new(File::open(path)?), at: 0, end: bytes }))
}

/// A part of a file, read without moving the file's own position.
struct RangeSource {
    file: Arc<File>,
    at: u64,
    end: u64,
}

impl Source for RangeSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        let room = (self.end - self.at).min(BLOCK_SIZE as u64) as usize;
        if room == 0 {
            return Ok(None);
        }
        let mut buffer = Vec::with_capacity(room);
        loop {
            let spare = rustix::buffer::spare_capacity(&mut buffer);
            match rustix::io::pread(&self.file, spare, self.at) {
                Ok(0) => return Ok(None),
                Ok(_) => break,
                Err(rustix::io::Errno::INTR) => {}
                Err(error) => return Err(ReadError::Io(error.into())),
            }
        }
        // There may have been more room than was asked for.
        buffer.truncate(room);
        self.at += buffer.len() as u64;
        Ok(Some(Block::new(buffer)))
    }
}

/// Where the last `number` lines of a file of `bytes` bytes begin. Reads only as much of the
/// end as is needed.
pub(crate) fn start_of_last_lines(file: &File, bytes: u64, number: u64) -> io::Result<u64> {
    let mut end = bytes;
    let mut found = 0;
    let mut buffer = vec![0; BLOCK_SIZE];
    while end > 0 {
        let start = end.saturating_sub(BLOCK_SIZE as u64);
        let part = &mut buffer[..(end - start) as usize];
        file.read_exact_at(part, start)?;
        let part: &[u8] = part;
        // A newline at the very end closes the last line and begins none.
        let part = if end == bytes { part.strip_suffix(b"\n").unwrap_or(part) } else { part };
        let newlines = memchr_iter(b'\n', part).count() as u64;
        if found + newlines >= number && number > 0 {
            let nth = (number - found - 1) as usize;
            if let Some(at) = memrchr_iter(b'\n', part).nth(nth) {
                return Ok(start + at as u64 + 1);
            }
        }
        found += newlines;
        end = start;
    }
    Ok(if number == 0 { bytes } else { 0 })
}

/// Writes to an open file, pipe or terminal.
pub(crate) struct DescriptorSink {
    descriptor: OwnedFd,
}

impl DescriptorSink {
    /// A sink on a descriptor.
    pub(crate) fn of(descriptor: OwnedFd) -> Self {
        Self { descriptor }
    }

    /// A sink on a copy of `descriptor`.
    pub(crate) fn copy_of(descriptor: impl AsFd) -> io::Result<Self> {
        Ok(Self { descriptor: descriptor.as_fd().try_clone_to_owned()? })
    }
}

impl Sink for DescriptorSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        write_block(&self.descriptor, block.bytes())
    }

    fn is_closed(&self) -> bool {
        use rustix::event::{PollFd, PollFlags, Timespec, poll};
        let mut ports = [PollFd::new(&self.descriptor, PollFlags::empty())];
        let ready = poll(&mut ports, Some(&Timespec { tv_sec: 0, tv_nsec: 0 }));
        ready.is_ok_and(|ready| ready > 0) && ports[0].revents().contains(PollFlags::ERR)
    }

    fn is_terminal(&self) -> bool {
        rustix::termios::isatty(&self.descriptor)
    }

    fn facts(&self) -> Option<FileFacts> {
        let file = File::from(self.descriptor.try_clone().ok()?);
        let facts = file.metadata().ok()?;
        Some(facts_of(&facts))
    }
}

/// Reads this process's standard input.
pub(crate) struct StandardInput;

impl Source for StandardInput {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(read_block_of(rustix::stdio::stdin(), self.file_bytes())?)
    }

    fn file_bytes(&self) -> Option<u64> {
        let facts = rustix::fs::fstat(rustix::stdio::stdin()).ok()?;
        let regular = rustix::fs::FileType::from_raw_mode(facts.st_mode).is_file();
        regular.then_some(facts.st_size as u64)
    }
}
