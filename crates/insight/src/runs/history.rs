//! How the figures of a run went on over time.

use std::collections::BTreeMap;

use engine::{CommandFigures, Snapshot};
use shell::Span;

/// Moments that are kept of a command; beyond that every other one is forgotten, so that a run of
/// any length takes the same room.
const MOMENTS_MAX: usize = 1200;

/// The counters of a command at one moment.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Moment {
    /// Nanoseconds since the run began.
    pub at_ns: u64,
    /// Lines that passed: read, or written where nothing is read.
    pub lines: u64,
    /// Bytes that passed.
    pub bytes: u64,
    /// Blocks that waited in the link behind it.
    pub queued_blocks: u64,
}

/// A rate.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Rate {
    /// Lines a second.
    pub lines: f64,
    /// Bytes a second.
    pub bytes: f64,
}

/// When lines came.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Gaps {
    /// Nanoseconds since the last line.
    pub since_last_ns: u64,
    /// The longest time between two lines so far, the current one included.
    pub longest_ns: u64,
}

/// One command's past.
#[derive(Clone, Debug, Default)]
struct Past {
    moments: Vec<Moment>,
    last_line_ns: u64,
    longest_ns: u64,
}

/// The past of all commands of a run. Memory: 1200 moments of 32 bytes a command.
#[derive(Clone, Debug, Default)]
pub struct History {
    commands: BTreeMap<Span, Past>,
    now_ns: u64,
}

/// What passed through a command: what it read, or what it wrote where it reads nothing.
pub fn passed(command: &CommandFigures) -> (u64, u64) {
    let figures = &command.figures;
    if figures.bytes_in > 0 {
        (figures.lines_in, figures.bytes_in)
    } else {
        (figures.lines_out, figures.bytes_out)
    }
}

impl History {
    /// Takes in the figures of a moment later than those before.
    pub fn push(&mut self, snapshot: &Snapshot) {
        let at_ns = snapshot.elapsed_ns;
        self.now_ns = at_ns;
        for command in &snapshot.commands {
            let (lines, bytes) = passed(command);
            let queued_blocks = command.figures.queued_blocks;
            let past = self.commands.entry(command.span).or_default();
            let before = past.moments.last().map_or(0, |moment| moment.lines);
            if lines > before {
                past.longest_ns = past.longest_ns.max(at_ns.saturating_sub(past.last_line_ns));
                past.last_line_ns = at_ns;
            }
            if past.moments.last().is_some_and(|last| last.at_ns == at_ns) {
                past.moments.pop();
            }
            past.moments.push(Moment { at_ns, lines, bytes, queued_blocks });
            if past.moments.len() > MOMENTS_MAX {
                // An odd count, of which the oldest and the newest stay.
                let mut stays = false;
                past.moments.retain(|_| {
                    stays = !stays;
                    stays
                });
            }
        }
    }

    /// The moments of a command, oldest first.
    pub fn moments(&self, span: Span) -> &[Moment] {
        self.commands.get(&span).map_or(&[], |past| &past.moments)
    }

    /// The rate over the last `window_ns`, or over all of it where it is shorter than that.
    pub fn rate(&self, span: Span, window_ns: u64) -> Rate {
        let moments = self.moments(span);
        let Some(last) = moments.last() else { return Rate::default() };
        let from_ns = last.at_ns.saturating_sub(window_ns);
        // The last moment at the window's beginning or before it makes the window whole.
        let before = moments.iter().rfind(|moment| moment.at_ns <= from_ns);
        rate_between(&before.copied().unwrap_or_default(), last)
    }

    /// The rates in `parts` stretches of equal length from the beginning to now, or to the end
    /// of the last `window_ns` where one is given; `None` where nothing was looked at.
    pub fn rates(&self, span: Span, parts: usize, window_ns: Option<u64>) -> Vec<Option<Rate>> {
        let from_ns = window_ns.map_or(0, |window| self.now_ns.saturating_sub(window));
        rates_of(self.moments(span), parts, from_ns, self.now_ns)
    }

