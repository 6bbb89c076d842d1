//! A tree as text again, and values as words.

use crate::{
    Command, Compound, Connector, Direction, Document, Expansion, Item, List, Operation, Otherwise,
    Parameter, Part, Pipeline, Redirection, RedirectionKind, Script, Sequence, Test, TimeForm,
    Word,
};

/// Prints a script in one plain form: an item a line, single blanks, redirections behind the
/// words. Comments are not part of the tree and are not printed.
pub fn print(script: &Script) -> String {
    let mut printer = Printer::default();
    for item in &script.list.items {
        printer.item(item);
        printer.newline();
    }
    printer.out
}

/// Prints one item of a list, as [`print()`] does; of a here-document only its redirection.
pub fn print_item(item: &Item) -> String {
    let mut printer = Printer::default();
    printer.item(item);
    printer.out
}

/// Prints one command, as [`print()`] does.
pub fn print_command(command: &Command) -> String {
    let mut printer = Printer::default();
    printer.command(command);
    if !printer.documents.is_empty() {
        printer.newline();
    }
    printer.out
}

/// Prints one word.
pub fn print_word(word: &Word) -> String {
    let mut printer = Printer::default();
    printer.word(word);
    printer.out
}

#[derive(Default)]
struct Printer {
    out: String,
    /// Here-documents that come behind this line.
    documents: Vec<Document>,
}

/// Words with a meaning of their own at the beginning of a command (XCU 2.4).
const RESERVED: [&str; 19] = [
    "!", "{", "}", "case", "do", "done", "elif", "else", "esac", "fi", "for", "if", "in", "then",
    "until", "while", "[[", "function", "time",
];

/// True for a word that is part of the grammar where a command begins (XCU 2.4). `function` is not
/// taken.
pub fn is_reserved(word: &[u8]) -> bool {
    word != b"function" && RESERVED.iter().any(|reserved| reserved.as_bytes() == word)
}

impl Printer {
    fn put(&mut self, text: &str) {
        self.out.push_str(text);
    }

    /// Ends the line, and writes the here-documents that belong to it.
    fn newline(&mut self) {
        self.out.push('\n');
        for document in std::mem::take(&mut self.documents) {
            if document.quoted {
                for part in document.parts() {
                    if let Part::Text(text) = part {
                        self.put(text);
                    }
                }
            } else {
                self.quoted_parts(document.parts());
            }
            self.put(&document.delimiter);
            self.out.push('\n');
        }
    }

    fn list(&mut self, list: &List) {
        for (number, item) in list.items.iter().enumerate() {
            if number > 0 {
                self.put("; ");
            }
            self.item(item);
        }
    }

    /// A list with what ends it, such as `; ` before a reserved word.
    fn closed_list(&mut self, list: &List, closing: &str) {
        self.list(list);
        if self.documents.is_empty() {
            self.put("; ");
        } else {
            self.newline();
        }
        self.put(closing);
    }

    /// A list in parentheses, with its here-documents inside them.
    fn enclosed(&mut self, opening: &str, list: &List) {
        self.put(opening);
        let outer = std::mem::take(&mut self.documents);
        self.list(list);
        if !self.documents.is_empty() {
            self.newline();
        }
        self.documents = outer;
        self.out.push(')');
    }

    fn item(&mut self, item: &Item) {
        self.pipeline(&item.first);
        for (connector, pipeline) in &item.rest {
            self.put(match connector {
                Connector::And => " && ",
                Connector::Or => " || ",
            });
            self.pipeline(pipeline);
        }
    }

    fn pipeline(&mut self, pipeline: &Pipeline) {
        match pipeline.timed {
            None => {}
            Some(TimeForm::Usual) => self.put("time "),
            Some(TimeForm::Portable) => self.put("time -p "),
        }
        if pipeline.negated {
            self.put("! ");
        }
        for (number, command) in pipeline.commands.iter().enumerate() {
            if number > 0 {
                let both = pipeline.commands[number - 1].errors_too;
                self.put(if both { " |& " } else { " | " });
            }
            self.command(command);
        }
    }

