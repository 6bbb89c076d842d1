//! What notes look at: a stage, its place in the text, its data.

use std::cell::OnceCell;

use bytes::Bytes;
use engine::{InputRecord, Kept, Preview, StageKind, StageResult};
use filters::{Arguments, Given};
use shell::{Command, Part, Script, Span, Word};

use super::compressed_form::compressed_form;
use super::note::{Fix, Note, NoteKind, Severity};
use super::seen::Seen;
use crate::describe::units::grouped;
use crate::edit::field_list::fields_of_list;
use crate::edit::stages::TextEdit;

/// A stage as notes see it.
pub(super) struct Look<'p> {
    pub(super) preview: &'p Preview,
    pub(super) number: usize,
    pub(super) stage: &'p StageResult,
    /// Its arguments, for a filter of our own that is not switched off.
    pub(super) arguments: Option<Arguments>,
    /// Its command in the text.
    pub(super) command: Option<&'p Command>,
    script: Option<&'p Script>,
    lines: OnceCell<Seen>,
    peek: OnceCell<Vec<Bytes>>,
}

impl<'p> Look<'p> {
    pub(super) fn of(preview: &'p Preview, number: usize, script: Option<&'p Script>) -> Self {
        let stage = &preview.stages[number];
        let arguments = match &stage.plan.kind {
            StageKind::Native(definition) if stage.plan.off.is_none() => {
                definition.parse(&stage.plan.arguments).ok()
            }
            _ => None,
        };
        let starts = |command: &&Command| command.span == stage.span;
        let command = script.and_then(|script| {
            script.pipelines().flat_map(|pipeline| &pipeline.commands).find(starts)
        });
        Self {
            preview,
            number,
            stage,
            arguments,
            command,
            script,
            lines: OnceCell::new(),
            peek: OnceCell::new(),
        }
    }

    /// Its arguments, where it is this filter and not switched off.
    pub(super) fn arguments_of(&self, name: &str) -> Option<&Arguments> {
        self.arguments.as_ref().filter(|_| self.stage.name == name)
    }

    /// True for this filter of our own, where it is not switched off.
    pub(super) fn is(&self, name: &str) -> bool {
        let plan = &self.stage.plan;
        self.stage.name == name && plan.off.is_none() && matches!(plan.kind, StageKind::Native(_))
    }

    /// True where bytes are its characters, and their order is that of the bytes.
    pub(super) fn is_bytewise(&self) -> bool {
        let set = &self.stage.plan.environment.set;
        set.iter().any(|(name, value)| name == "LC_ALL" && matches!(&value[..], b"C" | b"POSIX"))
    }

    /// True where the option with this long name is given.
    pub(super) fn has_long(&self, long: &str) -> bool {
        let StageKind::Native(definition) = &self.stage.plan.kind else { return false };
        let option = definition.spec.options.iter().find(|option| option.long == long);
        let arguments = self.arguments.as_ref();
        option.zip(arguments).is_some_and(|(option, arguments)| arguments.has(option.id))
    }

    /// The fields that `cut -f` takes, from 1; at most 512. `None` for all that is none, and where
    /// the list says what is left out.
    pub(super) fn cut_fields(&self) -> Option<Vec<usize>> {
        let arguments = self.arguments_of("cut")?;
        let list = String::from_utf8_lossy(&arguments.last('f')?.value).into_owned();
        if arguments.has('z') || self.has_long("complement") {
            return None;
        }
        let chosen = fields_of_list(&list, 512)?;
        Some((1..=512).filter(|&field| chosen[field - 1]).collect())
    }

