//! Standard input taken in while the screen is up.

use std::io;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use parking_lot::Mutex;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::io::retry_on_intr;
use stream::{Arrivals, Block, ReadError, RunControl, Source, describe};

use crate::base::threads::start_thread;
use crate::files::block_source::read_block;
use crate::flow::chain::Chain;
use crate::kept::lines::Kept;

/// Bytes of standard input that stay in memory; what comes after goes to a file without a name.
const MEMORY: u64 = 8 << 20;

/// Bytes of it that are kept at most, and at least: between them half of what is free on the disk.
const LIMITS: (u64, u64) = (64 << 30, 64 << 20);

/// How long the thread that reads waits before it looks whether it is to stop.
const LOOK: Timespec = Timespec { tv_sec: 0, tv_nsec: 50_000_000 };

/// Why the rest of standard input is left unread.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unread {
    /// This many bytes are kept, and no more.
    Limit(u64),
    /// There is no room for more after this many bytes, in the system's words.
    NoRoom(u64, String),
    /// It cannot be read further, in the system's words.
    Broken(String),
}

impl std::fmt::Display for Unread {
    fn fmt(&self, text: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Limit(bytes) => write!(
                text,
                "standard input has more than the {} MiB that are kept; save it to a file to run on \
                 all of it",
                bytes >> 20
            ),
            Self::NoRoom(bytes, why) => write!(
                text,
                "standard input could be kept up to {} MiB only: {why}; save it to a file to run on \
                 all of it",
                bytes >> 20
            ),
            Self::Broken(why) => write!(text, "standard input cannot be read further: {why}"),
        }
    }
}

/// What has come from standard input so far. Memory: 8 MiB, and a bounded index of the rest.
pub struct Capture {
    kept: Arc<Kept>,
    /// Bytes that are taken in at most.
    limit: u64,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    unread: Option<Unread>,
    /// Read, but there was no room for it.
    left: Option<Block>,
    /// The thread is asked to stop.
    stops: bool,
    /// Where it reads; `None` while the thread has it, and when it was handed on.
    descriptor: Option<OwnedFd>,
    ended: bool,
}

/// Where what does not stay in memory goes: `TMPDIR`, or a folder that is on a disk on most machines.
fn folder() -> PathBuf {
    let lasting = Path::new("/var/tmp");
    match std::env::var_os("TMPDIR") {
        Some(folder) if !folder.is_empty() => folder.into(),
        _ if lasting.is_dir() => lasting.to_owned(),
        _ => std::env::temp_dir(),
    }
}

/// Half of what is free there, within bounds.
fn limit_in(folder: &Path) -> u64 {
    let (most, least) = LIMITS;
    let free = rustix::fs::statvfs(folder).map(|facts| facts.f_bavail * facts.f_frsize);
    (free.unwrap_or(0) / 2).clamp(least, most)
}

impl Capture {
    /// Reads from the beginning, and waits for what has not come yet.
    pub(crate) fn source(self: &Arc<Self>, control: &RunControl) -> Box<dyn Source> {
        Box::new(Coming {
            capture: self.clone(),
            source: self.kept.source(),
            control: control.clone(),
        })
    }

    /// Starts taking in `descriptor` on a thread of its own; `arrived` is called after each
    /// block and at the end.
    ///
    /// # Errors
    /// When no thread can be started.
    pub fn start(
        descriptor: OwnedFd,
        arrived: impl Fn() + Send + 'static,
    ) -> io::Result<Arc<Self>> {
        let folder = folder();
        let limit = limit_in(&folder);
        Self::start_in(descriptor, limit, folder, arrived)
    }

    /// As [`Capture::start`], with another limit.
    ///
    /// # Errors
    /// As there.
    pub fn start_limited(
        descriptor: OwnedFd,
        limit: u64,
        arrived: impl Fn() + Send + 'static,
    ) -> io::Result<Arc<Self>> {
        Self::start_in(descriptor, limit, folder(), arrived)
    }

