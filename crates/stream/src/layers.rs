//! Layers: a source, a sink or files around others of their kind. What a layer does not say itself is what the
//! inner one says, so that something new reaches every layer; what would be wrong to hand on has no default.
//! Sources, sinks and files with nothing inside implement [`Source`], [`Sink`] and [`Files`] themselves.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use bytes::Bytes;

use crate::arrivals::Arrivals;
use crate::block::Block;
use crate::decoding::Decoding;
use crate::ends::{Sink, Source, Tail};
use crate::error::{ReadError, WriteError};
use crate::file_facts::FileFacts;
use crate::files::{Files, Replacement, WriteMode};
use crate::machine::Machine;
use crate::processors::Processors;

/// A way to get the next block of a source: see [`SourceLayer::pass`].
pub type Next<'n> = &'n mut dyn FnMut(&mut dyn Source) -> Result<Option<Block>, ReadError>;

/// A source around another one.
pub trait SourceLayer: Send {
    /// The inner one.
    fn inner(&self) -> &dyn Source;

    /// The inner one, to be changed.
    fn inner_mut(&mut self) -> &mut dyn Source;

    /// The next block: what `next` gets from the inner source, as this layer hands it on.
    ///
    /// # Errors
    /// Those of [`Source::next_block`].
    fn pass(&mut self, next: Next<'_>) -> Result<Option<Block>, ReadError>;

    /// See [`Source::seek_last`]: what is passed over is seen by no layer that does not look.
    ///
    /// # Errors
    /// Those of [`Source::seek_last`].
    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError>;

    /// See [`Source::split`]: the parts have the layers that are put around them here.
    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>>;

    /// See [`Source::give_back`]: what is given back was passed before.
    fn give_back(&mut self, bytes: Bytes) -> bool;

    /// See [`Source::file_bytes`].
    fn file_bytes(&self) -> Option<u64> {
        self.inner().file_bytes()
    }

    /// See [`Source::facts`].
    fn facts(&self) -> Option<FileFacts> {
        self.inner().facts()
    }

    /// See [`Source::position`].
    fn position(&self) -> Option<u64> {
        self.inner().position()
    }

    /// See [`Source::rewind`].
    fn rewind(&mut self) -> bool {
        self.inner_mut().rewind()
    }

    /// See [`Source::go_to`].
    fn go_to(&mut self, position: u64) -> bool {
        self.inner_mut().go_to(position)
    }

    /// See [`Source::allows_ahead`].
    fn allows_ahead(&self) -> bool {
        self.inner().allows_ahead()
    }

    /// See [`Source::arrivals`].
    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.inner().arrivals()
    }

    /// See [`Source::is_part`].
    fn is_part(&self) -> bool {
        self.inner().is_part()
    }

    /// See [`Source::is_link`].
    fn is_link(&self) -> bool {
        self.inner().is_link()
    }
}

impl<L: SourceLayer> Source for L {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.pass(&mut |inner| inner.next_block())
    }

    fn next_block_with(&mut self, processors: &dyn Processors) -> Result<Option<Block>, ReadError> {
        self.pass(&mut |inner| inner.next_block_with(processors))
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        SourceLayer::seek_last(self, part)
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        SourceLayer::split(self, parts)
    }

    fn file_bytes(&self) -> Option<u64> {
        SourceLayer::file_bytes(self)
    }

    fn facts(&self) -> Option<FileFacts> {
        SourceLayer::facts(self)
    }

    fn position(&self) -> Option<u64> {
        SourceLayer::position(self)
    }

    fn rewind(&mut self) -> bool {
        SourceLayer::rewind(self)
    }

    fn go_to(&mut self, position: u64) -> bool {
        SourceLayer::go_to(self, position)
    }

    fn allows_ahead(&self) -> bool {
        SourceLayer::allows_ahead(self)
    }

    fn give_back(&mut self, bytes: Bytes) -> bool {
        SourceLayer::give_back(self, bytes)
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        SourceLayer::arrivals(self)
    }

    fn is_part(&self) -> bool {
        SourceLayer::is_part(self)
    }

    fn is_link(&self) -> bool {
        SourceLayer::is_link(self)
    }
}

/// A sink around another one.
pub trait SinkLayer: Send + Sync {
    /// The inner one.
    fn inner(&self) -> &dyn Sink;

    /// Takes one block, and hands on what the layer makes of it.
    ///
    /// # Errors
    /// Those of [`Sink::write`].
    fn pass(&self, block: Block) -> Result<(), WriteError>;
}

impl<L: SinkLayer> Sink for L {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.pass(block)
    }

    fn is_closed(&self) -> bool {
        self.inner().is_closed()
    }

    fn is_terminal(&self) -> bool {
        self.inner().is_terminal()
    }

    fn is_link(&self) -> bool {
        self.inner().is_link()
    }

    fn facts(&self) -> Option<FileFacts> {
        self.inner().facts()
    }

    fn put_in_place(&self) -> io::Result<()> {
        self.inner().put_in_place()
    }

    fn keep_when_ended(&self) {
        self.inner().keep_when_ended();
    }
}

/// Files around others that are the same files, seen from elsewhere or looked at on the way. Files of which
/// something is held back are no layer: they say everything themselves.
pub trait FilesLayer: Send + Sync {
    /// The inner ones.
    fn inner(&self) -> &dyn Files;

    /// See [`Files::read`].
    ///
    /// # Errors
    /// Those of [`Files::read`].
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>>;

    /// See [`Files::read_decoded`].
    ///
    /// # Errors
    /// Those of [`Files::read_decoded`].
    fn read_decoded(&self, path: &Path, decoding: &'static Decoding)
    -> io::Result<Box<dyn Source>>;

    /// See [`Files::write`].
    ///
    /// # Errors
    /// Those of [`Files::write`].
    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>>;

    /// See [`Files::replace`].
    ///
    /// # Errors
    /// Those of [`Files::replace`].
    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>>;

    /// Where the inner files have what is called so here.
    fn place(&self, path: &Path) -> PathBuf {
        path.to_owned()
    }

    /// See [`Files::machine`].
    fn machine(&self) -> &dyn Machine {
        self.inner().machine()
    }

    /// See [`Machine::variable`].
    fn variable(&self, name: &str) -> Option<OsString> {
        self.inner().variable(name)
    }

    /// See [`Machine::variables`].
    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.inner().variables()
    }
}

impl<L: FilesLayer> Files for L {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        FilesLayer::read(self, path)
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        FilesLayer::read_decoded(self, path, decoding)
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        FilesLayer::write(self, path, mode)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        FilesLayer::replace(self, path)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.inner().remove(&self.place(path))
    }

    fn remove_original(&self, path: &Path) -> io::Result<()> {
        self.inner().remove_original(&self.place(path))
    }

    fn may_remove_original(&self) -> bool {
        self.inner().may_remove_original()
    }

    fn is_live(&self) -> bool {
        self.inner().is_live()
    }

    fn set_file_mask(&self, mask: u32) {
        self.inner().set_file_mask(mask);
    }

    fn machine(&self) -> &dyn Machine {
        FilesLayer::machine(self)
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        FilesLayer::variable(self, name)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        FilesLayer::variables(self)
    }
}
