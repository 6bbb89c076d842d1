//! Arithmetic expressions as in `$((…))` (XCU 2.6.4): whole numbers of 64 bits, which wrap around.

use std::ops::Range;

use thiserror::Error;

/// Why an expression has no value, and the bytes of it that are meant.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{message}")]
pub struct ArithmeticError {
    /// What is wrong.
    pub message: String,
    /// Where.
    pub span: Range<usize>,
}

/// Where the variables of an expression are.
pub trait Variables {
    /// A variable's value; empty where it has none.
    ///
    /// # Errors
    /// Where a variable without value may not be used.
    fn get(&mut self, name: &str) -> Result<String, String>;
    /// Gives a variable a value.
    ///
    /// # Errors
    /// Where it may not be changed.
    fn set(&mut self, name: &str, value: i64) -> Result<(), String>;
}

/// Parentheses, signs and variables within each other beyond this are refused.
const DEPTH_MAX: usize = 100;

/// The value of an expression; an empty one is 0.
///
/// # Errors
/// An expression that is none, a division by zero, a variable that is no number.
pub fn evaluate(text: &str, variables: &mut dyn Variables) -> Result<i64, ArithmeticError> {
    let mut evaluation = Evaluation { text, at: 0, variables, depth: 0, skips: 0 };
    evaluation.blanks();
    if evaluation.at == text.len() {
        return Ok(0);
    }
    let value = evaluation.comma()?;
    if evaluation.at < text.len() {
        return evaluation.unexpected();
    }
    Ok(value)
}

struct Evaluation<'e> {
    text: &'e str,
    at: usize,
    variables: &'e mut dyn Variables,
    depth: usize,
    /// Parts are read without being done: the other side of `?:`, `&&`, `||`.
    skips: usize,
}

type Value = Result<i64, ArithmeticError>;

/// Operators between two values, from those that bind least to those that bind most.
const LEVELS: [&[&str]; 10] = [
    &["||"],
    &["&&"],
    &["|"],
    &["^"],
    &["&"],
    &["==", "!="],
    &["<=", ">=", "<", ">"],
    &["<<", ">>"],
    &["+", "-"],
    &["*", "/", "%"],
];

