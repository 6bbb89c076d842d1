//! Commands that act on the shell itself (XCU 2.14, and `read`, `cd`, `local`, `pwd`).

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};

use shell::Span;
use stream::{Block, WriteError};

use super::Shell;
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
    /// Runs one of the commands; `words` begins with its name.
    pub(super) fn builtin(&mut self, words: &[Vec<u8>], span: Span) -> ShellResult<()> {
        let name = String::from_utf8_lossy(&words[0]).into_owned();
        let arguments = &words[1..];
        self.state.status = match name.as_str() {
            ":" => 0,
            "." => return self.source(arguments, span),
            "command" => return self.describe_commands(arguments, span),
            // Its redirections are done by whoever calls this.
            "exec" if arguments.is_empty() => 0,
            "exec" => return Unwind::fault("exec with a command is not supported", span, 2),
            "getopts" => return self.next_option(arguments, span),
            "times" => {
                let text = super::times_so_far();
                return self.print(text.into_bytes());
            }
            "type" => return self.tell_types(arguments),
            "umask" => return self.file_mask(arguments, span),
            "break" | "continue" => return self.leave_loops(&name, arguments, span),
            "cd" => return self.change_directory(arguments, span),
            "exit" | "return" => {
                let status = match arguments.first() {
                    None => self.state.status,
                    Some(word) => status(&name, word, span)?,
                };
                self.state.status = status;
                if name == "exit" {
                    return Err(Unwind::Exit);
                }
                if self.calls == 0 && self.sourced == 0 {
                    return Unwind::fault("return: not inside a function", span, 2);
                }
                return Err(Unwind::Return);
            }
            "export" | "readonly" => return self.mark(&name, arguments, span),
            "local" => return self.make_local(arguments, span),
            "pwd" => {
                let physical = arguments.iter().rev().find_map(|word| match &word[..] {
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
                return self.print(line);
            }
            "read" => return self.read(arguments, span),
            "set" => return self.set_options(arguments, span),
            "shift" => {
                let count = match arguments.first() {
                    None => 1,
                    Some(word) => number(&name, word, span)?,
                };
                if count > self.state.positional.len() {
                    return Unwind::fault("shift: not enough arguments", span, 2);
                }
                self.state.positional.drain(..count);
                0
            }
            "trap" => return self.trap(arguments, span),
            _ => return self.unset(arguments, span),
        };
        Ok(())
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

    fn leave_loops(&mut self, name: &str, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
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

    fn change_directory(&mut self, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
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
    fn mark(&mut self, name: &str, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
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

    fn make_local(&mut self, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
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

    fn set_options(&mut self, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
        let mut rest = arguments.iter();
        let refused = |word: &[u8]| {
            let shown = String::from_utf8_lossy(word).into_owned();
            Unwind::fault(format!("set: {shown} is not supported"), span, 2)
        };
        if arguments.is_empty() {
            return refused(b"without arguments");
        }
        while let Some(word) = rest.as_slice().first() {
            let on = match word.first() {
                Some(b'-') => true,
                Some(b'+') if word.len() > 1 => false,
                _ => break,
            };
            rest.next();
            if word == b"--" {
                self.state.positional = rest.cloned().collect();
                self.state.status = 0;
                return Ok(());
            }
            for &letter in &word[1..] {
                let options = &mut self.state.options;
                match letter {
                    b'e' => options.error_exit = on,
                    b'u' => options.no_unset = on,
                    b'f' => options.no_glob = on,
                    b'o' => match rest.next().map(Vec::as_slice) {
                        Some(b"errexit") => options.error_exit = on,
                        Some(b"nounset") => options.no_unset = on,
                        Some(b"noglob") => options.no_glob = on,
                        Some(b"pipefail") => options.pipe_fail = on,
                        Some(other) => return refused(&[b"-o ", other].concat()),
                        None => return refused(b"-o without a name"),
                    },
                    other => return refused(&[word[0], other]),
                }
            }
        }
        let values = rest.as_slice();
        if !values.is_empty() {
            self.state.positional = values.to_vec();
        }
        self.state.status = 0;
        Ok(())
    }

    fn trap(&mut self, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
        let [action, conditions @ ..] = arguments else {
            return Unwind::fault("trap: an action and EXIT are needed", span, 2);
        };
        let exit = |word: &Vec<u8>| word == b"EXIT" || word == b"0";
        if conditions.is_empty() || !conditions.iter().all(exit) {
            return Unwind::fault("trap: only EXIT is supported", span, 2);
        }
        let text = String::from_utf8_lossy(action).into_owned();
        if let Err(error) = shell::parse(&text) {
            return Unwind::fault(format!("trap: {error}"), span, 2);
        }
        let nothing = text == "-" || text.is_empty();
        self.state.at_exit = (!nothing).then(|| text.into());
        self.state.status = 0;
        Ok(())
    }

    fn unset(&mut self, arguments: &[Vec<u8>], span: Span) -> ShellResult<()> {
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
