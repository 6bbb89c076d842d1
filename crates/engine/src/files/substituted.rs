//! A world in which some names are links to commands beside the stage.

use parking_lot::Mutex;
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use stream::{Files, Machine, Replacement, Sink, Source, WriteMode};

use crate::files::direct::DirectReplacement;

type Readers = Vec<(Vec<u8>, Box<dyn Source>)>;
type Writers = Vec<(Vec<u8>, Arc<dyn Sink>)>;

/// Names that can each be opened once.
pub(crate) struct SubstitutedFiles<'w> {
    inner: &'w dyn Files,
    readers: Mutex<Readers>,
    writers: Mutex<Writers>,
}

impl<'w> SubstitutedFiles<'w> {
    pub(crate) fn new(inner: &'w dyn Files) -> Self {
        Self { inner, readers: Mutex::default(), writers: Mutex::default() }
    }

    pub(crate) fn add_reader(&mut self, name: Vec<u8>, source: Box<dyn Source>) {
        self.readers.get_mut().push((name, source));
    }

    pub(crate) fn add_writer(&mut self, name: Vec<u8>, sink: Arc<dyn Sink>) {
        self.writers.get_mut().push((name, sink));
    }
}

impl Files for SubstitutedFiles<'_> {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        let mut readers = self.readers.lock();
        let found = readers.iter().position(|(name, _)| name == path.as_os_str().as_bytes());
        match found {
            Some(at) => Ok(readers.swap_remove(at).1),
            None => self.inner.read(path),
        }
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        let mut writers = self.writers.lock();
        let found = writers.iter().position(|(name, _)| name == path.as_os_str().as_bytes());
        match found {
            Some(at) => Ok(writers.swap_remove(at).1),
            None => self.inner.write(path, mode),
        }
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        let writers = self.writers.lock();
        let named = writers.iter().any(|(name, _)| name == path.as_os_str().as_bytes());
        drop(writers);
        if named {
            return Ok(Box::new(DirectReplacement(self.write(path, WriteMode::Replace)?)));
        }
        self.inner.replace(path)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.inner.remove(path)
    }

    fn is_live(&self) -> bool {
        self.inner.is_live()
    }

    fn set_file_mask(&self, mask: u32) {
        self.inner.set_file_mask(mask);
    }

    fn machine(&self) -> &dyn Machine {
        self.inner.machine()
    }
}
