//! Files that are emptied while somebody has them open: who reads one continues, from where it is, in what the
//! file has then, as it does where nothing is held back.

use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Weak};

use bytes::Bytes;
use parking_lot::Mutex;
use stream::{Block, FileFacts, Next, ReadError, Source, SourceLayer, Tail};

/// Opens what a file has now; `None` where it is still being written, so that it is empty.
type Reopen = Arc<dyn Fn() -> Option<io::Result<Box<dyn Source>>> + Send + Sync>;

/// Tells a source that its file was emptied, each time.
#[derive(Default)]
pub(crate) struct Emptied(Mutex<(u64, Option<Reopen>)>);

/// Sources that may be open still, by the files they read.
#[derive(Default)]
pub(crate) struct Readers(Mutex<Vec<(PathBuf, Weak<Emptied>)>>);

impl Readers {
    /// A source of the file at `target`, which continues in what is written there; one that is not `plain`,
    /// but of what was in a compressed file, is at its end then.
    pub(crate) fn add(
        &self,
        target: PathBuf,
        source: Box<dyn Source>,
        plain: bool,
    ) -> Box<dyn Source> {
        let emptied = Arc::new(Emptied::default());
        let mut readers = self.0.lock();
        // Sources of earlier commands are gone.
        readers.retain(|(_, emptied)| emptied.strong_count() > 0);
        readers.push((target, Arc::downgrade(&emptied)));
        let at = source.position().unwrap_or(0);
        Box::new(Emptiable { source, emptied, plain, seen: 0, at })
    }

    /// Whoever reads this file finds it empty from here on, and what `reopen` gives when that is
    /// written. True where somebody does.
    pub(crate) fn empty(
        &self,
        target: &std::path::Path,
        reopen: impl Fn() -> Option<io::Result<Box<dyn Source>>> + Send + Sync + 'static,
    ) -> bool {
        let reopen: Reopen = Arc::new(reopen);
        let mut any = false;
        for (_, emptied) in self.0.lock().iter().filter(|(at, _)| at == target) {
            if let Some(emptied) = emptied.upgrade() {
                let mut state = emptied.0.lock();
                *state = (state.0 + 1, Some(reopen.clone()));
                any = true;
            }
        }
        any
    }
}

/// A source whose file may be emptied while it is read.
struct Emptiable {
    source: Box<dyn Source>,
    emptied: Arc<Emptied>,
    plain: bool,
    /// How often it was emptied when it was opened last.
    seen: u64,
    /// Bytes before the place reached.
    at: u64,
}

impl Emptiable {
    fn is_empty(&self) -> bool {
        self.emptied.0.lock().0 != self.seen
    }

    /// Goes on in what the file has now, behind what was read; false where there is nothing.
    fn reopen(&mut self) -> Result<bool, ReadError> {
        if !self.plain {
            return Ok(false);
        }
        let (count, reopen) = self.emptied.0.lock().clone();
        let Some(opened) = reopen.and_then(|reopen| reopen()) else { return Ok(false) };
        self.source = opened.map_err(ReadError::Io)?;
        self.seen = count;
        let mut skipped = 0;
        while skipped < self.at {
            let Some(block) = self.source.next_block()? else { return Ok(false) };
            skipped += block.len() as u64;
            if let Some(more) = skipped.checked_sub(self.at).filter(|more| *more > 0) {
                let bytes = block.bytes().slice(block.len() - more as usize..);
                let rest = std::mem::replace(&mut self.source, Box::new(Nothing));
                let mut chain = crate::flow::chain::Chain::default();
                chain.0.push_back(Box::new(One(Some(Block::new(bytes.to_vec())))));
                chain.0.push_back(rest);
                self.source = Box::new(chain);
            }
        }
        Ok(true)
    }
}

/// Has nothing.
struct Nothing;

impl Source for Nothing {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(None)
    }
}

/// Has one block.
struct One(Option<Block>);

impl Source for One {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(self.0.take())
    }
}

impl SourceLayer for Emptiable {
    fn inner(&self) -> &dyn Source {
        &*self.source
    }

    fn inner_mut(&mut self) -> &mut dyn Source {
        &mut *self.source
    }

    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError> {
        if self.is_empty() && !self.reopen()? {
            return Ok(None);
        }
        let block = next(&mut *self.source)?;
        self.at += block.as_ref().map_or(0, |block| block.len() as u64);
        Ok(block)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        if self.is_empty() || !self.source.seek_last(part)? {
            return Ok(false);
        }
        self.at = self.source.position().unwrap_or(self.at);
        Ok(true)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        if self.is_empty() { None } else { self.source.split(parts) }
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        let count = bytes.len() as u64;
        let taken = self.source.give_back(bytes);
        if taken {
            self.at = self.at.saturating_sub(count);
        }
        taken
    }

    fn file_bytes(&self) -> Option<u64> {
        if self.is_empty() { Some(0) } else { self.source.file_bytes() }
    }

    fn facts(&self) -> Option<FileFacts> {
        let facts = self.source.facts()?;
        // Whoever looks whether it has changed sees that it has.
        Some(if self.is_empty() {
            FileFacts { bytes: 0, modified_ns: i128::MAX, ..facts }
        } else {
            facts
        })
    }

    fn rewind(&mut self) -> bool {
        let rewound = self.source.rewind();
        if rewound {
            self.at = 0;
        }
        rewound
    }

    fn go_to(&mut self, position: u64) -> bool {
        let there = self.is_empty() || self.source.go_to(position);
        if there {
            self.at = position;
        }
        there
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::kept::lines::Kept;

    #[test]
    fn a_reader_goes_on_from_where_it_is() {
        let readers = Readers::default();
        let of = |text: &str| -> Box<dyn Source> { Arc::new(Kept::of(text.as_bytes())).source() };
        let path = std::path::Path::new("/f");
        let mut source = readers.add(path.to_owned(), of("one\n"), true);
        let text = |source: &mut Box<dyn Source>| {
            let block = source.next_block().unwrap();
            block.map(|block| String::from_utf8_lossy(block.bytes()).into_owned())
        };
        assert!(!readers.empty(std::path::Path::new("/g"), || None));
        assert_eq!(text(&mut source).as_deref(), Some("one\n"));
        // While it is being written it is empty.
        assert!(readers.empty(path, || None));
        assert_eq!(text(&mut source), None);
        assert!(readers.empty(path, move || Some(Ok(of("two\nthree\n")))));
        assert_eq!(text(&mut source).as_deref(), Some("three\n"));
        assert_eq!(text(&mut source), None);
        assert!(readers.empty(path, move || Some(Ok(of("x\n")))));
        assert_eq!(text(&mut source), None, "it is shorter than what was read");
    }
}
