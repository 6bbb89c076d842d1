//! Redirections, performed in their order, and the files that they write until the command has ended.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use stream::{Files, RunControl, Sink, WriteMode, describe};

use crate::base::sinks::say;
use crate::flow::descriptors::Ports;
use crate::kept::lines::Kept;
use crate::plan::outcome::RedirectError;
use crate::plan::target::{Target, TargetKind};

/// Files that a command's redirections write, until the command has ended.
#[derive(Clone, Default)]
pub(crate) struct OpenedFiles(Vec<(PathBuf, Arc<dyn Sink>)>);

impl OpenedFiles {
    pub(crate) fn add(&mut self, path: &Path, sink: Arc<dyn Sink>) {
        self.0.push((path.to_owned(), sink));
    }

    /// Their names, each once.
    pub(crate) fn paths(&self) -> Vec<PathBuf> {
        let mut seen = std::collections::HashSet::new();
        let paths = self.0.iter().map(|(path, _)| path);
        paths.filter(|path| seen.insert(*path)).cloned().collect()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The command has ended: its files take their places. Where the run is cancelled they do not.
    /// False where one could not; that is said on `errors`.
    pub(crate) fn put_in_place(self, control: &RunControl, errors: &dyn Sink) -> bool {
        if control.was_cancelled() {
            return true;
        }
        let mut all = true;
        for (path, sink) in self.0 {
            if let Err(error) = sink.put_in_place() {
                say(errors, &format!("cannot write {}: {}", path.display(), describe(&error)));
                all = false;
            }
        }
        all
    }

    /// Something has been done that goes with what was written so far.
    pub(crate) fn keep_when_ended(&self) {
        for (_, sink) in &self.0 {
            sink.keep_when_ended();
        }
    }

    /// Also those of a command inside.
    pub(crate) fn with(&self, inner: &Self) -> Self {
        Self(self.0.iter().chain(&inner.0).cloned().collect())
    }
}

/// Performs redirections in order.
///
/// # Errors
/// The first that failed, and why; those before it are in force.
pub(crate) fn redirect(
    targets: &[Target],
    files: &dyn Files,
    ports: &mut Ports,
    opened: &mut OpenedFiles,
) -> Result<(), RedirectError> {
    let failed =
        |path: &Path, error: &std::io::Error| (path.to_owned(), error.kind(), describe(error));
    let open = |path: &Path, error: &std::io::Error| {
        let (path, kind, reason) = failed(path, error);
        RedirectError::Open { path, kind, reason }
    };
    let create = |path: &Path, error: &std::io::Error| {
        let (path, kind, reason) = failed(path, error);
        RedirectError::Create { path, kind, reason }
    };
    for target in targets {
        let number = target.descriptor;
        match &target.kind {
            TargetKind::Read(path) => {
                let source = files.read(path).map_err(|error| open(path, &error))?;
                ports.read_from(number, source);
            }
            TargetKind::ReadWrite(path) => {
                if files.facts(path).is_err() {
                    files.write(path, WriteMode::Append).map_err(|error| create(path, &error))?;
                }
                let source = files.read(path).map_err(|error| open(path, &error))?;
                ports.read_from(number, source);
            }
            TargetKind::Replace(path) | TargetKind::Append(path) => {
                let append = matches!(target.kind, TargetKind::Append(_));
                let mode = if append { WriteMode::Append } else { WriteMode::Replace };
                let sink = files.write(path, mode).map_err(|error| create(path, &error))?;
                opened.add(path, sink.clone());
                ports.write_to(number, sink);
            }
            TargetKind::Duplicate(of) => {
                // A stage without an input has none to pass on.
                if !ports.duplicate(number, *of) && *of != 0 {
                    return Err(RedirectError::NotOpen(*of));
                }
            }
            TargetKind::Close => ports.close(number),
            TargetKind::Text(text) => ports.read_from(number, Arc::new(Kept::of(text)).source()),
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A file that cannot take its place.
    struct Stuck;

    impl Sink for Stuck {
        fn write(&self, _block: stream::Block) -> Result<(), stream::WriteError> {
            Ok(())
        }

        fn put_in_place(&self) -> std::io::Result<()> {
            Err(std::io::ErrorKind::StorageFull.into())
        }
    }

    #[test]
    fn files_take_their_places_unless_the_run_was_stopped() {
        let opened = || {
            let mut opened = OpenedFiles::default();
            opened.add(Path::new("out"), Arc::new(Stuck));
            opened.add(Path::new("out"), Arc::new(Stuck));
            assert_eq!(opened.paths(), [Path::new("out")]);
            opened
        };
        let said = crate::kept::sinks::Messages::default();
        assert!(!opened().put_in_place(&RunControl::default(), &said));
        assert_eq!(said.text().matches("cannot write out").count(), 2);
        let stopped = RunControl::default();
        stopped.cancel();
        let said = crate::kept::sinks::Messages::default();
        assert!(opened().put_in_place(&stopped, &said));
        assert_eq!(said.text(), "");
    }
}
