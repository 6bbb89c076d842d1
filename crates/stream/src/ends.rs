//! What streams begin and end with: sources and sinks.

use std::io;
use std::sync::Arc;

use bytes::Bytes;

use crate::{Arrivals, Block, FileFacts, Processors, ReadError, WriteError};

/// Something blocks come from: a file, a link, a sample.
///
/// A source belongs to one reader, which calls all methods on its own thread; it may be handed to
/// another thread between two calls. Only [`Source::next_block`] and [`Source::next_block_with`] may
/// wait (for a writer, a disk, a named pipe), and they end the wait when the run is cancelled; the
/// other methods answer at once, or after one call of the system on a file. A block has at most
/// [`crate::BLOCK_SIZE`] bytes unless its writer passed on a larger one.
pub trait Source: Send {
    /// The next block, never empty; `None` at the end, again and again. Waits for data.
    ///
    /// # Errors
    /// [`ReadError::Cancelled`] once the run is ended; what the system says of a file. After an
    /// error nothing more is read from this source.
    fn next_block(&mut self) -> Result<Option<Block>, ReadError>;

    /// As [`Source::next_block`], with the help of other processors where the source has use for them.
    ///
    /// # Errors
    /// Those of [`Source::next_block`].
    fn next_block_with(
        &mut self,
        _processors: &dyn Processors,
    ) -> Result<Option<Block>, ReadError> {
        self.next_block()
    }

    /// Moves forward to the last part of a seekable source. False when that cannot be done
    /// here, or anything was read already; the source is then unmoved and must be read through.
    ///
    /// # Errors
    /// What the system says of the file; the source may be anywhere in it then.
    fn seek_last(&mut self, _part: Tail) -> Result<bool, ReadError> {
        Ok(false)
    }

    /// Cuts what is left into at most `parts` sources that can be read at the same time and make
    /// up the whole in order; lines may be cut too. `None` where that cannot be done; nothing
    /// may be read from a source that was cut.
    fn split(&mut self, _parts: usize) -> Option<Vec<Box<dyn Source>>> {
        None
    }

    /// The length of a regular file that is read from its beginning.
    fn file_bytes(&self) -> Option<u64> {
        None
    }

    /// What is known by now of the file behind this; `None` where there is none. A source with
    /// facts may give more after its end, when the file has grown.
    fn facts(&self) -> Option<FileFacts> {
        None
    }

    /// How many bytes of the file behind this are before the place reached.
    fn position(&self) -> Option<u64> {
        None
    }

    /// Goes back to the beginning of a file. False where that cannot be done.
    fn rewind(&mut self) -> bool {
        false
    }

    /// Goes to a place in a file, to read what is there now. False where that cannot be done; the
    /// source is then unmoved.
    fn go_to(&mut self, _position: u64) -> bool {
        false
    }

    /// True where it costs and changes nothing to read on before anybody asks: a large regular
    /// file, from a place of its own.
    fn allows_ahead(&self) -> bool {
        false
    }

    /// Takes back bytes that were given last, for whoever reads the same input next. False where
    /// there is nobody.
    fn give_back(&mut self, _bytes: Bytes) -> bool {
        false
    }

    /// When its lines came, where that was noted before they are read here.
    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        None
    }

    /// True where the whole data has more than what this gives: its end is that of a part of it, and
    /// what is missing there is no error of the data.
    fn is_part(&self) -> bool {
        false
    }

    /// True for a link, which adds the time its reader waits to the reader's meter.
    fn is_link(&self) -> bool {
        false
    }
}

/// The last part of a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tail {
    /// The last lines; an unterminated last line counts as one.
    Lines(u64),
    /// The last bytes.
    Bytes(u64),
}

/// Something blocks go to: a link, a file, a kept result. Shared, because standard error may go
/// to the same place.
///
/// Every method may be called from several threads at the same time; blocks of one thread keep
/// their order. Only [`Sink::write`] and [`Sink::put_in_place`] may wait; [`Sink::write`] ends the
/// wait when the run is cancelled or the reader goes. A sink holds no more than its own bound (a
/// link: [a few blocks](crate::BLOCK_SIZE)), so a fast writer waits for a slow reader.
pub trait Sink: Send + Sync {
    /// Takes one block; waits while there is no room for it.
    ///
    /// # Errors
    /// [`WriteError::Closed`] when nobody reads any more, [`WriteError::Cancelled`] once the run is
    /// ended, what the system says (a full disk). The block is lost then, and later ones are too.
    fn write(&self, block: Block) -> Result<(), WriteError>;

    /// True when it is known that nobody reads any more.
    fn is_closed(&self) -> bool {
        false
    }

    /// True for a terminal.
    fn is_terminal(&self) -> bool {
        false
    }

    /// True for a link, which adds the time its writer waits to the writer's meter.
    fn is_link(&self) -> bool {
        false
    }

    /// What is known of the file behind this; `None` where there is none.
    fn facts(&self) -> Option<FileFacts> {
        None
    }

    /// States that all is written: a file that is written beside its target takes its place. Said
    /// once, by whoever opened this; what is not said leaves the target as it was.
    ///
    /// # Errors
    /// Where it cannot take its place, or something of it could not be written; the target is then
    /// as it was.
    fn put_in_place(&self) -> io::Result<()> {
        Ok(())
    }

    /// States that what was written so far is wanted, also when the run is ended before all is
    /// written: something else has been done that goes with it.
    fn keep_when_ended(&self) {}
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Bare;

    impl Source for Bare {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            Ok(None)
        }
    }

    impl Sink for Bare {
        fn write(&self, _block: Block) -> Result<(), WriteError> {
            Ok(())
        }
    }

    #[test]
    fn the_probe_loses_nothing_and_a_bare_end_everything() {
        use crate::testing::{ProbeSink, ProbeSource, lost_of_sink, lost_of_source};
        assert!(lost_of_source(&mut ProbeSource).is_empty());
        assert_eq!(lost_of_source(&mut Bare).len(), 14);
        let probe = ProbeSink::default();
        assert!(lost_of_sink(&probe, &probe).is_empty());
        assert_eq!(lost_of_sink(&Bare, &probe).len(), 6);
    }

    /// An end that says nothing of itself promises nothing.
    #[test]
    fn what_is_not_said_is_not_promised() {
        let source: &mut dyn Source = &mut Bare;
        assert!(!source.seek_last(Tail::Lines(1)).unwrap());
        assert!(source.split(2).is_none() && source.facts().is_none());
        assert_eq!((source.file_bytes(), source.position()), (None, None));
        assert!(
            !source.rewind() && !source.go_to(0) && !source.allows_ahead() && !source.is_link()
        );
        assert!(!source.give_back(Bytes::from_static(b"a")));
        let sink: &dyn Sink = &Bare;
        assert!(!sink.is_closed() && !sink.is_terminal() && !sink.is_link());
        assert!(sink.facts().is_none() && sink.put_in_place().is_ok());
        sink.keep_when_ended();
    }
}
