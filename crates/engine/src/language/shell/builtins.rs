//! Commands that act on the shell itself (XCU 2.14, and `read`, `cd`, `local`, `pwd`).

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};

use shell::Span;
use stream::{Block, WriteError};

use super::{Call, Shell};
use crate::files::working_directory::{enter, real_name};
use crate::language::unwind::{ShellResult, Unwind};
use crate::plan::variables::Variable;

pub(super) fn check_name(command: &str, name: &str, span: Span) -> ShellResult<()> {
    let first = name.starts_with(|first: char| first.is_ascii_alphabetic() || first == '_');
    if first && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_') {
        return Ok(());
    }
    Unwind::fault(format!("{command}: {name} is not a valid variable name"), span, 2)
}

/// `NAME=value` or `NAME`.
fn name_and_value(word: &[u8]) -> (String, Option<Vec<u8>>) {
    match memchr::memchr(b'=', word) {
        Some(at) => {
            (String::from_utf8_lossy(&word[..at]).into_owned(), Some(word[at + 1..].to_vec()))
        }
        None => (String::from_utf8_lossy(word).into_owned(), None),
    }
}

impl Shell<'_> {
    /// `:`
    pub(in crate::language) fn succeed(&mut self) -> ShellResult<()> {
        self.state.status = 0;
        Ok(())
    }

    /// `exec`: its redirections are done by whoever calls this.
    pub(in crate::language) fn exec(&mut self, call: &Call<'_>) -> ShellResult<()> {
        if call.arguments.is_empty() {
            return self.succeed();
        }
        Unwind::fault("exec with a command is not supported", call.span, 2)
    }

    /// `exit [STATUS]`
    pub(in crate::language) fn exit(&mut self, call: &Call<'_>) -> ShellResult<()> {
        self.take_status(call)?;
        Err(Unwind::Exit)
    }

    /// `return [STATUS]`
    pub(in crate::language) fn return_from(&mut self, call: &Call<'_>) -> ShellResult<()> {
        self.take_status(call)?;
        if self.calls == 0 && self.sourced == 0 {
            return Unwind::fault("return: not inside a function", call.span, 2);
        }
        Err(Unwind::Return)
    }

    fn take_status(&mut self, call: &Call<'_>) -> ShellResult<()> {
        if let Some(word) = call.arguments.first() {
            self.state.status = status(call.name, word, call.span)?;
        }
        Ok(())
    }

    /// `times`
    pub(in crate::language) fn print_times(&mut self) -> ShellResult<()> {
        self.print(super::times_so_far().into_bytes())
    }

    /// `pwd [-L|-P]`
    pub(in crate::language) fn print_directory(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let physical = call.arguments.iter().rev().find_map(|word| match &word[..] {
            b"-P" => Some(true),
            b"-L" => Some(false),
            _ => None,
        });
        let directory = if physical == Some(true) {
            let known = self.state.directory.as_ref();
            known.map_or_else(std::env::current_dir, real_name)
        } else {
            Ok(self.with_files(|files| files.directory()))
        };
        let directory = match directory {
            Ok(directory) => directory,
            Err(error) => {
                self.complain(&format!("pwd: {}", stream::describe(&error)));
                self.state.status = 1;
                return Ok(());
            }
        };
        let mut line = directory.into_os_string().into_encoded_bytes();
        line.push(b'\n');
        self.print(line)
    }

    /// `shift [COUNT]`
    pub(in crate::language) fn shift(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let count = match call.arguments.first() {
            None => 1,
            Some(word) => number(call.name, word, call.span)?,
        };
        if count > self.state.positional.len() {
            return Unwind::fault("shift: not enough arguments", call.span, 2);
        }
        self.state.positional.drain(..count);
        self.succeed()
    }

    pub(super) fn print(&mut self, line: Vec<u8>) -> ShellResult<()> {
        self.state.status = match self.ports.sink(1).write(Block::new(line)) {
            Ok(()) => 0,
            Err(WriteError::Closed) => return self.has_no_reader(),
            Err(error) => {
                self.complain(&format!("write error: {error}"));
                1
            }
        };
        Ok(())
    }

    /// `break [COUNT]` and `continue [COUNT]`
    pub(in crate::language) fn leave_loops(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { name, arguments, span } = call;
        let count = match arguments.first() {
            None => 1,
            Some(word) => number(name, word, span)?,
        };
        if count == 0 {
            return Unwind::fault(format!("{name}: a number from 1 is needed"), span, 2);
        }
        self.state.status = 0;
        if self.loops == 0 {
            return Ok(());
        }
        let further = count.min(self.loops) - 1;
        Err(if name == "break" { Unwind::Break(further) } else { Unwind::Continue(further) })
    }

    /// `cd [-L|-P] [FOLDER|-]`
    pub(in crate::language) fn change_directory(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let (physical, arguments) = match arguments.first().map(Vec::as_slice) {
            Some(b"-P") => (true, &arguments[1..]),
            Some(b"-L" | b"--") => (false, &arguments[1..]),
            _ => (false, arguments),
        };
        let mut shown = false;
        let wanted = match arguments {
            [] => match self.state.get("HOME", self.files) {
                Some(home) if !home.is_empty() => home,
                _ => return Unwind::fault("cd: HOME has no value", span, 2),
            },
            [only] if only == b"-" => {
                shown = true;
                match self.state.get("OLDPWD", self.files) {
                    Some(old) => old,
                    None => return Unwind::fault("cd: OLDPWD has no value", span, 2),
                }
            }
            [only] => only.clone(),
            _ => return Unwind::fault("cd: one directory is needed", span, 2),
        };
        let before = self.with_files(|files| files.directory());
        let wanted = PathBuf::from(OsStr::from_bytes(&wanted));
        let joined = before.join(&wanted);
        // With -P a folder before `..` is followed first (XCU cd, step 7).
        let entered = if physical {
            let from = self.state.directory.as_ref();
            enter(&from.map_or_else(|| wanted.clone(), |folder| folder.at(&wanted)), None)
        } else {
            let path = lexically(&joined);
            enter(&path, Some(path.clone()))
        };
        let folder = match entered {
            Ok(folder) => folder,
            Err(error) => {
                let problem = stream::describe(&error);
                self.complain(&format!("cd: {}: {problem}", wanted.display()));
                self.state.status = 2;
                return Ok(());
            }
        };
        let path = folder.path().to_owned();
        let bytes = |path: &Path| path.as_os_str().as_bytes().to_vec();
        self.assign("OLDPWD", bytes(&before), span)?;
        self.assign("PWD", bytes(&path), span)?;
        let mut line = bytes(&path);
        // Where nothing is done for real, what is shown has the names of the text.
        let is_real = self.context.policy.is_for_real();
        self.state.directory = Some(if is_real { folder } else { path.into() });
        self.state.status = 0;
        if shown {
            line.push(b'\n');
            return self.print(line);
        }
        Ok(())
    }

    /// `export` and `readonly`.
    pub(in crate::language) fn mark(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { name, arguments, span } = call;
        if arguments.is_empty() || arguments[0] == b"-p" {
            let mut text = Vec::new();
            for (variable, known) in &self.state.set {
                let marked = if name == "export" { known.exported } else { known.read_only };
                if let (true, Some(value)) = (marked, &known.value) {
                    text.extend_from_slice(format!("{name} {variable}=").as_bytes());
                    text.extend_from_slice(shell::quote_bytes(value).as_bytes());
                    text.push(b'\n');
                }
            }
            return self.print(text);
        }
        for word in arguments {
            let (variable, value) = name_and_value(word);
            check_name(name, &variable, span)?;
            if let Some(value) = value {
                self.assign(&variable, value, span)?;
            } else if !self.state.set.contains_key(&variable) {
                let value = self.state.get(&variable, self.files);
                self.state.set.insert(variable.clone(), Variable { value, ..Variable::default() });
            }
            if let Some(known) = self.state.set.get_mut(&variable) {
                if name == "export" {
                    known.exported = true;
                } else {
                    known.read_only = true;
                }
            }
        }
        self.state.status = 0;
        Ok(())
    }

    /// `local NAME[=VALUE] …`
    pub(in crate::language) fn make_local(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        for word in arguments {
            let (name, value) = name_and_value(word);
            check_name("local", &name, span)?;
            let before = self.state.set.get(&name).cloned();
            let Some(aside) = self.state.aside.last_mut() else {
                return Unwind::fault("local: not inside a function", span, 2);
            };
            if !aside.contains_key(&name) {
                aside.insert(name.clone(), before);
                self.state.set.insert(name.clone(), Variable::default());
            }
            if let Some(value) = value {
                self.assign(&name, value, span)?;
            }
        }
        self.state.status = 0;
        Ok(())
    }

    /// `trap ACTION EXIT`
    pub(in crate::language) fn trap(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let [action, conditions @ ..] = arguments else {
            return Unwind::fault("trap: an action and EXIT are needed", span, 2);
        };
        let exit = |word: &Vec<u8>| word == b"EXIT" || word == b"0";
        if conditions.is_empty() || !conditions.iter().all(exit) {
            return Unwind::fault("trap: only EXIT is supported", span, 2);
        }
        let text = String::from_utf8_lossy(action).into_owned();
        if let Err(error) = shell::parse(&text, self.builtins) {
            return Unwind::fault(format!("trap: {error}"), span, 2);
        }
        let nothing = text == "-" || text.is_empty();
        self.state.at_exit = (!nothing).then(|| text.into());
        self.state.status = 0;
        Ok(())
    }

    /// `unset [-f|-v] NAME …`
    pub(in crate::language) fn unset(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let (functions, names) = match arguments.first().map(Vec::as_slice) {
            Some(b"-f") => (true, &arguments[1..]),
            Some(b"-v") => (false, &arguments[1..]),
            _ => (false, arguments),
        };
        for word in names {
            let name = String::from_utf8_lossy(word).into_owned();
            check_name("unset", &name, span)?;
            if functions {
                self.state.functions.remove(&name);
                continue;
            }
            if self.state.set.get(&name).is_some_and(|variable| variable.read_only) {
                let message = format!("{name}: this variable may not be changed");
                return Unwind::fault(message, span, 2);
            }
            // One of the environment must be kept from being found there.
            let hidden = Variable { value: None, exported: true, read_only: false };
            self.state.set.insert(name, hidden);
        }
        self.state.status = 0;
        Ok(())
    }
}

fn number(command: &str, word: &[u8], span: Span) -> ShellResult<usize> {
    let text = String::from_utf8_lossy(word);
    match text.parse() {
        Ok(number) => Ok(number),
        Err(_) => Unwind::fault(format!("{command}: {text} is not a number"), span, 2),
    }
}

/// A status: the low eight bits, as a process has it.
fn status(command: &str, word: &[u8], span: Span) -> ShellResult<u8> {
    let text = String::from_utf8_lossy(word);
    match text.parse::<i64>() {
        Ok(number) => Ok(number as u8),
        Err(_) => Unwind::fault(format!("{command}: {text} is not a number"), span, 2),
    }
}

/// A path without `.` and `..`, as its text has it.
fn lexically(path: &Path) -> PathBuf {
    let mut plain = PathBuf::new();
    for component in path.components() {
        match component {
            Component::CurDir => {}
            Component::ParentDir => {
                plain.pop();
            }
            other => plain.push(other),
        }
    }
    plain
}
