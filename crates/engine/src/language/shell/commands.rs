//! Commands that are about other commands and files of commands: `command`, `type`, `.`, `getopts`,
//! `umask` (XCU 2.14, XCU command, type, getopts, umask).

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use super::{Call, Shell};
use crate::language::unwind::{ShellResult, Unwind};
use crate::policy::Start;

/// Bytes that a file of commands may have.
const SOURCE_MAX: usize = 16 << 20;

/// What a name means.
enum Meaning {
    /// A word of the grammar.
    Reserved,
    Function,
    Builtin,
    /// A filter of our own, and the program of the same name, where there is one.
    Filter(Option<PathBuf>),
    Program(PathBuf),
    Nothing,
}

impl Shell<'_> {
    fn start_of(&self, name: &[u8]) -> Start {
        let directory = self.state.directory.clone();
        Start::new(vec![name.to_vec()], directory, &self.state.environment())
    }

    fn meaning(&self, name: &[u8]) -> Meaning {
        if shell::is_reserved(name) {
            return Meaning::Reserved;
        }
        let text = std::str::from_utf8(name).unwrap_or_default();
        if self.state.functions.contains_key(text) {
            return Meaning::Function;
        }
        if self.builtins.find(name).is_some() {
            return Meaning::Builtin;
        }
        let program = self.start_of(name).file();
        match (filters::find(name), program) {
            (Some(_), program) => Meaning::Filter(program),
            (None, Some(program)) => Meaning::Program(program),
            (None, None) => Meaning::Nothing,
        }
    }

    /// `command -v NAME …` and `command -V NAME …`; to run one is done where words are expanded.
    pub(in crate::language) fn describe_commands(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let (names, long) = match arguments.split_first() {
            None => return Ok(()),
            Some((option, names)) if option == b"-v" => (names, false),
            Some((option, names)) if option == b"-V" => (names, true),
            Some((option, _)) => {
                let option = String::from_utf8_lossy(option).into_owned();
                return Unwind::fault(format!("command: {option} is not supported"), span, 2);
            }
        };
        if long {
            return self.tell_types(names);
        }
        let mut text = Vec::new();
        let mut status = 0;
        for name in names {
            match self.meaning(name) {
                Meaning::Nothing => {
                    status = 127;
                    continue;
                }
                Meaning::Program(path) | Meaning::Filter(Some(path)) => {
                    text.extend_from_slice(path.as_os_str().as_bytes());
                }
                Meaning::Reserved
                | Meaning::Function
                | Meaning::Builtin
                | Meaning::Filter(None) => {
                    text.extend_from_slice(name);
                }
            }
            text.push(b'\n');
        }
        self.print(text)?;
        self.state.status = self.state.status.max(status);
        Ok(())
    }

    /// `type NAME …`
    pub(in crate::language) fn tell_types(&mut self, names: &[Vec<u8>]) -> ShellResult<()> {
        let mut text = Vec::new();
        let mut status = 0;
        for name in names {
            let path = |path: &Path| [&b" is "[..], path.as_os_str().as_bytes()].concat();
            let what = match self.meaning(name) {
                Meaning::Reserved => b" is a shell keyword".to_vec(),
                Meaning::Function => b" is a shell function".to_vec(),
                Meaning::Builtin => b" is a shell builtin".to_vec(),
                Meaning::Filter(_) => b" is a filter of Ylotrope".to_vec(),
                Meaning::Program(program) => path(&program),
                Meaning::Nothing => {
                    status = 127;
                    b": not found".to_vec()
                }
            };
            text.extend_from_slice(&[&name[..], &what, b"\n"].concat());
        }
        self.print(text)?;
        self.state.status = self.state.status.max(status);
        Ok(())
    }

    /// `. FILE`: runs the commands of a file in this shell.
    pub(in crate::language) fn source(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let [name] = arguments else {
            return Unwind::fault(".: one file is needed", span, 2);
        };
        let shown = String::from_utf8_lossy(name).into_owned();
        let path = if name.contains(&b'/') {
            PathBuf::from(OsStr::from_bytes(name))
        } else {
            match self.start_of(name).readable_file() {
                Some(path) => path,
                None => return Unwind::fault(format!(".: {shown}: not found"), span, 2),
            }
        };
        let text = match self.with_files(|files| read_all(files, &path)) {
            Ok(text) => text,
            Err(why) => return Unwind::fault(format!(".: {shown}: {why}"), span, 2),
        };
        let script = match shell::parse(&text, self.builtins) {
            Ok(script) => script,
            Err(error) => {
                let before = text.get(..error.span.start).unwrap_or_default();
                let line = before.matches('\n').count() + 1;
                return Unwind::fault(format!("{shown}: line {line}: {error}"), span, 2);
            }
        };
        if self.sourced >= super::CALLS_MAX {
            return Unwind::fault("files of commands nested too deeply", span, 2);
        }
        self.sourced += 1;
        self.state.status = 0;
        let result = self.list(&script.list);
        self.sourced -= 1;
        match result {
            Err(Unwind::Return) => Ok(()),
            other => other,
        }
    }

    /// `getopts OPTIONS NAME [ARGUMENT …]`
    pub(in crate::language) fn next_option(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let [options, name, given @ ..] = arguments else {
            return Unwind::fault("getopts: the options and a name are needed", span, 2);
        };
        let name = String::from_utf8_lossy(name).into_owned();
        super::builtins::check_name("getopts", &name, span)?;
        let given = if given.is_empty() { self.state.positional.clone() } else { given.to_vec() };
        let index = self.state.get("OPTIND", self.files).unwrap_or_default();
        let mut index: usize = String::from_utf8_lossy(&index).parse().unwrap_or(1).max(1);
        // Options written together: how far the word was looked at, as long as it is that word.
        let mut at = match self.state.option_at {
            Some((word, at)) if word == index => at,
            _ => 1,
        };
        let silent = options.first() == Some(&b':');
        let word = given.get(index - 1).cloned().unwrap_or_default();
        let ended = word.len() < 2 || word[0] != b'-' || word == b"--";
        if ended {
            if word == b"--" {
                index += 1;
            }
            self.state.option_at = None;
            self.assign("OPTIND", index.to_string().into_bytes(), span)?;
            self.assign(&name, b"?".to_vec(), span)?;
            self.state.status = 1;
            return Ok(());
        }
        let letter = word[at.min(word.len() - 1)];
        at += 1;
        let known = options.iter().position(|&known| known == letter && letter != b':');
        let takes_value = known.is_some_and(|known| options.get(known + 1) == Some(&b':'));
        let (mut found, mut value) = (letter, None);
        if known.is_none() {
            found = b'?';
            if silent {
                value = Some(vec![letter]);
            } else {
                self.complain(&format!("Illegal option -{}", letter as char));
            }
        } else if takes_value {
            if at < word.len() {
                value = Some(word[at..].to_vec());
            } else if let Some(next) = given.get(index) {
                value = Some(next.clone());
                index += 1;
            } else if silent {
                found = b':';
                value = Some(vec![letter]);
            } else {
                found = b'?';
                self.complain(&format!("No arg for -{} option", letter as char));
            }
            at = word.len();
        }
        if at >= word.len() {
            index += 1;
            self.state.option_at = None;
        } else {
            self.state.option_at = Some((index, at));
        }
        match value {
            Some(value) => self.assign("OPTARG", value, span)?,
            None => {
                self.state.set.remove("OPTARG");
            }
        }
        self.assign("OPTIND", index.to_string().into_bytes(), span)?;
        self.assign(&name, vec![found], span)?;
        self.state.status = 0;
        Ok(())
    }

    /// Undoes what a shell within this one has made of the mask.
    pub(super) fn restore_file_mask(&self, inner: &Shell<'_>) {
        if let (Some(_), false) = (inner.state.mask, inner.state.mask == self.state.mask) {
            let mask = self.state.mask.or(inner.state.mask_at_first);
            self.files.set_file_mask(mask.unwrap_or(0o022));
        }
    }

    /// `umask [-S] [MASK]`
    pub(in crate::language) fn file_mask(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let (symbolic, arguments) = match arguments {
            [option, rest @ ..] if option == b"-S" => (true, rest),
            all => (false, all),
        };
        let now = self.state.mask.unwrap_or_else(own_mask);
        let Some(wanted) = arguments.first() else {
            let text = if symbolic { symbolic_mask(now) } else { format!("{now:04o}") };
            return self.print(format!("{text}\n").into_bytes());
        };
        let text = String::from_utf8_lossy(wanted);
        let mask = match u32::from_str_radix(&text, 8) {
            Ok(mask) if mask <= 0o777 => Some(mask),
            _ => changed_mask(&text, now),
        };
        let Some(mask) = mask else {
            return Unwind::fault(format!("umask: {text} is not a mask"), span, 2);
        };
        if self.beside_others {
            return Unwind::fault(
                "umask in a pipeline with other commands is not supported",
                span,
                2,
            );
        }
        self.state.mask_at_first.get_or_insert(now);
        self.state.mask = Some(mask);
        self.files.set_file_mask(mask);
        self.state.status = 0;
        Ok(())
    }
}

