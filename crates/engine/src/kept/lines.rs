//! Streams kept for the screen: appended to by a stage, read at any line by anybody.

use parking_lot::{Mutex, MutexGuard};
use std::fs::File;
use std::io;
use std::os::unix::fs::FileExt;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::SystemTime;

use bytes::Bytes;
use stream::{Arrivals, Block, Holding, ReadError, RunControl, Source};

use super::arrivals::ArrivalLog;

/// Bytes of a stream that stay in memory; what comes after goes to a temporary file.
const MEMORY_LIMIT: u64 = 64 << 20;

/// Shown in the place of lines whose temporary file cannot be read.
const UNREADABLE: &[u8] = b"(cannot be read back from its temporary file)";

/// Small blocks are gathered up to this size, so that a stream has few segments.
const SEGMENT: usize = 64 << 10;

/// A stream that is kept whole. Blocks are shared with whoever made them; beyond 64 MiB they go
/// to an unnamed temporary file, which the system removes by itself.
#[derive(Default)]
pub struct Kept {
    state: Mutex<State>,
    /// When its lines came, where they come from outside.
    arrivals: Option<Arc<ArrivalLog>>,
}

#[derive(Default)]
struct State {
    segments: Vec<Segment>,
    gathering: Vec<u8>,
    gathered_newlines: u64,
    newlines: u64,
    bytes: u64,
    in_memory: u64,
    spill: Option<Spill>,
    ended: bool,
    /// Bytes that stay in memory, and where the others go, where that is not as usual.
    room: Option<(u64, PathBuf)>,
    /// The account of the run it is kept for.
    holding: Option<Holding>,
}

struct Spill {
    file: File,
    length: u64,
}

#[derive(Clone)]
enum Data {
    Memory(Bytes),
    Disk { offset: u64, length: usize },
}

struct Segment {
    data: Data,
    /// Bytes before the segment.
    first_byte: u64,
    /// Newlines before the segment.
    first_line: u64,
    newlines: u64,
    /// True when the segment's first byte continues with a line begun before.
    continues: bool,
    ends_line: bool,
}

impl State {
    fn store(&mut self, bytes: Bytes, newlines: u64) -> io::Result<()> {
        let continues = self.segments.last().is_some_and(|segment| !segment.ends_line);
        let ends_line = bytes.last() == Some(&b'\n');
        let first_line = self.segments.last().map_or(0, |last| last.first_line + last.newlines);
        let most = self.room.as_ref().map_or(MEMORY_LIMIT, |(memory, _)| *memory);
        let data = if self.in_memory + bytes.len() as u64 <= most {
            self.in_memory += bytes.len() as u64;
            if let Some(holding) = &self.holding {
                holding.set(self.in_memory);
            }
            Data::Memory(bytes)
        } else {
            if self.spill.is_none() {
                let file = match &self.room {
                    Some((_, folder)) => tempfile::tempfile_in(folder)?,
                    None => tempfile::tempfile()?,
                };
                self.spill = Some(Spill { file, length: 0 });
            }
            let Some(spill) = &mut self.spill else { return Ok(()) };
            spill.file.write_all_at(&bytes, spill.length)?;
            let data = Data::Disk { offset: spill.length, length: bytes.len() };
            spill.length += bytes.len() as u64;
            data
        };
        let length = |data: &Data| match data {
            Data::Memory(bytes) => bytes.len(),
            Data::Disk { length, .. } => *length,
        };
        let first_byte =
            self.segments.last().map_or(0, |last| last.first_byte + length(&last.data) as u64);
        self.segments.push(Segment {
            data,
            first_byte,
            first_line,
            newlines,
            continues,
            ends_line,
        });
        Ok(())
    }

    fn flush(&mut self) -> io::Result<()> {
        if self.gathering.is_empty() {
            return Ok(());
        }
        let bytes = Bytes::from(std::mem::take(&mut self.gathering));
        let newlines = std::mem::take(&mut self.gathered_newlines);
        self.store(bytes.clone(), newlines).inspect_err(|_| {
            // Nothing is lost where there is no room for it.
            self.gathering = bytes.to_vec();
            self.gathered_newlines = newlines;
        })
    }

