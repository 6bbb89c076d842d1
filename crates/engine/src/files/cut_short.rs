//! Data of which a preview has only a part, and who came to the place where the rest is missing.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use bytes::Bytes;
use stream::{Arrivals, Block, Next, ReadError, Source, SourceLayer, Tail};

use crate::kept::lines::Kept;

/// Set once somebody has come to the end of what was given to read.
#[derive(Clone, Default)]
pub(crate) struct EndSeen(Arc<State>);

#[derive(Default)]
struct State {
    seen: AtomicBool,
    /// What whoever reads writes.
    out: Option<Arc<Kept>>,
    /// Bytes that were written then.
    written: AtomicU64,
}

impl EndSeen {
    /// The end of what is read by a stage that writes this.
    pub(crate) fn of_stage(out: Arc<Kept>) -> Self {
        Self(Arc::new(State { out: Some(out), ..State::default() }))
    }

    pub(crate) fn set(&self) {
        if !self.0.seen.swap(true, Ordering::Relaxed) {
            let written = self.0.out.as_ref().map_or(0, |out| out.bytes());
            self.0.written.store(written, Ordering::Relaxed);
        }
    }

    pub(crate) fn is_set(&self) -> bool {
        self.0.seen.load(Ordering::Relaxed)
    }

    /// What the stage had written when it came to the end, in bytes: all that does not depend on
    /// what follows there. `None` where it has not come to it.
    pub(crate) fn written_before(&self) -> Option<u64> {
        self.is_set().then(|| self.0.written.load(Ordering::Relaxed))
    }
}

/// A source that tells when its end is reached. Who stops before that has seen all that it asked
/// for, whatever comes after it in the whole data. It is put around what is kept and around links:
/// there is no file behind it.
pub(crate) struct TellsEnd {
    inner: Box<dyn Source>,
    seen: EndSeen,
    arrivals: Option<Arc<dyn Arrivals>>,
    /// Where what is read is kept, where nobody else does so.
    keeps: Option<Arc<Kept>>,
}

impl TellsEnd {
    pub(crate) fn new(inner: Box<dyn Source>, seen: EndSeen) -> Self {
        Self { inner, seen, arrivals: None, keeps: None }
    }

    /// As it is; what is read is kept there too.
    pub(crate) fn keeping(self, keeps: Option<Arc<Kept>>) -> Self {
        Self { keeps, ..self }
    }

    /// As it is, of lines that came at these times.
    pub(crate) fn came(self, arrivals: Option<Arc<dyn Arrivals>>) -> Self {
        Self { arrivals, ..self }
    }
}

impl SourceLayer for TellsEnd {
    fn inner(&self) -> &dyn Source {
        &*self.inner
    }

    fn inner_mut(&mut self) -> &mut dyn Source {
        &mut *self.inner
    }

    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError> {
        let block = next(&mut *self.inner)?;
        match (&block, &self.keeps) {
            (None, _) => self.seen.set(),
            (Some(block), Some(keeps)) => keeps.append(block).map_err(ReadError::Io)?,
            (Some(_), None) => {}
        }
        Ok(block)
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        // The last lines are those before the end.
        self.seen.set();
        self.inner.seek_last(part)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let all = self.inner.split(parts)?;
        // Who reads all parts at the same time reads them to the end.
        self.seen.set();
        Some(all)
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        self.inner.give_back(bytes)
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.arrivals.clone()
    }
}

#[cfg(test)]
mod tests {
    use stream::testing::CutSource;

    use super::*;

    #[test]
    fn only_who_comes_to_the_end_has_seen_it() {
        let seen = EndSeen::default();
        let mut source = TellsEnd::new(Box::new(CutSource::new(b"abcd", 2)), seen.clone());
        for _ in 0..2 {
            assert!(source.next_block().unwrap().is_some() && !seen.is_set());
        }
        assert!(source.next_block().unwrap().is_none() && seen.is_set());
        assert_eq!(seen.written_before(), Some(0));
        let out = Arc::new(Kept::default());
        let seen = EndSeen::of_stage(out.clone());
        out.append(&Block::new(b"abc".to_vec())).unwrap();
        assert_eq!(seen.written_before(), None);
        seen.set();
        out.append(&Block::new(b"de".to_vec())).unwrap();
        seen.set();
        assert_eq!(seen.written_before(), Some(3));
        let seen = EndSeen::default();
        let mut source: Box<dyn Source> =
            Box::new(TellsEnd::new(Box::new(CutSource::new(b"a\n", 2)), seen.clone()));
        assert!(!source.seek_last(Tail::Lines(1)).unwrap() && seen.is_set());
        assert!(source.split(2).is_none());
    }
}
