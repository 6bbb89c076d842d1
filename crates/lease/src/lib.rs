//! Whether a file is open somewhere else, as the kernel knows it: a write lease (fcntl(2), "Leases") is
//! granted only while nobody else has the file open, in this process or in another one. Nobody's memory and
//! nobody's list of descriptors is read for that.
//!
//! This crate holds the only unsafe code of the project: no safe interface of a well-kept package has
//! `F_SETLEASE`.

use std::fs::File;
use std::io;
use std::os::fd::AsRawFd;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, OnceLock};
use std::time::Duration;

use parking_lot::{RwLock, RwLockReadGuard};

/// Who has a file open.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Openings {
    /// Nobody but the opening that was asked with.
    This,
    /// Somebody else too, in this process or in another one.
    Others,
    /// The kernel does not tell: the file is somebody else's, or its file system has no leases.
    Unknown,
}

/// Processes that this one is starting, which have all its descriptors until they become their programs.
static STARTS: RwLock<()> = RwLock::new(());

/// How long such starts are waited for.
const STARTS_MAX: Duration = Duration::from_secs(1);

/// Waits before it is asked again: whoever starts a process continues a moment before that has closed what it
/// does not inherit.
const AGAIN: [Duration; 4] = [
    Duration::from_micros(100),
    Duration::from_micros(400),
    Duration::from_millis(1),
    Duration::from_millis(4),
];

/// To be held by whoever starts a process, until it is started: until then that has files open which are
/// none of its own.
pub fn starting() -> RwLockReadGuard<'static, ()> {
    STARTS.read()
}

/// Asks who has the file open. The lease is given back at once, so that this changes nothing; somebody who
/// opens the file at that very moment waits some microseconds. Where somebody has it open this takes about
/// six milliseconds, and waits first for processes that [are being started](starting), for a second at most.
#[must_use]
pub fn openings(file: &File) -> Openings {
    // Whoever opens the file meanwhile is told to this process by a signal that would end it.
    if !is_signal_taken() {
        return Openings::Unknown;
    }
    let mut known = ask(file);
    if known == Openings::Others {
        let _none_starts = STARTS.try_write_for(STARTS_MAX);
        known = ask(file);
        for wait in AGAIN {
            if known != Openings::Others {
                break;
            }
            std::thread::sleep(wait);
            known = ask(file);
        }
    }
    known
}

fn ask(file: &File) -> Openings {
    match set(file, libc::F_WRLCK) {
        Ok(()) => match set(file, libc::F_UNLCK) {
            Ok(()) => Openings::This,
            Err(_) => Openings::Unknown,
        },
        Err(error) if error.raw_os_error() == Some(libc::EAGAIN) => Openings::Others,
        Err(_) => Openings::Unknown,
    }
}

/// Takes `SIGIO` and does nothing with it, once for the process.
fn is_signal_taken() -> bool {
    static TAKEN: OnceLock<bool> = OnceLock::new();
    *TAKEN.get_or_init(|| {
        signal_hook::flag::register(libc::SIGIO, Arc::new(AtomicBool::new(false))).is_ok()
    })
}

#[allow(unsafe_code)] // the one place, see above
fn set(file: &File, kind: libc::c_int) -> io::Result<()> {
    // SAFETY: the descriptor is open as long as `file` is borrowed; `F_SETLEASE` takes a number and
    // touches no memory of this process.
    let result = unsafe { libc::fcntl(file.as_raw_fd(), libc::F_SETLEASE, kind) };
    if result == -1 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use std::process::{Command, Stdio};

    use super::*;

    #[test]
    fn an_opening_elsewhere_is_seen_in_this_process_and_in_others() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        std::fs::write(&path, "x").unwrap();
        let file = File::options().write(true).open(&path).unwrap();
        assert_eq!(openings(&file), Openings::This);
        // Asking leaves nothing behind.
        assert_eq!(openings(&file), Openings::This);
        let other = File::open(&path).unwrap();
        assert_eq!(openings(&file), Openings::Others);
        drop(other);
        assert_eq!(openings(&file), Openings::This);
        let starting = starting();
        let mut reader = Command::new("/bin/sh")
            .args(["-c", "exec 3<\"$0\"; echo; read line"])
            .arg(&path)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        drop(starting);
        let mut begun = [0];
        io::Read::read_exact(reader.stdout.as_mut().unwrap(), &mut begun).unwrap();
        assert_eq!(openings(&file), Openings::Others);
        drop(reader.stdin.take());
        reader.wait().unwrap();
        assert_eq!(openings(&file), Openings::This);
    }

    /// While one is started it has the file open, for as long as the machine takes.
    #[test]
    fn processes_that_are_being_started_are_waited_for() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        std::fs::write(&path, "x").unwrap();
        let file = File::options().write(true).open(&path).unwrap();
        let (ready, begun) = std::sync::mpsc::channel();
        std::thread::scope(|scope| {
            let opened = File::open(&path).unwrap();
            scope.spawn(move || {
                let starting = starting();
                ready.send(()).unwrap();
                // Longer than somebody who only asks again would wait.
                std::thread::sleep(AGAIN.iter().sum::<Duration>() * 10);
                drop(opened);
                drop(starting);
            });
            begun.recv().unwrap();
            assert_eq!(openings(&file), Openings::This);
        });
    }

    #[test]
    fn what_has_no_leases_is_not_known() {
        let device = File::options().write(true).open("/dev/null").unwrap();
        assert_eq!(openings(&device), Openings::Unknown);
    }
}
