//! Samples of files and of standard input: which lines, and how many there are.

use parking_lot::Mutex;
use std::collections::HashMap;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use stream::{Decoding, DecodingError, ReadError, RunControl, Source};

use sampled::Numbers;
pub use sampled::{Sample, SampledInput};
pub(crate) use take::take;
use take::take_from;

use crate::base::limits::{Limit, Limits};
use crate::files::block_source::{FileSource, read_block, start_of_last_lines};
use crate::files::identity::Identity;
use crate::files::plain::{Opened, open_plain};
use crate::kept::lines::Kept;

mod sampled;
pub(crate) mod search;
mod take;

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
        let decoded = read.next_multiple_of(decoding.at_once.max(1)).max(read);
        let whole = decoded as f64 * bytes as f64 / position as f64;
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
            // This many can be read of damaged data.
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
