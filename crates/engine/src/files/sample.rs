//! Samples of files and of standard input: which lines, and how many there are.

use parking_lot::Mutex;
use std::collections::{BinaryHeap, HashMap};
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Instant, SystemTime};

use memchr::memchr_iter;
use rand_xoshiro::SplitMix64;
use rand_xoshiro::rand_core::{Rng, SeedableRng};
use stream::{Arrivals, Block, Decoding, DecodingError, Input, ReadError, RunControl, Source};

use crate::base::limits::{Limit, Limits};
use crate::files::block_source::{FileSource, read_block, start_of_last_lines};
use crate::files::identity::Identity;
use crate::files::plain::{Opened, open_plain};
use crate::kept::lines::Kept;

/// Which lines of a source are worked on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Sample {
    /// The first lines.
    First(u64),
    /// The last lines.
    Last(u64),
    /// The first line and then every so-manieth.
    Every(u64),
    /// So many lines at random, in their order; the same seed picks the same lines.
    Random {
        /// How many.
        lines: u64,
        /// The seed.
        seed: u64,
    },
    /// All lines.
    Everything,
    /// The first lines, and then all of them where that is quick: a preview is made of both, one
    /// after the other. A single sample is that of the first lines.
    Quick(u64),
}

impl Sample {
    /// True where it has the first lines of its source, one after the other.
    pub(crate) fn begins(self) -> bool {
        matches!(self, Self::First(_) | Self::Quick(_) | Self::Everything)
    }
}

/// The line numbers of a sample's lines in the whole.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Numbers {
    /// One after the other from this one (from 0).
    From(u64),
    /// These.
    List(Vec<u64>),
    /// The last ones of a whole too large to be counted first: this many.
    FromEnd(u64),
}

/// A sample of one source, and what is known of the whole.
pub struct SampledInput {
    /// The lines.
    pub kept: Arc<Kept>,
    numbers: Numbers,
    /// Bytes of the whole, where known; of a compressed file an estimate, see
    /// [`SampledInput::is_estimated`].
    pub whole_bytes: Option<u64>,
    /// Lines of the whole, where known.
    whole_lines: Mutex<Option<u64>>,
    /// True when the sample is the whole.
    pub complete: bool,
    /// What cut the sample off before it was as large as asked.
    pub cut: Option<Limit>,
    /// The file's state when it was read; `None` for standard input.
    pub identity: Option<Identity>,
    /// True when the file changed while it was read.
    pub changed: bool,
    /// How the file is read, where it is compressed: the lines are those of what is in it.
    pub(crate) decoding: Option<&'static Decoding>,
    /// Why it could not be read beyond the sample's end.
    failure: Option<DecodingError>,
    /// When the lines of the whole came, for standard input.
    pub(crate) arrivals: Option<Arc<dyn Arrivals>>,
}

/// What was read of compressed data, and why not more.
struct FailsAtEnd {
    inner: Box<dyn Source>,
    failure: Option<DecodingError>,
}

impl Source for FailsAtEnd {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match (self.inner.next_block()?, self.failure.take()) {
            (None, Some(failure)) => Err(ReadError::Io(io::Error::other(failure))),
            (block, failure) => {
                self.failure = failure;
                Ok(block)
            }
        }
    }
}

/// When the lines of a sample came.
struct OfSample {
    sampled: Arc<SampledInput>,
    whole: Arc<dyn Arrivals>,
}

impl Arrivals for OfSample {
    fn begun(&self) -> SystemTime {
        self.whole.begun()
    }

    fn of_line(&self, line: u64) -> Option<SystemTime> {
        // Where the end is still to come, lines counted from it have no place yet.
        let number = u64::try_from(self.sampled.number(line)).ok()?;
        self.whole.of_line(number.checked_sub(1)?)
    }
}

impl SampledInput {
    /// When its lines came, where that was noted.
    pub(crate) fn came(self: &Arc<Self>) -> Option<Arc<dyn Arrivals>> {
        let whole = self.arrivals.clone()?;
        Some(Arc::new(OfSample { sampled: self.clone(), whole }))
    }