    fn open_line(&self) -> bool {
        match self.gathering.last() {
            Some(&byte) => byte != b'\n',
            None => self.segments.last().is_some_and(|segment| !segment.ends_line),
        }
    }

    /// The bytes of a segment.
    ///
    /// # Errors
    /// Where they cannot be read back from the temporary file: that is an error, not an end.
    fn load(&self, data: &Data) -> io::Result<Bytes> {
        match data {
            Data::Memory(bytes) => Ok(bytes.clone()),
            Data::Disk { offset, length } => {
                let mut bytes = vec![0; *length];
                let spill = self.spill.as_ref().ok_or(io::ErrorKind::NotFound)?;
                spill.file.read_exact_at(&mut bytes, *offset)?;
                Ok(bytes.into())
            }
        }
    }
}

impl Kept {
    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock()
    }

    /// A stream that comes from outside: it is noted when each line comes.
    pub(crate) fn coming() -> Self {
        let arrivals = Some(Arc::new(ArrivalLog::new(SystemTime::now())));
        Self { arrivals, ..Self::default() }
    }

    /// As [`Kept::coming`]; beyond this many bytes it goes to a file without a name in this folder.
    pub(crate) fn coming_in(memory: u64, folder: PathBuf) -> Self {
        let kept = Self::coming();
        kept.lock().room = Some((memory, folder));
        kept
    }

    /// A stream that is kept for a run: what it has in memory is counted for that.
    pub(crate) fn of_run(control: &RunControl) -> Self {
        let kept = Self::default();
        kept.lock().holding = Some(control.holding());
        kept
    }

    /// When its lines came, where that is noted.
    pub(crate) fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.arrivals.clone().map(|log| -> Arc<dyn Arrivals> { log })
    }

    /// A finished stream of these bytes.
    pub fn of(bytes: &[u8]) -> Self {
        let kept = Self::default();
        // Only a spill to disk can fail.
        let _ = kept.append(&Block::new(bytes.to_vec()));
        kept.end();
        kept
    }

    /// Adds a block.
    ///
    /// # Errors
    /// When the temporary file cannot be written; what was there before stays, and nothing of the block.
    pub fn append(&self, block: &Block) -> io::Result<()> {
        let mut state = self.lock();
        if block.len() + state.gathering.len() <= SEGMENT {
            state.gathering.extend_from_slice(block.bytes());
            state.gathered_newlines += block.newlines();
        } else {
            state.flush()?;
            if block.len() < SEGMENT / 2 {
                state.gathering.extend_from_slice(block.bytes());
                state.gathered_newlines = block.newlines();
            } else {
                state.store(block.bytes().clone(), block.newlines())?;
            }
        }
        if let Some(arrivals) = &self.arrivals {
            arrivals.note(block.newlines(), SystemTime::now());
        }
        state.bytes += block.len() as u64;
        state.newlines += block.newlines();
        Ok(())
    }

    /// States that nothing more will come.
    pub fn end(&self) {
        self.lock().ended = true;
    }

    /// True once nothing more will come.
    pub fn has_ended(&self) -> bool {
        self.lock().ended
    }

    /// Number of bytes.
    pub fn bytes(&self) -> u64 {
        self.lock().bytes
    }

    /// Number of lines; an unterminated last line counts as one.
    pub fn lines(&self) -> u64 {
        let state = self.lock();
        state.newlines + u64::from(state.open_line())
    }

    /// True when the last line lacks its newline.
    pub fn ends_open(&self) -> bool {
        self.lock().open_line()
    }

    /// The beginning of a line, at most `limit` bytes and a segment: for the screen, which must
    /// not copy a line of a hundred megabytes to show its first columns.
    pub fn line_start(&self, line: u64, limit: usize) -> Option<Bytes> {
        self.lines_limited(line, 1, limit).into_iter().next()
    }

    /// Lines from `first` on, at most `count`, without their newlines. Costs the reading of the
    /// segments they are in, wherever they are.
    pub fn lines_at(&self, first: u64, count: usize) -> Vec<Bytes> {
        self.lines_limited(first, count, usize::MAX)
    }

    /// Bytes from `first` on, at most `count`. Costs the reading of the segments they are in.
    pub fn bytes_at(&self, first: u64, count: usize) -> Vec<u8> {
        let mut state = self.lock();
        // What is being gathered becomes a segment; a failing disk loses only this look.
        let _ = state.flush();
        let mut bytes = Vec::new();
        let at = state.segments.partition_point(|segment| segment.first_byte <= first);
        for segment in &state.segments[at.saturating_sub(1)..] {
            let Ok(data) = state.load(&segment.data) else { break };
            let from = first.saturating_sub(segment.first_byte).min(data.len() as u64) as usize;
            let to = data.len().min(from + count - bytes.len());
            bytes.extend_from_slice(&data[from..to]);
            if bytes.len() >= count {
                break;
            }
        }
        bytes
    }

    fn lines_limited(&self, first: u64, count: usize, limit: usize) -> Vec<Bytes> {
        if count == 0 {
            return Vec::new();
        }
        let mut state = self.lock();
        // What is being gathered becomes a segment; a failing disk loses only this look.
        let _ = state.flush();
        let mut lines: Vec<Bytes> = Vec::new();
        // The last segment that begins at or before the line.
        let mut at = state.segments.partition_point(|segment| segment.first_line <= first);
        at = at.saturating_sub(1);
        // Segments without a newline, and a line begun earlier, lie further left.
        while at > 0 && state.segments[at].first_line == first && state.segments[at].continues {
            at -= 1;
        }
        let mut number = state.segments.get(at).map_or(0, |segment| segment.first_line);
        let mut open: Option<Vec<u8>> = None;
        for segment in &state.segments[at.min(state.segments.len())..] {
            // For the screen: what cannot be read is said there, line by line.
            let Ok(data) = state.load(&segment.data) else {
                lines.push(Bytes::from_static(UNREADABLE));
                return lines;
            };
            // A segment that continues with an earlier line of no interest.
            let mut from = 0;
            while from < data.len() {
                let end = memchr::memchr(b'\n', &data[from..]).map(|length| from + length);
                let to = end.unwrap_or(data.len());
                if number >= first {
                    match (&mut open, end) {
                        (Some(begun), _) => begun.extend_from_slice(&data[from..to]),
                        (None, Some(_)) => lines.push(data.slice(from..to)),
                        (None, None) => open = Some(data[from..to].to_vec()),
                    }
                    let enough = open.as_ref().is_some_and(|begun| begun.len() >= limit);
                    if (end.is_some() || enough)
                        && let Some(begun) = open.take()
                    {
                        lines.push(begun.into());
                    }
                    if lines.len() >= count {
                        return lines;
                    }
                }
                number += u64::from(end.is_some());
                from = to + 1;
            }
        }
        lines.extend(open.map(Bytes::from));
        lines.truncate(count);
        lines
    }

    /// Reads the stream from its beginning, as far as it is there now.
    pub fn source(self: &Arc<Self>) -> Box<dyn Source> {
        // What cannot be flushed is read from the gathering buffer's copy in memory.
        let _ = self.lock().flush();
        Box::new(KeptSource { kept: self.clone(), next: 0 })
    }

    /// What could not be put with the rest because there is no room for it; nothing where there is.
    pub(crate) fn not_stored(&self) -> Bytes {
        let mut state = self.lock();
        match state.flush() {
            Ok(()) => Bytes::new(),
            Err(_) => Bytes::copy_from_slice(&state.gathering),
        }
    }

    fn segment(&self, number: usize) -> io::Result<Option<Block>> {
        let state = self.lock();
        let segment = state.segments.get(number);
        segment.map(|segment| state.load(&segment.data).map(Block::new)).transpose()
    }

    /// All bytes, as far as they can be read; for small streams and tests.
    pub fn contents(&self) -> Vec<u8> {
        let mut state = self.lock();
        let _ = state.flush();
        let parts: Vec<Bytes> =
            state.segments.iter().map_while(|segment| state.load(&segment.data).ok()).collect();
        parts.concat()
    }
}

