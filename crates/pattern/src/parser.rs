//! Pattern text to the syntax tree of the regular-expression crate.

use std::ops::Range;

use regex_syntax::hir::{Class, ClassUnicode, ClassUnicodeRange, Hir, Look};

use crate::decode::{decode, escaped_byte};
use crate::tree::Node;
use crate::{Options, PatternErrorKind, Subject, Syntax, bracket};

/// The most often that an interval may repeat (`RE_DUP_MAX`).
const REPEAT_MAX: u32 = 32_767;

type Failure = (PatternErrorKind, Range<usize>);

/// Parses one pattern text. What its groups hold is added to `groups`.
pub(crate) fn parse(
    text: &[u8],
    syntax: Syntax,
    options: Options,
    groups: &mut Vec<Node>,
) -> Result<Node, Failure> {
    let Options { ignore_case, subject, refuse_bare_class, .. } = options;
    if syntax == Syntax::Fixed {
        return Ok(Node::Leaf(literal_text(text, ignore_case)));
    }
    let extended = syntax != Syntax::Basic;
    let awk = syntax == Syntax::Awk;
    let before = groups.len();
    let mut parser = Parser {
        text,
        at: 0,
        extended,
        awk,
        subject,
        ignore_case,
        refuse_bare_class,
        depth: 0,
        before,
        groups,
    };
    let node = parser.alternation()?;
    if parser.at < text.len() {
        return Err((PatternErrorKind::CloseGroup, parser.at..parser.at + 2));
    }
    Ok(node)
}

fn literal_text(text: &[u8], ignore_case: bool) -> Hir {
    let mut parts = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let (hir, length) = literal(&text[at..], ignore_case);
        parts.push(hir);
        at += length;
    }
    Hir::concat(parts)
}

/// The first character of `text` (a byte where it is no UTF-8) as an expression.
fn literal(text: &[u8], ignore_case: bool) -> (Hir, usize) {
    let Some((character, length)) = decode(text) else {
        return (Hir::literal([text[0]]), 1);
    };
    if ignore_case && character.is_alphabetic() {
        let mut class = ClassUnicode::new([ClassUnicodeRange::new(character, character)]);
        // Fails only without case tables, which are compiled in.
        let _ = class.try_case_fold_simple();
        return (Hir::class(Class::Unicode(class)), length);
    }
    (Hir::literal(&text[..length]), length)
}

/// Groups within groups and repetitions of repetitions beyond this are refused instead of exhausting the
/// stack.
pub(crate) const DEPTH_MAX: usize = 250;

struct Parser<'t> {
    text: &'t [u8],
    at: usize,
    extended: bool,
    awk: bool,
    subject: Subject,
    ignore_case: bool,
    refuse_bare_class: bool,
    depth: usize,
    /// Groups of the texts before this one.
    before: usize,
    /// What each group holds; `Empty` while it is open.
    groups: &'t mut Vec<Node>,
}

