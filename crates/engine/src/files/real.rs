//! The real machine.

use std::fs::{File, OpenOptions};
use std::io::{self};
use std::os::fd::OwnedFd;
use std::path::Path;
use std::sync::Arc;

use stream::{Decoding, Files, Machine, Replacement, Sink, Source, WriteMode};

use crate::files::block_source::{DescriptorSink, FileSource};
use crate::files::commit::replacement::CommittedReplacement;
use crate::files::direct::DirectReplacement;
use crate::files::machine::RealMachine;

/// Files and directories as they are.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealFiles;

impl Files for RealFiles {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        Ok(Box::new(FileSource::of(File::open(path)?)?))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        let mut options = OpenOptions::new();
        options.create(true);
        match mode {
            WriteMode::Replace => options.write(true).truncate(true),
            WriteMode::Append => options.append(true),
        };
        Ok(Arc::new(DescriptorSink::of(OwnedFd::from(options.open(path)?))))
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        match std::fs::metadata(path) {
            // Nothing can be put in the place of a device or a pipe.
            Ok(facts) if !facts.is_file() => {
                Ok(Box::new(DirectReplacement(self.write(path, WriteMode::Replace)?)))
            }
            Ok(_) => {
                rustix::fs::access(path, rustix::fs::Access::WRITE_OK)?;
                CommittedReplacement::begin(path)
            }
            Err(_) => CommittedReplacement::begin(path),
        }
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_file(path)
    }

    fn remove_original(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_file(path)
    }

    fn may_remove_original(&self) -> bool {
        true
    }

    fn is_live(&self) -> bool {
        true
    }

    fn machine(&self) -> &dyn Machine {
        &RealMachine
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        self.read(path).map(decoding.open)
    }

    fn set_file_mask(&self, _mask: u32) {
        // That of the process holds.
    }
}
