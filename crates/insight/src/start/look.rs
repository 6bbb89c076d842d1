//! What is in a file, by its beginning.

use std::io::{self, Read};
use std::path::Path;

use filters::Form as Compressed;
use stream::Source;

use crate::columns::detect::candidates;
use crate::columns::form::Form;
use crate::columns::splitting::Splitting;
use crate::describe::units::grouped;

/// Bytes that are read of a file.
const READ: usize = 64 << 10;

/// Bytes that are read of a compressed file of whose beginning nothing comes: more than a block takes
/// in any of the forms.
const READ_OF_BLOCKS: usize = 1 << 20;

/// Bytes of the first line that are kept.
const FIRST_LINE: usize = 400;

/// What is in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FileLook {
    /// In a few words: `CSV, 7 fields, heading`, `gzip of text, fields by blanks`.
    pub kind: String,
    /// Lines; of a larger file about this many. `None` for what has none.
    pub lines: Option<u64>,
    /// The number of lines is judged by the beginning.
    pub estimated: bool,
    /// The beginning of the first line that says something.
    pub first: Vec<u8>,
    /// How it is compressed, where it is.
    pub compressed: Option<Compressed>,
}

/// Looks at the beginning of a regular file: at most 64 KiB, of a compressed one as much as its first
/// block takes, at most 1 MiB, decompressed.
///
/// # Errors
/// Where it cannot be opened or read, or is no regular file.
pub fn look_at(path: &Path) -> io::Result<FileLook> {
    let Some(file) = engine::open_regular(path)? else { return Ok(FileLook::default()) };
    let whole = file.metadata()?.len();
    let mut first = Vec::new();
    (&file).take(READ as u64).read_to_end(&mut first)?;
    let mut is_all = (first.len() as u64) >= whole;
    let Some(form) = Compressed::of_content(&first) else {
        return Ok(of_content(&first, whole, is_all));
    };
    let mut beginning = decoded(&first, form);
    if beginning.data.is_empty() && !beginning.ended && !is_all {
        (&file).take((READ_OF_BLOCKS - READ) as u64).read_to_end(&mut first)?;
        is_all = (first.len() as u64) >= whole;
        beginning = decoded(&first, form);
    }
    let Beginning { data, ended, taken } = beginning;
    if data.is_empty() && !ended {
        // Of damaged data nothing is known.
        let kind = format!("{} data", form.name());
        return Ok(FileLook { kind, compressed: Some(form), ..FileLook::default() });
    }
    let is_all = is_all && ended;
    let bytes = data.len() as u64;
    let whole = if is_all {
        bytes
    } else {
        // About as much as the beginning was made smaller, the rest was too.
        let decoded = bytes.next_multiple_of(form.decoding().at_once.max(1));
        (decoded as f64 * whole as f64 / taken.unwrap_or(first.len() as u64).max(1) as f64) as u64
    };
    let mut look = of_content(&data, whole.max(bytes), is_all);
    look.kind = format!("{} of {}", form.name(), look.kind);
    look.compressed = Some(form);
    Ok(look)
}

/// What is in the beginning of compressed data; of damaged data what could be read.
struct Beginning {
    data: Vec<u8>,
    /// It is all that is in it.
    ended: bool,
    /// How many bytes of the compressed data it took, where that is known.
    taken: Option<u64>,
}

fn decoded(first: &[u8], form: Compressed) -> Beginning {
    struct Once(Option<Vec<u8>>);
    impl Source for Once {
        fn next_block(&mut self) -> Result<Option<stream::Block>, stream::ReadError> {
            Ok(self.0.take().map(stream::Block::new))
        }
    }
    let mut source = (form.decoding().open)(Box::new(Once(Some(first.to_vec()))));
    let mut data = Vec::new();
    while data.len() < READ * 4 {
        match source.next_block() {
            Ok(Some(block)) => data.extend_from_slice(block.bytes()),
            Ok(None) => return Beginning { data, ended: true, taken: None },
            Err(_) => return Beginning { data, ended: false, taken: None },
        }
    }
    Beginning { data, ended: false, taken: source.position() }
}

fn of_content(first: &[u8], whole: u64, is_all: bool) -> FileLook {
    if first.is_empty() {
        return FileLook { kind: "empty".to_owned(), lines: Some(0), ..FileLook::default() };
    }
    if is_binary(first) {
        return FileLook { kind: "binary data".to_owned(), ..FileLook::default() };
    }
    let newlines = memchr::memchr_iter(b'\n', first).count() as u64;
    let open = u64::from(!first.ends_with(b"\n"));
    let lines = if is_all {
        newlines + open
    } else {
        // One at least, also where its end was not read.
        ((newlines as f64 * whole as f64 / first.len() as f64) as u64).max(1)
    };
    let mut all: Vec<&[u8]> = first.split(|byte| *byte == b'\n').collect();
    if !is_all && all.len() > 1 {
        // The last one is cut off.
        all.pop();
    }
    let said = all.iter().find(|line| !line.iter().all(u8::is_ascii_whitespace));
    let said = said.copied().unwrap_or_default();
    FileLook {
        kind: kind_of(&all),
        lines: Some(lines),
        estimated: !is_all,
        first: said[..said.len().min(FIRST_LINE)].to_vec(),
        compressed: None,
    }
}

