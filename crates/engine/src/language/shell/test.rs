//! `[[ … ]]`.

use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

use pattern::{Options, Pattern, Syntax, glob_matches};
use shell::{Test, Word};
use stream::{FileFacts, FileKind, Files, Permission};

use super::Shell;
use crate::language::unwind::{ShellResult, Unwind};

impl Shell<'_> {
    pub(super) fn test(&mut self, test: &Test) -> ShellResult<bool> {
        match test {
            Test::Word(word) => Ok(!self.value(word)?.is_empty()),
            Test::Not(inner) => Ok(!self.test(inner)?),
            Test::And(left, right) => Ok(self.test(left)? && self.test(right)?),
            Test::Or(left, right) => Ok(self.test(left)? || self.test(right)?),
            Test::Unary(operator, word) => {
                let value = self.value(word)?;
                self.unary(operator, &value, word)
            }
            Test::Binary(left, operator, right) => {
                let left_value = self.value(left)?;
                self.binary(&left_value, operator, left, right)
            }
        }
    }

    fn unary(&mut self, operator: &str, value: &[u8], word: &Word) -> ShellResult<bool> {
        let path = PathBuf::from(OsString::from_vec(value.to_vec()));
        let facts = |shell: &Self| shell.with_files(|files| files.facts(&path).ok());
        let kind = |shell: &Self, kind| facts(shell).is_some_and(|facts| facts.kind == kind);
        let bit = |shell: &Self, bit| facts(shell).is_some_and(|facts| facts.mode & bit != 0);
        let permits = |shell: &Self, permission| {
            shell.with_files(|files| files.machine().permits(&path, permission))
        };
        Ok(match operator {
            "-z" => value.is_empty(),
            "-n" => !value.is_empty(),
            "-e" | "-a" => facts(self).is_some(),
            "-f" => kind(self, FileKind::Regular),
            "-d" => kind(self, FileKind::Directory),
            "-p" => kind(self, FileKind::Pipe),
            "-S" => kind(self, FileKind::Socket),
            "-b" => kind(self, FileKind::BlockDevice),
            "-c" => kind(self, FileKind::CharacterDevice),
            "-h" | "-L" => self.with_files(|files| {
                files.machine().link_facts(&path).is_ok_and(|facts| facts.kind == FileKind::Link)
            }),
            "-s" => facts(self).is_some_and(|facts| facts.bytes > 0),
            "-r" => permits(self, Permission::Read),
            "-w" => permits(self, Permission::Write),
            "-x" => permits(self, Permission::Execute),
            "-u" => bit(self, 0o4000),
            "-g" => bit(self, 0o2000),
            "-k" => bit(self, 0o1000),
            "-t" => {
                let text = String::from_utf8_lossy(value).into_owned();
                let descriptor = text.trim().parse().unwrap_or(u8::MAX);
                let own = self.ports.get(descriptor).and_then(|port| port.own);
                own.is_some_and(|own| self.files.machine().is_terminal(own))
            }
            "-v" => {
                let name = String::from_utf8_lossy(value).into_owned();
                self.state.get(&name, self.files).is_some()
            }
            other => {
                return Unwind::fault(format!("{other} is not supported in [[ … ]]"), word.span, 2);
            }
        })
    }

    fn binary(
        &mut self,
        left: &[u8],
        operator: &str,
        left_word: &Word,
        right: &Word,
    ) -> ShellResult<bool> {
        match operator {
            "=" | "==" | "!=" => {
                let pattern = self.pattern(right)?;
                return Ok(glob_matches(&pattern, left) == (operator != "!="));
            }
            "=~" => return self.matches(left, right),
            _ => {}
        }
        let value = self.value(right)?;
        if operator == "<" || operator == ">" {
            return Ok(if operator == "<" { left < &value[..] } else { left > &value[..] });
        }
        if let "-nt" | "-ot" | "-ef" = operator {
            return Ok(self.with_files(|files| compare_files(files, left, operator, &value)));
        }
        let left = self.calculate(&String::from_utf8_lossy(left), left_word.span)?;
        let right = self.calculate(&String::from_utf8_lossy(&value), right.span)?;
        Ok(match operator {
            "-eq" => left == right,
            "-ne" => left != right,
            "-lt" => left < right,
            "-le" => left <= right,
            "-gt" => left > right,
            _ => left >= right,
        })
    }

    /// `=~`: what is quoted means itself.
    fn matches(&mut self, text: &[u8], word: &Word) -> ShellResult<bool> {
        let mut pattern = Vec::new();
        for (byte, quoted) in self.pattern(word)? {
            if quoted && b".[]{}()*+?^$|\\".contains(&byte) {
                pattern.push(b'\\');
            }
            pattern.push(byte);
        }
        match Pattern::new(&[&pattern], Syntax::Extended, Options::default()) {
            Ok(pattern) => match pattern.is_match(text) {
                Ok(found) => Ok(found),
                Err(error) => Unwind::fault(error.to_string(), word.span, 2),
            },
            Err(error) => Unwind::fault(format!("in this pattern: {error}"), word.span, 2),
        }
    }
}

fn compare_files(files: &dyn Files, left: &[u8], operator: &str, right: &[u8]) -> bool {
    let facts = |name: &[u8]| -> Option<FileFacts> {
        files.facts(Path::new(std::ffi::OsStr::from_bytes(name))).ok()
    };
    match (facts(left), facts(right)) {
        (Some(left), Some(right)) => match operator {
            "-nt" => left.modified_ns > right.modified_ns,
            "-ot" => left.modified_ns < right.modified_ns,
            _ => left.same_file(&right),
        },
        (Some(_), None) => operator == "-nt",
        (None, Some(_)) => operator == "-ot",
        (None, None) => false,
    }
}