    /// The stage before it, where what that writes is what this one reads.
    pub(super) fn before(&self) -> Option<Look<'p>> {
        let number = self.number.checked_sub(1)?;
        let before = self.preview.stages.get(number)?;
        let reads = self.reads_standard_only();
        (before.plan.feeds_next() && reads).then(|| self.other(number))
    }

    /// The stage after it, where that reads what this one writes.
    pub(super) fn after(&self) -> Option<Look<'p>> {
        let number = self.number + 1;
        self.preview.stages.get(number)?;
        let after = self.other(number);
        (self.stage.plan.feeds_next() && after.reads_standard_only()).then_some(after)
    }

    fn other(&self, number: usize) -> Look<'p> {
        Look::of(self.preview, number, self.script)
    }

    /// True where all it reads comes from the stage before it.
    pub(super) fn reads_standard_only(&self) -> bool {
        self.stage.inputs.iter().all(|input| input.name == stream::InputName::Standard)
            && self.stage.plan.input_target().is_none()
    }

    /// True where nothing else has a part in what it does: no redirections, no variables before it.
    pub(super) fn is_plain(&self) -> bool {
        self.stage.plan.targets.is_empty()
            && self.command.is_none_or(|command| {
                command.assignments.is_empty() && command.redirections.is_empty()
            })
    }

    /// Its inputs that have lines: all but those that are compressed.
    pub(super) fn text_inputs(&self) -> impl Iterator<Item = &'p InputRecord> {
        self.stage.inputs.iter().filter(|input| compressed_form(&input.kept).is_none())
    }

    /// Its input lines, as many as are looked at.
    pub(super) fn lines(&self) -> &Seen {
        self.lines.get_or_init(|| Seen::of(self.text_inputs().map(|input| &*input.kept)))
    }

    /// True where all its input lines are looked at.
    pub(super) fn sees_all(&self) -> bool {
        self.lines().len() as u64 == self.stage.input_lines()
    }

    /// How many lines are looked at, in words: as the first ones where there are more.
    pub(super) fn lines_said(&self) -> String {
        self.said(" lines")
    }

    /// Of how many, whatever its lines are called.
    fn said(&self, called: &str) -> String {
        let first = if self.sees_all() { "" } else { "the first " };
        format!("{first}{}{called}", grouped(self.lines().len() as u64))
    }

    /// `count` of the lines that are looked at, and what they do, in the form for several and for one: `3 of
    /// 1 041 lines have`, `1 of 2 lines has`, `the only line has`.
    pub(super) fn part_said(&self, count: u64, several: &str, one: &str) -> String {
        format!("{} {}", self.within_said(count, "line"), if count == 1 { one } else { several })
    }

    /// The same without what they do, for lines that are called something else too.
    pub(super) fn within_said(&self, count: u64, called: &str) -> String {
        match (self.lines().len(), self.sees_all()) {
            (1, true) => format!("the only {called}"),
            _ => format!("{} of {}", grouped(count), self.said(&format!(" {called}s"))),
        }
    }

    /// None of them, and what it does.
    pub(super) fn none_said(&self, has: &str) -> String {
        match (self.lines().len(), self.sees_all()) {
            (1, true) => format!("the only line {has} no"),
            _ => format!("none of {} {has} a", self.lines_said()),
        }
    }

    /// A line by its number over all that is looked at, from 0, in words: with the name of its input
    /// where there are several.
    pub(super) fn line_said(&self, number: u64) -> String {
        let mut rest = number;
        for input in self.text_inputs() {
            if rest < input.kept.lines() {
                let line = grouped(rest + 1);
                return match self.stage.inputs.len() {
                    1 => line,
                    _ => format!("{line} of {}", self.stage.input_label(input)),
                };
            }
            rest -= input.kept.lines();
        }
        grouped(number + 1)
    }

    /// What a figure without a whole has after it: nothing, or that it is of the first lines.
    pub(super) fn within(&self) -> String {
        if self.sees_all() { String::new() } else { format!(" in {}", self.lines_said()) }
    }

    /// Some of its input lines: the first ones, and a few from all over. Where none of them is as a
    /// note needs it, the others are not looked at: most notes are not true of most data, and what
    /// they cost then must not be felt.
    pub(super) fn peek(&self) -> &[Bytes] {
        self.peek.get_or_init(|| {
            let mut lines = Vec::new();
            for input in self.text_inputs() {
                lines.extend(some_lines(&input.kept));
            }
            lines
        })
    }

    /// True where some of its lines are like this, by what is seen of them.
    pub(super) fn some(&self, like: impl Fn(&[u8]) -> bool) -> bool {
        self.peek().iter().any(|line| like(line))
    }

    /// The text it is in.
    pub(super) fn text(&self) -> &'p str {
        &self.preview.text
    }

    /// A part of that text.
    pub(super) fn source(&self, span: Span) -> &'p str {
        self.preview.text.get(span.range()).unwrap_or_default()
    }

    /// The place of an argument.
    pub(super) fn span_of(&self, word: usize) -> Option<Span> {
        self.stage.plan.argument_spans.get(word).copied()
    }

    /// The word of the text an argument comes from.
    pub(super) fn word(&self, argument: usize) -> Option<&'p Word> {
        let span = self.span_of(argument)?;
        self.command?.words.iter().find(|word| word.span == span)
    }

    /// True where the argument is in the text as what it is, quoted or not.
    pub(super) fn is_literal(&self, argument: usize) -> bool {
        self.word(argument).is_some_and(|word| word.literal().is_some())
    }

    /// A note on this stage as a whole.
    pub(super) fn note(&self, kind: NoteKind, severity: Severity, text: impl Into<String>) -> Note {
        self.note_at(kind, severity, self.stage.span, text)
    }

    /// A note on a place in this stage.
    pub(super) fn note_at(
        &self,
        kind: NoteKind,
        severity: Severity,
        span: Span,
        text: impl Into<String>,
    ) -> Note {
        Note {
            kind,
            stage: self.number,
            severity,
            span,
            count: 1,
            text: text.into(),
            fix: None,
            always: None,
        }
    }

    /// The place of an argument, or of the stage.
    pub(super) fn place(&self, argument: usize) -> Span {
        self.span_of(argument).unwrap_or(self.stage.span)
    }

    /// Where the stage's name ends.
    pub(super) fn name_end(&self) -> usize {
        let source = self.source(self.stage.span);
        let name = self.stage.name.as_str();
        self.stage.span.start + source.find(name).map_or(0, |at| at + name.len())
    }

    /// The text of its words, without redirections after them.
    pub(super) fn words_span(&self) -> Option<Span> {
        let words = &self.command?.words;
        Some(words.first()?.span.to(words.last()?.span))
    }

    /// Puts options after the stage's name.
    pub(super) fn with_option(&self, option: &str) -> Vec<TextEdit> {
        insert(self.name_end(), &format!(" {option}"))
    }

    /// Puts `stage` before this one, which then reads what that writes. Where this one names the
    /// one file that it reads, the new stage reads it: by its name where it `takes_file`.
    pub(super) fn put_before(&self, stage: &str, takes_file: bool) -> Option<Vec<TextEdit>> {
        let start = self.stage.span.start;
        let files: Vec<usize> = self.file_words();
        let Some(&word) = files.first() else {
            if let Some(command) = self.command
                && command.redirections.iter().any(|one| one.descriptor == 0)
            {
                return self.put_after_redirection(command, stage);
            }
            return Some(insert(start, &format!("{stage} | ")));
        };
        if files.len() > 1 {
            return None;
        }
        let span = self.span_of(word)?;
        let name = self.source(span);
        let passes = self.is("cat") && self.stage.plan.arguments.len() == 1 && !takes_file;
        if let Some(words) = self.words_span().filter(|_| passes) {
            return Some(replace(words, format!("{stage} < {name}")));
        }
        let before = &self.text()[..span.start];
        let blanks = before.len() - before.trim_end().len();
        let reads = if takes_file { "" } else { "< " };
        let mut edits = insert(start, &format!("{stage} {reads}{name} | "));
        edits.push(remove(Span::new(span.start - blanks, span.end)));
        Some(edits)
    }

    /// The new stage takes the redirection of standard input with it.
    fn put_after_redirection(&self, command: &Command, stage: &str) -> Option<Vec<TextEdit>> {
        let of_input: Vec<_> =
            command.redirections.iter().filter(|one| one.descriptor == 0).collect();
        let [one] = of_input[..] else { return None };
        if !matches!(one.kind, shell::RedirectionKind::Read(_)) {
            return None;
        }
        let before = &self.text()[..one.span.start];
        let blanks = before.len() - before.trim_end().len();
        let text = format!("{stage} {} | ", self.source(one.span));
        let mut edits = insert(self.stage.span.start, &text);
        edits.push(remove(Span::new(one.span.start - blanks, one.span.end)));
        Some(edits)
    }

    /// The arguments that are files it reads.
    pub(super) fn file_words(&self) -> Vec<usize> {
        let Some(arguments) = &self.arguments else { return Vec::new() };
        let skipped = match self.stage.name.as_str() {
            "grep" if !arguments.has('e') && !arguments.has('f') => 1,
            "sed" if !arguments.has('e') && !arguments.has('f') => 1,
            "awk" if !arguments.has('f') => 1,
            // The second operand of uniq is written.
            "tr" | "echo" | "printf" | "seq" | "xargs" | "tee" | "yes" | "date" => {
                return Vec::new();
            }
            _ => 0,
        };
        let assigned = |value: &[u8]| {
            let name = value.split(|&byte| byte == b'=').next().unwrap_or_default();
            name.len() < value.len()
                && name.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'_')
        };
        let files = arguments.operands.iter().skip(skipped);
        files
            .filter(|file| !(self.stage.name == "awk" && assigned(&file.value)))
            .map(|file| file.word)
            .collect()
    }

    /// Replaces the word of an option's value, and the option's own word where that is alone
    /// before it.
    pub(super) fn replace_option(&self, given: &Given, with: &str) -> Vec<TextEdit> {
        let Some(span) = self.span_of(given.word) else { return Vec::new() };
        let own = self.source(span);
        let start = match given.word.checked_sub(1).and_then(|before| self.span_of(before)) {
            Some(before) if !own.starts_with('-') => before.start,
            _ => span.start,
        };
        vec![TextEdit { span: Span::new(start, span.end), text: with.to_owned() }]
    }

    /// Puts single quotes around a word whose unquoted text the shell would expand.
    pub(super) fn quoted(&self, word: &Word) -> Vec<TextEdit> {
        let text = shell::quote(&self.unquoted(word));
        vec![TextEdit { span: word.span, text }]
    }

    /// The text of a word without its quotes, expansions as they are written.
    fn unquoted(&self, word: &Word) -> String {
        let mut text = String::new();
        for part in &word.parts {
            match part {
                Part::Text(part) | Part::Single(part) => text.push_str(part),
                Part::Escaped(character) => text.push(*character),
                _ => return self.source(word.span).to_owned(),
            }
        }
        text
    }
}

