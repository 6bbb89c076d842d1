//! The files a text names: what it reads, and what it writes.

use std::path::Path;

use filters::Operands;
use shell::{Command, RedirectionKind, Word};

/// A file that a text names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileUse {
    /// As it is named.
    pub name: String,
    /// It is written, not read.
    pub writes: bool,
}

impl FileUse {
    /// True where there is such a file now, seen from `folder`.
    pub fn is_here(&self, folder: &Path) -> bool {
        folder.join(&self.name).exists()
    }
}

/// The files that a text names, each once, in the order they come; those that only running it
/// would tell are left out.
pub fn files_of(text: &str) -> Vec<FileUse> {
    let Ok(script) = engine::parse(text) else { return Vec::new() };
    let mut uses: Vec<FileUse> = Vec::new();
    let mut add = |name: String, writes: bool| {
        let known = uses.iter().any(|one| one.name == name && one.writes == writes);
        if !known && !name.is_empty() && !name.starts_with("/dev/") && name != "-" {
            uses.push(FileUse { name, writes });
        }
    };
    for command in script.pipelines().flat_map(|pipeline| &pipeline.commands) {
        operands(command, &mut add);
        for one in &command.redirections {
            let writes = match one.kind {
                RedirectionKind::Read(_) => false,
                RedirectionKind::Replace(_)
                | RedirectionKind::Append(_)
                | RedirectionKind::ReplaceBoth(_)
                | RedirectionKind::AppendBoth(_)
                | RedirectionKind::ReadWrite(_) => true,
                _ => continue,
            };
            if let Some(name) = one.kind.word().and_then(Word::literal) {
                add(name, writes);
            }
        }
    }
    uses
}

/// The operands of a filter that are files.
fn operands(command: &Command, add: &mut impl FnMut(String, bool)) {
    let Some(definition) = command.name().and_then(|name| filters::find(name.as_bytes())) else {
        return;
    };
    let words = command.words[1..].iter().map(|word| {
        // What has to be expanded first is no name yet.
        word.literal().unwrap_or_default().into_bytes()
    });
    let Ok(arguments) = definition.parse(&words.collect::<Vec<_>>()) else { return };
    let name = definition.spec.name;
    let skipped = match definition.spec.operands {
        Operands::PatternThenFiles if arguments.has_any('e') || arguments.has_any('f') => 0,
        Operands::PatternThenFiles => 1,
        Operands::Files | Operands::OneFile => 0,
        _ if name == "tee" => 0,
        Operands::Values => return,
    };
    for (at, operand) in arguments.operands.iter().enumerate().skip(skipped) {
        let value = String::from_utf8_lossy(&operand.value).into_owned();
        let assigns = name == "awk" && value.contains('=');
        if !assigns && !value.contains(['*', '?', '[']) {
            add(value, name == "tee" || (name == "uniq" && at == 1));
        }
    }
    if let Some(given) = arguments.last_of_any('o').filter(|_| name == "sort") {
        add(String::from_utf8_lossy(&given.value).into_owned(), true);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_read_and_what_is_written() {
        let of = |text: &str| -> Vec<String> {
            let one = |one: FileUse| format!("{}{}", if one.writes { ">" } else { "<" }, one.name);
            files_of(text).into_iter().map(one).collect()
        };
        assert_eq!(
            of("grep x gate.log 2> err | sort -o out - | tee 'a b' | cat < in > out"),
            ["<gate.log", ">err", ">out", ">a b", "<in"]
        );
        assert_eq!(
            of("awk '{print}' n=1 data; cat $x *.log - /dev/stdin; seq 3 > /dev/null"),
            ["<data"]
        );
        assert_eq!(of("grep -f list x; uniq a b"), ["<x", "<a", ">b"]);
        assert_eq!(of("not a ("), Vec::<String>::new());
    }
}