impl Evaluation<'_> {
    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn fail<T>(&self, message: impl Into<String>, from: usize) -> Result<T, ArithmeticError> {
        let end = self.at.max(from);
        Err(ArithmeticError { message: message.into(), span: from..end })
    }

    fn unexpected<T>(&self) -> Result<T, ArithmeticError> {
        let Some(character) = self.rest().chars().next() else {
            return self.fail("a value is missing at the end", self.at);
        };
        let span = self.at..self.at + character.len_utf8();
        Err(ArithmeticError { message: format!("{character} is not allowed here"), span })
    }

    fn blanks(&mut self) {
        let rest = self.rest();
        self.at += rest.len() - rest.trim_start().len();
    }

    /// Passes an operator that is not the beginning of another.
    fn take(&mut self, operator: &str) -> bool {
        let Some(behind) = self.rest().strip_prefix(operator) else { return false };
        let next = behind.chars().next();
        let longer = match operator {
            "|" | "&" => next == Some(operator.chars().next().unwrap_or(' ')) || next == Some('='),
            "<" | ">" => matches!(next, Some('<' | '>')),
            "^" | "+" | "-" | "*" | "/" | "%" | "<<" | ">>" => next == Some('='),
            "=" => next == Some('='),
            "!" | "?" | ":" => false,
            _ => false,
        };
        if !longer {
            self.at += operator.len();
            self.blanks();
        }
        !longer
    }

    fn comma(&mut self) -> Value {
        loop {
            let value = self.assignment()?;
            if !self.take(",") {
                return Ok(value);
            }
        }
    }

    fn name(&self) -> Option<String> {
        let rest = self.rest();
        let first = rest.chars().next().filter(|c| c.is_ascii_alphabetic() || *c == '_')?;
        let length = rest
            .find(|c: char| !c.is_ascii_alphanumeric() && c != '_')
            .unwrap_or(rest.len())
            .max(first.len_utf8());
        Some(rest[..length].to_owned())
    }

    fn assignment(&mut self) -> Value {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return self.fail("this is too deep", self.at);
        }
        let value = self.assignment_inner();
        self.depth -= 1;
        value
    }

    fn assignment_inner(&mut self) -> Value {
        let start = self.at;
        if let Some(name) = self.name() {
            self.at += name.len();
            self.blanks();
            let operators = ["<<=", ">>=", "+=", "-=", "*=", "/=", "%=", "&=", "^=", "|="];
            let found = operators.into_iter().find(|operator| self.rest().starts_with(operator));
            if let Some(operator) = found {
                let at = self.at;
                self.at += operator.len();
                self.blanks();
                let right = self.assignment()?;
                let left = self.variable(&name, start)?;
                let value = self.apply(&operator[..operator.len() - 1], left, right, at)?;
                return self.assign(&name, value, start);
            }
            if self.take("=") {
                let value = self.assignment()?;
                return self.assign(&name, value, start);
            }
            self.at = start;
        }
        self.condition()
    }

    fn assign(&mut self, name: &str, value: i64, from: usize) -> Value {
        if self.skips == 0
            && let Err(message) = self.variables.set(name, value)
        {
            return self.fail(message, from);
        }
        Ok(value)
    }

    fn variable(&mut self, name: &str, from: usize) -> Value {
        if self.skips > 0 {
            return Ok(0);
        }
        let text = match self.variables.get(name) {
            Ok(text) => text,
            Err(message) => return self.fail(message, from),
        };
        let trimmed = text.trim();
        if trimmed.is_empty() {
            return Ok(0);
        }
        let (sign, digits) = match trimmed.strip_prefix('-') {
            Some(digits) => (-1, digits),
            None => (1, trimmed.strip_prefix('+').unwrap_or(trimmed)),
        };
        match number(digits) {
            Some(value) => Ok(value.wrapping_mul(sign)),
            None => self.fail(format!("{name} is {text:?}, no whole number"), from),
        }
    }

    fn condition(&mut self) -> Value {
        let condition = self.binary(0)?;
        if !self.take("?") {
            return Ok(condition);
        }
        let yes = self.skipping(condition == 0, Self::assignment)?;
        if !self.take(":") {
            return self.unexpected();
        }
        let no = self.skipping(condition != 0, Self::assignment)?;
        Ok(if condition == 0 { no } else { yes })
    }

    fn skipping(&mut self, skip: bool, inside: impl FnOnce(&mut Self) -> Value) -> Value {
        self.skips += usize::from(skip);
        let value = inside(self);
        self.skips -= usize::from(skip);
        value
    }

    fn binary(&mut self, level: usize) -> Value {
        let Some(operators) = LEVELS.get(level) else { return self.unary() };
        let mut left = self.binary(level + 1)?;
        loop {
            let at = self.at;
            let Some(operator) = operators.iter().find(|operator| self.take(operator)) else {
                return Ok(left);
            };
            let skip = match *operator {
                "||" => left != 0,
                "&&" => left == 0,
                _ => false,
            };
            let right = self.skipping(skip, |inner| inner.binary(level + 1))?;
            left = self.apply(operator, left, right, at)?;
        }
    }

    fn apply(&self, operator: &str, left: i64, right: i64, at: usize) -> Value {
        let truth = i64::from;
        Ok(match operator {
            "||" => truth(left != 0 || right != 0),
            "&&" => truth(left != 0 && right != 0),
            "|" => left | right,
            "^" => left ^ right,
            "&" => left & right,
            "==" => truth(left == right),
            "!=" => truth(left != right),
            "<=" => truth(left <= right),
            ">=" => truth(left >= right),
            "<" => truth(left < right),
            ">" => truth(left > right),
            "<<" => left.wrapping_shl(right as u32),
            ">>" => left.wrapping_shr(right as u32),
            "+" => left.wrapping_add(right),
            "-" => left.wrapping_sub(right),
            "*" => left.wrapping_mul(right),
            _ if right == 0 => {
                if self.skips > 0 {
                    return Ok(0);
                }
                return self.fail("division by zero", at);
            }
            "/" => left.wrapping_div(right),
            _ => left.wrapping_rem(right),
        })
    }

    fn unary(&mut self) -> Value {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return self.fail("this is too deep", self.at);
        }
        let value = self.unary_inner();
        self.depth -= 1;
        value
    }

    fn unary_inner(&mut self) -> Value {
        self.blanks();
        for (sign, by) in [("++", 1), ("--", -1)] {
            let behind = self.rest().strip_prefix(sign);
            let named = behind.is_some_and(|rest| {
                rest.trim_start().starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
            });
            if named {
                let start = self.at;
                self.at += 2;
                self.blanks();
                let Some(name) = self.name() else { return self.unexpected() };
                self.at += name.len();
                self.blanks();
                let value = self.variable(&name, start)?.wrapping_add(by);
                return self.assign(&name, value, start);
            }
        }
        if self.take("-") {
            return Ok(self.unary()?.wrapping_neg());
        }
        if self.take("+") {
            return self.unary();
        }
        if self.take("!") {
            return Ok(i64::from(self.unary()? == 0));
        }
        if self.take("~") {
            return Ok(!self.unary()?);
        }
        self.primary()
    }

    fn primary(&mut self) -> Value {
        let start = self.at;
        if self.take("(") {
            let value = self.comma()?;
            if !self.take(")") {
                return self.unexpected();
            }
            return Ok(value);
        }
        if let Some(name) = self.name() {
            self.at += name.len();
            self.blanks();
            let value = self.variable(&name, start)?;
            for (sign, by) in [("++", 1), ("--", -1)] {
                if self.rest().starts_with(sign) {
                    self.at += 2;
                    self.blanks();
                    self.assign(&name, value.wrapping_add(by), start)?;
                    return Ok(value);
                }
            }
            return Ok(value);
        }
        let rest = self.rest();
        let length = rest.find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(rest.len());
        if length == 0 {
            return self.unexpected();
        }
        let digits = rest[..length].to_owned();
        self.at += length;
        let value = number(&digits);
        self.blanks();
        match value {
            Some(value) => Ok(value),
            None => Err(ArithmeticError {
                message: format!("{digits} is not a whole number"),
                span: start..start + length,
            }),
        }
    }
}