/// The first lines of a stream, and a few from all over it; all of a small one.
fn some_lines(kept: &Kept) -> Vec<Bytes> {
    const FIRST: u64 = 12 << 10;
    const PLACES: u64 = 6;
    const EACH: u64 = 1 << 10;
    let all = kept.bytes();
    if all <= FIRST + PLACES * EACH {
        return lines_of(kept.bytes_at(0, all as usize).into(), true, true);
    }
    let mut lines = lines_of(kept.bytes_at(0, FIRST as usize).into(), true, false);
    for place in 1..=PLACES {
        let at = FIRST + (all - FIRST - EACH) * place / PLACES;
        let last = place == PLACES;
        lines.extend(lines_of(kept.bytes_at(at, EACH as usize).into(), false, last));
    }
    lines
}

/// The lines of a piece of a stream; those at its ends only where they are whole.
fn lines_of(piece: Bytes, whole_first: bool, whole_last: bool) -> Vec<Bytes> {
    let mut lines = Vec::new();
    let mut from = 0;
    for at in memchr::memchr_iter(b'\n', &piece) {
        if from > 0 || whole_first {
            lines.push(piece.slice(from..at));
        }
        from = at + 1;
    }
    if whole_last && from < piece.len() && (from > 0 || whole_first) {
        lines.push(piece.slice(from..));
    }
    lines
}