impl Parser<'_> {
    /// A class as it means this subject.
    fn class(&self, class: ClassUnicode) -> Node {
        Self::class_without(class, self.subject == Subject::Line)
    }

    /// A class that means everything but something: no newline where lines count.
    fn open_class(&self, class: ClassUnicode) -> Node {
        Self::class_without(class, self.subject != Subject::Text)
    }

    fn class_without(class: ClassUnicode, newline: bool) -> Node {
        let class = if newline { bracket::no_newline(class) } else { class };
        Node::Leaf(Hir::class(Class::Unicode(class)))
    }

    /// What `^` and `$` hold at.
    fn anchors(&self) -> (Look, Look) {
        match self.subject {
            Subject::Text => (Look::Start, Look::End),
            Subject::Line | Subject::Lines => (Look::StartLF, Look::EndLF),
        }
    }

    /// What `` \` `` and `\'` hold at: where the text is a line, the line's ends.
    fn text_ends(&self) -> (Look, Look) {
        match self.subject {
            Subject::Line => (Look::StartLF, Look::EndLF),
            Subject::Text | Subject::Lines => (Look::Start, Look::End),
        }
    }

    fn starts(&self, token: &[u8]) -> bool {
        self.text[self.at..].starts_with(token)
    }

    /// Takes an operator written `x` in extended and `\x` in basic syntax.
    fn take_operator(&mut self, operator: u8) -> bool {
        let found =
            if self.extended { self.starts(&[operator]) } else { self.starts(&[b'\\', operator]) };
        if found {
            self.at += if self.extended { 1 } else { 2 };
        }
        found
    }

    fn at_operator(&self, operator: u8) -> bool {
        if self.extended { self.starts(&[operator]) } else { self.starts(&[b'\\', operator]) }
    }

    /// At the end of a group. An extended `)` outside of any group is itself (the standard
    /// leaves it undefined, the host takes it so).
    fn at_group_end(&self) -> bool {
        self.at_operator(b')') && !(self.extended && self.depth == 0)
    }

    fn alternation(&mut self) -> Result<Node, Failure> {
        let mut branches = vec![self.branch()?];
        while self.take_operator(b'|') {
            branches.push(self.branch()?);
        }
        Ok(Node::Alternation(branches))
    }

    /// A branch ends at `|`, at `)` inside a group, or at the end of the text.
    fn branch(&mut self) -> Result<Node, Failure> {
        let mut parts: Vec<Node> = Vec::new();
        while self.at < self.text.len() && !self.at_operator(b'|') && !self.at_group_end() {
            let start = self.at;
            let first = parts.is_empty();
            let atom = self.atom(first)?;
            let is_anchor_start = !self.extended && first && self.text[start] == b'^';
            let repeated = if is_anchor_start { atom } else { self.repetitions(atom)? };
            parts.push(repeated);
        }
        Ok(Node::Concat(parts))
    }

    fn atom(&mut self, first: bool) -> Result<Node, Failure> {
        let start = self.at;
        let byte = self.text[start];
        match byte {
            b'\\' => return self.escape(),
            b'.' => {
                self.at += 1;
                return Ok(self.open_class(bracket::any()));
            }
            b'[' => {
                let (class, length) =
                    bracket::parse(&self.text[start + 1..], self.ignore_case, self.awk).map_err(
                        |(kind, meant)| {
                            // What has no end is meant with the bracket that opens it.
                            let open = kind == PatternErrorKind::OpenBracket;
                            let from = if open { start } else { start + 1 + meant.start };
                            (kind, from..start + 1 + meant.end)
                        },
                    )?;
                self.at += 1 + length;
                if self.refuse_bare_class && bracket::is_bare_class(&self.text[start..self.at]) {
                    return Err((PatternErrorKind::BareClass, start..self.at));
                }
                if self.text.get(start + 1) == Some(&b'^') {
                    return Ok(self.open_class(class));
                }
                return Ok(self.class(class));
            }
            b'^' if self.extended || first => {
                self.at += 1;
                return Ok(Node::Leaf(Hir::look(self.anchors().0)));
            }
            b'$' if self.extended || self.ends_branch(start + 1) => {
                self.at += 1;
                return Ok(Node::Leaf(Hir::look(self.anchors().1)));
            }
            b'(' if self.extended => {
                self.at += 1;
                return self.group(start);
            }
            // Nothing to repeat: an empty expression is repeated.
            b'*' | b'+' | b'?' if self.extended => return Ok(Node::Leaf(Hir::empty())),
            _ => {}
        }
        let (hir, length) = literal(&self.text[start..], self.ignore_case);
        self.at += length;
        Ok(Node::Leaf(hir))
    }

    fn ends_branch(&self, at: usize) -> bool {
        let rest = &self.text[at..];
        rest.is_empty() || rest.starts_with(b"\\)") || rest.starts_with(b"\\|")
    }

    fn group(&mut self, start: usize) -> Result<Node, Failure> {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return Err((PatternErrorKind::TooDeep, start..self.at));
        }
        let number = self.groups.len();
        self.groups.push(Node::Leaf(Hir::fail()));
        let inside = self.alternation()?;
        if !self.take_operator(b')') {
            return Err((
                PatternErrorKind::OpenGroup,
                start..start + if self.extended { 1 } else { 2 },
            ));
        }
        self.depth -= 1;
        self.groups[number] = inside.clone();
        Ok(Node::Group(number as u32 + 1, Box::new(inside)))
    }

    fn escape(&mut self) -> Result<Node, Failure> {
        let start = self.at;
        let Some(&byte) = self.text.get(start + 1) else {
            return Err((PatternErrorKind::TrailingBackslash, start..start + 1));
        };
        self.at += 2;
        let look = |look| Ok(Node::Leaf(Hir::look(look)));
        match byte {
            b'(' if !self.extended => return self.group(start),
            b'{' if !self.extended => {
                return Err((PatternErrorKind::NothingToRepeat, start..start + 2));
            }
            b'1'..=b'9' if !self.awk => {
                let number = self.before + usize::from(byte - b'0');
                // A group refers to itself only once it is closed.
                let closed = self.groups.get(number - 1);
                if closed.is_none_or(|node| matches!(node, Node::Leaf(hir) if hir == &Hir::fail()))
                {
                    return Err((PatternErrorKind::BackReference, start..start + 2));
                }
                return Ok(Node::BackReference(number as u32, self.subject != Subject::Line));
            }
            b'w' => return Ok(self.class(bracket::word())),
            b'W' => {
                let mut class = bracket::word();
                class.negate();
                return Ok(self.class(class));
            }
            b's' | b'S' => {
                let mut class = bracket::named(b"space").unwrap_or_else(ClassUnicode::empty);
                if byte == b'S' {
                    class.negate();
                }
                return Ok(self.class(class));
            }
            b'b' if !self.awk => return look(Look::WordUnicode),
            b'y' if self.awk => return look(Look::WordUnicode),
            b'B' => return look(Look::WordUnicodeNegate),
            b'<' => return look(Look::WordStartUnicode),
            b'>' => return look(Look::WordEndUnicode),
            b'`' => return look(self.text_ends().0),
            b'\'' => return look(self.text_ends().1),
            _ => {}
        }
        if self.awk
            && let Some((byte, length)) = escaped_byte(&self.text[start + 1..])
        {
            self.at = start + 1 + length;
            return Ok(Node::Leaf(literal(&[byte], self.ignore_case).0));
        }
        // The character itself; as the host has it, also an operator with nothing before it.
        let (hir, length) = literal(&self.text[start + 1..], self.ignore_case);
        self.at = start + 1 + length;
        Ok(Node::Leaf(hir))
    }

    fn repetitions(&mut self, mut node: Node) -> Result<Node, Failure> {
        // Each is one more around what is repeated.
        let mut deep = self.depth;
        loop {
            let start = self.at;
            let (min, max) = if self.starts(b"*") {
                self.at += 1;
                (0, None)
            } else if self.at_operator(b'+') {
                self.take_operator(b'+');
                (1, None)
            } else if self.at_operator(b'?') {
                self.take_operator(b'?');
                (0, Some(1))
            } else if self.at_operator(b'{') {
                match self.interval()? {
                    Some(bounds) => bounds,
                    None => return Ok(node),
                }
            } else {
                return Ok(node);
            };
            if max.is_some_and(|max| max < min) {
                return Err((PatternErrorKind::BadInterval, start..self.at));
            }
            if min > REPEAT_MAX || max.is_some_and(|max| max > REPEAT_MAX) {
                return Err((PatternErrorKind::TooBig, start..self.at));
            }
            deep += 1;
            if deep > DEPTH_MAX {
                return Err((PatternErrorKind::TooDeep, start..self.at));
            }
            node = Node::Repeat { min, max, node: Box::new(node) };
        }
    }

    /// `{n}`, `{n,}`, `{,m}`, `{n,m}`. In extended syntax a brace that begins no interval is
    /// itself, and `None` is given.
    fn interval(&mut self) -> Result<Option<(u32, Option<u32>)>, Failure> {
        let start = self.at;
        self.take_operator(b'{');
        let end_token: &[u8] = if self.extended { b"}" } else { b"\\}" };
        let rest = &self.text[self.at..];
        let Some(length) = rest.windows(end_token.len()).position(|part| part == end_token) else {
            if self.extended {
                self.at = start;
                return Ok(None);
            }
            return Err((PatternErrorKind::OpenInterval, start..start + 2));
        };
        let body = std::str::from_utf8(&rest[..length]).unwrap_or("?");
        let number = |text: &str| {
            let digits = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
            digits.then(|| text.parse::<u32>().unwrap_or(u32::MAX))
        };
        let bounds = match body.split_once(',') {
            None => number(body).map(|exact| (exact, Some(exact))),
            Some(("", "")) => Some((0, None)),
            Some(("", max)) => number(max).map(|max| (0, Some(max))),
            Some((min, "")) => number(min).map(|min| (min, None)),
            Some((min, max)) => number(min).zip(number(max)).map(|(min, max)| (min, Some(max))),
        };
        match bounds {
            Some(bounds) => {
                self.at += length + end_token.len();
                Ok(Some(bounds))
            }
            // What only looks like an interval is text, as the host has it.
            None if self.extended
                && !body.bytes().all(|byte| byte.is_ascii_digit() || byte == b',') =>
            {
                self.at = start;
                Ok(None)
            }
            None => Err((PatternErrorKind::BadInterval, start..self.at + length + end_token.len())),
        }
    }
}