    /// As [`Capture::start_limited`], with a folder for what does not stay in memory.
    ///
    /// # Errors
    /// As there.
    pub fn start_in(
        descriptor: OwnedFd,
        limit: u64,
        folder: PathBuf,
        arrived: impl Fn() + Send + 'static,
    ) -> io::Result<Arc<Self>> {
        let kept = Arc::new(Kept::coming_in(MEMORY, folder));
        let capture = Arc::new(Self { kept, limit, state: Mutex::default() });
        let taking = capture.clone();
        start_thread("capture", move || {
            let unread = taking.take_in(&descriptor, &arrived);
            let mut state = taking.state.lock();
            state.ended = unread.is_none() && !state.stops;
            if state.ended {
                taking.kept.end();
            }
            state.unread = unread;
            state.descriptor = Some(descriptor);
            drop(state);
            arrived();
        })?;
        Ok(capture)
    }

    /// Takes in what comes, until its end or somebody asks to stop, or says why not all.
    fn take_in(&self, descriptor: &OwnedFd, arrived: &impl Fn()) -> Option<Unread> {
        loop {
            let mut ports = [PollFd::new(descriptor, PollFlags::IN)];
            let ready = poll(&mut ports, Some(&LOOK)).unwrap_or(0) > 0;
            if self.state.lock().stops {
                return None;
            }
            if !ready {
                continue;
            }
            match read_block(descriptor) {
                Ok(Some(block)) => {
                    if let Err(error) = self.kept.append(&block) {
                        self.state.lock().left = Some(block);
                        return Some(Unread::NoRoom(self.kept.bytes(), describe(&error)));
                    }
                    arrived();
                    if self.kept.bytes() >= self.limit {
                        return Some(Unread::Limit(self.limit));
                    }
                }
                Ok(None) => return None,
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {}
                Err(error) => return Some(Unread::Broken(describe(&error))),
            }
        }
    }

    /// The data so far.
    pub fn kept(&self) -> &Arc<Kept> {
        &self.kept
    }

    /// Why the rest is left unread, where it is; whoever writes it waits.
    pub fn unread(&self) -> Option<Unread> {
        self.state.lock().unread.clone()
    }

    /// Stops taking in, and gives all of standard input: what is kept, and then what comes, as it
    /// comes and without being kept. Waits at most as long as the thread looks for a word to stop.
    pub fn hand_over(&self) -> Box<dyn Source> {
        let (left, descriptor, ended, broken) = loop {
            let mut state = self.state.lock();
            state.stops = true;
            if let Some(descriptor) = state.descriptor.take() {
                let broken = match &state.unread {
                    Some(Unread::Broken(why)) => Some(why.clone()),
                    _ => None,
                };
                break (state.left.take(), descriptor, state.ended, broken);
            }
            drop(state);
            std::thread::sleep(LOOK_AGAIN);
        };
        let mut all = Chain::default();
        all.0.push_back(self.kept.source());
        let more = self.kept.not_stored();
        let more = (!more.is_empty()).then(|| Block::new(more));
        all.0.extend(more.map(|block| Box::new(Once(Some(block))) as Box<dyn Source>));
        all.0.extend(left.map(|block| Box::new(Once(Some(block))) as Box<dyn Source>));
        if let Some(why) = broken {
            all.0.push_back(Box::new(Fails(why)));
        } else if !ended {
            all.0.push_back(Box::new(Rest(descriptor)));
        }
        Box::new(all)
    }
}

/// One block.
struct Once(Option<Block>);

impl Source for Once {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(self.0.take())
    }
}

/// What cannot be read.
struct Fails(String);

impl Source for Fails {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Err(ReadError::Io(io::Error::other(self.0.clone())))
    }
}

/// What still comes.
struct Rest(OwnedFd);