/// Inserts text at a place.
pub(super) fn insert(at: usize, text: &str) -> Vec<TextEdit> {
    vec![TextEdit { span: Span::new(at, at), text: text.to_owned() }]
}

/// Takes text away.
pub(super) fn remove(span: Span) -> TextEdit {
    TextEdit { span, text: String::new() }
}

/// Puts other text in a place.
pub(super) fn replace(span: Span, text: impl Into<String>) -> Vec<TextEdit> {
    vec![TextEdit { span, text: text.into() }]
}

impl Note {
    /// With what one key would change.
    pub(super) fn with(mut self, label: impl Into<String>, edits: Vec<TextEdit>) -> Self {
        if !edits.is_empty() {
            self.fix = Some(Fix::new(label, edits));
        }
        self
    }

    /// About this many lines.
    pub(super) fn counting(self, count: u64) -> Self {
        Self { count, ..self }
    }

    /// With that, where it can be done.
    pub(super) fn with_maybe(self, label: impl Into<String>, edits: Option<Vec<TextEdit>>) -> Self {
        match edits {
            Some(edits) => self.with(label, edits),
            None => self,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_at_the_ends_of_a_piece_are_taken_where_they_are_whole() {
        let of = |piece: &'static str, first, last| {
            let lines = lines_of(Bytes::from_static(piece.as_bytes()), first, last);
            lines.iter().map(|line| String::from_utf8_lossy(line).into_owned()).collect::<Vec<_>>()
        };
        assert_eq!(of("ab\nc\nd", true, true), ["ab", "c", "d"]);
        assert_eq!(of("ab\nc\nd", false, false), ["c"]);
        assert_eq!(of("ab\n\n", true, true), ["ab", ""]);
        assert_eq!(of("ab", false, true), Vec::<String>::new());
        assert_eq!(of("", true, true), Vec::<String>::new());
    }

    #[test]
    fn some_lines_of_much_are_lines_of_it_from_all_over() {
        let all: Vec<String> = (0..20_000).map(|number| format!("line {number}")).collect();
        let kept = Kept::of((all.join("\n") + "\n").as_bytes());
        let some = some_lines(&kept);
        assert!(some.len() > 1000 && some.len() < 3000, "{}", some.len());
        let numbers: Vec<usize> = some
            .iter()
            .map(|line| {
                String::from_utf8_lossy(line).strip_prefix("line ").unwrap().parse().unwrap()
            })
            .collect();
        assert!(numbers.is_sorted() && numbers[0] == 0 && *numbers.last().unwrap() == 19_999);
        assert!(some.iter().all(|line| all.iter().any(|one| one.as_bytes() == line)));
    }
}