    /// Reads the sample, and fails after it where the file could not be read further.
    pub(crate) fn source(&self) -> Box<dyn Source> {
        let inner = self.kept.source();
        match self.failure.clone() {
            None => inner,
            failure => Box::new(FailsAtEnd { inner, failure }),
        }
    }

    /// True where the bytes of the whole are judged by how the sample was compressed.
    pub fn is_estimated(&self) -> bool {
        self.decoding.is_some() && !self.complete
    }

    /// The number (from 1) of line `line` (from 0) of the sample in the whole; negative when
    /// counted from the end.
    pub fn number(&self, line: u64) -> i64 {
        match &self.numbers {
            Numbers::From(start) => (start + line) as i64 + 1,
            Numbers::List(list) => {
                list.get(line as usize).map_or(line as i64 + 1, |&number| number as i64 + 1)
            }
            Numbers::FromEnd(count) => match self.whole_lines() {
                Some(all) => (all.saturating_sub(*count) + line) as i64 + 1,
                None => line as i64 - *count as i64,
            },
        }
    }

    /// Lines of the whole, where known by now.
    pub fn whole_lines(&self) -> Option<u64> {
        *self.whole_lines.lock()
    }

    /// Tells how many lines the whole has.
    pub fn set_whole_lines(&self, lines: u64) {
        *self.whole_lines.lock() = Some(lines);
    }
}

/// A file of which a part was read.
#[derive(Clone)]
pub struct PartialRead {
    /// The name it was read by.
    pub path: PathBuf,
    /// What was read of it.
    pub sampled: Arc<SampledInput>,
}

