//! The process that only waits: the screen runs in a process of its own, and whatever becomes of that,
//! this one gives the terminal back and ends what was left running.

use std::ffi::OsString;
use std::fs::File;
use std::io::{self, Write};
use std::os::unix::process::CommandExt;
use std::process::{Command, ExitCode};
use std::time::{Duration, Instant};

use procfs::process::{Process, Stat};
use rustix::event::{PollFd, PollFlags, poll};
use rustix::process::{
    Pid, PidfdFlags, Signal, WaitOptions, WaitStatus, getpid, getppid, kill_process, pidfd_open,
    set_child_subreaper, set_parent_process_death_signal, wait, waitpid,
};
use rustix::termios::{OptionalActions, Termios, tcgetattr, tcsetattr};
use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP};
use signal_hook::iterator::Signals;

/// The first argument of the process with the screen.
pub(crate) const WORKER: &str = "--with-screen";

/// How long what is left running has to end by itself.
const GRACE: Duration = Duration::from_millis(300);

/// Leaves the mouse to the terminal and the second screen, shows the cursor, and takes pastes as
/// typed.
const GIVE_BACK: &[u8] = b"\x1b[?1006l\x1b[?1015l\x1b[?1003l\x1b[?1002l\x1b[?1000l\
    \x1b[?2004l\x1b[?1049l\x1b[?25h\x1b[0m";

/// For the process with the screen: when the one that waits for it is gone, it ends, gives the
/// terminal back, and ends what it has started.
pub(crate) struct Parent;

impl Parent {
    /// Begins to look after the process that has started this one.
    pub(crate) fn follow() -> Self {
        let parent = getppid();
        // Without that a parent that is killed leaves a screen that works on.
        let _ = set_parent_process_death_signal(Some(Signal::TERM));
        // What a program leaves behind is a child of this process then, and can be found.
        let _ = set_child_subreaper(Some(getpid()));
        let handle = parent.and_then(|parent| pidfd_open(parent, PidfdFlags::empty()).ok());
        if let Some(handle) = handle {
            let watched = move || {
                // It is readable once that process has ended.
                while poll(&mut [PollFd::new(&handle, PollFlags::IN)], None).is_err() {}
                engine::start_no_more();
                end_all();
                // The screen has left long before, if it comes round.
                std::thread::sleep(GRACE * 10);
                // Files that are taking their places are waited for.
                engine::give_up_writing();
                std::process::exit(1);
            };
            // Without a thread they are ended with the screen.
            drop(engine::start_thread("parent", watched));
        }
        Self
    }
}

impl Drop for Parent {
    /// Also where the parent seems to be there: the signal for its end comes when its first thread has ended, and
    /// it may look alive by another one.
    fn drop(&mut self) {
        engine::start_no_more();
        end_all();
    }
}

/// The terminal as it was found.
struct Line {
    terminal: File,
    settings: Termios,
}

impl Line {
    fn found() -> Option<Self> {
        let terminal = File::options().write(true).open("/dev/tty").ok()?;
        let settings = tcgetattr(&terminal).ok()?;
        Some(Self { terminal, settings })
    }

    /// Brings it back to that.
    fn give_back(&mut self) {
        // A terminal that is gone needs nothing.
        let _ = self.terminal.write_all(GIVE_BACK);
        let _ = tcsetattr(&self.terminal, OptionalActions::Now, &self.settings);
    }
}