/// Control bytes that are in no text.
fn is_binary(bytes: &[u8]) -> bool {
    let odd = bytes.iter().filter(|byte| matches!(byte, 0..=6 | 14..=26 | 28..=31)).count();
    bytes.contains(&0) || odd * 50 > bytes.len()
}

fn kind_of(lines: &[&[u8]]) -> String {
    let filled: Vec<&[u8]> =
        lines.iter().copied().filter(|line| !line.iter().all(u8::is_ascii_whitespace)).collect();
    let Some(first) = filled.first() else { return "empty lines".to_owned() };
    if first.starts_with(b"#!") {
        return "script".to_owned();
    }
    if matches!(first.trim_ascii().first(), Some(b'{'))
        && serde_json::from_slice::<serde::de::IgnoredAny>(first).is_ok()
    {
        return "JSON lines".to_owned();
    }
    let Some(best) = candidates(&filled).into_iter().next() else { return "text".to_owned() };
    if best.score < 0.5 {
        return "text".to_owned();
    }
    let form = Form::of(&filled, best.splitting.clone());
    let fields =
        filled.iter().take(100).map(|line| best.splitting.fields(line).len()).max().unwrap_or(0);
    let heading = if form.heading.is_some() { ", heading" } else { "" };
    match best.splitting {
        Splitting::Byte(b'\t') | Splitting::Quoted(b'\t') => {
            format!("fields by TAB, {}{heading}", grouped(fields as u64))
        }
        Splitting::Byte(b',' | b';') | Splitting::Quoted(_) => {
            format!("CSV, {} fields{heading}", grouped(fields as u64))
        }
        Splitting::Byte(b' ') | Splitting::Blanks if fields > 1 => {
            "text, fields by blanks".to_owned()
        }
        Splitting::Byte(byte) if byte != b' ' => {
            format!("fields by {}, {}{heading}", char::from(byte), grouped(fields as u64))
        }
        Splitting::First(b'=') => "name=value".to_owned(),
        Splitting::First(_) => "name: value".to_owned(),
        Splitting::Pairs(_) => "name=value pairs".to_owned(),
        Splitting::Fixed(_) => format!("columns of fixed width, {fields}"),
        _ => "text".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Write as _;

    use super::*;

    #[test]
    fn content_is_known_by_its_beginning() {
        let log = "2031-04-02 06:12:00 gate-02 card=16304 passed\n".repeat(3);
        for (text, kind, lines) in [
            ("", "empty", Some(0)),
            (&log, "text, fields by blanks", Some(3)),
            ("id,name,built\n1,Gull,2003\n2,Tern,2004\n", "CSV, 3 fields, heading", Some(3)),
            ("{\"a\":1}\n{\"a\":2}\n", "JSON lines", Some(2)),
            ("line.state=running\nline.speed=2\n", "name=value", Some(2)),
            ("#!/bin/sh\necho\n", "script", Some(2)),
            ("a\0b\n", "binary data", None),
            ("\n\n", "empty lines", Some(2)),
            ("one\ntwo", "text", Some(2)),
        ] {
            let look = of_content(text.as_bytes(), text.len() as u64, true);
            assert_eq!((look.kind.as_str(), look.lines), (kind, lines), "{text:?}");
        }
        let look = of_content(b"a b\nc d\ne", 900, false);
        assert_eq!((look.lines, look.estimated, &look.first[..]), (Some(200), true, &b"a b"[..]));
        assert_eq!(of_content(b"a long li", 900, false).lines, Some(1));
    }

    #[test]
    fn compressed_files_are_looked_into_however_large_their_blocks_are() {
        let folder = tempfile::tempdir().unwrap();
        let mut chance = fastrand::Rng::with_seed(1);
        let mut log = String::new();
        while log.len() < 4 << 20 {
            // Little of it comes again: blocks are large.
            let words = [chance.u64(..), chance.u64(..), chance.u64(..)];
            let _ = writeln!(log, "{:x} {:x} {:x}", words[0], words[1], words[2]);
        }
        let plain = folder.path().join("log");
        std::fs::write(&plain, &log).unwrap();
        let lines = log.lines().count() as f64;
        for form in Compressed::ALL {
            let path = folder.path().join(form.name());
            let line = format!("{} -c {} > {}", form.name(), plain.display(), path.display());
            let control = stream::RunControl::default();
            engine::run_script(&line, &mut engine::Variables::default(), &control, None).unwrap();
            let look = look_at(&path).unwrap();
            assert_eq!(look.kind, format!("{} of text", form.name()));
            assert_eq!(look.first, log.lines().next().unwrap().as_bytes(), "{}", form.name());
            let judged = look.lines.unwrap() as f64;
            assert!(
                look.estimated && (lines * 0.7..lines * 1.4).contains(&judged),
                "{judged} {lines}"
            );
            // Nothing is said of what cannot be read.
            std::fs::write(&path, &std::fs::read(&path).unwrap()[..20]).unwrap();
            let look = look_at(&path).unwrap();
            assert_eq!((look.kind, look.lines), (format!("{} data", form.name()), None));
        }
    }
}
