//! `read`: a line of standard input into variables (XCU read).

use memchr::memchr;
use shell::Span;

use super::{Call, Shell};
use crate::flow::descriptors::SharedInput;
use crate::language::unwind::{ShellResult, Unwind};

/// Bytes that a line read into variables may have.
const LINE_MAX: usize = 256 << 20;

/// How much is read.
struct Request {
    raw: bool,
    delimiter: u8,
    most: Option<usize>,
    names: Vec<String>,
}

impl Shell<'_> {
    /// `read [-r] [-d C] [-n N] NAME …`
    pub(in crate::language) fn read(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let &Call { arguments, span, .. } = call;
        let request = request(arguments, span)?;
        let Some(input) = self.ports.input(0) else {
            self.complain("read: standard input is closed");
            self.state.status = 1;
            return Ok(());
        };
        let (line, complete) = match line(&input, &request) {
            Ok(line) => line,
            Err(message) => {
                self.complain(&format!("read: {message}"));
                self.state.status = 1;
                return Ok(());
            }
        };
        let separators = self.separators();
        let values = divided(&line, &separators, request.names.len());
        for (name, value) in request.names.iter().zip(values) {
            self.assign(name, value, span)?;
        }
        self.state.status = u8::from(!complete);
        self.check_cancel()
    }
}

fn request(arguments: &[Vec<u8>], span: Span) -> ShellResult<Request> {
    let mut request = Request { raw: false, delimiter: b'\n', most: None, names: Vec::new() };
    let mut rest = arguments.iter();
    while let Some(word) = rest.as_slice().first() {
        let Some(letters) = word.strip_prefix(b"-").filter(|letters| !letters.is_empty()) else {
            break;
        };
        rest.next();
        if letters == b"-" {
            break;
        }
        let mut at = 0;
        while let Some(&letter) = letters.get(at) {
            at += 1;
            if letter == b'r' {
                request.raw = true;
                continue;
            }
            if letter != b'd' && letter != b'n' {
                let message = format!("read: -{} is not supported", char::from(letter));
                return Unwind::fault(message, span, 2);
            }
            let value = if at < letters.len() {
                Some(&letters[at..])
            } else {
                rest.next().map(|word| &word[..])
            };
            let Some(value) = value else {
                let message = format!("read: -{} needs a value", char::from(letter));
                return Unwind::fault(message, span, 2);
            };
            if letter == b'd' {
                request.delimiter = value.first().copied().unwrap_or(0);
            } else {
                let number = std::str::from_utf8(value).ok().and_then(|text| text.parse().ok());
                let Some(number) = number else {
                    return Unwind::fault("read: -n needs a number", span, 2);
                };
                request.most = Some(number);
            }
            break;
        }
    }
    for name in rest {
        let name = String::from_utf8_lossy(name).into_owned();
        super::builtins::check_name("read", &name, span)?;
        request.names.push(name);
    }
    if request.names.is_empty() {
        // The standard leaves this open; other shells have a name for it.
        request.names.push("REPLY".to_owned());
    }
    Ok(request)
}

/// A byte of a line, and whether a backslash stood before it.
type Marked = (u8, bool);