/// Runs this program once more, with a screen, and waits for it. Gives the status to end with.
///
/// # Errors
/// Where it cannot be started.
pub(crate) fn run(arguments: Vec<OsString>) -> io::Result<ExitCode> {
    let mut line = Line::found();
    // What ends without its parent is ours to end.
    let _ = set_child_subreaper(Some(getpid()));
    let signals = Signals::new([SIGTERM, SIGHUP, SIGINT, SIGQUIT, SIGTSTP]);
    let name = std::env::args_os().next().unwrap_or_else(|| "ylotrope".into());
    let child = Command::new("/proc/self/exe").arg0(name).arg(WORKER).args(arguments).spawn()?;
    let child = Pid::from_child(&child);
    if let Ok(mut signals) = signals {
        let handed_on = move || {
            for signal in signals.forever() {
                if let Some(signal) = Signal::from_named_raw(signal) {
                    // It may have ended by itself.
                    let _ = kill_process(child, signal);
                }
            }
        };
        if let Err(error) = engine::start_thread("signals", handed_on) {
            // Nobody could end it from outside.
            let _ = kill_process(child, Signal::TERM);
            end_all();
            return Err(error);
        }
    }
    let code = loop {
        let Some(status) = wait_for(child)? else { continue };
        if status.stopped() {
            // Where it was stopped from outside it could not give the terminal back.
            if let Some(line) = &mut line {
                line.give_back();
            }
            let _ = kill_process(getpid(), Signal::STOP);
            // The shell wakes all of the group; whoever woke only this one means both.
            let _ = kill_process(child, Signal::CONT);
            continue;
        }
        if let Some(signal) = status.terminating_signal() {
            if let Some(line) = &mut line {
                line.give_back();
            }
            crate::say::error(&format!(
                "ylotrope: the screen was stopped by signal {signal}; its text is kept, and ↑ brings it back in the next session"
            ));
            break 128 + signal;
        }
        if let (Some(code), Some(line)) = (status.exit_status(), &mut line) {
            let _ = tcsetattr(&line.terminal, OptionalActions::Now, &line.settings);
            break code;
        }
        break status.exit_status().unwrap_or(1);
    };
    end_all();
    // What the screen was about to write when it was ended is finished or taken back now.
    say_recovered();
    Ok(ExitCode::from(u8::try_from(code).unwrap_or(1)))
}

/// Ends writes that were cut off, and says what became of them.
pub(crate) fn say_recovered() {
    for line in engine::recover_writes().iter().flat_map(insight::recovered_in_words) {
        crate::say::error(&format!("ylotrope: {line}"));
    }
}

fn wait_for(child: Pid) -> io::Result<Option<WaitStatus>> {
    match waitpid(Some(child), WaitOptions::UNTRACED) {
        Ok(waited) => Ok(waited.map(|(_, status)| status)),
        Err(rustix::io::Errno::INTR) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// Ends what the screen has left running: asks first, then makes it end.
///
/// That nothing is left only the system's answer tells: the lists of children are read one thread after the
/// other, and whoever loses its parent meanwhile may be in none of them.
fn end_all() {
    let since = Instant::now();
    loop {
        for child in children() {
            let signal = if since.elapsed() < GRACE { Signal::TERM } else { Signal::KILL };
            let _ = kill_process(child, signal);
        }
        // Those that have ended are no longer there.
        let left = loop {
            match wait(WaitOptions::NOHANG) {
                Ok(Some(_)) | Err(rustix::io::Errno::INTR) => {}
                Ok(None) => break true,
                Err(_) => break false,
            }
        };
        if !left || since.elapsed() > GRACE * 10 {
            return;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
}

/// The processes whose parent this one is (proc(5)).
fn children() -> Vec<Pid> {
    let Ok(own) = Process::myself() else { return Vec::new() };
    // The list of children is not in every kernel.
    let children = listed(&own).unwrap_or_else(|| searched(&own));
    children.into_iter().filter_map(|number| Pid::from_raw(i32::try_from(number).ok()?)).collect()
}

fn listed(parent: &Process) -> Option<Vec<u32>> {
    // Each thread has those that it has started.
    let mut all = Vec::new();
    for task in parent.tasks().ok()?.flatten() {
        all.extend(task.children().ok()?);
    }
    Some(all)
}

fn searched(parent: &Process) -> Vec<u32> {
    let is_child = |stat: &Stat| stat.ppid == parent.pid;
    let all = procfs::process::all_processes().into_iter().flatten().flatten();
    let all = all.filter_map(|process| process.stat().ok()).filter(is_child);
    all.map(|stat| stat.pid.unsigned_abs()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn children_are_found_with_and_without_the_list_of_the_kernel() {
        // A shell that has a child of its own, and waits for it: nobody else's children change.
        let mut shell = Command::new("/bin/sh")
            .args(["-c", "exec 3<&0; cat <&3 & echo; wait"])
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let mut begun = [0];
        io::Read::read_exact(shell.stdout.as_mut().unwrap(), &mut begun).unwrap();
        let process = Process::new(shell.id() as i32).unwrap();
        let found = searched(&process);
        assert_eq!(found.len(), 1);
        if let Some(listed) = listed(&process) {
            assert_eq!(listed, found);
        }
        let child = Process::new(found[0] as i32).unwrap();
        assert_eq!(child.stat().unwrap().ppid, process.pid);
        shell.kill().unwrap();
        shell.wait().unwrap();
        let _ = kill_process(Pid::from_raw(found[0] as i32).unwrap(), Signal::KILL);
    }
}