struct KeptSource {
    kept: Arc<Kept>,
    next: usize,
}

impl Source for KeptSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        let block = self.kept.segment(self.next).map_err(ReadError::Io)?;
        self.next += 1;
        Ok(block.filter(|block| !block.is_empty()))
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.kept.arrivals()
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

        #[test]
        fn every_line_is_found_however_the_stream_came(
            blocks in prop::collection::vec("[ab\n]{0,9}", 0..12), from in 0u64..20, count in 0usize..20, flush in any::<bool>()
        ) {
            let kept = Arc::new(Kept::default());
            for block in &blocks {
                kept.append(&Block::new(block.clone().into_bytes())).unwrap();
                if flush {
                    kept.lines_at(0, 1);
                }
            }
            let whole = blocks.concat();
            let model: Vec<&str> = whole.lines().collect();
            // `str::lines` takes a carriage return for part of the end; there is none here.
            prop_assert_eq!(kept.lines(), model.len() as u64);
            let lines = kept.lines_at(from, count);
            let expected: Vec<&[u8]> = model.iter().skip(from as usize).take(count).map(|line| line.as_bytes()).collect();
            prop_assert_eq!(lines.iter().map(|line| &line[..]).collect::<Vec<_>>(), expected);
            prop_assert_eq!(kept.contents(), whole.as_bytes());
            let bytes = whole.bytes().skip(from as usize).take(count);
            prop_assert!(kept.bytes_at(from, count).into_iter().eq(bytes));
        }
    }

    #[test]
    fn of_a_huge_line_only_the_beginning_is_copied() {
        let kept = Kept::default();
        kept.append(&Block::new(b"first\n".to_vec())).unwrap();
        for _ in 0..64 {
            kept.append(&Block::new(vec![b'x'; 100_000])).unwrap();
        }
        kept.append(&Block::new(b"\nlast".to_vec())).unwrap();
        let start = kept.line_start(1, 1000).unwrap();
        assert!(start.len() >= 1000 && start.len() <= 300_000, "{}", start.len());
        assert_eq!(kept.lines_at(1, 1)[0].len(), 6_400_000);
        assert_eq!(kept.line_start(2, 1000).unwrap(), "last");
        assert_eq!(kept.line_start(3, 1000), None);
        // No segment more than it takes: these are stored as they come.
        let kept = Kept::default();
        for letter in [b'a', b'b'] {
            kept.append(&Block::new(vec![letter; SEGMENT + 1])).unwrap();
        }
        let length = |limit| kept.line_start(0, limit).unwrap().len();
        assert_eq!(length(SEGMENT + 1), SEGMENT + 1);
        assert_eq!(length(SEGMENT + 2), 2 * (SEGMENT + 1));
    }

    #[test]
    fn what_cannot_be_read_back_is_an_error_and_not_an_end() {
        let kept = Arc::new(Kept::default());
        for _ in 0..70 {
            kept.append(&Block::new(vec![b'x'; 1 << 20])).unwrap();
        }
        // The disk loses what was put there.
        kept.lock().spill.as_ref().unwrap().file.set_len(0).unwrap();
        let mut source = kept.source();
        let ended = loop {
            match source.next_block() {
                Ok(Some(_)) => {}
                other => break other,
            }
        };
        assert!(matches!(ended, Err(ReadError::Io(_))));
    }

    #[test]
    fn what_does_not_fit_into_memory_is_read_back_from_disk() {
        let kept = Arc::new(Kept::default());
        let line = vec![b'x'; 1 << 20];
        for number in 0..80 {
            let block = [&line[..], format!("{number}\n").as_bytes()].concat();
            kept.append(&Block::new(block)).unwrap();
        }
        assert_eq!(kept.lines(), 80);
        let last = kept.lines_at(79, 5);
        assert_eq!(last.len(), 1);
        assert!(last[0].ends_with(b"79"));
        let mut source = kept.source();
        let mut bytes = 0;
        while let Some(block) = source.next_block().unwrap() {
            bytes += block.len() as u64;
        }
        assert_eq!(bytes, kept.bytes());
    }
}