    /// When lines came to a command.
    pub fn gaps(&self, span: Span) -> Gaps {
        let Some(past) = self.commands.get(&span) else { return Gaps::default() };
        let since_last_ns = self.now_ns.saturating_sub(past.last_line_ns);
        Gaps { since_last_ns, longest_ns: past.longest_ns.max(since_last_ns) }
    }

    /// The average part of the link behind a command that was full, from 0 to 1, over the last
    /// `window_ns`.
    pub fn fullness(&self, span: Span, window_ns: u64) -> f64 {
        let moments = self.moments(span);
        let from = self.now_ns.saturating_sub(window_ns);
        let recent = &moments[moments.partition_point(|moment| moment.at_ns < from)..];
        if recent.is_empty() {
            return 0.0;
        }
        let sum: u64 = recent.iter().map(|moment| moment.queued_blocks).sum();
        (sum as f64 / recent.len() as f64 / engine::LINK_BLOCKS as f64).min(1.0)
    }
}

/// The rates in stretches of equal length between two moments.
pub(crate) fn rates_of(
    moments: &[Moment],
    parts: usize,
    from_ns: u64,
    to_ns: u64,
) -> Vec<Option<Rate>> {
    let length = to_ns.saturating_sub(from_ns) as f64 / parts.max(1) as f64;
    let counters = |at_ns: f64| -> Option<(f64, f64)> {
        let at = moments.partition_point(|moment| (moment.at_ns as f64) < at_ns);
        let after = moments.get(at)?;
        let before = if at == 0 { Moment::default() } else { moments[at - 1] };
        let stretch = (after.at_ns - before.at_ns) as f64;
        let part = if stretch > 0.0 { (at_ns - before.at_ns as f64) / stretch } else { 1.0 };
        let between = |low: u64, high: u64| low as f64 + (high - low.min(high)) as f64 * part;
        Some((between(before.lines, after.lines), between(before.bytes, after.bytes)))
    };
    let rate = |number: usize| {
        let start = from_ns as f64 + length * number as f64;
        // The last stretch ends with the last moment, whatever the rounding.
        let end = (start + length).min(to_ns as f64);
        let (first, last) = (counters(start)?, counters(end)?);
        let seconds = length / 1e9;
        (seconds > 0.0).then(|| Rate {
            lines: (last.0 - first.0) / seconds,
            bytes: (last.1 - first.1) / seconds,
        })
    };
    (0..parts).map(rate).collect()
}