    fn command(&mut self, command: &Command) {
        let start = self.out.len();
        if let Some(compound) = &command.compound {
            self.compound(compound);
        }
        for assignment in &command.assignments {
            self.space(start);
            self.put(&assignment.name);
            self.out.push('=');
            self.word(&assignment.value);
        }
        // After a redirection these are words like others; in front of it they would not be.
        let first = command.words.first().filter(|_| command.assignments.is_empty());
        let reserved =
            first.is_some_and(|first| RESERVED.iter().any(|reserved| first.is_plain(reserved)));
        if reserved {
            self.redirections(command, start);
        }
        for (number, word) in command.words.iter().enumerate() {
            self.space(start);
            // Without a redirection it was none only because a continued line came after it.
            let alone = number == 0 && reserved && command.redirections.is_empty();
            if alone && !word.is_plain("time") {
                self.out.push('\\');
            }
            self.word(word);
        }
        if !reserved {
            self.redirections(command, start);
        }
    }

    fn redirections(&mut self, command: &Command, start: usize) {
        for redirection in &command.redirections {
            self.space(start);
            self.redirection(redirection);
        }
    }

    fn space(&mut self, start: usize) {
        if self.out.len() > start {
            self.out.push(' ');
        }
    }

    fn compound(&mut self, compound: &Compound) {
        match compound {
            Compound::Group(list) => {
                self.put("{ ");
                self.closed_list(list, "}");
            }
            Compound::Subshell(list) => {
                self.out.push('(');
                // `((` would begin something else.
                if Self::next_is_parenthesis(list) {
                    self.out.push(' ');
                }
                self.list(list);
                if !self.documents.is_empty() {
                    self.newline();
                }
                self.out.push(')');
            }
            Compound::If { branches, otherwise } => {
                for (number, (condition, body)) in branches.iter().enumerate() {
                    self.put(if number == 0 { "if " } else { "elif " });
                    self.closed_list(condition, "then ");
                    self.closed_list(body, "");
                }
                if let Some(body) = otherwise {
                    self.put("else ");
                    self.closed_list(body, "");
                }
                self.put("fi");
            }
            Compound::Loop { until, condition, body } => {
                self.put(if *until { "until " } else { "while " });
                self.closed_list(condition, "do ");
                self.closed_list(body, "done");
            }
            Compound::For { name, words, body } => {
                self.put("for ");
                self.put(name);
                if let Some(words) = words {
                    self.put(" in");
                    for word in words {
                        self.out.push(' ');
                        self.word(word);
                    }
                }
                self.put("; do ");
                self.closed_list(body, "done");
            }
            Compound::Case { subject, arms } => {
                self.put("case ");
                self.word(subject);
                self.put(" in ");
                for arm in arms {
                    self.out.push('(');
                    for (number, pattern) in arm.patterns.iter().enumerate() {
                        if number > 0 {
                            self.put(" | ");
                        }
                        self.word(pattern);
                    }
                    self.put(") ");
                    self.list(&arm.body);
                    if self.documents.is_empty() {
                        self.put(" ");
                    } else {
                        self.newline();
                    }
                    self.put(";; ");
                }
                self.put("esac");
            }
            Compound::Function { name, body } => {
                self.put(name);
                self.put("() ");
                self.command(body);
            }
            Compound::Test(test) => {
                self.put("[[ ");
                self.test(test);
                self.put(" ]]");
            }
        }
    }

    fn next_is_parenthesis(list: &List) -> bool {
        let first = list.items.first().and_then(|item| item.first.commands.first());
        let negated =
            list.items.first().is_some_and(|item| item.first.negated || item.first.timed.is_some());
        let compound = first.and_then(|command| command.compound.as_deref());
        !negated && matches!(compound, Some(Compound::Subshell(_)))
    }

