//! The parts of programs that filters are given as arguments, for showing them: which bytes are
//! fields, patterns, texts, comments.

use std::ops::Range;

use crate::{Arguments, Definition};

/// What a part of a program is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shade {
    /// A field, or what a group of a pattern matched.
    Field,
    /// A pattern.
    Pattern,
    /// A text that is taken as it is.
    Text,
    /// A word of the language.
    Word,
    /// A comment.
    Comment,
}

/// A program among the arguments of a filter.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    /// Which argument it is, from 0 for the first behind the name.
    pub word: usize,
    /// Its parts, in order, none overlapping; what is in none is plain.
    pub shades: Vec<(Range<usize>, Shade)>,
}

impl Definition {
    /// The programs among the arguments behind the name; none where the arguments cannot be
    /// parsed. A program with an error is shaded as far as it is understood.
    pub fn programs(&self, arguments: &[Vec<u8>]) -> Vec<Program> {
        let Ok(arguments) = self.parse(arguments) else { return Vec::new() };
        let first = |arguments: &Arguments| {
            arguments.operands.first().map(|operand| (operand.word, operand.value.clone()))
        };
        match self.spec.name {
            "awk" if !arguments.has('f') => first(&arguments)
                .map(|(word, text)| Program { word, shades: crate::awk::shades(&text) })
                .into_iter()
                .collect(),
            "sed" => {
                let extended = arguments.has('E') || arguments.has('r');
                let mut scripts: Vec<(usize, Vec<u8>)> =
                    arguments.all('e').map(|given| (given.word, given.value.clone())).collect();
                if scripts.is_empty() && !arguments.has('f') {
                    scripts.extend(first(&arguments));
                }
                let shaded = |(word, text): (usize, Vec<u8>)| Program {
                    word,
                    shades: crate::sed::shades(&text, extended),
                };
                scripts.into_iter().map(shaded).collect()
            }
            _ => Vec::new(),
        }
    }
}

#[cfg(test)]
mod tests {

    fn shown(line: &[&str]) -> String {
        let arguments: Vec<Vec<u8>> =
            line[1..].iter().map(|word| word.as_bytes().to_vec()).collect();
        let definition = crate::find(line[0].as_bytes()).unwrap();
        let mut shown = String::new();
        for program in definition.programs(&arguments) {
            let text = line[program.word + 1];
            for (range, shade) in program.shades {
                shown.push_str(&format!("{shade:?}:{} ", &text[range]));
            }
        }
        shown.trim_end().to_owned()
    }

    #[test]
    fn programs_are_shaded() {
        assert_eq!(
            shown(&["awk", "-F:", "/a b/ && $3 > 1 { print $NF, \"x\" / 2 } # last"]),
            "Pattern:/a b/ Field:$3 Word:print Field:$NF Text:\"x\" Comment:# last"
        );
        assert_eq!(shown(&["awk", "$1 ~ /x"]), "Field:$1");
        assert_eq!(
            shown(&["sed", "-n", "-e", "/a/,$s/b\\(.\\)/[\\1&]/gp", "-e", "p # all"]),
            "Pattern:/a/ Pattern:b\\(.\\) Field:\\1 Field:& Comment:# all"
        );
        assert_eq!(shown(&["sed", "s/a/b"]), "");
        assert_eq!(shown(&["grep", "a"]), "");
    }
}
