//! The grammar of awk (XCU awk, "Grammar"), by recursive descent.

use std::ops::Range;

use super::lexer::{Lexer, Token};
use super::tree::{
    Arithmetic, BUILTINS, Builtin, Comparison, Expr, ExprKind, Fault, Function, GetlineFrom,
    Program, Redirection, Rule, Statement, When,
};

mod expression;

/// Parts within parts beyond this are refused instead of exhausting the stack.
const DEPTH_MAX: usize = 200;

type Parsed<T> = Result<T, Fault>;

pub(super) struct Parser<'t> {
    lexer: Lexer<'t>,
    token: Token,
    span: Range<usize>,
    /// The end of the token before.
    behind: usize,
    depth: usize,
    in_function: bool,
    in_loop: usize,
    /// What a rule may not do in `BEGIN` and `END`.
    in_record: bool,
}

/// Parses a whole program.
pub(super) fn parse(text: &[u8]) -> Parsed<Program> {
    let mut parser = Parser {
        lexer: Lexer::new(text),
        token: Token::Newline,
        span: 0..0,
        behind: 0,
        depth: 0,
        in_function: false,
        in_loop: 0,
        in_record: true,
    };
    parser.advance()?;
    parser.program()
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

    fn is_word(&self, keyword: &str) -> bool {
        matches!(self.token, Token::Keyword(found) if found == keyword)
    }

    fn take(&mut self, symbol: &str) -> Parsed<bool> {
        let found = self.is(symbol);
        if found {
            self.advance()?;
        }
        Ok(found)
    }

    fn take_word(&mut self, keyword: &str) -> Parsed<bool> {
        let found = self.is_word(keyword);
        if found {
            self.advance()?;
        }
        Ok(found)
    }

    fn unexpected<T>(&self, wanted: &str) -> Parsed<T> {
        let found = match &self.token {
            Token::End => "the end of the program".to_owned(),
            Token::Newline => "the end of the line".to_owned(),
            Token::Number(_) => "a number".to_owned(),
            Token::Text(_) => "a string".to_owned(),
            Token::Pattern(_) => "a pattern".to_owned(),
            Token::Name(name) | Token::Callee(name) => format!("“{name}”"),
            Token::Builtin(builtin) => format!("“{}”", builtin_name(*builtin)),
            Token::Keyword(word) => format!("“{word}”"),
            Token::Symbol(symbol) => format!("“{symbol}”"),
        };
        Err(Fault::new(self.span.clone(), format!("{found} where {wanted} should be")))
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

    fn skip_ends(&mut self) -> Parsed<()> {
        while self.token == Token::Newline || self.is(";") {
            self.advance()?;
        }
        Ok(())
    }

    fn deeper(&mut self) -> Parsed<()> {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            let message = format!("more than {DEPTH_MAX} parts within parts");
            return Err(Fault::new(self.span.clone(), message));
        }
        Ok(())
    }

    fn program(&mut self) -> Parsed<Program> {
        let mut program = Program::default();
        self.skip_ends()?;
        while self.token != Token::End {
            if self.take_word("function")? {
                program.functions.push(self.function()?);
            } else {
                program.rules.push(self.rule()?);
            }
            self.skip_ends()?;
        }
        Ok(program)
    }

    fn rule(&mut self) -> Parsed<Rule> {
        let when = if self.take_word("BEGIN")? {
            When::Begin
        } else if self.take_word("END")? {
            When::End
        } else if self.is("{") {
            When::Always
        } else {
            let first = self.expression()?;
            if self.take(",")? {
                self.skip_newlines()?;
                When::Range(first, self.expression()?)
            } else {
                When::Matches(first)
            }
        };
        self.in_record = !matches!(when, When::Begin | When::End);
        if self.is("{") {
            return Ok(Rule { when, body: Some(self.block()?) });
        }
        if !self.in_record {
            return self.unexpected("“{”");
        }
        if !matches!(self.token, Token::Newline | Token::End) && !self.is(";") {
            return self.unexpected("an operator, “{” or the end of the rule");
        }
        Ok(Rule { when, body: None })
    }

    fn function(&mut self) -> Parsed<Function> {
        let span = self.span.clone();
        let name = match std::mem::replace(&mut self.token, Token::Newline) {
            Token::Name(name) | Token::Callee(name) => name,
            other => {
                self.token = other;
                return self.unexpected("the name of the function");
            }
        };
        self.advance()?;
        self.expect("(")?;
        let mut parameters: Vec<String> = Vec::new();
        while !self.is(")") {
            if !parameters.is_empty() {
                self.expect(",")?;
                self.skip_newlines()?;
            }
            let Token::Name(parameter) = &self.token else {
                return self.unexpected("the name of a parameter");
            };
            if parameters.contains(parameter) || *parameter == name {
                let message = format!("the name “{parameter}” is taken in this function");
                return Err(Fault::new(self.span.clone(), message));
            }
            parameters.push(parameter.clone());
            self.advance()?;
        }
        self.expect(")")?;
        self.skip_newlines()?;
        (self.in_function, self.in_record) = (true, true);
        let body = self.block()?;
        self.in_function = false;
        Ok(Function { name, parameters, body, span })
    }

    fn block(&mut self) -> Parsed<Vec<Statement>> {
        self.deeper()?;
        let opening = self.span.clone();
        self.expect("{")?;
        let mut statements = Vec::new();
        self.skip_ends()?;
        while !self.is("}") {
            if self.token == Token::End {
                return Err(Fault::new(opening, "this “{” has no “}”"));
            }
            statements.push(self.statement()?);
            self.skip_ends()?;
        }
        self.advance()?;
        self.depth -= 1;
        Ok(statements)
    }

    /// A statement that is alone needs an end: `;`, a newline, or `}` behind it.
    fn end_of_simple(&mut self) -> Parsed<()> {
        if self.is(";") || self.token == Token::Newline {
            return self.advance();
        }
        if self.is("}") || self.token == Token::End {
            return Ok(());
        }
        self.unexpected("an operator, “;” or “}”")
    }

    fn body(&mut self) -> Parsed<Box<Statement>> {
        self.skip_newlines()?;
        if self.take(";")? {
            return Ok(Box::new(Statement::Block(Vec::new())));
        }
        Ok(Box::new(self.statement()?))
    }

    fn loop_body(&mut self) -> Parsed<Box<Statement>> {
        self.in_loop += 1;
        let body = self.body();
        self.in_loop -= 1;
        body
    }

    fn statement(&mut self) -> Parsed<Statement> {
        self.deeper()?;
        let statement = crate::common::stack::reading(|| self.any_statement());
        self.depth -= 1;
        statement
    }

    fn any_statement(&mut self) -> Parsed<Statement> {
        if self.is("{") {
            return Ok(Statement::Block(self.block()?));
        }
        let Token::Keyword(word) = self.token else { return self.simple_and_end() };
        match word {
            "if" => {
                self.advance()?;
                let condition = self.in_parentheses()?;
                let then = self.body()?;
                // An `else` may stand behind any number of ends.
                let (token, span, behind) = (self.token.clone(), self.span.clone(), self.behind);
                self.skip_ends()?;
                if self.take_word("else")? {
                    let otherwise = Some(self.body()?);
                    return Ok(Statement::If { condition, then, otherwise });
                }
                self.lexer.seek(span.end);
                (self.token, self.span, self.behind) = (token, span, behind);
                Ok(Statement::If { condition, then, otherwise: None })
            }
            "while" => {
                self.advance()?;
                let condition = self.in_parentheses()?;
                Ok(Statement::While { condition, body: self.loop_body()? })
            }
            "do" => {
                self.advance()?;
                let body = self.loop_body()?;
                self.skip_ends()?;
                if !self.take_word("while")? {
                    return self.unexpected("“while”");
                }
                let condition = self.in_parentheses()?;
                self.end_of_simple()?;
                Ok(Statement::Do { body, condition })
            }
            "for" => self.for_loop(),
            _ => self.simple_and_end(),
        }
    }

    fn simple_and_end(&mut self) -> Parsed<Statement> {
        let statement = self.simple()?;
        self.end_of_simple()?;
        Ok(statement)
    }

    fn in_parentheses(&mut self) -> Parsed<Expr> {
        self.expect("(")?;
        let inside = self.expression()?;
        self.expect(")")?;
        Ok(inside)
    }

    fn for_loop(&mut self) -> Parsed<Statement> {
        self.advance()?;
        self.expect("(")?;
        // `(name in name)` and nothing else is the loop over an array.
        if let Token::Name(variable) = self.token.clone() {
            let (start, behind) = (self.span.clone(), self.behind);
            self.advance()?;
            if self.take_word("in")?
                && let Token::Name(array) = self.token.clone()
            {
                let span = self.span.clone();
                self.advance()?;
                if self.take(")")? {
                    let body = self.loop_body()?;
                    return Ok(Statement::ForIn { variable, array, span, body });
                }
            }
            self.lexer.seek(start.end);
            (self.token, self.span, self.behind) = (Token::Name(variable), start, behind);
        }
        let first = if self.is(";") { None } else { Some(Box::new(self.simple()?)) };
        self.expect(";")?;
        self.skip_newlines()?;
        let condition = if self.is(";") { None } else { Some(self.expression()?) };
        self.expect(";")?;
        self.skip_newlines()?;
        let step = if self.is(")") { None } else { Some(Box::new(self.simple()?)) };
        self.expect(")")?;
        Ok(Statement::For { first, condition, step, body: self.loop_body()? })
    }

    fn ends_statement(&self) -> bool {
        self.is(";") || self.is("}") || matches!(self.token, Token::Newline | Token::End)
    }

    fn simple(&mut self) -> Parsed<Statement> {
        let span = self.span.clone();
        let Token::Keyword(word) = self.token else {
            return Ok(Statement::Expression(self.expression()?));
        };
        match word {
            "print" => {
                self.advance()?;
                let (values, to) = self.printed()?;
                Ok(Statement::Print { values, to })
            }
            "printf" => {
                self.advance()?;
                let (values, to) = self.printed()?;
                if values.is_empty() {
                    return self.unexpected("a format");
                }
                Ok(Statement::Printf { values, to, span })
            }
            "next" | "nextfile" => {
                self.advance()?;
                if !self.in_record {
                    let message = format!("“{word}” means nothing in BEGIN and END");
                    return Err(Fault::new(span, message));
                }
                let next = word == "next";
                Ok(if next { Statement::Next(span) } else { Statement::NextFile(span) })
            }
            "exit" => {
                self.advance()?;
                let status = if self.ends_statement() { None } else { Some(self.expression()?) };
                Ok(Statement::Exit(status))
            }
            "return" => {
                self.advance()?;
                if !self.in_function {
                    return Err(Fault::new(span, "“return” outside of a function"));
                }
                let value = if self.ends_statement() { None } else { Some(self.expression()?) };
                Ok(Statement::Return(value))
            }
            "break" | "continue" => {
                self.advance()?;
                if self.in_loop == 0 {
                    return Err(Fault::new(span, format!("“{word}” outside of a loop")));
                }
                let stops = word == "break";
                Ok(if stops { Statement::Break } else { Statement::Continue })
            }
            "delete" => {
                self.advance()?;
                let Token::Name(array) = self.token.clone() else {
                    return self.unexpected("the name of an array");
                };
                let span = self.span.clone();
                self.advance()?;
                let mut key = Vec::new();
                if self.take("[")? {
                    key = self.list("]")?;
                    self.expect("]")?;
                }
                Ok(Statement::Delete { array, key, span })
            }
            "getline" => Ok(Statement::Expression(self.expression()?)),
            _ => self.unexpected("a statement"),
        }
    }

    /// The values of `print` and where they go. A list in parentheses may be followed by `in`,
    /// or be the whole.
    fn printed(&mut self) -> Parsed<(Vec<Expr>, Option<(Redirection, Expr)>)> {
        let mut values = Vec::new();
        if !self.ends_statement() && self.redirection().is_none() {
            values = self.printed_values()?;
        }
        let Some(redirection) = self.redirection() else { return Ok((values, None)) };
        self.advance()?;
        let target = self.concatenation()?;
        Ok((values, Some((redirection, target))))
    }

    fn printed_values(&mut self) -> Parsed<Vec<Expr>> {
        if self.is("(") {
            let (start, behind) = (self.span.clone(), self.behind);
            self.advance()?;
            let mut values = self.list(")")?;
            self.expect(")")?;
            let ends = self.ends_statement() || self.redirection().is_some();
            if ends && !values.is_empty() {
                return Ok(values);
            }
            // It was only the beginning of an expression.
            values.clear();
            self.lexer.seek(start.end);
            (self.token, self.span, self.behind) = (Token::Symbol("("), start, behind);
        }
        let mut values = vec![self.unredirected()?];
        while self.take(",")? {
            self.skip_newlines()?;
            values.push(self.unredirected()?);
        }
        Ok(values)
    }

    fn redirection(&self) -> Option<Redirection> {
        match self.token {
            Token::Symbol(">") => Some(Redirection::File),
            Token::Symbol(">>") => Some(Redirection::Append),
            Token::Symbol("|") => Some(Redirection::Pipe),
            _ => None,
        }
    }

    /// Expressions up to a closing symbol.
    fn list(&mut self, end: &str) -> Parsed<Vec<Expr>> {
        let mut values = Vec::new();
        self.skip_newlines()?;
        while !self.is(end) {
            if !values.is_empty() {
                if !self.is(",") {
                    return self.unexpected(&format!("an operator, “,” or “{end}”"));
                }
                self.advance()?;
                self.skip_newlines()?;
            }
            values.push(self.expression()?);
            self.skip_newlines()?;
        }
        Ok(values)
    }
}

/// The name of a function of the language.
pub(super) fn builtin_name(builtin: Builtin) -> &'static str {
    BUILTINS.iter().find(|(_, known, ..)| *known == builtin).map_or("", |(name, ..)| name)
}