    fn test(&mut self, test: &Test) {
        match test {
            Test::Word(word) => self.word(word),
            Test::Unary(operator, word) => {
                self.put(operator);
                self.out.push(' ');
                self.word(word);
            }
            Test::Binary(left, operator, right) => {
                self.word(left);
                self.out.push(' ');
                self.put(operator);
                self.out.push(' ');
                self.word(right);
            }
            Test::Not(inner) => {
                self.put("! ");
                self.grouped_test(inner);
            }
            Test::And(left, right) => {
                self.grouped_test(left);
                self.put(" && ");
                self.grouped_test(right);
            }
            Test::Or(left, right) => {
                self.grouped_test(left);
                self.put(" || ");
                self.grouped_test(right);
            }
        }
    }

    fn grouped_test(&mut self, test: &Test) {
        if matches!(test, Test::And(..) | Test::Or(..)) {
            self.put("( ");
            self.test(test);
            self.put(" )");
        } else {
            self.test(test);
        }
    }

    fn redirection(&mut self, redirection: &Redirection) {
        let (operator, default) = match &redirection.kind {
            RedirectionKind::Read(_) => ("< ", 0),
            RedirectionKind::ReadWrite(_) => ("<> ", 0),
            RedirectionKind::Text(_) => ("<<< ", 0),
            RedirectionKind::Document(document) if document.strips_tabs => ("<<-", 0),
            RedirectionKind::Document(_) => ("<<", 0),
            RedirectionKind::Replace(_) => ("> ", 1),
            RedirectionKind::Append(_) => (">> ", 1),
            RedirectionKind::ReplaceBoth(_) => ("&> ", 1),
            RedirectionKind::AppendBoth(_) => ("&>> ", 1),
            RedirectionKind::Duplicate(_) | RedirectionKind::Close => (">&", 1),
        };
        if redirection.descriptor != default {
            self.put(&redirection.descriptor.to_string());
        }
        self.put(operator);
        match &redirection.kind {
            RedirectionKind::Duplicate(of) => self.put(&of.to_string()),
            RedirectionKind::Close => self.put("-"),
            RedirectionKind::Document(document) => {
                if document.quoted {
                    self.put(&always_quoted(&document.delimiter));
                } else {
                    self.put(&document.delimiter);
                }
                self.documents.push(document.clone());
            }
            kind => {
                if let Some(word) = kind.word() {
                    self.word(word);
                }
            }
        }
    }

    fn word(&mut self, word: &Word) {
        for (number, part) in word.parts.iter().enumerate() {
            match part {
                Part::Text(text) => self.text_before(text, word.parts.get(number + 1)),
                Part::Escaped(character) => {
                    self.out.push('\\');
                    self.out.push(*character);
                }
                Part::Single(text) => {
                    self.out.push('\'');
                    self.put(text);
                    self.out.push('\'');
                }
                Part::Dollar(bytes) => self.dollar_quoted(bytes),
                Part::Double(inner) => {
                    self.out.push('"');
                    self.quoted_parts(inner);
                    self.out.push('"');
                }
                Part::Home(name) => {
                    self.out.push('~');
                    self.put(name.as_deref().unwrap_or_default());
                }
                Part::Alternatives(words) => {
                    self.out.push('{');
                    for (number, word) in words.iter().enumerate() {
                        if number > 0 {
                            self.out.push(',');
                        }
                        self.word(word);
                    }
                    self.out.push('}');
                }
                Part::Sequence(sequence) => self.sequence(sequence),
                Part::Substituted(direction, list, _) => {
                    self.enclosed(if *direction == Direction::Read { "<(" } else { ">(" }, list);
                }
                Part::Parameter(..)
                | Part::Expansion(..)
                | Part::Command(..)
                | Part::Arithmetic(..) => self.dollar(part, word.parts.get(number + 1), false),
            }
        }
    }

    /// Parts as they stand in double quotes, in `"${x-…}"` or in a here-document.
    fn quoted_parts(&mut self, parts: &[Part]) {
        for (number, part) in parts.iter().enumerate() {
            match part {
                Part::Text(text) => self.text_before(text, parts.get(number + 1)),
                Part::Escaped(character) => {
                    self.out.push('\\');
                    self.out.push(*character);
                }
                Part::Double(inner) => {
                    self.out.push('"');
                    self.quoted_parts(inner);
                    self.out.push('"');
                }
                part => self.dollar(part, parts.get(number + 1), true),
            }
        }
    }

