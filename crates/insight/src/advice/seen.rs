//! The lines that notes look at: one copy of the stream's beginning, so that a look at all of them
//! costs one pass over bytes that lie together.

use engine::Kept;

/// Lines looked at, at most; figures of more are said as those of the first lines.
pub(super) const LOOK_LINES: usize = 200_000;

/// Bytes looked at, at most.
const LOOK_BYTES: usize = 16 << 20;

/// The first lines of some streams, one after another, without those that are not whole.
#[derive(Default)]
pub(super) struct Seen {
    /// Each with its newline, also the last of a stream that has none there.
    text: Vec<u8>,
    lines: usize,
}

/// What lines there are of a kind.
pub(super) struct Tally {
    /// The number of the first one, from 0.
    pub(super) first: usize,
    /// How many there are, at least 1.
    pub(super) count: usize,
}

impl Seen {
    /// Of these streams, as far as both limits reach.
    pub(super) fn of<'k>(streams: impl Iterator<Item = &'k Kept>) -> Self {
        Self::within(streams, LOOK_LINES, LOOK_BYTES)
    }

    fn within<'k>(streams: impl Iterator<Item = &'k Kept>, lines: usize, bytes: usize) -> Self {
        let mut seen = Self::default();
        for kept in streams {
            // The newline put after a last line may be beyond it.
            let room = bytes.saturating_sub(seen.text.len());
            if room == 0 || seen.lines == lines {
                break;
            }
            let start = seen.text.len();
            seen.text.extend(kept.bytes_at(0, room));
            let read = seen.text.len() - start;
            if read as u64 == kept.bytes() && kept.ends_open() {
                seen.text.push(b'\n');
            }
            let mut newlines = memchr::memchr_iter(b'\n', &seen.text[start..]);
            let (mut end, mut more) = (start, 0);
            for at in newlines.by_ref().take(lines - seen.lines) {
                (end, more) = (start + at + 1, more + 1);
            }
            seen.text.truncate(end);
            seen.lines += more;
            if (read as u64) < kept.bytes() {
                break;
            }
        }
        seen
    }

    /// Line by line, without newlines.
    pub(super) fn iter(&self) -> impl Iterator<Item = &[u8]> {
        let mut from = 0;
        memchr::memchr_iter(b'\n', &self.text).map(move |at| {
            let line = &self.text[from..at];
            from = at + 1;
            line
        })
    }

    /// How many lines.
    pub(super) fn len(&self) -> usize {
        self.lines
    }

    /// All of them, with newlines.
    pub(super) fn text(&self) -> &[u8] {
        &self.text
    }

    /// The lines of a kind; `None` where there is none. Each line is asked about once, in order.
    pub(super) fn tally(&self, mut like: impl FnMut(&[u8]) -> bool) -> Option<Tally> {
        let mut tally: Option<Tally> = None;
        for (number, line) in self.iter().enumerate() {
            if like(line) {
                tally.get_or_insert(Tally { first: number, count: 0 }).count += 1;
            }
        }
        tally
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn seen(streams: &[&str], lines: usize, bytes: usize) -> Vec<String> {
        let kept: Vec<Kept> = streams.iter().map(|text| Kept::of(text.as_bytes())).collect();
        let seen = Seen::within(kept.iter(), lines, bytes);
        let lines: Vec<String> =
            seen.iter().map(|line| String::from_utf8_lossy(line).into_owned()).collect();
        assert_eq!(lines.len(), seen.len());
        lines
    }

    #[test]
    fn whole_lines_of_all_streams_are_seen_as_far_as_the_limits_reach() {
        assert_eq!(seen(&["a\nb", "", "\nc\n"], 9, 99), ["a", "b", "", "c"]);
        assert_eq!(seen(&["a\nb", "c\n"], 2, 99), ["a", "b"]);
        assert_eq!(seen(&["a\nb", "c\n"], 1, 99), ["a"]);
        // The third byte is no whole line, and what comes after it is not taken for the next one.
        assert_eq!(seen(&["a\nbc\n", "d\n"], 9, 3), ["a"]);
        assert_eq!(seen(&["a\nb", "d\n"], 9, 3), ["a", "b"]);
        assert_eq!(seen(&["abcdef"], 9, 3), Vec::<String>::new());
        assert_eq!(seen(&[], 9, 3), Vec::<String>::new());
    }

    #[test]
    fn lines_of_a_kind_are_counted_and_the_first_is_named() {
        let kept = Kept::of(b"one\ntwo\nthree\n");
        let seen = Seen::of([&kept].into_iter());
        let tally = seen.tally(|line| line.starts_with(b"t")).unwrap();
        assert_eq!((tally.first, tally.count), (1, 2));
        assert!(seen.tally(<[u8]>::is_empty).is_none());
    }
}
