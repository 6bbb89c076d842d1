use bytes::Bytes;
use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::arguments::shown;
use crate::registry::Definition;
use crate::spec::{example, option};
use crate::words::{counted, from_files};
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

mod breaks;

use breaks::{Word, best_breaks};

const OPTIONS: &[OptionSpec] = &[
    option(
        'c',
        "crown-margin",
        None,
        "keep the indents of the first two lines of a paragraph",
        false,
    ),
    option('g', "goal", Some("NUM"), "aim at lines of NUM columns (93 % of the width)", false),
    option(
        'p',
        "prefix",
        Some("TEXT"),
        "only lines that begin with TEXT; it stays before each",
        false,
    ),
    option('s', "split-only", None, "break long lines, but do not join short ones", false),
    option(
        't',
        "tagged-paragraph",
        None,
        "as -c, but a different indent begins a paragraph",
        false,
    ),
    option('u', "uniform-spacing", None, "one blank between words, two behind sentences", false),
    option('w', "width", Some("NUM"), "at most NUM columns (75 without)", false),
];

static SPEC: Spec = Spec {
    name: "fmt",
    summary: "fills paragraphs to even lines",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::NumberIs('w'),
    usage_status: 1,
    examples: &[
        example("fmt -w 60 wardens.txt", "paragraphs of at most 60 columns"),
        example("fmt -s -w 40", "long lines broken, short ones left"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition { spec: &SPEC, build, explain };

/// The widest lines that can be asked for.
const WIDTH_MAX: u64 = 2500;

struct Fmt {
    files: Vec<Vec<u8>>,
    crown: bool,
    tagged: bool,
    split: bool,
    uniform: bool,
    /// Without the blanks around it.
    prefix: Vec<u8>,
    /// Blanks before the prefix.
    prefix_indent: usize,
    /// The columns of the prefix with the blanks behind it.
    prefix_full: usize,
    width: usize,
    goal: usize,
}

fn columns(arguments: &Arguments, short: char, most: u64) -> Result<Option<usize>, UsageError> {
    let Some(given) = arguments.last(short) else { return Ok(None) };
    let number = std::str::from_utf8(&given.value).ok().and_then(|text| text.parse::<u64>().ok());
    match number {
        Some(number) if number <= most => Ok(Some(number as usize)),
        _ => {
            let message = format!("invalid width: {}", shown(&given.value));
            Err(UsageError::new(&SPEC, Some(given.word), message))
        }
    }
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let given = columns(arguments, 'w', WIDTH_MAX)?;
    let width = given.unwrap_or(75);
    let goal = columns(arguments, 'g', if given.is_some() { width as u64 } else { WIDTH_MAX })?;
    let (width, goal) = match (given, goal) {
        (None, Some(goal)) => (goal + 10, goal),
        (_, Some(goal)) => (width, goal),
        (_, None) => (width, width * (2 * (100 - 7) + 1) / 200),
    };
    let text = arguments.last('p').map(|given| given.value.clone()).unwrap_or_default();
    let prefix_indent = text.iter().take_while(|byte| **byte == b' ').count();
    let rest = &text[prefix_indent..];
    let kept = rest.iter().rposition(|byte| *byte != b' ').map_or(0, |at| at + 1);
    Ok(Box::new(Fmt {
        files: arguments.operand_values(),
        crown: arguments.has('c'),
        tagged: arguments.has('t'),
        split: arguments.has('s'),
        uniform: arguments.has('u'),
        prefix: rest[..kept].to_vec(),
        prefix_indent,
        prefix_full: rest.len(),
        width,
        goal,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let width = columns(arguments, 'w', WIDTH_MAX).ok().flatten().unwrap_or(75) as u64;
    let files = from_files(&arguments.operand_values());
    let what = if arguments.has('s') { "breaks lines" } else { "fills paragraphs" };
    format!("{what}{files} to at most {}", counted(width, "column", "columns"))
}

/// An input line, taken apart.
struct Line {
    /// Columns of blanks before the text (behind the prefix).
    indent: usize,
    /// What stands before the prefix, in columns.
    prefix_indent: usize,
    words: Vec<Word>,
    /// The line as it is.
    text: Bytes,
    id: LineId,
    /// False where the prefix is missing, or nothing is behind it.
    fills: bool,
    newline: bool,
}

impl Filter for Fmt {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, _| self.one_input(io, input))?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Merges
    }
}

impl Fmt {
    /// Memory: one paragraph.
    fn one_input(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let mut paragraph: Vec<Line> = Vec::new();
        while let Some(lines) = input.next_lines()? {
            let mut rest = lines.bytes.clone();
            let mut id = lines.first;
            while !rest.is_empty() {
                let end = memchr::memchr(b'\n', &rest);
                let mut text = rest.split_to(end.map_or(rest.len(), |at| at + 1));
                if end.is_some() {
                    text.truncate(text.len() - 1);
                }
                let line = self.take_apart(text, id, end.is_some());
                id = id.plus(1);
                if !line.fills {
                    self.fill(io, &mut paragraph)?;
                    copy(io, &line)?;
                    continue;
                }
                if !self.belongs(&paragraph, &line) {
                    self.fill(io, &mut paragraph)?;
                }
                paragraph.push(line);
            }
        }
        self.fill(io, &mut paragraph)
    }

    /// Whether a line goes on with the paragraph.
    fn belongs(&self, paragraph: &[Line], line: &Line) -> bool {
        let Some(first) = paragraph.first() else { return true };
        let last = paragraph.last().unwrap_or(first);
        if self.split || first.prefix_indent != line.prefix_indent {
            return false;
        }
        if self.crown || self.tagged {
            if paragraph.len() == 1 {
                return !self.tagged || line.indent != first.indent;
            }
            return line.indent == last.indent;
        }
        line.indent == first.indent
    }

    fn take_apart(&self, text: Bytes, id: LineId, newline: bool) -> Line {
        let mut reader = Reader { text: &text, at: 0, column: 0 };
        let mut line = Line {
            indent: 0,
            prefix_indent: 0,
            words: Vec::new(),
            text: Bytes::new(),
            id,
            fills: false,
            newline,
        };
        line.prefix_indent = reader.blanks();
        let has_prefix = self.prefix.is_empty()
            || line.prefix_indent >= self.prefix_indent
                && text[reader.at..].starts_with(&self.prefix);
        if has_prefix {
            reader.at += self.prefix.len();
            reader.column += self.prefix.len();
            if self.prefix.is_empty() {
                line.indent = line.prefix_indent;
                line.prefix_indent = 0;
            } else {
                reader.blanks();
                line.indent = reader.column;
            }
            let needed = line.prefix_indent + self.prefix_full;
            line.fills =
                reader.at < text.len() && (self.prefix.is_empty() || reader.column >= needed);
            if line.fills {
                line.words = reader.words(self.uniform);
            }
        }
        line.text = text;
        line
    }

    fn fill(&self, io: &mut StageIo<'_>, paragraph: &mut Vec<Line>) -> Result<(), InputTrouble> {
        let Some(first) = paragraph.first() else { return Ok(()) };
        let first_indent = first.indent;
        let prefix_indent = first.prefix_indent;
        // What the lines behind the first are indented by.
        let other_indent = if (self.crown || self.tagged) && paragraph.len() > 1 {
            paragraph[1].indent
        } else if self.tagged {
            if first_indent == 0 { 3 } else { 0 }
        } else {
            first_indent
        };
        let (from, to) = (first.id, paragraph.last().map_or(first.id, |line| line.id));
        let mut words: Vec<(Word, &Line)> = Vec::new();
        for line in paragraph.iter() {
            words.extend(line.words.iter().map(|word| (*word, line)));
        }
        if let Some((word, _)) = words.last_mut() {
            word.finish();
        }
        let plain: Vec<Word> = words.iter().map(|(word, _)| *word).collect();
        let breaks = best_breaks(&plain, first_indent, other_indent, self.width, self.goal);
        let mut start = 0;
        for (number, end) in breaks.into_iter().enumerate() {
            let mut whole = vec![b' '; prefix_indent];
            whole.extend_from_slice(&self.prefix);
            let indent = if number == 0 { first_indent } else { other_indent };
            let written =
                if self.prefix.is_empty() { 0 } else { prefix_indent + self.prefix.len() };
            whole.resize(whole.len() + indent.saturating_sub(written), b' ');
            for (place, (word, line)) in words[start..end].iter().enumerate() {
                whole.extend_from_slice(&line.text[word.start..word.end]);
                if place + 1 < end - start {
                    whole.resize(whole.len() + word.space, b' ');
                }
            }
            io.out().line(&whole, Origin::Range(from, to))?;
            start = end;
        }
        paragraph.clear();
        Ok(())
    }
}

fn copy(io: &mut StageIo<'_>, line: &Line) -> Result<(), InputTrouble> {
    if line.newline {
        io.out().line(&line.text, Origin::Line(line.id))?;
    } else {
        io.out().put(&line.text, Origin::Line(line.id))?;
    }
    Ok(())
}

/// Reads a line with its columns counted.
struct Reader<'l> {
    text: &'l [u8],
    at: usize,
    column: usize,
}

impl Reader<'_> {
    /// Passes over blanks; gives the column behind them.
    fn blanks(&mut self) -> usize {
        while let Some(&byte) = self.text.get(self.at) {
            match byte {
                b' ' => self.column += 1,
                b'\t' => self.column = (self.column / 8 + 1) * 8,
                _ => break,
            }
            self.at += 1;
        }
        self.column
    }

    fn words(&mut self, uniform: bool) -> Vec<Word> {
        let mut words = Vec::new();
        while self.at < self.text.len() {
            let start = self.at;
            let space = |byte: &u8| matches!(byte, b' ' | 9..=13);
            self.at += self.text[start..].iter().take_while(|byte| !space(byte)).count();
            let text = &self.text[start..self.at];
            self.column += text.len();
            let before = self.column;
            self.blanks();
            // Other white space than blanks and tabs is passed over too.
            while self.text.get(self.at).is_some_and(space) {
                self.at += 1;
                self.blanks();
            }
            let mut word = Word::new(start, start + text.len(), text);
            word.ends_sentence(self.at >= self.text.len(), self.column - before, uniform);
            words.push(word);
        }
        words
    }
}