/// The mask of this process, as the system has it (proc(5)).
fn own_mask() -> u32 {
    let text = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = text.lines().find_map(|line| line.strip_prefix("Umask:"));
    line.and_then(|mask| u32::from_str_radix(mask.trim(), 8).ok()).unwrap_or(0o022)
}

const CLASSES: [(char, u32); 3] = [('u', 6), ('g', 3), ('o', 0)];
const RIGHTS: [(char, u32); 3] = [('r', 4), ('w', 2), ('x', 1)];

fn symbolic_mask(mask: u32) -> String {
    let class = |(name, shift): (char, u32)| {
        let allowed = !(mask >> shift) & 7;
        let rights = RIGHTS.iter().filter(|(_, bit)| allowed & bit != 0).map(|(right, _)| *right);
        format!("{name}={}", rights.collect::<String>())
    };
    CLASSES.map(class).join(",")
}

/// `u=rwx,g+w,…` applied to what is allowed now.
fn changed_mask(text: &str, mask: u32) -> Option<u32> {
    let mut allowed = !mask & 0o777;
    for part in text.split(',') {
        let at = part.find(['=', '+', '-'])?;
        let (classes, rest) = part.split_at(at);
        let classes = if classes.is_empty() { "a" } else { classes };
        let mut bits = 0;
        for right in rest[1..].chars() {
            bits |= RIGHTS.iter().find(|(known, _)| *known == right)?.1;
        }
        for class in classes.chars() {
            let shifts: Vec<u32> = match class {
                'a' => vec![6, 3, 0],
                class => vec![CLASSES.iter().find(|(known, _)| *known == class)?.1],
            };
            for shift in shifts {
                match &rest[..1] {
                    "=" => allowed = allowed & !(7 << shift) | bits << shift,
                    "+" => allowed |= bits << shift,
                    _ => allowed &= !(bits << shift),
                }
            }
        }
    }
    Some(!allowed & 0o777)
}

fn read_all(files: &dyn stream::Files, path: &Path) -> Result<String, String> {
    let mut source = files.read(path).map_err(|error| stream::describe(&error))?;
    let mut bytes = Vec::new();
    loop {
        match source.next_block() {
            Ok(Some(block)) => bytes.extend_from_slice(block.bytes()),
            Ok(None) => break,
            Err(error) => return Err(error.to_string()),
        }
        if bytes.len() > SOURCE_MAX {
            return Err(format!("more than {} MiB of commands", SOURCE_MAX >> 20));
        }
    }
    String::from_utf8(bytes).map_err(|_| "not UTF-8".to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn masks_are_read_and_written_in_both_forms() {
        assert_eq!(symbolic_mask(0o022), "u=rwx,g=rx,o=rx");
        assert_eq!(changed_mask("u=rwx,g=rx,o=", 0o022), Some(0o027));
        assert_eq!(changed_mask("g+w", 0o022), Some(0o002));
        assert_eq!(changed_mask("a-w", 0o000), Some(0o222));
        assert_eq!(changed_mask("=r", 0o000), Some(0o333));
        assert_eq!(changed_mask("z+w", 0o022), None);
        assert_eq!(changed_mask("u", 0o022), None);
    }
}
