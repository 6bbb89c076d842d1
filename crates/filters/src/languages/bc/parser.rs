//! The grammar of bc (XCU bc, "Grammar"), by recursive descent, one item at a time.

use std::ops::Range;
use std::rc::Rc;

use super::lexer::{Fault, Lexer, Token};
use super::tree::{
    Argument, Builtin, Comparison, Expr, ExprKind, Function, Item, Names, Operator, Parameter,
    Place, Printed, Statement,
};

/// Parts within parts beyond this are refused instead of exhausting the stack.
const DEPTH_MAX: usize = 200;

type Parsed<T> = Result<T, Fault>;

pub(super) struct Parser<'t> {
    lexer: Lexer<'t>,
    token: Token,
    span: Range<usize>,
    behind: usize,
    depth: usize,
    in_function: bool,
    loops: usize,
    names: &'t mut Names,
    /// True when no more text will come.
    last: bool,
}

/// Parses the next line of statements, or definition. Gives it (`None` for an empty line) and how
/// many bytes it took.
///
/// # Errors
/// `Incomplete` where more text is needed (unless this is the `last` of it).
pub(super) fn next_item(
    text: &[u8],
    names: &mut Names,
    last: bool,
) -> Parsed<(Option<Item>, usize)> {
    let mut parser = Parser {
        lexer: Lexer::new(text),
        token: Token::Newline,
        span: 0..0,
        behind: 0,
        depth: 0,
        in_function: false,
        loops: 0,
        names,
        last,
    };
    parser.advance()?;
    if parser.token == Token::End {
        return if last { Ok((None, text.len())) } else { Err(Fault::Incomplete) };
    }
    if parser.token == Token::Newline {
        return Ok((None, parser.span.end));
    }
    let item = if parser.take_word("define")? {
        parser.definition()?
    } else {
        Item::Statements(parser.line()?)
    };
    match parser.token {
        Token::Newline => Ok((Some(item), parser.span.end)),
        Token::End if last => Ok((Some(item), text.len())),
        Token::End => Err(Fault::Incomplete),
        _ => parser.unexpected("an operator, “;” or the end of the line"),
    }
}

