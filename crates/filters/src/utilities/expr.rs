//! `expr`: evaluates an expression: | & = != < <= > >= + - * / % : ( ) match substr index length.

use num_bigint::BigInt;
use pattern::{Options, Pattern, Syntax};
use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example, shown,
};
use crate::text::characters;

static SPEC: Spec = Spec {
    name: "expr",
    summary: "evaluates an expression: | & = != < <= > >= + - * / % : ( ) match substr index length",
    options: &[],
    operands: Operands::Values,
    operand_names: "expression",
    style: Style::Own,
    usage_status: 2,
    examples: &[
        example("expr 3 + 4", "7"),
        example("expr card=4711 : 'card=\\(.*\\)'", "4711"),
        example("expr length gate-03", "7"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    let mut words = arguments.operand_values();
    if words.first().is_some_and(|word| word == b"--") {
        words.remove(0);
    }
    if words.is_empty() {
        return Err(UsageError::with_hint(&SPEC, None, "missing operand"));
    }
    Ok(Box::new(Expr { words }))
}

fn explain(_arguments: &Arguments) -> String {
    "evaluates the expression and writes its value".to_owned()
}

struct Expr {
    words: Vec<Vec<u8>>,
}

#[derive(Clone, Debug)]
enum Value {
    Number(BigInt),
    Text(Vec<u8>),
}

/// What went wrong; the status is 2 for all of it but a value that cannot be worked out (3).
type Failure = (u8, String);

impl Value {
    fn text(&self) -> Vec<u8> {
        match self {
            Self::Number(number) => number.to_string().into_bytes(),
            Self::Text(text) => text.clone(),
        }
    }

    fn number(&self) -> Option<BigInt> {
        match self {
            Self::Number(number) => Some(number.clone()),
            Self::Text(text) => {
                let digits = text.strip_prefix(b"-").unwrap_or(text);
                if digits.is_empty() || !digits.iter().all(u8::is_ascii_digit) {
                    return None;
                }
                std::str::from_utf8(text).ok()?.parse().ok()
            }
        }
    }

    /// Empty or zero.
    fn is_null(&self) -> bool {
        match self {
            Self::Number(number) => number == &BigInt::ZERO,
            Self::Text(text) => {
                let digits = text.strip_prefix(b"-").unwrap_or(text);
                text.is_empty() || !digits.is_empty() && digits.iter().all(|byte| *byte == b'0')
            }
        }
    }
}

impl Filter for Expr {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut parser = Parser { words: &self.words, at: 0, depth: 0 };
        let value = parser.or(true).and_then(|value| match self.words.get(parser.at) {
            None => Ok(value),
            Some(extra) => Err((2, format!("syntax error: unexpected argument {}", shown(extra)))),
        });
        let value = value.map_err(|(status, message)| StageError::failed(status, message))?;
        io.out().line(&value.text(), Origin::None)?;
        Ok(ExitStatus(u8::from(value.is_null())))
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}

/// Parentheses within each other beyond this are refused.
const DEPTH_MAX: usize = 200;

struct Parser<'w> {
    words: &'w [Vec<u8>],
    at: usize,
    depth: usize,
}

/// Each level takes `evaluate`: false where the value does not count, so that nothing that could
/// fail is worked out.
impl Parser<'_> {
    fn take(&mut self, operators: &[&[u8]]) -> Option<usize> {
        let word = self.words.get(self.at)?;
        let found = operators.iter().position(|operator| word == operator)?;
        self.at += 1;
        Some(found)
    }

    fn or(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.and(evaluate)?;
        while self.take(&[b"|"]).is_some() {
            let right = self.and(evaluate && left.is_null())?;
            if left.is_null() {
                left = if right.is_null() { Value::Number(BigInt::ZERO) } else { right };
            }
        }
        Ok(left)
    }

    fn and(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.comparison(evaluate)?;
        while self.take(&[b"&"]).is_some() {
            let right = self.comparison(evaluate && !left.is_null())?;
            if left.is_null() || right.is_null() {
                left = Value::Number(BigInt::ZERO);
            }
        }
        Ok(left)
    }

    fn comparison(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.sum(evaluate)?;
        while let Some(operator) = self.take(&[b"<", b"<=", b"=", b"==", b"!=", b">=", b">"]) {
            let right = self.sum(evaluate)?;
            let order = match (left.number(), right.number()) {
                (Some(one), Some(other)) => one.cmp(&other),
                _ => left.text().cmp(&right.text()),
            };
            let holds = match operator {
                0 => order.is_lt(),
                1 => order.is_le(),
                2 | 3 => order.is_eq(),
                4 => order.is_ne(),
                5 => order.is_ge(),
                _ => order.is_gt(),
            };
            left = Value::Number(BigInt::from(u8::from(holds)));
        }
        Ok(left)
    }

    fn sum(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.product(evaluate)?;
        while let Some(operator) = self.take(&[b"+", b"-"]) {
            let right = self.product(evaluate)?;
            if evaluate {
                let (one, other) = numbers(&left, &right)?;
                left = Value::Number(if operator == 0 { one + other } else { one - other });
            }
        }
        Ok(left)
    }

    fn product(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.matching(evaluate)?;
        while let Some(operator) = self.take(&[b"*", b"/", b"%"]) {
            let right = self.matching(evaluate)?;
            if evaluate {
                let (one, other) = numbers(&left, &right)?;
                if operator != 0 && other == BigInt::ZERO {
                    return Err((2, "division by zero".to_owned()));
                }
                left = Value::Number(match operator {
                    0 => one * other,
                    1 => one / other,
                    _ => one % other,
                });
            }
        }
        Ok(left)
    }

    fn matching(&mut self, evaluate: bool) -> Result<Value, Failure> {
        let mut left = self.term(evaluate)?;
        while self.take(&[b":"]).is_some() {
            let right = self.term(evaluate)?;
            if evaluate {
                left = matched(&left.text(), &right.text())?;
            }
        }
        Ok(left)
    }

    fn term(&mut self, evaluate: bool) -> Result<Value, Failure> {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return Err((2, "too deeply nested".to_owned()));
        }
        let value = self.term_inside(evaluate);
        self.depth -= 1;
        value
    }

    fn term_inside(&mut self, evaluate: bool) -> Result<Value, Failure> {
        match self.take(&[b"+", b"length", b"match", b"index", b"substr", b"(", b")"]) {
            Some(0) => {
                let Some(word) = self.words.get(self.at) else { return Err(self.missing()) };
                self.at += 1;
                Ok(Value::Text(word.clone()))
            }
            Some(1) => {
                let text = self.term(evaluate)?.text();
                Ok(Value::Number(BigInt::from(characters::each(&text).count())))
            }
            Some(2) => {
                let (text, pattern) = (self.term(evaluate)?, self.term(evaluate)?);
                if evaluate { matched(&text.text(), &pattern.text()) } else { Ok(text) }
            }
            Some(3) => {
                let (text, set) = (self.term(evaluate)?.text(), self.term(evaluate)?.text());
                let set: Vec<&[u8]> = characters::each(&set).map(|(_, bytes)| bytes).collect();
                let place = characters::each(&text).position(|(_, bytes)| set.contains(&bytes));
                Ok(Value::Number(BigInt::from(place.map_or(0, |place| place + 1))))
            }
            Some(4) => {
                let text = self.term(evaluate)?.text();
                let (from, length) = (self.term(evaluate)?.number(), self.term(evaluate)?.number());
                let small = |number: BigInt| {
                    if number <= BigInt::ZERO {
                        None
                    } else {
                        Some(usize::try_from(number).unwrap_or(usize::MAX))
                    }
                };
                let part = match (from.and_then(small), length.and_then(small)) {
                    (Some(from), Some(length)) => {
                        let parts = characters::each(&text).skip(from - 1).take(length);
                        parts.flat_map(|(_, bytes)| bytes.to_vec()).collect()
                    }
                    _ => Vec::new(),
                };
                Ok(Value::Text(part))
            }
            Some(5) => {
                let value = self.or(evaluate)?;
                if self.take(&[b")"]).is_some() {
                    return Ok(value);
                }
                Err(match self.words.get(self.at) {
                    None => (
                        2,
                        format!(
                            "syntax error: expecting ')' after {}",
                            shown(&self.words[self.at - 1])
                        ),
                    ),
                    Some(found) => {
                        (2, format!("syntax error: expecting ')' instead of {}", shown(found)))
                    }
                })
            }
            Some(_) => Err((2, "syntax error: unexpected ')'".to_owned())),
            None => {
                let Some(word) = self.words.get(self.at) else { return Err(self.missing()) };
                self.at += 1;
                Ok(Value::Text(word.clone()))
            }
        }
    }

    fn missing(&self) -> Failure {
        let before = self.at.checked_sub(1).and_then(|at| self.words.get(at));
        let after = before.map(|word| shown(word)).unwrap_or_default();
        (2, format!("syntax error: missing argument after {after}"))
    }
}

fn numbers(one: &Value, other: &Value) -> Result<(BigInt, BigInt), Failure> {
    match (one.number(), other.number()) {
        (Some(one), Some(other)) => Ok((one, other)),
        _ => Err((2, "non-integer argument".to_owned())),
    }
}

/// `text : pattern`: what the first group matched, or how many characters matched.
fn matched(text: &[u8], pattern: &[u8]) -> Result<Value, Failure> {
    // The match must begin where the text does.
    let compiled = Pattern::new(&[pattern], Syntax::Basic, Options::default())
        .map_err(|error| (2, error.to_string()))?;
    // A newline in the text is not matched by anything; what is before it is.
    let mut found = compiled.captures(text, 0).map_err(|error| (3, error.to_string()))?;
    if found.as_ref().is_some_and(|found| found.whole().start != 0) {
        found = None;
    }
    if compiled.groups() > 0 {
        let group = found.and_then(|found| found.group(1));
        return Ok(Value::Text(group.map_or_else(Vec::new, |range| text[range].to_vec())));
    }
    let length = found.map_or(0, |found| characters::each(&text[found.whole()]).count());
    Ok(Value::Number(BigInt::from(length)))
}