/// The next line, and whether it was ended. What is behind it stays in the input.
fn line(input: &SharedInput, request: &Request) -> Result<(Vec<Marked>, bool), String> {
    let mut line: Vec<Marked> = Vec::new();
    let mut escaped = false;
    let mut characters = 0;
    if request.most == Some(0) {
        return Ok((line, true));
    }
    loop {
        let block = match input.next_block() {
            Ok(Some(block)) => block,
            Ok(None) => return Ok((line, false)),
            Err(error) => return Err(error.to_string()),
        };
        let bytes = block.into_bytes();
        // The usual case: a raw line that ends in this block.
        if request.raw && request.most.is_none() {
            let end = memchr(request.delimiter, &bytes);
            line.extend(bytes[..end.unwrap_or(bytes.len())].iter().map(|byte| (*byte, false)));
            if let Some(end) = end {
                input.give_back(bytes.slice(end + 1..));
                return Ok((line, true));
            }
        } else {
            for (at, &byte) in bytes.iter().enumerate() {
                let was_escaped = std::mem::take(&mut escaped);
                if !request.raw && !was_escaped && byte == b'\\' {
                    escaped = true;
                    continue;
                }
                if was_escaped && byte == b'\n' {
                    continue;
                }
                if byte == request.delimiter && !was_escaped {
                    input.give_back(bytes.slice(at + 1..));
                    return Ok((line, true));
                }
                line.push((byte, was_escaped));
                // A character is whole where no byte that continues with it follows.
                let next = bytes.get(at + 1);
                if next.is_none_or(|next| next & 0xC0 != 0x80) {
                    characters += 1;
                    if request.most == Some(characters) {
                        input.give_back(bytes.slice(at + 1..));
                        return Ok((line, true));
                    }
                }
            }
        }
        if line.len() > LINE_MAX {
            return Err("the line is too long".to_owned());
        }
    }
}

/// A line as this many values; the last one gets what is left.
fn divided(line: &[Marked], separators: &[u8], count: usize) -> Vec<Vec<u8>> {
    let is_separator = |&(byte, escaped): &Marked| !escaped && separators.contains(&byte);
    let is_space =
        |marked: &Marked| is_separator(marked) && matches!(marked.0, b' ' | b'\t' | b'\n');
    let plain = |part: &[Marked]| -> Vec<u8> {
        part.iter().map(|(byte, _)| *byte).filter(|byte| *byte != 0).collect()
    };
    let mut at = line.iter().take_while(|marked| is_space(marked)).count();
    let mut values = Vec::new();
    // Where the separator behind the field at `at` begins, and where the next field does.
    let field = |at: usize| {
        let end = at + line[at..].iter().take_while(|marked| !is_separator(marked)).count();
        let mut next = end + line[end..].iter().take_while(|marked| is_space(marked)).count();
        if line.get(next).is_some_and(|marked| is_separator(marked) && !is_space(marked)) {
            next += 1;
            next += line[next..].iter().take_while(|marked| is_space(marked)).count();
        }
        (end, next)
    };
    while values.len() + 1 < count && at < line.len() {
        let (end, next) = field(at);
        values.push(plain(&line[at..end]));
        at = next;
    }
    if values.len() < count && at < line.len() {
        let (end, next) = field(at);
        let rest = if next >= line.len() {
            // One field and what ends it: the separator does not count.
            &line[at..end]
        } else {
            let spaces = line[at..].iter().rev().take_while(|marked| is_space(marked)).count();
            &line[at..line.len() - spaces]
        };
        values.push(plain(rest));
    }
    values.resize(count, Vec::new());
    values
}

#[cfg(test)]
mod tests {
    use super::*;

    fn values(line: &str, separators: &str, count: usize) -> Vec<String> {
        let marked: Vec<Marked> = line.bytes().map(|byte| (byte, false)).collect();
        let values = divided(&marked, separators.as_bytes(), count);
        values.into_iter().map(|value| String::from_utf8(value).unwrap()).collect()
    }

    #[test]
    fn a_line_is_divided_as_the_standard_has_it() {
        assert_eq!(values("  a  b  c  ", " \t\n", 2), ["a", "b  c"]);
        assert_eq!(values("  a  b  c  ", " \t\n", 4), ["a", "b", "c", ""]);
        assert_eq!(values(" a ", "", 1), [" a "]);
        assert_eq!(values("a:b:c", ":", 2), ["a", "b:c"]);
        assert_eq!(values("a::c", ":", 3), ["a", "", "c"]);
        assert_eq!(values("a:b:", ":", 2), ["a", "b"]);
        assert_eq!(values("a:b::", ":", 2), ["a", "b::"]);
        assert_eq!(values("a : b : c", ": ", 2), ["a", "b : c"]);
        assert_eq!(values("", " ", 2), ["", ""]);
        assert_eq!(values(":a", ":", 2), ["", "a"]);
    }
}
