//! `test`: ends with a status that says whether an expression is true.

use std::ffi::OsStr;
use std::ops::Range;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use stream::{ExitStatus, FileFacts, FileKind, Files, Permission, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operand, Operands, OptionSpec, Spec, Style, UsageError, Verb,
    example, option, shown,
};

pub(crate) mod bracket;

pub(crate) const OPTIONS: &[OptionSpec] = &[
    option('e', "", Some("FILE"), "the file exists", true),
    option('f', "", Some("FILE"), "a regular file", true),
    option('d', "", Some("FILE"), "a directory", true),
    option('L', "", Some("FILE"), "a symbolic link (-h too)", true),
    option('p', "", Some("FILE"), "a named pipe", true),
    option('S', "", Some("FILE"), "a socket", true),
    option('b', "", Some("FILE"), "a block device", true),
    option('c', "", Some("FILE"), "a character device", true),
    option('s', "", Some("FILE"), "a file that is not empty", true),
    option('r', "", Some("FILE"), "a file that may be read", true),
    option('w', "", Some("FILE"), "a file that may be written", true),
    option('x', "", Some("FILE"), "a file that may be executed or searched", true),
    option('u', "", Some("FILE"), "the set-user-ID bit is set", true),
    option('g', "", Some("FILE"), "the set-group-ID bit is set", true),
    option('k', "", Some("FILE"), "the sticky bit is set", false),
    option('O', "", Some("FILE"), "a file of this user", false),
    option('G', "", Some("FILE"), "a file of this group", false),
    option('t', "", Some("NUM"), "this descriptor is a terminal", true),
    option('n', "", Some("TEXT"), "a text that is not empty", true),
    option('z', "", Some("TEXT"), "an empty text", true),
];

pub(crate) const EXAMPLES: &[crate::spec::Example] = &[
    example("test -s gate.log", "status 0 when the file is not empty"),
    example("test 3 -lt 12", "status 0: as a number, 3 is less"),
    example("test abc = abc", "status 0: the same text"),
];

static SPEC: Spec = Spec {
    name: "test",
    summary: "sets its status by whether an expression is true: = != -eq -ne -lt -le -gt -ge -nt -ot -ef ! -a -o ( )",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "expression",
    style: Style::Own,
    usage_status: 2,
    examples: EXAMPLES,
};

pub(crate) static DEFINITION: Definition =
    Definition::new(&SPEC, |arguments| test(&SPEC, &arguments.operands), explain);
pub(crate) fn explain(_arguments: &Arguments) -> String {
    "writes nothing; sets its status by whether the expression is true".to_owned()
}

/// An expression, parsed.
enum Expression {
    Constant(bool),
    File(u8, Vec<u8>),
    Numbers(Comparison, Vec<u8>, Vec<u8>),
    Files(FileComparison, Vec<u8>, Vec<u8>),
    Not(Box<Self>),
    And(Box<Self>, Box<Self>),
    Or(Box<Self>, Box<Self>),
}

#[derive(Clone, Copy)]
enum Comparison {
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
}

#[derive(Clone, Copy)]
enum FileComparison {
    Newer,
    Older,
    Same,
}

pub(crate) fn test(
    spec: &'static Spec,
    operands: &[Operand],
) -> Result<Box<dyn Filter>, UsageError> {
    let mut parser = Parser { spec, operands, at: 0, depth: 0 };
    let expression = parser.posix(0..operands.len())?;
    Ok(Box::new(Test(expression)))
}

struct Parser<'o> {
    spec: &'static Spec,
    operands: &'o [Operand],
    at: usize,
    depth: usize,
}

/// Parentheses and negations within each other beyond this are refused.
const DEPTH_MAX: usize = 200;

fn is_unary(word: &[u8]) -> bool {
    matches!(word, [b'-', letter] if b"bcdefgGhkLnOprsStuwxzN".contains(letter) && *letter != b'N')
}

fn is_binary(word: &[u8]) -> bool {
    matches!(word, b"=" | b"==" | b"!=" | b"<" | b">")
        || matches!(
            word,
            b"-eq" | b"-ne" | b"-lt" | b"-le" | b"-gt" | b"-ge" | b"-nt" | b"-ot" | b"-ef"
        )
}