    /// Text and what comes after it. A dollar sign that only means itself because a backquote or
    /// a continued line came between would mean something before what follows it here.
    fn text_before(&mut self, text: &str, next: Option<&Part>) {
        let means = |next: char| next.is_ascii_alphanumeric() || "_{(@*#?$!-".contains(next);
        let mut characters = text.chars().peekable();
        while let Some(character) = characters.next() {
            let before_command = matches!(next, Some(Part::Command(..)));
            let follows = characters.peek().map_or(before_command, |&next| means(next));
            if character == '$' && follows {
                self.out.push('\\');
            }
            self.out.push(character);
        }
    }

    fn dollar(&mut self, part: &Part, next: Option<&Part>, quoted: bool) {
        match part {
            Part::Parameter(parameter, _) => self.parameter(parameter, next),
            Part::Expansion(expansion, _) => self.expansion(expansion, quoted),
            Part::Command(list, _) => {
                let first = list.items.first().and_then(|item| item.first.commands.first());
                let compound = first.and_then(|command| command.compound.as_deref());
                let opening =
                    if matches!(compound, Some(Compound::Subshell(_))) { "$( " } else { "$(" };
                self.enclosed(opening, list);
            }
            Part::Arithmetic(inner, _) => {
                self.put("$((");
                self.quoted_parts(inner);
                self.put("))");
            }
            _ => {}
        }
    }

    fn expansion(&mut self, expansion: &Expansion, quoted: bool) {
        let name = parameter_name(&expansion.parameter);
        self.put("${");
        match &expansion.operation {
            Operation::Length => {
                self.out.push('#');
                self.put(&name);
            }
            Operation::Otherwise { how, or_empty, word } => {
                self.put(&name);
                if *or_empty {
                    self.out.push(':');
                }
                self.out.push(match how {
                    Otherwise::Use => '-',
                    Otherwise::Assign => '=',
                    Otherwise::Fail => '?',
                    Otherwise::Instead => '+',
                });
                if quoted {
                    self.quoted_parts(&word.parts);
                } else {
                    self.word(word);
                }
            }
            Operation::Remove { suffix, longest, pattern } => {
                self.put(&name);
                let sign = if *suffix { "%" } else { "#" };
                self.put(sign);
                if *longest {
                    self.put(sign);
                }
                self.word(pattern);
            }
        }
        self.out.push('}');
    }

