//! Files of which some names are links to commands beside the stage: `<(…)` and `>(…)`.

use parking_lot::Mutex;
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use stream::{Decoding, Files, FilesLayer, Replacement, Sink, Source, WriteMode};

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

impl FilesLayer for SubstitutedFiles<'_> {
    fn inner(&self) -> &dyn Files {
        self.inner
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        let mut readers = self.readers.lock();
        let found = readers.iter().position(|(name, _)| name == path.as_os_str().as_bytes());
        match found {
            Some(at) => Ok(readers.swap_remove(at).1),
            None => self.inner.read(path),
        }
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        let readers = self.readers.lock();
        let named = readers.iter().any(|(name, _)| name == path.as_os_str().as_bytes());
        drop(readers);
        if named {
            return FilesLayer::read(self, path).map(decoding.open);
        }
        self.inner.read_decoded(path, decoding)
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
            return Ok(Box::new(DirectReplacement(FilesLayer::write(
                self,
                path,
                WriteMode::Replace,
            )?)));
        }
        self.inner.replace(path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files::real::RealFiles;
    use crate::kept::lines::Kept;
    use crate::kept::sinks::KeptSink;
    use stream::Block;

    fn kept(text: &str) -> Arc<Kept> {
        let kept = Arc::new(Kept::default());
        kept.append(&Block::new(text.as_bytes().to_vec())).unwrap();
        kept.end();
        kept
    }

    fn read(files: &dyn Files, path: &Path) -> Vec<u8> {
        let mut source = files.read(path).unwrap();
        let mut all = Vec::new();
        while let Some(block) = source.next_block().unwrap() {
            all.extend_from_slice(block.bytes());
        }
        all
    }

    fn say(sink: &dyn Sink, text: &str) {
        sink.write(Block::new(text.as_bytes().to_vec())).unwrap();
    }

    #[test]
    fn a_name_is_opened_once_and_others_lead_to_files() {
        let folder = tempfile::tempdir().unwrap();
        let (named, plain) = (folder.path().join("named"), folder.path().join("plain"));
        std::fs::write(&named, "in the file\n").unwrap();
        std::fs::write(&plain, "plain\n").unwrap();
        let mut files = SubstitutedFiles::new(&RealFiles);
        let name = named.as_os_str().as_bytes().to_vec();
        files.add_reader(name, kept("from the command\n").source());
        assert_eq!(read(&files, &plain), b"plain\n");
        assert_eq!(read(&files, &named), b"from the command\n");
        assert_eq!(read(&files, &named), b"in the file\n");
    }

    #[test]
    fn what_replaces_a_name_goes_to_its_command_and_others_are_replaced() {
        let folder = tempfile::tempdir().unwrap();
        let (named, plain) = (folder.path().join("named"), folder.path().join("plain"));
        std::fs::write(&plain, "old\n").unwrap();
        let mut files = SubstitutedFiles::new(&RealFiles);
        let out = Arc::new(Kept::default());
        let name = named.as_os_str().as_bytes().to_vec();
        files.add_writer(name.clone(), Arc::new(KeptSink::of(out.clone())));
        files.add_writer(name, Arc::new(KeptSink::of(out.clone())));
        let files: &dyn Files = &files;
        let replacement = files.replace(&named).unwrap();
        say(&*replacement.sink(), "to the command\n");
        replacement.commit().unwrap();
        say(&*files.write(&named, WriteMode::Append).unwrap(), "and more\n");
        assert_eq!(out.contents(), b"to the command\nand more\n");
        assert!(!named.exists());
        let replacement = files.replace(&plain).unwrap();
        say(&*replacement.sink(), "new\n");
        assert_eq!(std::fs::read(&plain).unwrap(), b"old\n");
        replacement.commit().unwrap();
        assert_eq!(std::fs::read(&plain).unwrap(), b"new\n");
    }
}