/// Samples read before, so that a change of the text does not read files again.
#[derive(Default)]
pub(crate) struct SampleCache {
    files: Mutex<HashMap<(PathBuf, Identity, Sample, Option<&'static str>), Arc<SampledInput>>>,
}

/// Samples kept at the same time; beyond that the cache starts anew.
const CACHED: usize = 32;

/// Bytes of all samples kept at the same time, but for one that is larger alone.
const CACHED_BYTES: u64 = 512 << 20;

impl SampleCache {
    /// The sample of a regular file, from the cache or read now.
    pub(crate) fn file(
        &self,
        path: &Path,
        file: FileSource,
        decoding: Option<&'static Decoding>,
        sample: Sample,
        limits: &Limits,
        control: &RunControl,
    ) -> io::Result<Arc<SampledInput>> {
        let identity = Identity::of(&file.file.metadata()?);
        let form = decoding.map(|decoding| decoding.name);
        let key = (path.to_owned(), identity, sample, form);
        if let Some(found) = self.files.lock().get(&key) {
            return Ok(found.clone());
        }
        let mut sampled = match decoding {
            None => read_file(file, sample, limits, control)?,
            Some(decoding) => read_compressed(file, decoding, sample, limits, control)?,
        };
        sampled.identity = Some(identity);
        sampled.changed = Identity::now(path).ok() != Some(identity);
        let sampled = Arc::new(sampled);
        if !control.is_cancelled() && !sampled.changed {
            let mut files = self.files.lock();
            let held: u64 = files.values().map(|sampled| sampled.kept.bytes()).sum();
            if files.len() >= CACHED || held + sampled.kept.bytes() > CACHED_BYTES {
                files.clear();
            }
            files.insert(key, sampled.clone());
        }
        Ok(sampled)
    }
}

fn read_file(
    source: FileSource,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
) -> io::Result<SampledInput> {
    let bytes = source.file.metadata()?.len();
    if let Sample::Last(lines) = sample {
        let start = start_of_last_lines(&source.file, bytes, lines)?;
        if start > 0 {
            return last_of_file(source.file, start, bytes, limits);
        }
    }
    // Files of the kernel do not say how long they are.
    let known = (bytes > 0).then_some(bytes);
    take(Box::new(source), sample, limits, control, known)
}

/// Bytes that a sample of the beginning of compressed data has at most: little of it may be very much
/// of what is in it.
const DECODED_MAX: u64 = 32 << 20;

/// A sample of what is in a compressed file. Only what the sample needs is decoded.
fn read_compressed(
    source: FileSource,
    decoding: &'static Decoding,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
) -> io::Result<SampledInput> {
    let bytes = source.file.metadata()?.len();
    let most = match sample {
        Sample::First(_) | Sample::Quick(_) => limits.bytes.min(DECODED_MAX),
        _ => limits.bytes,
    };
    let limits = Limits { bytes: most, ..*limits };
    let taken = take_from((decoding.open)(Box::new(source)), sample, &limits, control, None)?;
    let (mut sampled, read, position) = taken;
    sampled.decoding = Some(decoding);
    if let (false, Some(position @ 1..)) = (sampled.complete, position) {
        let whole = read as f64 * bytes as f64 / position as f64;
        sampled.whole_bytes = Some((whole as u64).max(read));
    }
    Ok(sampled)
}

/// The last part of a large file, without reading what is before it.
fn last_of_file(
    mut file: File,
    start: u64,
    bytes: u64,
    limits: &Limits,
) -> io::Result<SampledInput> {
    use std::io::{Seek, SeekFrom};
    file.seek(SeekFrom::Start(start))?;
    let kept = Arc::new(Kept::default());
    let mut cut = None;
    while let Some(block) = read_block(&file)? {
        if kept.bytes() + block.len() as u64 > limits.bytes {
            cut = Some(Limit::Bytes(limits.bytes));
            break;
        }
        kept.append(&block)?;
    }
    kept.end();
    let count = kept.lines();
    Ok(SampledInput {
        kept,
        numbers: Numbers::FromEnd(count),
        whole_bytes: Some(bytes),
        whole_lines: Mutex::default(),
        complete: false,
        cut,
        identity: None,
        changed: false,
        decoding: None,
        failure: None,
        arrivals: None,
    })
}

/// Takes a sample of a source. Memory: the sample.
pub(crate) fn take(
    source: Box<dyn Source>,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
    whole_bytes: Option<u64>,
) -> io::Result<SampledInput> {
    take_from(source, sample, limits, control, whole_bytes).map(|(sampled, ..)| sampled)
}

/// As [`take`]; with the bytes that were read for it, and the place reached in the file behind.
fn take_from(
    source: Box<dyn Source>,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
    whole_bytes: Option<u64>,
) -> io::Result<(SampledInput, u64, Option<u64>)> {
    let mut failure = None;
    let mut taker = Taker::new(sample, limits, control);
    let mut input = Input::new(Box::new(Bounded { source, left: limits.bytes, hit: false }), 0);
    loop {
        if taker.stop() {
            break;
        }
        match input.next_lines() {
            Ok(Some(lines)) => taker.add(&lines.bytes)?,
            Ok(None) => {
                taker.at_end = true;
                break;
            }
            Err(ReadError::Io(error)) => {
                // What was readable of damaged data is shown, and then why there is no more.
                let Some(known) = DecodingError::inside(&error) else { return Err(error) };
                if let Some(rest) = input.next_lines().ok().flatten() {
                    taker.add(&rest.bytes)?;
                }
                failure = Some(known.clone());
                taker.at_end = true;
                break;
            }
            Err(ReadError::Cancelled) => break,
        }
    }
    let (read, position) = (taker.seen_bytes, input.position());
    let sampled = taker.finish(whole_bytes)?;
    Ok((SampledInput { failure, ..sampled }, read, position))
}

/// A source that ends after so many bytes: a line longer than that is cut, not gathered.
struct Bounded {
    source: Box<dyn Source>,
    left: u64,
    hit: bool,
}

impl Source for Bounded {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.hit {
            return Ok(None);
        }
        let Some(block) = self.source.next_block()? else { return Ok(None) };
        if block.len() as u64 <= self.left {
            self.left -= block.len() as u64;
            return Ok(Some(block));
        }
        self.hit = true;
        let part = block.into_bytes().slice(..self.left as usize);
        Ok((!part.is_empty()).then(|| Block::new(part)))
    }

    fn position(&self) -> Option<u64> {
        self.source.position()
    }
}