impl Parser<'_> {
    fn advance(&mut self) -> Parsed<()> {
        self.behind = self.span.end;
        (self.token, self.span) = self.lexer.next()?;
        Ok(())
    }

    fn is(&self, symbol: &str) -> bool {
        matches!(self.token, Token::Symbol(found) if found == symbol)
    }

    fn take(&mut self, symbol: &str) -> Parsed<bool> {
        let found = self.is(symbol);
        if found {
            self.advance()?;
        }
        Ok(found)
    }

    fn take_word(&mut self, word: &str) -> Parsed<bool> {
        let found = matches!(&self.token, Token::Word(found) if found == word);
        if found {
            self.advance()?;
        }
        Ok(found)
    }

    fn wrong<T>(span: Range<usize>, message: impl Into<String>) -> Parsed<T> {
        Err(Fault::Wrong { span, message: message.into() })
    }

    fn unexpected<T>(&self, wanted: &str) -> Parsed<T> {
        let found = match &self.token {
            Token::End if !self.last => return Err(Fault::Incomplete),
            Token::End => "the end of the input".to_owned(),
            Token::Newline => "the end of the line".to_owned(),
            Token::Number(_) => "a number".to_owned(),
            Token::Text(_) => "a string".to_owned(),
            Token::Word(word) => format!("“{word}”"),
            Token::Symbol(symbol) => format!("“{symbol}”"),
        };
        Self::wrong(self.span.clone(), format!("{found} where {wanted} should be"))
    }

    fn expect(&mut self, symbol: &'static str) -> Parsed<()> {
        if self.take(symbol)? { Ok(()) } else { self.unexpected(&format!("“{symbol}”")) }
    }

    fn skip_newlines(&mut self) -> Parsed<()> {
        while self.token == Token::Newline {
            self.advance()?;
        }
        Ok(())
    }

    fn deeper(&mut self) -> Parsed<()> {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return Self::wrong(
                self.span.clone(),
                format!("more than {DEPTH_MAX} parts within parts"),
            );
        }
        Ok(())
    }

    /// Statements up to the end of the line.
    fn line(&mut self) -> Parsed<Vec<Statement>> {
        let mut statements = Vec::new();
        loop {
            while self.take(";")? {}
            if matches!(self.token, Token::Newline | Token::End) {
                return Ok(statements);
            }
            statements.push(self.statement()?);
            if !self.is(";") && !matches!(self.token, Token::Newline | Token::End) {
                return self.unexpected("an operator, “;” or the end of the line");
            }
        }
    }

    fn name(&mut self) -> Parsed<usize> {
        let Token::Word(word) = &self.token else { return self.unexpected("a name") };
        if is_reserved(word) {
            return Self::wrong(self.span.clone(), format!("“{word}” is a word of the language"));
        }
        let number = self.names.number(word);
        self.advance()?;
        Ok(number)
    }

    fn parameter(&mut self) -> Parsed<Parameter> {
        let name = self.name()?;
        let is_array = self.take("[")?;
        if is_array {
            self.expect("]")?;
        }
        Ok(Parameter { name, is_array })
    }

    fn parameters(&mut self, end: impl Fn(&Self) -> bool) -> Parsed<Vec<Parameter>> {
        let mut all: Vec<Parameter> = Vec::new();
        while !end(self) {
            if !all.is_empty() {
                self.expect(",")?;
            }
            let span = self.span.clone();
            let parameter = self.parameter()?;
            if all.contains(&parameter) {
                return Self::wrong(span, "this name is there already");
            }
            all.push(parameter);
        }
        Ok(all)
    }

    fn definition(&mut self) -> Parsed<Item> {
        let name = self.name()?;
        self.expect("(")?;
        let parameters = self.parameters(|parser| parser.is(")"))?;
        self.expect(")")?;
        self.skip_newlines()?;
        self.expect("{")?;
        while self.token == Token::Newline || self.is(";") {
            self.advance()?;
        }
        let mut autos = Vec::new();
        while self.take_word("auto")? {
            autos.extend(
                self.parameters(|parser| parser.is(";") || matches!(parser.token, Token::Newline))?,
            );
            while self.token == Token::Newline || self.is(";") {
                self.advance()?;
            }
        }
        self.in_function = true;
        let body = self.block_body()?;
        Ok(Item::Define(name, Rc::new(Function { parameters, autos, body })))
    }

    /// Statements up to `}`, which is taken.
    fn block_body(&mut self) -> Parsed<Vec<Statement>> {
        let mut body = Vec::new();
        loop {
            while self.token == Token::Newline || self.is(";") {
                self.advance()?;
            }
            if self.take("}")? {
                return Ok(body);
            }
            body.push(self.statement()?);
            if !self.is(";") && !self.is("}") && self.token != Token::Newline {
                return self.unexpected("an operator, “;” or “}”");
            }
        }
    }

    fn statement(&mut self) -> Parsed<Statement> {
        self.deeper()?;
        let statement = crate::common::stack::reading(|| self.any_statement());
        self.depth -= 1;
        statement
    }

    fn any_statement(&mut self) -> Parsed<Statement> {
        if self.take("{")? {
            return Ok(Statement::Block(self.block_body()?));
        }
        if let Token::Text(text) = &self.token {
            let text = text.clone();
            self.advance()?;
            return Ok(Statement::Text(text));
        }
        let span = self.span.clone();
        let Token::Word(word) = self.token.clone() else { return self.expression_statement() };
        match word.as_str() {
            "if" => {
                self.advance()?;
                let condition = self.in_parentheses()?;
                self.skip_newlines()?;
                let then = Box::new(self.statement()?);
                let otherwise = if self.take_word("else")? {
                    self.skip_newlines()?;
                    Some(Box::new(self.statement()?))
                } else {
                    None
                };
                Ok(Statement::If(condition, then, otherwise))
            }
            "while" => {
                self.advance()?;
                let condition = self.in_parentheses()?;
                self.skip_newlines()?;
                Ok(Statement::While(condition, self.loop_body()?))
            }
            "for" => {
                self.advance()?;
                self.expect("(")?;
                let first = self.maybe(";")?;
                self.expect(";")?;
                let condition = self.maybe(";")?;
                self.expect(";")?;
                let step = self.maybe(")")?;
                self.expect(")")?;
                self.skip_newlines()?;
                Ok(Statement::For(first, condition, step, self.loop_body()?))
            }
            "break" | "continue" => {
                self.advance()?;
                if self.loops == 0 {
                    return Self::wrong(span, format!("“{word}” outside of a loop"));
                }
                Ok(if word == "break" { Statement::Break } else { Statement::Continue })
            }
            "return" => {
                self.advance()?;
                if !self.in_function {
                    return Self::wrong(span, "“return” outside of a function");
                }
                let ends = self.is(";") || self.is("}") || self.token == Token::Newline;
                let value = if ends { None } else { Some(self.expression()?) };
                Ok(Statement::Return(value))
            }
            "print" => {
                self.advance()?;
                let mut printed = Vec::new();
                loop {
                    if let Token::Text(text) = &self.token {
                        printed.push(Printed::Text(unescaped(text)));
                        self.advance()?;
                    } else {
                        printed.push(Printed::Value(self.expression()?));
                    }
                    if !self.take(",")? {
                        return Ok(Statement::Print(printed));
                    }
                }
            }
            "halt" | "quit" | "limits" => {
                self.advance()?;
                Ok(match word.as_str() {
                    "halt" => Statement::Halt,
                    "quit" => Statement::Quit,
                    _ => Statement::Limits,
                })
            }
            "auto" | "define" => {
                let message = format!("“{word}” is not allowed here");
                Self::wrong(span, message)
            }
            _ => self.expression_statement(),
        }
    }

    fn loop_body(&mut self) -> Parsed<Box<Statement>> {
        self.loops += 1;
        let body = self.statement();
        self.loops -= 1;
        Ok(Box::new(body?))
    }

    fn expression_statement(&mut self) -> Parsed<Statement> {
        let in_parentheses = self.is("(");
        let expression = self.expression()?;
        let assigns = matches!(expression.kind, ExprKind::Assign(..)) && !in_parentheses;
        Ok(Statement::Expression(expression, !assigns))
    }

    fn maybe(&mut self, end: &str) -> Parsed<Option<Expr>> {
        if self.is(end) { Ok(None) } else { Ok(Some(self.expression()?)) }
    }

    fn in_parentheses(&mut self) -> Parsed<Expr> {
        self.expect("(")?;
        let inside = self.expression()?;
        self.expect(")")?;
        Ok(inside)
    }

    /// `||`, `&&`, `!`, comparisons, assignment, `+ -`, `* / %`, `^`, unary minus, `++ --`: from
    /// the loosest to the tightest.
    fn expression(&mut self) -> Parsed<Expr> {
        self.deeper()?;
        crate::common::stack::reading(|| self.expression_inside())
    }

    fn expression_inside(&mut self) -> Parsed<Expr> {
        let depth = self.depth;
        let mut left = self.and()?;
        while self.take("||")? {
            self.deeper()?;
            let right = self.and()?;
            left = join(left, right, ExprKind::Or);
        }
        self.depth = depth - 1;
        Ok(left)
    }

    fn and(&mut self) -> Parsed<Expr> {
        let depth = self.depth;
        let mut left = self.not()?;
        while self.take("&&")? {
            self.deeper()?;
            let right = self.not()?;
            left = join(left, right, ExprKind::And);
        }
        self.depth = depth;
        Ok(left)
    }

    fn not(&mut self) -> Parsed<Expr> {
        let start = self.span.start;
        if !self.take("!")? {
            return self.comparison();
        }
        self.deeper()?;
        let inside = self.not()?;
        self.depth -= 1;
        let span = start..inside.span.end;
        Ok(Expr { kind: ExprKind::Not(Box::new(inside)), span })
    }

    fn comparison(&mut self) -> Parsed<Expr> {
        let depth = self.depth;
        let mut left = self.assignment()?;
        loop {
            self.deeper()?;
            let Token::Symbol(symbol) = self.token else {
                self.depth = depth;
                return Ok(left);
            };
            let comparison = match symbol {
                "<" => Comparison::Less,
                "<=" => Comparison::LessOrEqual,
                "==" => Comparison::Equal,
                "!=" => Comparison::NotEqual,
                ">=" => Comparison::GreaterOrEqual,
                ">" => Comparison::Greater,
                _ => {
                    self.depth = depth;
                    return Ok(left);
                }
            };
            self.advance()?;
            let right = self.assignment()?;
            left = join(left, right, |left, right| ExprKind::Compare(comparison, left, right));
        }
    }

    fn assignment(&mut self) -> Parsed<Expr> {
        let left = self.sum()?;
        let Token::Symbol(symbol) = self.token else { return Ok(left) };
        let operator = match symbol {
            "=" => None,
            "+=" => Some(Operator::Add),
            "-=" => Some(Operator::Subtract),
            "*=" => Some(Operator::Multiply),
            "/=" => Some(Operator::Divide),
            "%=" => Some(Operator::Remainder),
            "^=" => Some(Operator::Power),
            _ => return Ok(left),
        };
        let symbol_span = self.span.clone();
        // `-a = 1` and the like have a place at the right end that could be meant; it is not.
        let ExprKind::Read(place) = left.kind else {
            let message = "only a variable, an array element, scale, ibase, obase or last \
                           can be assigned to";
            return Self::wrong(symbol_span, message);
        };
        self.advance()?;
        self.deeper()?;
        let value = self.assignment()?;
        self.depth -= 1;
        let span = left.span.start..value.span.end;
        Ok(Expr { kind: ExprKind::Assign(Box::new(place), operator, Box::new(value)), span })
    }

    fn sum(&mut self) -> Parsed<Expr> {
        let first = self.product()?;
        let mut rest = Vec::new();
        loop {
            let operator = match self.token {
                Token::Symbol("+") => Operator::Add,
                Token::Symbol("-") => Operator::Subtract,
                _ => return Ok(row(first, rest)),
            };
            self.advance()?;
            rest.push((operator, self.product()?));
        }
    }

    fn product(&mut self) -> Parsed<Expr> {
        let first = self.power()?;
        let mut rest = Vec::new();
        loop {
            let operator = match self.token {
                Token::Symbol("*") => Operator::Multiply,
                Token::Symbol("/") => Operator::Divide,
                Token::Symbol("%") => Operator::Remainder,
                _ => return Ok(row(first, rest)),
            };
            self.advance()?;
            rest.push((operator, self.power()?));
        }
    }

    /// `^` from right to left; a sign binds tighter on its left.
    fn power(&mut self) -> Parsed<Expr> {
        let left = self.signed()?;
        if !self.take("^")? {
            return Ok(left);
        }
        self.deeper()?;
        let right = self.power()?;
        self.depth -= 1;
        Ok(join(left, right, ExprKind::Power))
    }

    fn signed(&mut self) -> Parsed<Expr> {
        let start = self.span.start;
        if !self.take("-")? {
            return self.primary();
        }
        self.deeper()?;
        let inside = self.signed()?;
        self.depth -= 1;
        let span = start..inside.span.end;
        Ok(Expr { kind: ExprKind::Negate(Box::new(inside)), span })
    }

    fn primary(&mut self) -> Parsed<Expr> {
        let start = self.span.start;
        let kind = match self.token.clone() {
            Token::Number(digits) => {
                self.advance()?;
                ExprKind::Number(digits)
            }
            Token::Symbol("(") => {
                let mut inside = self.in_parentheses()?;
                inside.span = start..self.behind;
                // In parentheses it is no place any more, and no assignment that is not written.
                return Ok(inside);
            }
            Token::Symbol(symbol @ ("++" | "--")) => {
                self.advance()?;
                self.deeper()?;
                let inside = self.primary()?;
                self.depth -= 1;
                let ExprKind::Read(place) = inside.kind else {
                    return Self::wrong(inside.span, "only a variable can be counted up or down");
                };
                ExprKind::Increment { place: Box::new(place), up: symbol == "++", before: true }
            }
            Token::Word(word) => return self.word(&word),
            _ => return self.unexpected("an expression"),
        };
        Ok(Expr { kind, span: start..self.behind })
    }

    fn word(&mut self, word: &str) -> Parsed<Expr> {
        let start = self.span.start;
        let builtin = match word {
            "length" => Some(Builtin::Length),
            "sqrt" => Some(Builtin::SquareRoot),
            "read" => Some(Builtin::Read),
            "scale" => Some(Builtin::Scale),
            _ => None,
        };
        if let Some(builtin) = builtin {
            self.advance()?;
            if self.take("(")? {
                let argument = if self.is(")") { None } else { Some(Box::new(self.expression()?)) };
                self.expect(")")?;
                if argument.is_some() == (builtin == Builtin::Read) {
                    let message = format!(
                        "{word} takes {} argument",
                        if argument.is_some() { "no" } else { "one" }
                    );
                    return Self::wrong(start..self.behind, message);
                }
                let span = start..self.behind;
                return Ok(Expr { kind: ExprKind::Builtin(builtin, argument), span });
            }
            if builtin != Builtin::Scale {
                return self.unexpected(&format!("the “(” of {word}"));
            }
            return self.counted(Place::Scale, start);
        }
        let place = match word {
            "ibase" => Place::InputBase,
            "obase" => Place::OutputBase,
            "last" => Place::Last,
            _ => {
                let name = self.name()?;
                if self.take("(")? {
                    let mut arguments = Vec::new();
                    while !self.is(")") {
                        if !arguments.is_empty() {
                            self.expect(",")?;
                        }
                        arguments.push(self.argument()?);
                    }
                    self.advance()?;
                    let span = start..self.behind;
                    return Ok(Expr { kind: ExprKind::Call(name, arguments), span });
                }
                let place = if self.take("[")? {
                    let index = self.expression()?;
                    self.expect("]")?;
                    Place::Element(name, Box::new(index))
                } else {
                    Place::Variable(name)
                };
                return self.counted(place, start);
            }
        };
        self.advance()?;
        self.counted(place, start)
    }

    /// A place, or the place counted up or down behind it.
    fn counted(&mut self, place: Place, start: usize) -> Parsed<Expr> {
        if self.is("++") || self.is("--") {
            let up = self.is("++");
            self.advance()?;
            let kind = ExprKind::Increment { place: Box::new(place), up, before: false };
            return Ok(Expr { kind, span: start..self.behind });
        }
        Ok(Expr { kind: ExprKind::Read(place), span: start..self.behind })
    }

    /// An expression, or `name[]` for a whole array.
    fn argument(&mut self) -> Parsed<Argument> {
        if let Token::Word(word) = &self.token
            && !is_reserved(word)
        {
            let number = self.names.number(word);
            let start = self.span.start;
            self.advance()?;
            if self.take("[")? && self.take("]")? {
                return Ok(Argument::Array(number));
            }
            // It was only the beginning of an expression.
            self.lexer.seek(start);
            self.advance()?;
        }
        Ok(Argument::Value(self.expression()?))
    }
}

