//! Looks for lines in all of what a sample is of.

use std::path::Path;

use bytes::BytesMut;
use stream::{DecodingError, ReadError, RunControl, Source};

use crate::files::block_source::FileSource;
use crate::files::plain::{Opened, open_plain};
use crate::files::sample::SampledInput;

/// Lines that were found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Found {
    /// How many.
    pub count: u64,
    /// The number of the first of them, from 1; 0 where there is none.
    pub first: u64,
    /// Lines that were looked at: all of them.
    pub lines: u64,
}

/// Bytes of one line that are looked at, at most.
const LINE_MAX: usize = 16 << 20;

/// Looks at every line of a file of which `sampled` is a sample, compressed or not. `progress` is told the
/// bytes that were read of the file, or of what is in it. Blocks until all was read; `None` when
/// cancelled or not readable. Holds a block and a line, of which at most 16 MiB are looked at.
pub fn search_whole(
    path: &Path,
    sampled: &SampledInput,
    wanted: &dyn Fn(&[u8]) -> bool,
    control: &RunControl,
    progress: &dyn Fn(u64),
) -> Option<Found> {
    let Ok(Opened::Plain(file)) = open_plain(path) else { return None };
    let mut source: Box<dyn Source> = Box::new(FileSource::of(file).ok()?);
    if let Some(decoding) = sampled.decoding {
        source = (decoding.open)(source);
    }
    let mut search = Search { wanted, found: Found::default(), open: BytesMut::new() };
    let mut read = 0;
    loop {
        if control.is_cancelled() {
            return None;
        }
        match source.next_block() {
            Ok(Some(block)) => {
                search.take(block.bytes());
                read += block.bytes().len() as u64;
                progress(read);
            }
            Ok(None) => return Some(search.end()),
            // So much can be read of damaged data.
            Err(ReadError::Io(error)) if DecodingError::inside(&error).is_some() => {
                return Some(search.end());
            }
            Err(_) => return None,
        }
    }
}

struct Search<'w> {
    wanted: &'w dyn Fn(&[u8]) -> bool,
    found: Found,
    /// The beginning of a line whose end is still to come.
    open: BytesMut,
}

impl Search<'_> {
    fn line(&mut self, line: &[u8]) {
        self.found.lines += 1;
        if (self.wanted)(line) {
            self.found.count += 1;
            if self.found.first == 0 {
                self.found.first = self.found.lines;
            }
        }
    }

    /// A line goes over the end of a block.
    fn take(&mut self, bytes: &[u8]) {
        let mut from = 0;
        for end in memchr::memchr_iter(b'\n', bytes) {
            if self.open.is_empty() {
                self.line(&bytes[from..end]);
            } else {
                self.keep(&bytes[from..end]);
                let whole = self.open.split();
                self.line(&whole);
            }
            from = end + 1;
        }
        self.keep(&bytes[from..]);
    }

    fn keep(&mut self, part: &[u8]) {
        let room = LINE_MAX.saturating_sub(self.open.len());
        self.open.extend_from_slice(&part[..part.len().min(room)]);
    }

    fn end(mut self) -> Found {
        if !self.open.is_empty() {
            let whole = self.open.split();
            self.line(&whole);
        }
        self.found
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_found_however_the_data_is_cut() {
        let data = b"one\ntwo\n\ntwo more\nlast two";
        for size in 1..data.len() {
            let wanted = |line: &[u8]| line.windows(3).any(|part| part == b"two");
            let mut search =
                Search { wanted: &wanted, found: Found::default(), open: BytesMut::new() };
            data.chunks(size).for_each(|part| search.take(part));
            assert_eq!(search.end(), Found { count: 3, first: 2, lines: 5 }, "{size}");
        }
        let none = Search { wanted: &|_| true, found: Found::default(), open: BytesMut::new() };
        assert_eq!(none.end(), Found::default());
    }
}