impl Parser<'_> {
    fn word(&self, at: usize) -> &[u8] {
        self.operands.get(at).map_or(&b""[..], |operand| &operand.value)
    }

    fn error<T>(&self, at: usize, message: impl Into<String>) -> Result<T, UsageError> {
        let word = self.operands.get(at).map(|operand| operand.word);
        Err(UsageError::new(self.spec, word, message))
    }

    /// By the number of arguments, as POSIX has it (`test`, OPERANDS).
    fn posix(&mut self, range: Range<usize>) -> Result<Expression, UsageError> {
        let start = range.start;
        match range.len() {
            0 => Ok(Expression::Constant(false)),
            1 => Ok(Expression::Constant(!self.word(start).is_empty())),
            2 if self.word(start) == b"!" => {
                let inner = self.posix(start + 1..range.end)?;
                Ok(Expression::Not(Box::new(inner)))
            }
            2 if is_unary(self.word(start)) => self.unary(start),
            2 if self.word(start).starts_with(b"-") && self.word(start).len() == 2 => {
                self.error(start, format!("{}: unary operator expected", shown(self.word(start))))
            }
            2 => self.error(
                start + 1,
                format!("missing argument after {}", shown(self.word(start + 1))),
            ),
            3 if is_binary(self.word(start + 1)) => self.binary(start),
            3 if self.word(start) == b"!" => {
                let inner = self.posix(start + 1..range.end)?;
                Ok(Expression::Not(Box::new(inner)))
            }
            3 if self.word(start) == b"(" && self.word(start + 2) == b")" => {
                self.posix(start + 1..start + 2)
            }
            3 if matches!(self.word(start + 1), b"-a" | b"-o") => self.any(range),
            3 => self.error(
                start + 1,
                format!("{}: binary operator expected", shown(self.word(start + 1))),
            ),
            4 if self.word(start) == b"!" => {
                let inner = self.posix(start + 1..range.end)?;
                Ok(Expression::Not(Box::new(inner)))
            }
            4 if self.word(start) == b"(" && self.word(start + 3) == b")" => {
                self.posix(start + 1..start + 3)
            }
            _ => self.any(range),
        }
    }

    fn any(&mut self, range: Range<usize>) -> Result<Expression, UsageError> {
        self.at = range.start;
        let expression = self.or(range.end)?;
        if self.at < range.end {
            return self.error(self.at, format!("extra argument {}", shown(self.word(self.at))));
        }
        Ok(expression)
    }

    fn or(&mut self, end: usize) -> Result<Expression, UsageError> {
        let mut left = self.and(end)?;
        while self.at < end && self.word(self.at) == b"-o" {
            self.at += 1;
            left = Expression::Or(Box::new(left), Box::new(self.and(end)?));
        }
        Ok(left)
    }

    fn and(&mut self, end: usize) -> Result<Expression, UsageError> {
        let mut left = self.term(end)?;
        while self.at < end && self.word(self.at) == b"-a" {
            self.at += 1;
            left = Expression::And(Box::new(left), Box::new(self.term(end)?));
        }
        Ok(left)
    }

    fn term(&mut self, end: usize) -> Result<Expression, UsageError> {
        if self.at >= end {
            return self.error(end, "argument expected");
        }
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return self.error(self.at, "too deeply nested");
        }
        let left = end - self.at;
        let expression = if self.word(self.at) == b"!" && left > 1 {
            self.at += 1;
            Expression::Not(Box::new(self.term(end)?))
        } else if self.word(self.at) == b"(" && left > 1 {
            self.at += 1;
            let inner = self.or(end)?;
            if self.at >= end || self.word(self.at) != b")" {
                return self.error(self.at, "‘)’ expected");
            }
            self.at += 1;
            inner
        } else if left >= 3 && is_binary(self.word(self.at + 1)) {
            self.at += 3;
            self.binary(self.at - 3)?
        } else if left >= 2 && is_unary(self.word(self.at)) {
            self.at += 2;
            self.unary(self.at - 2)?
        } else {
            self.at += 1;
            Expression::Constant(!self.word(self.at - 1).is_empty())
        };
        self.depth -= 1;
        Ok(expression)
    }

    fn unary(&self, at: usize) -> Result<Expression, UsageError> {
        let operand = self.word(at + 1);
        Ok(match self.word(at)[1] {
            b'n' => Expression::Constant(!operand.is_empty()),
            b'z' => Expression::Constant(operand.is_empty()),
            b't' => {
                self.integer(at + 1)?;
                Expression::File(b't', operand.to_vec())
            }
            letter => Expression::File(letter, operand.to_vec()),
        })
    }

    fn binary(&self, at: usize) -> Result<Expression, UsageError> {
        let (left, right) = (self.word(at), self.word(at + 2));
        let files = |comparison| Ok(Expression::Files(comparison, left.to_vec(), right.to_vec()));
        let comparison = match self.word(at + 1) {
            b"=" | b"==" => return Ok(Expression::Constant(left == right)),
            b"!=" => return Ok(Expression::Constant(left != right)),
            b"<" => return Ok(Expression::Constant(left < right)),
            b">" => return Ok(Expression::Constant(left > right)),
            b"-nt" => return files(FileComparison::Newer),
            b"-ot" => return files(FileComparison::Older),
            b"-ef" => return files(FileComparison::Same),
            b"-eq" => Comparison::Equal,
            b"-ne" => Comparison::NotEqual,
            b"-lt" => Comparison::Less,
            b"-le" => Comparison::LessOrEqual,
            b"-gt" => Comparison::Greater,
            _ => Comparison::GreaterOrEqual,
        };
        Ok(Expression::Numbers(comparison, self.integer(at)?, self.integer(at + 2)?))
    }

    /// A whole number of any length, as sign and digits.
    fn integer(&self, at: usize) -> Result<Vec<u8>, UsageError> {
        let word = self.word(at);
        let text = word.trim_ascii();
        let digits = text.strip_prefix(b"-").or(text.strip_prefix(b"+")).unwrap_or(text);
        if digits.is_empty() || !digits.iter().all(u8::is_ascii_digit) {
            return self.error(at, format!("invalid integer {}", shown(word)));
        }
        Ok(text.to_vec())
    }
}

