//! The lines to be sorted, in the shared blocks they came in.

use bytes::Bytes;
use stream::{LineId, Lines, Processors, StageError};

/// One line to be sorted. 24 bytes.
#[derive(Clone, Copy)]
pub(super) struct Entry {
    /// Compares as the line does, as far as it goes.
    pub(super) prefix: u64,
    pub(super) chunk: u32,
    offset: u32,
    pub(super) length: u32,
    /// The line's number within its chunk.
    pub(super) row: u32,
}

/// Bytes of memory that sorting takes for a line, without the line.
pub(super) const ENTRY: u64 = size_of::<Entry>() as u64 * 3 / 2;

#[derive(Default)]
pub(super) struct Held {
    chunks: Vec<Bytes>,
    first: Vec<LineId>,
    /// The newlines in each chunk.
    newlines: Vec<u64>,
    bytes: u64,
    lines: u64,
}

impl Held {
    /// Keeps whole lines.
    pub(super) fn add(&mut self, lines: Lines) -> Result<(), StageError> {
        if lines.bytes.len() > u32::MAX as usize || self.chunks.len() >= u32::MAX as usize {
            return Err(StageError::failed(2, "a line longer than 4 GiB cannot be sorted"));
        }
        self.bytes += lines.bytes.len() as u64;
        self.lines += lines.newlines;
        self.chunks.push(lines.bytes);
        self.first.push(lines.first);
        self.newlines.push(lines.newlines);
        Ok(())
    }

    /// The chunks as they came, with the line each begins with.
    pub(super) fn into_chunks(self) -> impl Iterator<Item = (Bytes, LineId)> {
        self.chunks.into_iter().zip(self.first)
    }

    /// The number of chunks.
    pub(super) fn chunks(&self) -> usize {
        self.chunks.len()
    }

    /// Bytes of memory taken, with those that the entries will take and half as many again: what
    /// sorting needs beside them, be it for merging or for dealing them out.
    pub(super) fn memory(&self) -> u64 {
        self.bytes + self.lines * ENTRY
    }

    /// The line of an entry.
    #[inline]
    pub(super) fn line(&self, entry: &Entry) -> &[u8] {
        let start = entry.offset as usize;
        &self.chunks[entry.chunk as usize][start..start + entry.length as usize]
    }

    /// The place of the line in its chunk, its newline with it; `None` where it has none.
    #[inline]
    pub(super) fn whole(&self, entry: &Entry) -> Option<std::ops::Range<usize>> {
        let start = entry.offset as usize;
        let end = start + entry.length as usize + 1;
        (end <= self.chunks[entry.chunk as usize].len()).then_some(start..end)
    }

    /// A part of a chunk.
    #[inline]
    pub(super) fn bytes(&self, chunk: u32, part: std::ops::Range<usize>) -> &[u8] {
        &self.chunks[chunk as usize][part]
    }

    /// A part of a chunk, shared.
    pub(super) fn share(&self, chunk: u32, part: std::ops::Range<usize>) -> Bytes {
        self.chunks[chunk as usize].slice(part)
    }

    /// Brings the ends of lines that are used next near to the processor: they are far apart in
    /// memory, and all of them together take hardly longer to come than one.
    pub(super) fn fetch(&self, entries: &[Entry]) {
        let ends = |entry: &Entry| {
            let line = self.line(entry);
            line.first().copied().unwrap_or(0) ^ line.last().copied().unwrap_or(0)
        };
        std::hint::black_box(entries.iter().fold(0, |all, entry| all ^ ends(entry)));
    }

    /// Which input line an entry is.
    pub(super) fn id(&self, entry: &Entry) -> LineId {
        self.first[entry.chunk as usize].plus(u64::from(entry.row))
    }

    /// An entry for each line, in order, in a few parts; and how many bytes at the beginning
    /// all lines share.
    pub(super) fn entries(&self, processors: &dyn Processors) -> (Vec<Vec<Entry>>, usize) {
        let share = self.chunks.len().div_ceil(processors.count().max(1)).max(1);
        let groups = self.chunks.len().div_ceil(share);
        let mut parts: Vec<(Vec<Entry>, Option<&[u8]>)> = vec![(Vec::new(), None); groups];
        let jobs =
            parts.iter_mut().enumerate().map(|(number, part)| -> Box<dyn FnOnce() + Send + '_> {
                Box::new(move || {
                    let end = ((number + 1) * share).min(self.chunks.len());
                    let newlines: u64 = self.newlines[number * share..end].iter().sum();
                    // The last line of a file may have none.
                    part.0.reserve_exact(newlines as usize + end - number * share);
                    for chunk in number * share..end {
                        self.scan(chunk, &mut part.0, &mut part.1);
                    }
                })
            });
        processors.run(jobs.collect());
        let common = parts.iter().filter_map(|(_, common)| *common).reduce(shared);
        (parts.into_iter().map(|(entries, _)| entries).collect(), common.map_or(0, <[u8]>::len))
    }

    /// Adds an entry for each line of a chunk, and shortens `common` to what all begin with.
    pub(super) fn scan<'h>(
        &'h self,
        chunk: usize,
        entries: &mut Vec<Entry>,
        common: &mut Option<&'h [u8]>,
    ) {
        let bytes: &[u8] = &self.chunks[chunk];
        let mut start = 0;
        let mut row = 0;
        while start < bytes.len() {
            let end = memchr::memchr(b'\n', &bytes[start..]).map_or(bytes.len(), |at| start + at);
            let line = &bytes[start..end];
            entries.push(Entry {
                prefix: 0,
                chunk: chunk as u32,
                offset: start as u32,
                length: line.len() as u32,
                row,
            });
            *common = match *common {
                Some(common) if line.starts_with(common) => Some(common),
                Some(common) => Some(shared(common, line)),
                None => Some(line),
            };
            row += 1;
            start = end + 1;
        }
    }
}

/// All parts as one, in order.
pub(super) fn joined(parts: Vec<Vec<Entry>>) -> Vec<Entry> {
    let append = |mut all: Vec<Entry>, mut part| {
        all.append(&mut part);
        all
    };
    parts.into_iter().reduce(append).unwrap_or_default()
}

/// What both begin with.
fn shared<'l>(one: &'l [u8], other: &'l [u8]) -> &'l [u8] {
    let length = one.iter().zip(other).take_while(|(one, other)| one == other).count();
    &one[..length]
}
