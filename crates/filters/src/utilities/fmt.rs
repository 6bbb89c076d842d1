//! `fmt`: reformats paragraphs to lines of even length.

use bytes::Bytes;
use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb, example,
    option, shown,
};
use crate::text::phrases::{counted, from_files};

mod breaks;

use breaks::{Breaks, Word};

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
    option('u', "uniform-spacing", None, "one blank between words, two after sentences", false),
    option('w', "width", Some("NUM"), "at most NUM columns (default 75)", false),
];

static SPEC: Spec = Spec {
    name: "fmt",
    summary: "reformats paragraphs to lines of even length",
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

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

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

/// An input line, its beginning taken apart.
struct Line {
    /// Columns before the prefix.
    prefix_indent: usize,
    /// Columns before the text.
    column: usize,
    /// Where the text begins.
    at: usize,
    text: Bytes,
    id: LineId,
    newline: bool,
}

impl Line {
    fn is_blank(&self) -> bool {
        self.at >= self.text.len()
    }
}

/// The paragraph being read. Memory: about 5 000 bytes, as long ones are written in parts.
#[derive(Default)]
struct Paragraph {
    words: Vec<Word>,
    bytes: usize,
    prefix_indent: usize,
    first_indent: usize,
    other_indent: usize,
    /// Lines read, and the indent of the last.
    lines: usize,
    /// Columns of the line written last.
    last_length: usize,
    from: Option<(LineId, LineId)>,
    /// Indents are written with tabs once a tab was read.
    tabs: bool,
}

/// What the paragraph holds before a part of it is written.
const BYTES_MAX: usize = 5000;
const WORDS_MAX: usize = 998;

/// The indent of the other lines of a tagged paragraph of one line.
const TAGGED_INDENT: usize = 3;

impl Fmt {
    fn one_input(&self, io: &mut StageIo<'_>, input: &mut Input) -> Result<(), InputTrouble> {
        let mut paragraph = Paragraph::default();
        while let Some(lines) = input.next_lines()? {
            let mut rest = lines.bytes.clone();
            let mut id = lines.first;
            while !rest.is_empty() {
                let end = memchr::memchr(b'\n', &rest);
                let mut text = rest.split_to(end.map_or(rest.len(), |at| at + 1));
                if end.is_some() {
                    text.truncate(text.len() - 1);
                }
                let line = self.take_apart(text, id, end.is_some(), &mut paragraph.tabs);
                id = id.plus(1);
                self.take(io, &mut paragraph, line)?;
            }
        }
        self.end(io, &mut paragraph)
    }

    fn take_apart(&self, text: Bytes, id: LineId, newline: bool, tabs: &mut bool) -> Line {
        let mut reader = Reader { text: &text, at: 0, column: 0, tabs };
        reader.blanks();
        let prefix_indent = if self.prefix.is_empty() {
            self.prefix_indent.min(reader.column)
        } else {
            let indent = reader.column;
            let same = self
                .prefix
                .iter()
                .zip(&text[reader.at..])
                .take_while(|(one, other)| one == other)
                .count();
            reader.at += same;
            reader.column += same;
            if same == self.prefix.len() {
                reader.blanks();
            }
            indent
        };
        let (column, at) = (reader.column, reader.at);
        Line { prefix_indent, column, at, text, id, newline }
    }

    /// True for a line that is not filled but copied.
    fn is_apart(&self, line: &Line) -> bool {
        line.is_blank()
            || line.prefix_indent < self.prefix_indent
            || line.column < line.prefix_indent + self.prefix_full
    }

    fn take(
        &self,
        io: &mut StageIo<'_>,
        paragraph: &mut Paragraph,
        line: Line,
    ) -> Result<(), InputTrouble> {
        let same = paragraph.lines > 0
            && line.prefix_indent == paragraph.prefix_indent
            && line.column >= line.prefix_indent + self.prefix_full
            && !line.is_blank();
        if paragraph.lines == 1 {
            self.set_other_indent(paragraph, same.then_some(line.column));
        }
        let goes_on = same
            && !self.split
            && match paragraph.lines {
                1 if self.crown => true,
                1 if self.tagged => line.column != paragraph.first_indent,
                _ => line.column == paragraph.other_indent,
            };
        if paragraph.lines > 0 && !goes_on {
            self.end(io, paragraph)?;
        }
        if !goes_on && self.is_apart(&line) {
            return self.copy(io, &line, paragraph.tabs);
        }
        if paragraph.lines == 0 {
            paragraph.prefix_indent = line.prefix_indent;
            paragraph.first_indent = line.column;
            paragraph.last_length = 0;
        }
        paragraph.lines += 1;
        paragraph.from = Some((paragraph.from.map_or(line.id, |(first, _)| first), line.id));
        self.words(io, paragraph, &line)
    }

    fn set_other_indent(&self, paragraph: &mut Paragraph, next: Option<usize>) {
        let first = paragraph.first_indent;
        match next {
            _ if self.split => paragraph.other_indent = first,
            next if self.crown => paragraph.other_indent = next.unwrap_or(first),
            Some(next) if self.tagged && next != first => paragraph.other_indent = next,
            _ if self.tagged => {
                if paragraph.other_indent == first {
                    paragraph.other_indent = if first == 0 { TAGGED_INDENT } else { 0 };
                }
            }
            _ => paragraph.other_indent = first,
        }
    }

    fn words(
        &self,
        io: &mut StageIo<'_>,
        paragraph: &mut Paragraph,
        line: &Line,
    ) -> Result<(), InputTrouble> {
        let mut tabs = paragraph.tabs;
        let mut reader =
            Reader { text: &line.text, at: line.at, column: line.column, tabs: &mut tabs };
        let mut words = Vec::new();
        while reader.at < line.text.len() {
            let start = reader.at;
            let space = |byte: &u8| matches!(byte, b' ' | 9..=13);
            reader.at += 1;
            reader.at += line.text[reader.at..].iter().take_while(|byte| !space(byte)).count();
            let text = &line.text[start..reader.at];
            reader.column += text.len();
            let before = reader.column;
            reader.blanks();
            let ends_line = reader.at >= line.text.len();
            let ends_file = ends_line && !line.newline;
            words.push(Word::new(text, reader.column - before, ends_line, ends_file, self.uniform));
        }
        paragraph.tabs = tabs;
        for word in words {
            if paragraph.bytes + word.text.len() > BYTES_MAX && !paragraph.words.is_empty() {
                self.write_part(io, paragraph)?;
            }
            paragraph.bytes += word.text.len();
            paragraph.words.push(word);
            if paragraph.words.len() > WORDS_MAX {
                let last = paragraph.words.pop();
                self.write_part(io, paragraph)?;
                paragraph.words.extend(last);
            }
        }
        Ok(())
    }

    /// Writes a good part of a long paragraph, and keeps the rest.
    fn write_part(
        &self,
        io: &mut StageIo<'_>,
        paragraph: &mut Paragraph,
    ) -> Result<(), InputTrouble> {
        let breaks = self.breaks(paragraph);
        let end = breaks.good_place();
        self.write(io, paragraph, &breaks, end)?;
        paragraph.words.drain(..end);
        paragraph.bytes = paragraph.words.iter().map(|word| word.text.len()).sum();
        Ok(())
    }

    fn breaks(&self, paragraph: &Paragraph) -> Breaks {
        Breaks::new(
            &paragraph.words,
            [paragraph.first_indent, paragraph.other_indent],
            self.width,
            self.goal,
            paragraph.last_length,
        )
    }

    /// Writes what is left of the paragraph.
    fn end(&self, io: &mut StageIo<'_>, paragraph: &mut Paragraph) -> Result<(), InputTrouble> {
        if paragraph.lines == 1 {
            self.set_other_indent(paragraph, None);
        }
        if let Some(word) = paragraph.words.last_mut() {
            word.finish();
            let breaks = self.breaks(paragraph);
            let all = paragraph.words.len();
            self.write(io, paragraph, &breaks, all)?;
        }
        let (other_indent, tabs) = (paragraph.other_indent, paragraph.tabs);
        *paragraph = Paragraph { other_indent, tabs, ..Paragraph::default() };
        Ok(())
    }

    fn write(
        &self,
        io: &mut StageIo<'_>,
        paragraph: &mut Paragraph,
        breaks: &Breaks,
        end: usize,
    ) -> Result<(), InputTrouble> {
        let mut start = 0;
        let mut indent = paragraph.first_indent;
        while start < end {
            let next = breaks.next(start);
            let mut out = Columns { bytes: Vec::new(), column: 0, tabs: paragraph.tabs };
            out.blanks(paragraph.prefix_indent);
            out.bytes.extend_from_slice(&self.prefix);
            out.column += self.prefix.len();
            out.blanks(indent.saturating_sub(out.column));
            for (place, word) in paragraph.words[start..next].iter().enumerate() {
                out.bytes.extend_from_slice(&word.text);
                out.column += word.text.len();
                if start + place + 1 < next {
                    out.blanks(word.space);
                }
            }
            paragraph.last_length = out.column;
            let origin = paragraph.from.map_or(Origin::None, |(from, to)| Origin::Range(from, to));
            io.out().line(&out.bytes, origin)?;
            start = next;
            indent = paragraph.other_indent;
        }
        Ok(())
    }

    fn copy(&self, io: &mut StageIo<'_>, line: &Line, tabs: bool) -> Result<(), InputTrouble> {
        let mut out = Columns { bytes: Vec::new(), column: 0, tabs };
        if line.column > line.prefix_indent || !line.is_blank() {
            out.blanks(line.prefix_indent);
            let shown = self.prefix.len().min(line.column - out.column.min(line.column));
            out.bytes.extend_from_slice(&self.prefix[..shown]);
            out.column += shown;
            if !line.is_blank() {
                out.blanks(line.column.saturating_sub(out.column));
            } else if !line.newline && line.column >= line.prefix_indent + self.prefix.len() {
                out.bytes.push(b'\n');
            }
        }
        out.bytes.extend_from_slice(&line.text[line.at.min(line.text.len())..]);
        if line.newline {
            out.bytes.push(b'\n');
        }
        io.out().put(&out.bytes, Origin::Line(line.id))?;
        Ok(())
    }
}

/// A line being written, its columns counted.
struct Columns {
    bytes: Vec<u8>,
    column: usize,
    tabs: bool,
}

impl Columns {
    /// Blanks up to this many columns further, with tabs where they reach.
    fn blanks(&mut self, count: usize) {
        let target = self.column + count;
        if self.tabs {
            let tab_target = target / 8 * 8;
            if self.column + 1 < tab_target {
                while self.column < tab_target {
                    self.bytes.push(b'\t');
                    self.column = (self.column / 8 + 1) * 8;
                }
            }
        }
        self.bytes.resize(self.bytes.len() + target.saturating_sub(self.column), b' ');
        self.column = self.column.max(target);
    }
}

/// Reads a line with its columns counted.
struct Reader<'l> {
    text: &'l [u8],
    at: usize,
    column: usize,
    /// Set when a tab is met.
    tabs: &'l mut bool,
}

impl Reader<'_> {
    fn blanks(&mut self) {
        while let Some(&byte) = self.text.get(self.at) {
            match byte {
                b' ' => self.column += 1,
                b'\t' => {
                    *self.tabs = true;
                    self.column = (self.column / 8 + 1) * 8;
                }
                _ => break,
            }
            self.at += 1;
        }
    }
}