fn row(first: Expr, rest: Vec<(Operator, Expr)>) -> Expr {
    let Some((_, last)) = rest.last() else { return first };
    let span = first.span.start..last.span.end;
    Expr { kind: ExprKind::Row(Box::new(first), rest), span }
}

fn join(left: Expr, right: Expr, make: impl Fn(Box<Expr>, Box<Expr>) -> ExprKind) -> Expr {
    let span = left.span.start..right.span.end;
    Expr { kind: make(Box::new(left), Box::new(right)), span }
}

fn is_reserved(word: &str) -> bool {
    matches!(
        word,
        "auto"
            | "break"
            | "continue"
            | "define"
            | "else"
            | "for"
            | "halt"
            | "ibase"
            | "if"
            | "last"
            | "length"
            | "limits"
            | "obase"
            | "print"
            | "quit"
            | "read"
            | "return"
            | "scale"
            | "sqrt"
            | "while"
    )
}

/// The escapes of `print`.
fn unescaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut characters = text.chars();
    while let Some(character) = characters.next() {
        if character != '\\' {
            out.push(character);
            continue;
        }
        match characters.next() {
            Some('a') => out.push('\u{7}'),
            Some('b') => out.push('\u{8}'),
            Some('f') => out.push('\u{c}'),
            Some('n') => out.push('\n'),
            Some('q') => out.push('"'),
            Some('r') => out.push('\r'),
            Some('t') => out.push('\t'),
            Some('\\') => out.push('\\'),
            Some(other) => out.extend(['\\', other]),
            None => out.push('\\'),
        }
    }
    out
}
