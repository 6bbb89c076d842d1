//! Expressions, from the loosest binding to the tightest.

use super::{
    Arithmetic, BUILTINS, Builtin, Comparison, Expr, ExprKind, Fault, GetlineFrom, Parsed, Parser,
    Token, builtin_name,
};

/// Operands in a row beyond this are refused: each makes the tree deeper by one.
const ROW_MAX: usize = 500;

fn join(kind: ExprKind, from: &std::ops::Range<usize>, to: usize) -> Expr {
    Expr { kind, span: from.start..to }
}

fn is_place(expr: &Expr) -> bool {
    matches!(expr.kind, ExprKind::Name(_) | ExprKind::Field(_) | ExprKind::Element(..))
}

impl Parser<'_> {
    pub(super) fn expression(&mut self) -> Parsed<Expr> {
        self.ternary(true)
    }

    /// An expression of `print`, where `>` begins a redirection.
    pub(super) fn unredirected(&mut self) -> Parsed<Expr> {
        self.ternary(false)
    }

    /// Counts one more operand of a row.
    fn in_row(&self, row: &mut usize) -> Parsed<()> {
        *row += 1;
        if *row > ROW_MAX {
            let message = format!("more than {ROW_MAX} operands in a row");
            return Err(Fault::new(self.span.clone(), message));
        }
        Ok(())
    }

    /// `?:` and assignment, both from right to left. `greater` tells whether `>` compares.
    fn ternary(&mut self, greater: bool) -> Parsed<Expr> {
        self.deeper()?;
        crate::common::stack::reading(|| self.ternary_inside(greater))
    }

    fn ternary_inside(&mut self, greater: bool) -> Parsed<Expr> {
        let left = self.or(greater)?;
        let result = if self.take("?")? {
            self.skip_newlines()?;
            let yes = self.ternary(greater)?;
            self.skip_newlines()?;
            self.expect(":")?;
            self.skip_newlines()?;
            let no = self.ternary(greater)?;
            let (span, end) = (left.span.clone(), no.span.end);
            join(ExprKind::Conditional(Box::new(left), Box::new(yes), Box::new(no)), &span, end)
        } else {
            self.assignment(left, greater)?
        };
        self.depth -= 1;
        Ok(result)
    }

    #[allow(clippy::option_option)] // an assignment or none, with an operation or none
    fn assigns(&self) -> Option<Option<Arithmetic>> {
        let Token::Symbol(symbol) = self.token else { return None };
        Some(match symbol {
            "=" => None,
            "+=" => Some(Arithmetic::Add),
            "-=" => Some(Arithmetic::Subtract),
            "*=" => Some(Arithmetic::Multiply),
            "/=" => Some(Arithmetic::Divide),
            "%=" => Some(Arithmetic::Remainder),
            "^=" => Some(Arithmetic::Power),
            _ => return None,
        })
    }

    /// What is left of an assignment is the last operand of whatever was read before it:
    /// `1 + a = 2`, `!x = y`, `a && b = c` assign, as every awk has it.
    fn assignment(&mut self, left: Expr, greater: bool) -> Parsed<Expr> {
        let Some(operator) = self.assigns() else { return Ok(left) };
        let place = self.span.clone();
        self.assign_to(left, operator, greater, &place)
    }

    fn assign_to(
        &mut self,
        left: Expr,
        operator: Option<Arithmetic>,
        greater: bool,
        symbol: &std::ops::Range<usize>,
    ) -> Parsed<Expr> {
        let span = left.span.clone();
        if is_place(&left) {
            self.advance()?;
            self.skip_newlines()?;
            let value = self.ternary(greater)?;
            let end = value.span.end;
            return Ok(join(
                ExprKind::Assign(Box::new(left), operator, Box::new(value)),
                &span,
                end,
            ));
        }
        let mut left = left;
        let (ExprKind::Not(right)
        | ExprKind::Negate(right)
        | ExprKind::Plus(right)
        | ExprKind::And(_, right)
        | ExprKind::Or(_, right)
        | ExprKind::Compare(_, _, right)
        | ExprKind::Match { pattern: right, .. }
        | ExprKind::Concat(_, right)
        | ExprKind::Arithmetic(_, _, right)) = &mut left.kind
        else {
            let message = "only a variable, a field or an array element can be assigned to";
            return Err(Fault::new(symbol.clone(), message));
        };
        let hole = Expr { kind: ExprKind::Number(0.0), span: right.span.clone() };
        let inner = std::mem::replace(&mut **right, hole);
        **right = self.assign_to(inner, operator, greater, symbol)?;
        left.span.end = right.span.end;
        Ok(left)
    }

    fn or(&mut self, greater: bool) -> Parsed<Expr> {
        let mut left = self.and(greater)?;
        let mut row = 0;
        while self.take("||")? {
            self.in_row(&mut row)?;
            self.skip_newlines()?;
            let right = self.and(greater)?;
            let (span, end) = (left.span.clone(), right.span.end);
            left = join(ExprKind::Or(Box::new(left), Box::new(right)), &span, end);
        }
        Ok(left)
    }

    fn and(&mut self, greater: bool) -> Parsed<Expr> {
        let mut left = self.membership(greater)?;
        let mut row = 0;
        while self.take("&&")? {
            self.in_row(&mut row)?;
            self.skip_newlines()?;
            let right = self.membership(greater)?;
            let (span, end) = (left.span.clone(), right.span.end);
            left = join(ExprKind::And(Box::new(left), Box::new(right)), &span, end);
        }
        Ok(left)
    }

    fn membership(&mut self, greater: bool) -> Parsed<Expr> {
        let mut left = self.matching(greater)?;
        let mut row = 0;
        while self.is_word("in") {
            self.in_row(&mut row)?;
            self.advance()?;
            let (span, end) = (left.span.clone(), self.span.end);
            let array = self.array_name()?;
            left = join(ExprKind::In(vec![left], array), &span, end);
        }
        Ok(left)
    }

    fn array_name(&mut self) -> Parsed<String> {
        let Token::Name(array) = self.token.clone() else {
            return self.unexpected("the name of an array");
        };
        self.advance()?;
        Ok(array)
    }

    fn matching(&mut self, greater: bool) -> Parsed<Expr> {
        let mut left = self.comparison(greater)?;
        let mut row = 0;
        while self.is("~") || self.is("!~") {
            self.in_row(&mut row)?;
            let negated = self.is("!~");
            self.advance()?;
            let pattern = self.comparison(greater)?;
            let (span, end) = (left.span.clone(), pattern.span.end);
            let (subject, pattern) = (Box::new(left), Box::new(pattern));
            left = join(ExprKind::Match { subject, pattern, negated }, &span, end);
        }
        Ok(left)
    }

    fn comparison(&mut self, greater: bool) -> Parsed<Expr> {
        let left = self.concatenation()?;
        let Token::Symbol(symbol) = self.token else { return Ok(left) };
        let comparison = match symbol {
            "<" => Comparison::Less,
            "<=" => Comparison::LessOrEqual,
            "==" => Comparison::Equal,
            "!=" => Comparison::NotEqual,
            ">=" => Comparison::GreaterOrEqual,
            ">" if greater => Comparison::Greater,
            _ => return Ok(left),
        };
        self.advance()?;
        let right = self.concatenation()?;
        let (span, end) = (left.span.clone(), right.span.end);
        Ok(join(ExprKind::Compare(comparison, Box::new(left), Box::new(right)), &span, end))
    }

    /// True where the next token can begin the next part of a concatenation.
    fn begins_operand(&self) -> bool {
        match &self.token {
            Token::Number(_)
            | Token::Text(_)
            | Token::Pattern(_)
            | Token::Name(_)
            | Token::Callee(_)
            | Token::Builtin(_) => true,
            Token::Symbol(symbol) => matches!(*symbol, "$" | "!" | "(" | "-" | "+" | "++" | "--"),
            _ => false,
        }
    }

    /// Parts without an operator between them, and `command | getline`.
    pub(super) fn concatenation(&mut self) -> Parsed<Expr> {
        let mut left = self.additive()?;
        let mut row = 0;
        loop {
            self.in_row(&mut row)?;
            if self.is("|") {
                let Some(place) = self.piped_getline()? else { return Ok(left) };
                let (span, end) = (left.span.clone(), self.behind);
                let from = GetlineFrom::Command(Box::new(left));
                left = join(ExprKind::Getline { from, place }, &span, end);
                continue;
            }
            if !self.begins_operand() || self.is("!") {
                return Ok(left);
            }
            let right = self.additive()?;
            let (span, end) = (left.span.clone(), right.span.end);
            left = join(ExprKind::Concat(Box::new(left), Box::new(right)), &span, end);
        }
    }

    /// At `|`: takes `| getline [place]`; `None` where the pipe is one of `print`.
    #[allow(clippy::option_option)] // a pipe or none, a place or none
    fn piped_getline(&mut self) -> Parsed<Option<Option<Box<Expr>>>> {
        let (pipe, behind) = (self.span.clone(), self.behind);
        self.advance()?;
        if self.take_word("getline")? {
            return Ok(Some(self.getline_place()?));
        }
        self.lexer.seek(pipe.end);
        (self.token, self.span, self.behind) = (Token::Symbol("|"), pipe, behind);
        Ok(None)
    }

    /// The variable, field or element a line is read into, if one is here.
    fn getline_place(&mut self) -> Parsed<Option<Box<Expr>>> {
        let begins = matches!(self.token, Token::Name(_)) || self.is("$");
        if !begins {
            return Ok(None);
        }
        let place = self.postfix_free_place()?;
        Ok(Some(Box::new(place)))
    }

    fn additive(&mut self) -> Parsed<Expr> {
        let mut left = self.multiplicative()?;
        let mut row = 0;
        loop {
            self.in_row(&mut row)?;
            let operator = match self.token {
                Token::Symbol("+") => Arithmetic::Add,
                Token::Symbol("-") => Arithmetic::Subtract,
                _ => return Ok(left),
            };
            self.advance()?;
            let right = self.multiplicative()?;
            left = arithmetic(operator, left, right);
        }
    }

    fn multiplicative(&mut self) -> Parsed<Expr> {
        let mut left = self.unary()?;
        let mut row = 0;
        loop {
            self.in_row(&mut row)?;
            let operator = match self.token {
                Token::Symbol("*") => Arithmetic::Multiply,
                Token::Symbol("/") => Arithmetic::Divide,
                Token::Symbol("%") => Arithmetic::Remainder,
                _ => return Ok(left),
            };
            self.advance()?;
            let right = self.unary()?;
            left = arithmetic(operator, left, right);
        }
    }

    fn unary(&mut self) -> Parsed<Expr> {
        let start = self.span.clone();
        let make: fn(Box<Expr>) -> ExprKind = match self.token {
            Token::Symbol("!") => ExprKind::Not,
            Token::Symbol("-") => ExprKind::Negate,
            Token::Symbol("+") => ExprKind::Plus,
            _ => return self.power(),
        };
        self.advance()?;
        self.deeper()?;
        let operand = self.unary()?;
        self.depth -= 1;
        let end = operand.span.end;
        Ok(join(make(Box::new(operand)), &start, end))
    }

    /// `^`, from right to left; its right side may have a sign.
    fn power(&mut self) -> Parsed<Expr> {
        let left = self.postfix()?;
        if !self.take("^")? {
            return Ok(left);
        }
        self.deeper()?;
        let right = if self.is("-") || self.is("+") || self.is("!") {
            self.unary()?
        } else {
            self.power()?
        };
        self.depth -= 1;
        Ok(arithmetic(Arithmetic::Power, left, right))
    }

    fn postfix(&mut self) -> Parsed<Expr> {
        let operand = self.primary()?;
        if is_place(&operand) && (self.is("++") || self.is("--")) {
            let by = if self.is("++") { 1.0 } else { -1.0 };
            self.advance()?;
            let (span, end) = (operand.span.clone(), self.behind);
            let kind = ExprKind::Increment { place: Box::new(operand), by, before: false };
            return Ok(join(kind, &span, end));
        }
        Ok(operand)
    }

    /// A variable, a field or an element, without what may follow it.
    fn postfix_free_place(&mut self) -> Parsed<Expr> {
        let place = self.primary()?;
        if is_place(&place) {
            return Ok(place);
        }
        Err(Fault::new(place.span, "a variable, a field or an array element should be here"))
    }

    fn primary(&mut self) -> Parsed<Expr> {
        let start = self.span.clone();
        match self.token.clone() {
            Token::Number(value) => {
                self.advance()?;
                Ok(join(ExprKind::Number(value), &start, start.end))
            }
            Token::Text(value) => {
                self.advance()?;
                Ok(join(ExprKind::Text(value), &start, start.end))
            }
            Token::Symbol("/" | "/=") => {
                let (token, span) = self.lexer.pattern(start.start)?;
                let Token::Pattern(text) = token else { return self.unexpected("a pattern") };
                self.span = span.clone();
                self.advance()?;
                Ok(Expr { kind: ExprKind::Pattern(text), span })
            }
            Token::Symbol("$") => {
                self.advance()?;
                self.deeper()?;
                let number = if self.is("++") || self.is("--") {
                    self.primary()?
                } else if self.is("-") || self.is("+") || self.is("!") {
                    self.unary()?
                } else {
                    self.primary()?
                };
                self.depth -= 1;
                let end = number.span.end;
                Ok(join(ExprKind::Field(Box::new(number)), &start, end))
            }
            Token::Symbol(symbol @ ("++" | "--")) => {
                self.advance()?;
                self.deeper()?;
                let place = Box::new(self.postfix_free_place()?);
                self.depth -= 1;
                let by = if symbol == "++" { 1.0 } else { -1.0 };
                let end = place.span.end;
                Ok(join(ExprKind::Increment { place, by, before: true }, &start, end))
            }
            Token::Symbol("(") => self.parenthesis(),
            Token::Name(name) => {
                self.advance()?;
                if self.take("[")? {
                    let key = self.list("]")?;
                    if key.is_empty() {
                        return self.unexpected("a subscript");
                    }
                    self.expect("]")?;
                    return Ok(join(ExprKind::Element(name, key), &start, self.behind));
                }
                Ok(join(ExprKind::Name(name), &start, start.end))
            }
            Token::Callee(name) => {
                self.advance()?;
                self.expect("(")?;
                let arguments = self.list(")")?;
                self.expect(")")?;
                Ok(join(ExprKind::Call(name, arguments), &start, self.behind))
            }
            Token::Builtin(builtin) => self.builtin(builtin),
            Token::Keyword("getline") => {
                self.advance()?;
                let place = self.getline_place()?;
                let from = if self.take("<")? {
                    GetlineFrom::File(Box::new(self.postfix()?))
                } else {
                    GetlineFrom::Input
                };
                Ok(join(ExprKind::Getline { from, place }, &start, self.behind))
            }
            Token::Symbol("-" | "+" | "!") => self.unary(),
            _ => self.unexpected("an expression"),
        }
    }

    /// `(a)`, or `(a, b) in array`.
    fn parenthesis(&mut self) -> Parsed<Expr> {
        let start = self.span.clone();
        self.advance()?;
        self.deeper()?;
        let mut values = self.list(")")?;
        self.depth -= 1;
        self.expect(")")?;
        let end = self.behind;
        if values.len() > 1 {
            if !self.take_word("in")? {
                let message = "a list in parentheses is only the subscript before “in”";
                return Err(Fault::new(start.start..end, message));
            }
            let end = self.span.end;
            let array = self.array_name()?;
            return Ok(join(ExprKind::In(values, array), &start, end));
        }
        match values.pop() {
            Some(only) => Ok(join(ExprKind::Group(Box::new(only)), &start, end)),
            None => Err(Fault::new(start.start..end, "there is nothing in these parentheses")),
        }
    }

    fn builtin(&mut self, builtin: Builtin) -> Parsed<Expr> {
        let start = self.span.clone();
        let name = builtin_name(builtin);
        self.advance()?;
        let mut arguments = Vec::new();
        if self.take("(")? {
            arguments = self.list(")")?;
            self.expect(")")?;
        } else if builtin != Builtin::Length {
            return self.unexpected(&format!("the “(” of {name}"));
        }
        let known = BUILTINS.iter().find(|(_, known, ..)| *known == builtin);
        let (least, most) = known.map_or((0, 0), |(_, _, least, most)| (*least, *most));
        if arguments.len() < least || arguments.len() > most {
            let takes = match (least, most) {
                (least, most) if least == most => least.to_string(),
                (least, usize::MAX) => format!("{least} or more"),
                (least, most) => format!("{least} to {most}"),
            };
            let message = format!("{name} takes {takes} arguments, not {}", arguments.len());
            return Err(Fault::new(start.start..self.behind, message));
        }
        Ok(join(ExprKind::Builtin(builtin, arguments), &start, self.behind))
    }
}

fn arithmetic(operator: Arithmetic, left: Expr, right: Expr) -> Expr {
    let span = left.span.start..right.span.end;
    Expr { kind: ExprKind::Arithmetic(operator, Box::new(left), Box::new(right)), span }
}
