//! What comes out of an offer, tried on a stream.

use std::collections::HashSet;
use std::hash::BuildHasher;
use std::sync::Arc;
use std::time::Duration;

use engine::{Kept, Limits, try_on};
use stream::RunControl;

/// Lines of a stream that offers are tried on.
pub const TRIED: usize = 20_000;

/// Bytes of the first line that are kept.
const FIRST: usize = 400;

/// What comes out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Outcome {
    /// Lines.
    pub lines: u64,
    /// Different ones.
    pub different: u64,
    /// The first line, at most 400 bytes of it.
    pub first: Option<Vec<u8>>,
}

/// The beginning of a stream to try offers on: at most [`TRIED`] lines; true where that is all.
pub fn beginning(kept: &Arc<Kept>) -> (Arc<Kept>, bool) {
    if kept.lines() <= TRIED as u64 {
        return (kept.clone(), true);
    }
    let lines = kept.lines_at(0, TRIED);
    let mut bytes = Vec::with_capacity(lines.iter().map(|line| line.len() + 1).sum());
    for line in lines {
        bytes.extend_from_slice(&line);
        bytes.push(b'\n');
    }
    (Arc::new(Kept::of(&bytes)), false)
}

/// What comes out of these stages; `None` where they cannot be tried, or `control` ends it.
/// Blocks for at most two seconds.
pub fn outcome(stages: &str, input: &Arc<Kept>, control: &RunControl) -> Option<Outcome> {
    let limits = Limits { time: Duration::from_secs(2), ..Limits::default() };
    let out = try_on(stages, input, &limits, control)?;
    let lines = out.lines();
    let hasher = foldhash::quality::FixedState::with_seed(0);
    let mut different: HashSet<u64, foldhash::quality::FixedState> = HashSet::default();
    let mut at = 0;
    while at < lines {
        let some = out.lines_at(at, 4_096);
        if some.is_empty() {
            break;
        }
        at += some.len() as u64;
        different.extend(some.iter().map(|line| hasher.hash_one(&line[..])));
    }
    let first = out.line_start(0, FIRST).filter(|_| lines > 0).map(|line| line.to_vec());
    Some(Outcome { lines, different: different.len() as u64, first })
}
