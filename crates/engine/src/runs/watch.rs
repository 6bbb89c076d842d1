//! A run that is looked at while it continues: figures of its commands, how much of its sources was
//! read; and the ways to hold it and to end it.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::time::Duration;

use stream::RunControl;

use crate::base::clock::{now_ns, run_ns};
use crate::flow::counted::Sources;
use crate::runs::figures::{CommandFigures, FigureTable};

/// Before so much time has passed nothing is said of what is left.
const LEAST_ELAPSED: Duration = Duration::from_millis(200);

/// What is expected of a run before it begins.
#[derive(Clone, Copy, Debug, Default)]
pub struct Expected {
    /// Bytes of all its sources, where they are known.
    pub bytes: Option<u64>,
    /// The time it takes in all, where that was tried.
    pub time: Option<Duration>,
}

/// A run, for those who look on. Cheap to ask ten times a second.
pub struct Watch {
    control: RunControl,
    collected: FigureTable,
    sources: Arc<Sources>,
    /// Bytes of all sources, where they are known; 0 where not.
    expected: AtomicU64,
    expected_time: Option<Duration>,
    begun_ns: u64,
    /// When it ended, and 0 before.
    ended_ns: AtomicU64,
    /// Called before something is written to a terminal, with whether that ends a line.
    announce: Option<Announce>,
}

/// See [`Watch::announcing`].
pub(crate) type Announce = Arc<dyn Fn(bool) + Send + Sync>;

/// A run at one moment.
#[derive(Clone, Debug, Default)]
pub struct Snapshot {
    /// Nanoseconds since it began, without pauses.
    pub elapsed_ns: u64,
    /// Bytes read of all files.
    pub read_bytes: u64,
    /// Bytes these files have, where that is known beforehand.
    pub total_bytes: Option<u64>,
    /// The time it was expected to take in all.
    pub expected_time: Option<Duration>,
    /// It is held.
    pub paused: bool,
    /// It has ended.
    pub ended: bool,
    /// Every command that has begun, in the order of the text.
    pub commands: Vec<CommandFigures>,
}

impl Snapshot {
    /// The part of the sources that was read, from 0 to 1; 1 only at the end, and never less
    /// than before. `None` where there are no sources of known size.
    pub fn done(&self) -> Option<f64> {
        let total = self.total_bytes?;
        if self.ended {
            return Some(1.0);
        }
        // A file may have grown since it was measured.
        Some((self.read_bytes as f64 / total as f64).min(0.999))
    }

    /// Time left at the average rate so far, but no less than was expected: commands that hold
    /// their input work on when all is read. `None` where nothing is known of the whole, too
    /// little was done to tell, or it takes longer than was expected.
    pub fn time_left(&self) -> Option<Duration> {
        let done = self.done().filter(|_| !self.ended)?;
        let elapsed = self.elapsed();
        let expected = self.expected_time.map(|time| time.saturating_sub(elapsed));
        if self.all_is_read() {
            return expected.filter(|left| !left.is_zero());
        }
        if done < 0.002 || elapsed < LEAST_ELAPSED {
            return None;
        }
        Some(elapsed.mul_f64((1.0 - done) / done).max(expected.unwrap_or_default()))
    }

    /// True where the sources are read to their end, and commands work on what they hold.
    pub fn all_is_read(&self) -> bool {
        !self.ended && self.total_bytes.is_some_and(|total| self.read_bytes >= total)
    }

    /// The command that works while others wait for it: the one with the most data held, or the
    /// last that runs.
    pub fn at_work(&self) -> Option<&CommandFigures> {
        let running = self.commands.iter().filter(|command| command.running);
        running.max_by_key(|command| command.figures.held_bytes)
    }

    /// Time since it began, without pauses.
    pub fn elapsed(&self) -> Duration {
        Duration::from_nanos(self.elapsed_ns)
    }

    /// The most memory the commands said they held at the same time is at most this.
    pub fn peak_held_bytes(&self) -> u64 {
        self.commands.iter().map(|command| command.figures.peak_held_bytes).sum()
    }
}

impl Watch {
    /// A run that is ended by `cancel` and begins now, with what is expected of it.
    pub fn new(control: &RunControl, expected: Expected) -> Arc<Self> {
        Arc::new(Self::made(control, expected))
    }

    /// As [`Watch::new`]; `announce` is called before the run writes to a terminal, with whether
    /// what is written ends a line.
    pub fn announcing(
        control: &RunControl,
        expected: Expected,
        announce: impl Fn(bool) + Send + Sync + 'static,
    ) -> Arc<Self> {
        let announce: Option<Announce> = Some(Arc::new(announce));
        Arc::new(Self { announce, ..Self::made(control, expected) })
    }

    pub(crate) fn announce(&self) -> Option<&Announce> {
        self.announce.as_ref()
    }

    fn made(control: &RunControl, expected: Expected) -> Self {
        Self {
            control: control.clone(),
            collected: FigureTable::default(),
            sources: Arc::default(),
            expected: AtomicU64::new(expected.bytes.unwrap_or(0)),
            expected_time: expected.time,
            begun_ns: run_ns(control),
            ended_ns: AtomicU64::new(0),
            announce: None,
        }
    }

    /// Waits until the run has ended, at most this long; true when it has. Blocks.
    pub fn wait(&self, most: Duration) -> bool {
        let since = std::time::Instant::now();
        while self.ended_ns.load(Relaxed) == 0 {
            if since.elapsed() > most {
                return false;
            }
            std::thread::sleep(most / 100);
        }
        true
    }

    /// All figures of this moment.
    pub fn snapshot(&self) -> Snapshot {
        let ended_ns = self.ended_ns.load(Relaxed);
        let now = if ended_ns > 0 { ended_ns } else { run_ns(&self.control) };
        let total = self.expected.load(Relaxed);
        Snapshot {
            elapsed_ns: now.saturating_sub(self.begun_ns),
            read_bytes: self.sources.bytes.load(Relaxed),
            total_bytes: (total > 0).then_some(total),
            expected_time: self.expected_time,
            paused: self.control.is_paused(),
            ended: ended_ns > 0,
            commands: self.collected.list_at(now),
        }
    }

    /// Holds the run; programs of the machine are stopped.
    pub fn pause(&self) {
        self.control.pause(now_ns());
    }

    /// Lets it go on.
    pub fn resume(&self) {
        self.control.resume(now_ns());
    }

    /// Ends it.
    pub fn cancel(&self) {
        self.control.cancel();
    }

    pub(crate) fn cancel_flag(&self) -> RunControl {
        self.control.clone()
    }

    /// True once it was asked to end.
    pub fn was_cancelled(&self) -> bool {
        self.control.was_cancelled()
    }

    pub(crate) fn collected(&self) -> &FigureTable {
        &self.collected
    }

    pub(crate) fn sources(&self) -> &Arc<Sources> {
        &self.sources
    }

    /// The run has ended.
    pub(crate) fn end(&self) {
        self.ended_ns.store(run_ns(&self.control).max(1), Relaxed);
    }
}