fn rate_between(first: &Moment, last: &Moment) -> Rate {
    let seconds = last.at_ns.saturating_sub(first.at_ns) as f64 / 1e9;
    if seconds <= 0.0 {
        return Rate::default();
    }
    Rate {
        lines: last.lines.saturating_sub(first.lines) as f64 / seconds,
        bytes: last.bytes.saturating_sub(first.bytes) as f64 / seconds,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SECOND: u64 = 1_000_000_000;

    fn snapshot(at_ns: u64, lines: u64) -> Snapshot {
        let figures = stream::StageFigures {
            lines_in: lines,
            bytes_in: lines * 10,
            queued_blocks: 4,
            ..stream::StageFigures::default()
        };
        let command = CommandFigures { figures, ..CommandFigures::default() };
        Snapshot { elapsed_ns: at_ns, commands: vec![command], ..Snapshot::default() }
    }

    #[test]
    fn rates_are_those_of_the_window() {
        let mut history = History::default();
        for second in 0..=20 {
            // 100 lines a second, and 300 in the last ten.
            let lines = if second <= 10 { second * 100 } else { 1000 + (second - 10) * 300 };
            history.push(&snapshot(second * SECOND, lines));
        }
        let span = Span::default();
        let rate = |seconds: u64| history.rate(span, seconds * SECOND);
        let rounded = [rate(5).lines, rate(100).lines, rate(100).bytes].map(f64::round);
        assert_eq!(rounded.map(|rate| rate as u64), [300, 200, 2000]);
        let parts = history.rates(span, 4, None);
        let lines: Vec<u64> =
            parts.iter().flatten().map(|rate| rate.lines.round() as u64).collect();
        assert_eq!(lines, [100, 100, 300, 300]);
        assert!((history.fullness(span, SECOND) - 0.5).abs() < 1e-9);
    }

    #[test]
    fn a_long_run_takes_no_more_room_and_keeps_its_sum() {
        let mut history = History::default();
        for tick in 0..10_000 {
            history.push(&snapshot(tick * SECOND / 10, tick * 7));
        }
        let span = Span::default();
        assert!(history.moments(span).len() <= MOMENTS_MAX);
        assert!((history.rate(span, u64::MAX).lines - 70.0).abs() < 1e-6);
        assert!((history.rate(span, 60 * SECOND).lines - 70.0).abs() < 1e-6);
        let sum: f64 = history.rates(span, 50, None).iter().flatten().map(|rate| rate.lines).sum();
        assert!((sum / 50.0 - 70.0).abs() < 0.5);
    }

    #[test]
    fn a_window_begins_with_the_moment_just_before_it() {
        let mut history = History::default();
        for (second, lines) in [(1, 10), (4, 40), (6, 100)] {
            history.push(&snapshot(second * SECOND, lines));
        }
        let rate = |seconds: u64| history.rate(Span::default(), seconds * SECOND).lines;
        // From second 4 on, which is exactly two before the last look.
        assert!((rate(2) - 30.0).abs() < 1e-9, "{}", rate(2));
        // From second 3 on: the look before that was at second 1.
        assert!((rate(3) - 18.0).abs() < 1e-9, "{}", rate(3));
        assert!((rate(100) - 100.0 / 6.0).abs() < 1e-9, "{}", rate(100));
    }

    #[test]
    fn gaps_are_noticed() {
        let mut history = History::default();
        for (second, lines) in [(1, 1), (2, 2), (9, 3), (10, 3), (12, 3)] {
            history.push(&snapshot(second * SECOND, lines));
        }
        let gaps = history.gaps(Span::default());
        assert_eq!(gaps, Gaps { since_last_ns: 3 * SECOND, longest_ns: 7 * SECOND });
    }

    #[test]
    fn a_link_is_as_full_as_the_looks_in_the_window_say() {
        let mut history = History::default();
        let span = Span::default();
        assert!(history.fullness(span, SECOND).abs() < 1e-9);
        for (second, queued) in [(1, 8), (2, 4), (3, 2)] {
            let mut look = snapshot(second * SECOND, 1);
            look.commands[0].figures.queued_blocks = queued;
            history.push(&look);
        }
        let full = |seconds: u64| history.fullness(span, seconds * SECOND) * 8.0;
        let looks = [full(0), full(1), full(2), full(9)];
        for (found, wanted) in looks.iter().zip([2.0, 3.0, 14.0 / 3.0, 14.0 / 3.0]) {
            assert!((found - wanted).abs() < 1e-9, "{looks:?}");
        }
    }

    #[test]
    fn a_second_look_at_one_moment_takes_the_place_of_the_first() {
        let mut history = History::default();
        for (second, lines) in [(1, 1), (1, 5), (2, 6)] {
            history.push(&snapshot(second * SECOND, lines));
        }
        let lines: Vec<u64> =
            history.moments(Span::default()).iter().map(|moment| moment.lines).collect();
        assert_eq!(lines, [5, 6]);
    }

    #[test]
    fn thinned_moments_keep_every_second_and_the_newest() {
        for more in 0..4 {
            let mut history = History::default();
            let count = MOMENTS_MAX as u64 + 1 + more;
            for at in 0..count {
                history.push(&snapshot(at, at));
            }
            let moments = history.moments(Span::default());
            let at: Vec<u64> = moments.iter().map(|moment| moment.at_ns).collect();
            assert_eq!(at[..4], [0, 2, 4, 6]);
            assert_eq!(at.last(), Some(&(count - 1)));
            let dense = at.windows(2).filter(|pair| pair[0] + 1 == pair[1]).count();
            assert_eq!(dense as u64, more, "{:?}", &at[at.len() - 4..]);
        }
    }
}