    fn parameter(&mut self, parameter: &Parameter, next: Option<&Part>) {
        let name = parameter_name(parameter);
        let runs_on = matches!(next, Some(Part::Text(text))
            if text.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_'));
        if runs_on || name.len() > 1 && name.starts_with(|c: char| c.is_ascii_digit()) {
            self.put("${");
            self.put(&name);
            self.out.push('}');
        } else {
            self.out.push('$');
            self.put(&name);
        }
    }

    fn sequence(&mut self, sequence: &Sequence) {
        let (from, to, step) = match sequence {
            Sequence::Numbers { from, to, step, width } => {
                (padded(*from, *width), padded(*to, *width), *step)
            }
            Sequence::Characters { from, to, step } => (from.to_string(), to.to_string(), *step),
        };
        self.put("{");
        self.put(&from);
        self.put("..");
        self.put(&to);
        if step != 1 {
            self.put("..");
            self.put(&step.to_string());
        }
        self.put("}");
    }

    fn dollar_quoted(&mut self, bytes: &[u8]) {
        self.put("$'");
        for chunk in bytes.utf8_chunks() {
            for character in chunk.valid().chars() {
                match character {
                    '\'' | '\\' => self.out.extend(['\\', character]),
                    '\n' => self.put("\\n"),
                    '\t' => self.put("\\t"),
                    '\0'..='\x1f' | '\x7f' => self.put(&format!("\\{:03o}", character as u32)),
                    _ => self.out.push(character),
                }
            }
            for byte in chunk.invalid() {
                self.put(&format!("\\{byte:03o}"));
            }
        }
        self.out.push('\'');
    }
}

/// A number with zeros before it up to a width, the sign included.
pub(crate) fn padded(number: i64, width: usize) -> String {
    let sign = if number < 0 { "-" } else { "" };
    let digits = number.unsigned_abs().to_string();
    let zeros = width.saturating_sub(sign.len() + digits.len());
    format!("{sign}{}{digits}", "0".repeat(zeros))
}

fn parameter_name(parameter: &Parameter) -> String {
    match parameter {
        Parameter::Variable(name) => name.clone(),
        Parameter::Position(number) => number.to_string(),
        Parameter::All => "@".to_owned(),
        Parameter::AllJoined => "*".to_owned(),
        Parameter::Count => "#".to_owned(),
        Parameter::Status => "?".to_owned(),
        Parameter::Process => "$".to_owned(),
        Parameter::Options => "-".to_owned(),
    }
}

fn always_quoted(value: &str) -> String {
    format!("'{}'", value.replace('\'', "'\\''"))
}

/// `value` as one word of shell text: as it is where nothing in it is special, else in quotes.
pub fn quote(value: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "%+,-./:=@_^".contains(c);
    if !value.is_empty() && value.chars().all(plain) && !value.contains('=') {
        return value.to_owned();
    }
    always_quoted(value)
}

/// Bytes of any kind as one word of shell text that shows what they are: like [`quote`], and in
/// `$'…'` where there are control characters or bytes that are not UTF-8.
pub fn quote_bytes(value: &[u8]) -> String {
    match std::str::from_utf8(value) {
        Ok(text) if !text.chars().any(char::is_control) => quote(text),
        _ => {
            let mut printer = Printer::default();
            printer.dollar_quoted(value);
            printer.out
        }
    }
}

impl Sequence {
    /// How many words it means.
    pub fn count(&self) -> u64 {
        let (from, to, step) = self.bounds();
        (from.abs_diff(to) / step).saturating_add(1)
    }

    fn bounds(&self) -> (i64, i64, u64) {
        let (from, to, step) = match self {
            Self::Numbers { from, to, step, .. } => (*from, *to, *step),
            Self::Characters { from, to, step } => (*from as i64, *to as i64, *step),
        };
        (from, to, step.unsigned_abs().max(1))
    }

    /// The words it means; `most` of them at most.
    ///
    /// # Errors
    /// How many there would be, where that is more.
    pub fn words(&self, most: u64) -> Result<Vec<String>, u64> {
        let count = self.count();
        if count > most {
            return Err(count);
        }
        let (from, to, step) = self.bounds();
        let value = |number: u64| {
            let distance = (number * step) as i64;
            if from <= to { from.wrapping_add(distance) } else { from.wrapping_sub(distance) }
        };
        Ok((0..count)
            .map(value)
            .map(|value| match self {
                Self::Numbers { width, .. } => padded(value, *width),
                Self::Characters { .. } => char::from(value as u8).to_string(),
            })
            .collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sequence_has_its_words_or_says_how_many_there_would_be() {
        let numbers = |from, to, step, width| Sequence::Numbers { from, to, step, width };
        let words = |sequence: Sequence, most| sequence.words(most).map(|words| words.join(" "));
        assert_eq!(words(numbers(1, 3, 1, 0), 3), Ok("1 2 3".to_owned()));
        assert_eq!(words(numbers(1, 3, 1, 0), 2), Err(3));
        assert_eq!(words(numbers(1, -1, 1, 2), 9), Ok("01 00 -1".to_owned()));
        assert_eq!(words(numbers(0, 6, 3, 0), 9), Ok("0 3 6".to_owned()));
        assert_eq!(words(numbers(i64::MIN, i64::MAX, 1, 0), 9), Err(u64::MAX));
        let letters = Sequence::Characters { from: 'c', to: 'a', step: 2 };
        assert_eq!(words(letters, 9), Ok("c a".to_owned()));
    }
}