impl Source for Rest {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        loop {
            match read_block(&self.0) {
                // Whoever opened it does not wait; we do.
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                    let mut ports = [PollFd::new(&self.0, PollFlags::IN)];
                    retry_on_intr(|| poll(&mut ports, None)).map_err(io::Error::from)?;
                }
                read => return Ok(read?),
            }
        }
    }
}

/// How long a reader that has read all that came sleeps before it looks again.
const LOOK_AGAIN: Duration = Duration::from_millis(15);

/// Standard input as it comes.
struct Coming {
    capture: Arc<Capture>,
    source: Box<dyn Source>,
    control: RunControl,
}

impl Source for Coming {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        loop {
            // Asked before reading: what came before the end is then read for sure.
            let ended = self.capture.kept.has_ended();
            let unread = self.capture.unread();
            let block = self.source.next_block()?;
            if block.is_some() || ended {
                return Ok(block);
            }
            if let Some(unread) = unread {
                return Err(ReadError::Io(io::Error::other(unread.to_string())));
            }
            if self.control.is_cancelled() {
                return Err(ReadError::Cancelled);
            }
            std::thread::sleep(LOOK_AGAIN);
        }
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.source.arrivals()
    }

    fn file_bytes(&self) -> Option<u64> {
        // Its size is known once it has ended; as a source with a whole it counts either way.
        Some(self.capture.kept.bytes())
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use std::fs::File;
    use std::io::Write;

    use super::*;

    fn all(mut source: Box<dyn Source>) -> Vec<u8> {
        let mut bytes = Vec::new();
        while let Some(block) = source.next_block().unwrap() {
            bytes.extend_from_slice(block.bytes());
        }
        bytes
    }

    #[test]
    fn all_of_it_is_handed_over_whenever_that_is() {
        let data: Vec<u8> =
            (0..200_000).flat_map(|line| format!("{line}\n").into_bytes()).collect();
        for (limit, waits) in
            [(1, true), (1, false), (100_000, true), (1 << 30, true), (1 << 30, false)]
        {
            let (reading, writing) = rustix::pipe::pipe().unwrap();
            if !waits {
                rustix::fs::fcntl_setfl(&reading, rustix::fs::OFlags::NONBLOCK).unwrap();
            }
            let given = data.clone();
            let writer = std::thread::spawn(move || File::from(writing).write_all(&given));
            let capture = Capture::start_limited(reading, limit, || {}).unwrap();
            if limit > 1 {
                while capture.kept().bytes() < 50_000 {
                    std::thread::yield_now();
                }
            }
            assert!(all(capture.hand_over()) == data, "{limit} {waits}");
            writer.join().unwrap().unwrap();
        }
    }

    #[test]
    fn what_finds_no_room_is_said_and_is_not_lost() {
        let (reading, writing) = rustix::pipe::pipe().unwrap();
        let data = vec![b'x'; 12 << 20];
        let given = data.clone();
        let writer = std::thread::spawn(move || File::from(writing).write_all(&given));
        let nowhere = PathBuf::from("/nowhere/at/all");
        let capture = Capture::start_in(reading, 1 << 30, nowhere, || {}).unwrap();
        let unread = loop {
            if let Some(unread) = capture.unread() {
                break unread;
            }
            std::thread::yield_now();
        };
        assert!(matches!(unread, Unread::NoRoom(..)), "{unread:?}");
        assert!(
            unread.to_string().contains("up to 7 MiB")
                || unread.to_string().contains("up to 8 MiB")
        );
        assert!(!capture.kept().has_ended());
        assert!(all(capture.hand_over()) == data);
        writer.join().unwrap().unwrap();
    }

    #[test]
    fn what_is_free_decides_how_much_is_kept() {
        let (most, least) = LIMITS;
        assert_eq!(limit_in(Path::new("/nowhere")), least);
        assert!((least..=most).contains(&limit_in(&std::env::temp_dir())));
    }
}