struct Taker<'l> {
    sample: Sample,
    limits: &'l Limits,
    control: &'l RunControl,
    started: Instant,
    kept: Arc<Kept>,
    numbers: Vec<u64>,
    seen_lines: u64,
    seen_bytes: u64,
    random: Reservoir,
    last: std::collections::VecDeque<Vec<u8>>,
    cut: Option<Limit>,
    at_end: bool,
    full: bool,
}

impl<'l> Taker<'l> {
    fn new(sample: Sample, limits: &'l Limits, control: &'l RunControl) -> Self {
        let random = match sample {
            Sample::Random { lines, seed } => Reservoir::new(lines, seed),
            _ => Reservoir::new(0, 0),
        };
        Self {
            sample,
            limits,
            control,
            started: Instant::now(),
            kept: Arc::default(),
            numbers: Vec::new(),
            seen_lines: 0,
            seen_bytes: 0,
            random,
            last: std::collections::VecDeque::new(),
            cut: None,
            at_end: false,
            full: matches!(sample, Sample::First(0) | Sample::Quick(0)),
        }
    }

    fn stop(&mut self) -> bool {
        if self.started.elapsed() > self.limits.time {
            self.cut = Some(Limit::Time(self.limits.time));
        }
        self.full || self.cut.is_some() || self.control.is_cancelled()
    }

    fn add(&mut self, bytes: &bytes::Bytes) -> io::Result<()> {
        let mut used = bytes.len();
        match self.sample {
            Sample::First(most) | Sample::Quick(most) => {
                let wanted = most - self.seen_lines;
                let end = memchr_iter(b'\n', bytes).nth(wanted as usize - 1).map(|at| at + 1);
                let part = bytes.slice(..end.unwrap_or(bytes.len()));
                self.seen_lines += memchr_iter(b'\n', &part).count() as u64;
                self.full = self.seen_lines >= most;
                used = part.len();
                self.kept.append(&Block::new(part))?;
            }
            Sample::Everything => {
                let block = Block::new(bytes.clone());
                self.seen_lines += block.newlines();
                self.kept.append(&block)?;
                if self.kept.lines() >= self.limits.lines {
                    self.cut = Some(Limit::Lines(self.limits.lines));
                }
            }
            _ => {
                for line in bytes.split_inclusive(|&byte| byte == b'\n') {
                    let number = self.seen_lines;
                    self.seen_lines += 1;
                    match self.sample {
                        Sample::Every(step) => {
                            if number.is_multiple_of(step.max(1)) {
                                self.numbers.push(number);
                                self.kept.append(&Block::new(line.to_vec()))?;
                            }
                        }
                        Sample::Random { .. } => self.random.offer(number, line),
                        _ => {
                            self.last.push_back(line.to_vec());
                            if let Sample::Last(most) = self.sample
                                && self.last.len() as u64 > most
                            {
                                self.last.pop_front();
                            }
                        }
                    }
                }
            }
        }
        self.seen_bytes += used as u64;
        Ok(())
    }

    fn finish(mut self, whole_bytes: Option<u64>) -> io::Result<SampledInput> {
        let mut numbers = Numbers::From(0);
        match self.sample {
            Sample::Every(_) => numbers = Numbers::List(std::mem::take(&mut self.numbers)),
            Sample::Random { .. } => {
                let mut list = Vec::new();
                for (number, line) in self.random.take_chosen() {
                    list.push(number);
                    self.kept.append(&Block::new(line))?;
                }
                numbers = Numbers::List(list);
            }
            Sample::Last(_) => {
                numbers = Numbers::From(self.seen_lines - self.last.len() as u64);
                for line in &self.last {
                    self.kept.append(&Block::new(line.clone()))?;
                }
            }
            Sample::First(_) | Sample::Quick(_) | Sample::Everything => {}
        }
        self.kept.end();
        if self.at_end
            && self.cut.is_none()
            && whole_bytes.is_some_and(|bytes| bytes > self.seen_bytes)
        {
            self.cut = Some(Limit::Bytes(self.limits.bytes));
        }
        let read_all =
            whole_bytes.map_or(self.at_end, |bytes| self.seen_bytes >= bytes) && self.cut.is_none();
        let whole_lines = match self.sample {
            Sample::First(_) | Sample::Quick(_) => read_all.then(|| self.kept.lines()),
            Sample::Everything if self.cut.is_none() => Some(self.kept.lines()),
            _ if self.at_end && self.cut.is_none() => Some(self.seen_lines),
            _ => None,
        };
        let complete = read_all && whole_lines == Some(self.kept.lines());
        Ok(SampledInput {
            kept: self.kept,
            numbers,
            whole_bytes: whole_bytes.or(self.at_end.then_some(self.seen_bytes)),
            whole_lines: Mutex::new(whole_lines),
            complete,
            cut: self.cut,
            identity: None,
            changed: false,
            decoding: None,
            failure: None,
            arrivals: None,
        })
    }
}