struct Test(Expression);

impl Filter for Test {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        Ok(ExitStatus(u8::from(!holds(&self.0, io.files()))))
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}

fn path(name: &[u8]) -> &Path {
    Path::new(OsStr::from_bytes(name))
}

fn compare_numbers(one: &[u8], other: &[u8]) -> std::cmp::Ordering {
    let parts = |text: &[u8]| {
        let negative = text.starts_with(b"-");
        let digits = text.strip_prefix(b"-").or(text.strip_prefix(b"+")).unwrap_or(text);
        let zeros = digits.iter().take_while(|byte| **byte == b'0').count();
        let digits = digits[zeros..].to_vec();
        (negative && !digits.is_empty(), digits)
    };
    let ((one_negative, one), (other_negative, other)) = (parts(one), parts(other));
    let magnitude = one.len().cmp(&other.len()).then_with(|| one.cmp(&other));
    match (one_negative, other_negative) {
        (false, false) => magnitude,
        (true, true) => magnitude.reverse(),
        (true, false) => std::cmp::Ordering::Less,
        (false, true) => std::cmp::Ordering::Greater,
    }
}

fn holds(expression: &Expression, files: &dyn Files) -> bool {
    match expression {
        Expression::Constant(value) => *value,
        Expression::Not(inner) => !holds(inner, files),
        Expression::And(one, other) => holds(one, files) && holds(other, files),
        Expression::Or(one, other) => holds(one, files) || holds(other, files),
        Expression::Numbers(comparison, one, other) => {
            let order = compare_numbers(one, other);
            match comparison {
                Comparison::Equal => order.is_eq(),
                Comparison::NotEqual => order.is_ne(),
                Comparison::Less => order.is_lt(),
                Comparison::LessOrEqual => order.is_le(),
                Comparison::Greater => order.is_gt(),
                Comparison::GreaterOrEqual => order.is_ge(),
            }
        }
        Expression::Files(comparison, one, other) => {
            let facts = |name: &[u8]| files.facts(path(name)).ok();
            match (comparison, facts(one), facts(other)) {
                (FileComparison::Same, Some(one), Some(other)) => one.same_file(&other),
                (FileComparison::Newer, Some(one), Some(other)) => {
                    one.modified_ns > other.modified_ns
                }
                (FileComparison::Older, Some(one), Some(other)) => {
                    one.modified_ns < other.modified_ns
                }
                (FileComparison::Newer, Some(_), None) => true,
                (FileComparison::Older, None, Some(_)) => true,
                _ => false,
            }
        }
        Expression::File(letter, name) => file(*letter, name, files),
    }
}

fn file(letter: u8, name: &[u8], files: &dyn Files) -> bool {
    let machine = files.machine();
    let facts = |check: &dyn Fn(FileFacts) -> bool| machine.facts(path(name)).is_ok_and(check);
    let kind = |kind: FileKind| facts(&|facts| facts.kind == kind);
    match letter {
        b'e' => facts(&|_| true),
        b'f' => kind(FileKind::Regular),
        b'd' => kind(FileKind::Directory),
        b'p' => kind(FileKind::Pipe),
        b'S' => kind(FileKind::Socket),
        b'b' => kind(FileKind::BlockDevice),
        b'c' => kind(FileKind::CharacterDevice),
        b'L' | b'h' => {
            machine.link_facts(path(name)).is_ok_and(|facts| facts.kind == FileKind::Link)
        }
        b's' => facts(&|facts| facts.bytes > 0),
        b'r' => machine.permits(path(name), Permission::Read),
        b'w' => machine.permits(path(name), Permission::Write),
        b'x' => machine.permits(path(name), Permission::Execute),
        b'u' => facts(&|facts| facts.mode & 0o4000 != 0),
        b'g' => facts(&|facts| facts.mode & 0o2000 != 0),
        b'k' => facts(&|facts| facts.mode & 0o1000 != 0),
        b'O' => facts(&|facts| facts.owner == machine.user().0),
        b'G' => facts(&|facts| facts.group == machine.user().1),
        b't' => std::str::from_utf8(name)
            .ok()
            .and_then(|text| text.trim().parse().ok())
            .is_some_and(|descriptor| machine.is_terminal(descriptor)),
        _ => false,
    }
}