/// A number: decimal, `0x…`, or octal with a zero before it.
fn number(digits: &str) -> Option<i64> {
    let lower = digits.to_ascii_lowercase();
    let (base, digits) = match lower.strip_prefix("0x") {
        Some(digits) => (16, digits),
        None if lower.len() > 1 && lower.starts_with('0') => (8, &lower[1..]),
        None => (10, &lower[..]),
    };
    if digits.is_empty() {
        return None;
    }
    let mut value: i64 = 0;
    for digit in digits.chars() {
        let digit = digit.to_digit(base)?;
        value = value.wrapping_mul(i64::from(base)).wrapping_add(i64::from(digit));
    }
    Some(value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    struct Plain(BTreeMap<String, String>);

    impl Variables for Plain {
        fn get(&mut self, name: &str) -> Result<String, String> {
            Ok(self.0.get(name).cloned().unwrap_or_default())
        }

        fn set(&mut self, name: &str, value: i64) -> Result<(), String> {
            self.0.insert(name.to_owned(), value.to_string());
            Ok(())
        }
    }

    fn value(text: &str) -> String {
        let mut variables = Plain(BTreeMap::from([
            ("a".to_owned(), "7".to_owned()),
            ("z".to_owned(), "-010".to_owned()),
            ("w".to_owned(), "word".to_owned()),
        ]));
        match evaluate(text, &mut variables) {
            Ok(value) => {
                let a = &variables.0["a"];
                if a == "7" { value.to_string() } else { format!("{value}, a={a}") }
            }
            Err(error) => format!("{error} at {:?}", &text[error.span.clone()]),
        }
    }

    #[test]
    fn every_operator_of_two_values_and_the_one_that_assigns_it() {
        type Model = fn(i64, i64) -> i64;
        let truths: [(&str, Model); 8] = [
            ("==", |a, b| (a == b).into()),
            ("!=", |a, b| (a != b).into()),
            ("<", |a, b| (a < b).into()),
            ("<=", |a, b| (a <= b).into()),
            (">", |a, b| (a > b).into()),
            (">=", |a, b| (a >= b).into()),
            ("&&", |a, b| (a != 0 && b != 0).into()),
            ("||", |a, b| (a != 0 || b != 0).into()),
        ];
        let numbers: [(&str, Model); 10] = [
            ("+", |a, b| a + b),
            ("-", |a, b| a - b),
            ("*", |a, b| a * b),
            ("/", |a, b| a / b),
            ("%", |a, b| a % b),
            ("<<", |a, b| a << b),
            (">>", |a, b| a >> b),
            ("&", |a, b| a & b),
            ("^", |a, b| a ^ b),
            ("|", |a, b| a | b),
        ];
        let values: [(i64, i64); 7] = [(2, 3), (3, 3), (3, 2), (-7, 2), (7, 2), (0, 5), (12, 1)];
        for (left, right) in values {
            for (operator, model) in truths.iter().chain(&numbers) {
                let text = format!("({left}){operator}{right}");
                assert_eq!(value(&text), model(left, right).to_string(), "{text}");
            }
            for (operator, model) in numbers {
                let expected = model(left, right);
                let text = format!("v={left},v{operator}={right}");
                assert_eq!(value(&text), expected.to_string(), "{text}");
            }
        }
        assert_eq!(value("(0)&&0"), "0");
        assert_eq!(value("0||0"), "0");
    }

    #[test]
    fn a_number_has_digits_of_its_base() {
        let known = ["0", "00", "7", "010", "0x1f", "0X1F", "9", "0xg", "0x", "", "08", "1a", "é"]
            .map(number);
        let expected = [0, 0, 7, 8, 31, 31, 9].map(Some);
        assert_eq!(known[..7], expected);
        assert_eq!(known[7..], [None; 6]);
    }

    #[test]
    fn expressions_have_the_values_of_the_language_c() {
        let cases = [
            "",
            " 1 + 2 * 3 ",
            "(1+2)*3",
            "7/2",
            "-7/2",
            "-7%3",
            "1<<4|1",
            "5>4 && 4>5 || 3",
            "a*a",
            "z",
            "a++ + a",
            "--a",
            "- -a",
            "a=b=4",
            "a+=5",
            "a<<=2",
            "!a",
            "~0",
            "a>3?a:1/0",
            "0&&1/0",
            "1||1/0",
            "0?1:2?3:4",
            "0x1F",
            "010",
            "1,2,a=3",
            "9223372036854775807+1",
            "1 2",
            "1+",
            "(1",
            "1/0",
            "w",
            "3a",
            "a b",
            "08",
            "$",
            "1 = 2",
            "a==7",
            "a!=7",
            "7&3",
            "7^3",
            "unset+1",
        ];
        let shown: Vec<String> =
            cases.iter().map(|case| format!("{case:<24} {}", value(case))).collect();
        insta::assert_snapshot!(shown.join("\n"), @r#"
                                 0
         1 + 2 * 3               7
        (1+2)*3                  9
        7/2                      3
        -7/2                     -3
        -7%3                     -1
        1<<4|1                   17
        5>4 && 4>5 || 3          1
        a*a                      49
        z                        -8
        a++ + a                  15, a=8
        --a                      6, a=6
        - -a                     7
        a=b=4                    4, a=4
        a+=5                     12, a=12
        a<<=2                    28, a=28
        !a                       0
        ~0                       -1
        a>3?a:1/0                7
        0&&1/0                   0
        1||1/0                   1
        0?1:2?3:4                3
        0x1F                     31
        010                      8
        1,2,a=3                  3, a=3
        9223372036854775807+1    -9223372036854775808
        1 2                      2 is not allowed here at "2"
        1+                       a value is missing at the end at ""
        (1                       a value is missing at the end at ""
        1/0                      division by zero at "/0"
        w                        w is "word", no whole number at "w"
        3a                       3a is not a whole number at "3a"
        a b                      b is not allowed here at "b"
        08                       08 is not a whole number at "08"
        $                        $ is not allowed here at "$"
        1 = 2                    = is not allowed here at "="
        a==7                     1
        a!=7                     0
        7&3                      3
        7^3                      4
        unset+1                  1
        "#);
    }

    #[test]
    fn depth_is_bounded() {
        assert!(value(&"(".repeat(100_000)).starts_with("this is too deep"));
        assert!(value(&"-".repeat(100_000)).starts_with("this is too deep"));
        assert!(value(&format!("{}1", "1?".repeat(100_000))).starts_with("this is too deep"));
    }
}