/// Keeps the lines with the smallest random keys.
struct Reservoir {
    lines: u64,
    /// The same numbers for the same seed, for ever.
    chance: SplitMix64,
    heap: BinaryHeap<(u64, u64, Vec<u8>)>,
}

impl Reservoir {
    fn new(lines: u64, seed: u64) -> Self {
        Self { lines, chance: SplitMix64::seed_from_u64(seed), heap: BinaryHeap::new() }
    }

    fn offer(&mut self, number: u64, line: &[u8]) {
        let key = self.chance.next_u64();
        if (self.heap.len() as u64) < self.lines {
            self.heap.push((key, number, line.to_vec()));
        } else if self.heap.peek().is_some_and(|largest| key < largest.0) {
            self.heap.pop();
            self.heap.push((key, number, line.to_vec()));
        }
    }

    /// The chosen lines in their order; none are left.
    fn take_chosen(&mut self) -> Vec<(u64, Vec<u8>)> {
        let mut chosen: Vec<(u64, Vec<u8>)> =
            self.heap.drain().map(|(_, number, line)| (number, line)).collect();
        chosen.sort_by_key(|(number, _)| *number);
        chosen
    }
}

/// Counts the lines of a whole file; `None` when cancelled or not readable.
pub fn count_lines(path: &Path, control: &RunControl) -> Option<u64> {
    count_lines_in(path, None, control)
}

/// As [`count_lines`], of what is in a compressed file.
pub(crate) fn count_lines_in(
    path: &Path,
    decoding: Option<&'static Decoding>,
    control: &RunControl,
) -> Option<u64> {
    let Ok(Opened::Plain(file)) = open_plain(path) else { return None };
    let mut source: Box<dyn Source> = Box::new(FileSource::of(file).ok()?);
    if let Some(decoding) = decoding {
        source = (decoding.open)(source);
    }
    let mut lines = 0;
    let mut open = false;
    loop {
        match source.next_block() {
            Ok(Some(block)) => {
                lines += block.newlines();
                open = !block.ends_line();
            }
            Ok(None) => return Some(lines + u64::from(open)),
            // So many can be read of damaged data.
            Err(ReadError::Io(error)) if DecodingError::inside(&error).is_some() => {
                return Some(lines + u64::from(open));
            }
            Err(_) => return None,
        }
        if control.is_cancelled() {
            return None;
        }
    }
}

#[cfg(test)]
mod tests {
    use stream::testing::CutSource;

    use super::*;

    fn sampled(data: &str, sample: Sample) -> (String, Vec<i64>, bool) {
        let source = Box::new(CutSource::new(data.as_bytes(), 3));
        let limits = Limits::default();
        let sampled =
            take(source, sample, &limits, &RunControl::default(), Some(data.len() as u64)).unwrap();
        let numbers = (0..sampled.kept.lines()).map(|line| sampled.number(line)).collect();
        (String::from_utf8(sampled.kept.contents()).unwrap(), numbers, sampled.complete)
    }

    #[test]
    fn samples_know_their_line_numbers() {
        let data = "a\nb\nc\nd\ne";
        assert_eq!(sampled(data, Sample::First(2)), ("a\nb\n".into(), vec![1, 2], false));
        assert_eq!(sampled(data, Sample::First(9)), (data.into(), vec![1, 2, 3, 4, 5], true));
        assert_eq!(sampled(data, Sample::Last(2)), ("d\ne".into(), vec![4, 5], false));
        assert_eq!(sampled(data, Sample::Every(2)), ("a\nc\ne".into(), vec![1, 3, 5], false));
        assert!(sampled(data, Sample::Everything).2);
        let random = sampled(data, Sample::Random { lines: 3, seed: 7 });
        assert_eq!(random.1.len(), 3);
        assert_eq!(random, sampled(data, Sample::Random { lines: 3, seed: 7 }));
        assert!(random.1.windows(2).all(|pair| pair[0] < pair[1]));
    }

