//! Commands in the place of words and of files.

use parking_lot::Mutex;
use std::sync::Arc;

use shell::{Direction, Item, List, Redirection, RedirectionKind, Span};
use stream::{Block, ReadError, Sink, WriteError};

use super::Shell;
use crate::base::threads::start_part_within;
use crate::files::cut_short::{EndSeen, TellsEnd};
use crate::files::substituted::SubstitutedFiles;
use crate::flow::link::link;
use crate::language::unwind::{ShellResult, Unwind};
use crate::plan::substitution::Substitution;

/// Bytes that a command in the place of a word may write.
const OUTPUT_MAX: usize = 256 << 20;

/// Gathers what is written.
#[derive(Default)]
struct Gathered(Mutex<(Vec<u8>, bool)>);

impl Sink for Gathered {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut gathered = self.0.lock();
        if gathered.0.len() + block.len() > OUTPUT_MAX {
            gathered.1 = true;
            return Err(WriteError::Closed);
        }
        gathered.0.extend_from_slice(block.bytes());
        Ok(())
    }
}

impl Shell<'_> {
    /// What the commands write, without the newlines at its end (XCU 2.6.3).
    pub(crate) fn output_of(&mut self, list: &List, span: Span) -> ShellResult<Vec<u8>> {
        let gathered = Arc::new(Gathered::default());
        let mut ports = self.ports.clone();
        ports.write_to(1, gathered.clone());
        let mut inner = self.subshell(ports);
        let status = inner.run_to_exit(|shell| match only_reads(list) {
            Some(redirections) => shell.redirected(redirections, Vec::new(), |shell| {
                shell.state.status = 0;
                shell.copy_input()
            }),
            None => shell.list(list),
        });
        self.restore_file_mask(&inner);
        drop(inner);
        self.check_cancel()?;
        self.substituted = Some(status);
        self.state.status = status;
        let mut gathered = gathered.0.lock();
        if gathered.1 {
            let message = format!("these commands write more than {} MiB", OUTPUT_MAX >> 20);
            return Unwind::fault(message, span, 2);
        }
        let mut output = std::mem::take(&mut gathered.0);
        while output.last() == Some(&b'\n') {
            output.pop();
        }
        // No word can hold them.
        output.retain(|byte| *byte != 0);
        Ok(output)
    }

    /// Writes what is read.
    fn copy_input(&mut self) -> ShellResult<()> {
        let (input, out) = (self.ports.input(0), self.ports.sink(1));
        while let Some(input) = &input {
            self.check_cancel()?;
            let written = match input.next_block() {
                Ok(Some(block)) => out.write(block).is_ok(),
                Err(ReadError::Io(error)) => {
                    self.complain(&stream::describe(&error));
                    self.state.status = 1;
                    false
                }
                Ok(None) | Err(ReadError::Cancelled) => false,
            };
            if !written {
                break;
            }
        }
        Ok(())
    }

    /// Notes commands in the place of a file; gives the name that means them.
    pub(crate) fn substitute(&mut self, direction: Direction, list: &Arc<List>) -> Vec<u8> {
        // The names that shells give them.
        let name = format!("/dev/fd/{}", 63 - self.substitutions.len() % 50).into_bytes();
        let substitution =
            Substitution { name: name.clone(), direction, list: list.clone(), keeps: None };
        self.substitutions.push(substitution);
        name
    }

    /// Runs something while the commands in the place of files run beside it.
    pub(crate) fn with_substitutions(
        &mut self,
        substitutions: Vec<Substitution>,
        run: impl FnOnce(&mut Shell<'_>) -> ShellResult<()>,
    ) -> ShellResult<()> {
        if substitutions.is_empty() {
            return run(self);
        }
        std::thread::scope(|scope| {
            let mut named = SubstitutedFiles::new(self.files);
            for Substitution { name, direction, list, keeps } in substitutions {
                let (writer, reader) = link(self.control, Arc::default(), Arc::default());
                let mut ports = self.ports.clone();
                match direction {
                    Direction::Read => {
                        ports.set(0, None);
                        ports.write_to(1, Arc::new(writer));
                        let read = TellsEnd::new(Box::new(reader), EndSeen::default());
                        named.add_reader(name, Box::new(read.keeping(keeps)));
                    }
                    Direction::Write => {
                        ports.read_from(0, Box::new(reader));
                        named.add_writer(name, Arc::new(writer));
                    }
                }
                let mut inner = self.subshell(ports);
                inner.beside_others = true;
                let work = move || inner.run_to_exit(|shell| shell.list(&list));
                if start_part_within(scope, "substitution", self.control, work).is_err() {
                    return Err(Unwind::Cancelled);
                }
            }
            let mut inner = Shell { files: &named, ..self.subshell(self.ports.clone()) };
            std::mem::swap(&mut inner.state, &mut self.state);
            let result = run(&mut inner);
            std::mem::swap(&mut inner.state, &mut self.state);
            // Whatever was not opened closes here, so that the commands end.
            result
        })
    }
}

/// The redirection of `$(< file)`, which only reads: its output is the file.
fn only_reads(list: &List) -> Option<&[Redirection]> {
    let [Item { first, rest }] = &list.items[..] else { return None };
    let [command] = &first.commands[..] else { return None };
    let alone = rest.is_empty() && !first.negated && first.timed.is_none();
    let bare = command.words.is_empty()
        && command.assignments.is_empty()
        && command.compound.is_none()
        && command.off.is_none();
    let [only] = &command.redirections[..] else { return None };
    let reads = only.descriptor == 0 && matches!(only.kind, RedirectionKind::Read(_));
    (alone && bare && reads).then_some(&command.redirections)
}
