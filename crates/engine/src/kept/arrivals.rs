//! When lines came: noted once where they come in, and passed on to what is made of them.

use parking_lot::Mutex;
use std::sync::Arc;
use std::time::SystemTime;

use stream::{Arrivals, OriginStore, StageMeter};

/// The times at which the lines of a growing stream came in: 24 bytes for each block, or for all
/// that came within a millisecond.
pub(crate) struct ArrivalLog {
    begun: SystemTime,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    /// The first line of those that came together, and when.
    times: Vec<(u64, SystemTime)>,
    /// Lines that are complete.
    lines: u64,
    /// When the newest part of an unterminated line came.
    open: Option<SystemTime>,
}

impl ArrivalLog {
    pub(crate) fn new(begun: SystemTime) -> Self {
        Self { begun, state: Mutex::default() }
    }

    /// Notes that more came; `newlines` lines are complete with it.
    pub(crate) fn note(&self, newlines: u64, now: SystemTime) {
        let mut state = self.state.lock();
        state.open = Some(now);
        if newlines == 0 {
            return;
        }
        let together = state.times.last().is_some_and(|(_, last)| {
            let apart = now.duration_since(*last);
            apart.is_ok_and(|apart| apart.as_millis() == 0)
        });
        if !together {
            let first = state.lines;
            state.times.push((first, now));
        }
        state.lines += newlines;
    }
}

impl Arrivals for ArrivalLog {
    fn begun(&self) -> SystemTime {
        self.begun
    }

    fn of_line(&self, line: u64) -> Option<SystemTime> {
        let state = self.state.lock();
        if line >= state.lines {
            return state.open;
        }
        let after = state.times.partition_point(|(first, _)| *first <= line);
        state.times.get(after.checked_sub(1)?).map(|(_, time)| *time)
    }
}

/// Which of its inputs a stage reads what came from.
#[derive(Clone)]
pub(crate) enum CameBy {
    /// This one, by its number; `None` if it has not read it.
    Input(Option<usize>),
    /// What this one says it has opened as standard input.
    Meter(Arc<StageMeter>),
}

/// The times of what a stage wrote: of each line, the time of the newest line it is made of.
pub(crate) struct ThroughStage {
    pub(crate) inner: Arc<dyn Arrivals>,
    pub(crate) origins: Arc<Mutex<OriginStore>>,
    pub(crate) by: CameBy,
}

impl Arrivals for ThroughStage {
    fn begun(&self) -> SystemTime {
        self.inner.begun()
    }

    fn of_line(&self, line: u64) -> Option<SystemTime> {
        let number = match &self.by {
            CameBy::Input(number) => *number,
            CameBy::Meter(meter) => meter.standard_input(),
        }?;
        // The newest comes last in what a filter reads in order; of long lists that is enough.
        let ids: Vec<_> = {
            let origins = self.origins.lock();
            let origins = origins.get(line);
            let skipped = origins.len().saturating_sub(LOOKED_AT);
            origins.iter().skip(skipped as usize).collect()
        };
        // Other inputs are files: what they hold did not come in.
        let of_input = ids.iter().filter(|id| id.input() == number);
        of_input.filter_map(|id| self.inner.of_line(id.line())).max()
    }
}

/// Lines that one line is made of that are asked for their times.
const LOOKED_AT: u64 = 1_000;

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use stream::{LineId, Origin};

    use super::*;

    fn at(milliseconds: u64) -> SystemTime {
        SystemTime::UNIX_EPOCH + Duration::from_millis(milliseconds)
    }

    fn times(arrivals: &dyn Arrivals, lines: u64) -> Vec<Option<u64>> {
        let since = |time: SystemTime| time.duration_since(SystemTime::UNIX_EPOCH).unwrap();
        let of = |line| arrivals.of_line(line).map(|time| since(time).as_millis() as u64);
        (0..lines).map(of).collect()
    }

    fn log() -> Arc<ArrivalLog> {
        let log = ArrivalLog::new(at(5));
        log.note(2, at(10));
        log.note(0, at(20));
        log.note(1, at(30));
        log.note(2, at(30));
        log.note(0, at(40));
        Arc::new(log)
    }

    #[test]
    fn a_line_came_when_its_end_came() {
        let log = log();
        let open = Some(40);
        let expected = [Some(10), Some(10), Some(30), Some(30), Some(30), open];
        assert_eq!(times(&*log, 6), expected);
        assert_eq!((log.begun(), log.state.lock().times.len()), (at(5), 2));
        assert_eq!(ArrivalLog::new(at(1)).of_line(0), None);
    }

    #[test]
    fn a_line_is_as_new_as_the_newest_it_is_made_of() {
        let mut origins = OriginStore::default();
        let id = LineId::new;
        origins.push(1, Origin::Line(id(0, 2)));
        origins.push(1, Origin::None);
        origins.push(1, Origin::List(&[id(0, 2), id(0, 0), id(1, 9)]));
        origins.push(1, Origin::Range(id(0, 0), id(0, 1)));
        let by = CameBy::Input(Some(0));
        let through = ThroughStage { inner: log(), origins: Arc::new(Mutex::new(origins)), by };
        assert_eq!(times(&through, 5), [Some(30), None, Some(30), Some(10), None]);
        assert_eq!(through.begun(), at(5));
        let through = ThroughStage { by: CameBy::Input(None), ..through };
        assert_eq!(times(&through, 3), [None, None, None]);
        let meter = Arc::new(StageMeter::default());
        let through = ThroughStage { by: CameBy::Meter(meter.clone()), ..through };
        assert_eq!(times(&through, 1), [None]);
        meter.note_standard_input(1);
        assert_eq!(times(&through, 3), [None, None, Some(40)]);
    }
}