    #[test]
    fn a_line_beyond_the_limit_is_cut_off() {
        let limits = Limits { bytes: 10, ..Limits::default() };
        let data = "x".repeat(100);
        let source = Box::new(CutSource::new(data.as_bytes(), 7));
        let sampled =
            take(source, Sample::First(5), &limits, &RunControl::default(), Some(100)).unwrap();
        assert_eq!((sampled.kept.bytes(), sampled.cut), (10, Some(Limit::Bytes(10))));
        assert!(!sampled.complete);
    }

    #[test]
    fn a_bounded_source_ends_at_its_bound() {
        for (left, blocks) in [
            (0, vec![]),
            (2, vec!["ab"]),
            (3, vec!["abc"]),
            (8, vec!["abc", "def", "gh"]),
            (9, vec!["abc", "def", "ghi"]),
            (20, vec!["abc", "def", "ghi", "j"]),
        ] {
            let source = Box::new(CutSource::new(b"abcdefghij", 3));
            let mut bounded = Bounded { source, left, hit: false };
            let mut found = Vec::new();
            while let Some(block) = bounded.next_block().unwrap() {
                found.push(String::from_utf8(block.bytes().to_vec()).unwrap());
            }
            assert_eq!(found, blocks, "{left}");
            assert_eq!(bounded.hit, left < 10, "{left}");
        }
        let source = Box::new(CutSource::new(b"0123456789abcdef", 7));
        let mut bounded = Bounded { source, left: 14, hit: false };
        assert_eq!(bounded.next_block().unwrap().unwrap().len(), 7);
        assert_eq!(bounded.next_block().unwrap().unwrap().len(), 7);
        assert!(bounded.next_block().unwrap().is_none() && bounded.hit);
    }

    #[test]
    fn samples_are_kept_until_there_are_many_or_their_file_changes() {
        let folder = tempfile::tempdir().unwrap();
        let cache = SampleCache::default();
        let read = |name: usize, control: &RunControl| {
            let path = folder.path().join(name.to_string());
            if !path.exists() {
                std::fs::write(&path, format!("{name}\n")).unwrap();
            }
            let file = FileSource::of(std::fs::File::open(&path).unwrap()).unwrap();
            cache.file(&path, file, None, Sample::First(5), &Limits::default(), control).unwrap()
        };
        let control = RunControl::default();
        let first = read(0, &control);
        assert!(Arc::ptr_eq(&first, &read(0, &control)));
        for name in 1..CACHED {
            read(name, &control);
        }
        assert_eq!(cache.files.lock().len(), CACHED);
        assert!(Arc::ptr_eq(&first, &read(0, &control)));
        read(CACHED, &control);
        assert_eq!(cache.files.lock().len(), 1);
        assert!(!Arc::ptr_eq(&first, &read(0, &control)));
        // What a stopped reading has is not all there is.
        let stopped = RunControl::default();
        stopped.cancel();
        read(CACHED + 1, &stopped);
        assert_eq!(cache.files.lock().len(), 2);
    }

    #[test]
    fn the_end_of_a_large_file_is_read_from_the_end() {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        let data: String = (1..=50_000).map(|number| format!("line {number}\n")).collect();
        std::io::Write::write_all(&mut file, data.as_bytes()).unwrap();
        let cache = SampleCache::default();
        let limits = Limits::default();
        let sampled = cache
            .file(
                file.path(),
                FileSource::of(file.reopen().unwrap()).unwrap(),
                None,
                Sample::Last(3),
                &limits,
                &RunControl::default(),
            )
            .unwrap();
        assert_eq!(sampled.kept.contents(), b"line 49998\nline 49999\nline 50000\n");
        assert_eq!(sampled.number(0), -3);
        sampled.set_whole_lines(count_lines(file.path(), &RunControl::default()).unwrap());
        assert_eq!(sampled.number(0), 49_998);
    }

    #[test]
    fn lines_of_a_file_are_counted_with_the_open_one() {
        let count = |text: &[u8]| {
            let file = tempfile::NamedTempFile::new().unwrap();
            std::fs::write(file.path(), text).unwrap();
            count_lines(file.path(), &RunControl::default())
        };
        for (text, lines) in
            [(&b""[..], 0), (b"a", 1), (b"a\n", 1), (b"a\nb", 2), (b"\n\n", 2), (b"\n", 1)]
        {
            assert_eq!(count(text), Some(lines), "{text:?}");
        }
        let control = RunControl::default();
        control.cancel();
        assert_eq!(count_lines(Path::new("Cargo.toml"), &control), None);
        assert_eq!(count_lines(Path::new("/no/such"), &RunControl::default()), None);
    }

    #[test]
    fn everything_ends_at_the_limit_of_lines() {
        for (most, cut) in [(4, Some(Limit::Lines(4))), (5, None), (3, Some(Limit::Lines(3)))] {
            let limits = Limits { lines: most, ..Limits::default() };
            let source = Box::new(CutSource::new(b"a\nb\nc\nd\n", 2));
            let control = RunControl::default();
            let taken = take(source, Sample::Everything, &limits, &control, Some(8)).unwrap();
            assert_eq!((taken.kept.lines(), taken.cut), (most.min(4), cut));
            assert_eq!(taken.complete, cut.is_none());
        }
    }

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig {
            failure_persistence: None,
            ..proptest::prelude::ProptestConfig::with_cases(2000)
        })]

        /// Each sample beside what it is of the lines that the limit of bytes leaves.
        #[test]
        fn samples_are_the_lines_they_say(
            data in "[a\n]{0,20}", way in 0..4, count in 1_u64..6, bytes in 1_u64..24, cut in 1_usize..8
        ) {
            let sample = match way {
                0 => Sample::First(count),
                1 => Sample::Last(count),
                2 => Sample::Every(count),
                _ => Sample::Everything,
            };
            let limits = Limits { bytes, ..Limits::default() };
            let source = Box::new(CutSource::new(data.as_bytes(), cut));
            let whole = data.len() as u64;
            let taken = take(source, sample, &limits, &RunControl::default(), Some(whole)).unwrap();
            let visible = &data[..data.len().min(bytes as usize)];
            let lines: Vec<&str> = visible.split_inclusive('\n').collect();
            let all = lines.iter().enumerate();
            let wanted: Vec<(usize, &str)> = all
                .filter(|(at, _)| match sample {
                    Sample::First(most) => (*at as u64) < most,
                    Sample::Last(most) => (lines.len() - at) as u64 <= most,
                    Sample::Every(step) => (*at as u64).is_multiple_of(step),
                    _ => true,
                })
                .map(|(at, line)| (at, *line))
                .collect();
            let text: String = wanted.iter().map(|(_, line)| *line).collect();
            proptest::prop_assert_eq!(String::from_utf8(taken.kept.contents()).unwrap(), text.clone());
            let numbers: Vec<i64> = (0..taken.kept.lines()).map(|line| taken.number(line)).collect();
            let expected: Vec<i64> = wanted.iter().map(|(at, _)| *at as i64 + 1).collect();
            proptest::prop_assert_eq!(numbers, expected);
            let enough = matches!(sample, Sample::First(most) if visible.matches('\n').count() as u64 >= most);
            let is_cut = visible.len() < data.len() && !enough;
            proptest::prop_assert_eq!(taken.cut, is_cut.then_some(Limit::Bytes(bytes)));
            proptest::prop_assert_eq!(taken.complete, text == data);
            proptest::prop_assert_eq!(taken.whole_bytes, Some(whole));
            let known = !is_cut && (text == data || !matches!(sample, Sample::First(_)));
            proptest::prop_assert_eq!(
                taken.whole_lines(),
                known.then(|| data.split_inclusive('\n').count() as u64)
            );
        }
    }
}
