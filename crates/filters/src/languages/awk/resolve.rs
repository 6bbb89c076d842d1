//! From the tree to the compiled form: names become places, constants are folded, patterns and
//! the kinds of names (variable, array, function) are checked.

use std::collections::HashMap;
use std::ops::Range;

use pattern::{Options, Pattern, Subject, Syntax};

use super::arithmetic::{calculate, compare};
use super::code::{
    self, Argument, ArrayPlace, BuiltinCall, Code, From, Getline, Matcher, Node, Place, SPECIALS,
    Step, Target,
};
use crate::common::input::records::Separator;

use super::tree::{
    Builtin, Expr, ExprKind, Fault, Function, GetlineFrom, Program, Redirection, Statement, When,
};

type Resolved<T> = Result<T, Fault>;

/// A pattern of awk: its text is one text, newlines are characters.
pub(super) fn compile(text: &[u8]) -> Result<Pattern, pattern::PatternError> {
    let options = Options { subject: Subject::Text, ..Options::default() };
    Pattern::new(&[text], Syntax::Awk, options)
}

/// What a value of `RS` means.
pub(super) fn separator(text: &[u8]) -> Result<Separator, pattern::PatternError> {
    Ok(match text {
        [] => Separator::Paragraph,
        [byte] if byte.is_ascii() => Separator::Byte(*byte),
        _ => Separator::Pattern(compile(text)?),
    })
}

/// What is known of a name by how it is used.
#[derive(Clone, Debug, Default)]
struct Uses {
    array: bool,
    /// Where it is first used as a value.
    value: Option<Range<usize>>,
}

/// A variable: of the whole program, or a parameter of a function.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
enum Variable {
    Global(String),
    Parameter(usize, usize),
}

struct Resolver<'t> {
    functions: &'t [Function],
    /// The function being resolved.
    inside: Option<usize>,
    uses: HashMap<Variable, Uses>,
    /// A variable handed over as this parameter.
    handed: Vec<(Variable, Variable)>,
    globals: HashMap<String, usize>,
    arrays: HashMap<String, usize>,
    code: Code,
    /// True in the second pass, when the kinds of all names are known.
    settled: bool,
}

/// Compiles a program. `assigned` are names that get values from outside.
pub(super) fn resolve(program: &Program, assigned: &[String]) -> Resolved<Code> {
    let mut resolver = Resolver {
        functions: &program.functions,
        inside: None,
        uses: HashMap::new(),
        handed: Vec::new(),
        globals: HashMap::new(),
        arrays: HashMap::new(),
        code: Code::default(),
        settled: false,
    };
    for (number, function) in program.functions.iter().enumerate() {
        let same = program.functions[..number].iter().any(|other| other.name == function.name);
        if same || SPECIALS.iter().any(|(name, _)| *name == function.name) {
            let message = format!("the name “{}” is taken", function.name);
            return Err(Fault::new(function.span.clone(), message));
        }
    }
    for name in ["ARGV", "ENVIRON"] {
        let array = resolver.arrays.len();
        resolver.arrays.insert(name.to_owned(), array);
        resolver.uses.insert(Variable::Global(name.to_owned()), Uses { array: true, value: None });
    }
    resolver.program(program)?;
    resolver.settle()?;
    resolver.code = Code::default();
    resolver.settled = true;
    for name in assigned {
        if !SPECIALS.iter().any(|(known, _)| known == name) {
            resolver.global(name);
        }
    }
    resolver.program(program)?;
    let mut code = resolver.code;
    code.only = only(program);
    code.arrays = resolver.arrays.len();
    code.array_names = vec![String::new(); code.arrays];
    for (name, place) in &resolver.arrays {
        code.array_names[*place].clone_from(name);
    }
    code.globals = vec![String::new(); resolver.globals.len()];
    for (name, place) in resolver.globals {
        code.globals[place] = name;
    }
    Ok(code)
}

/// The pattern without which the program does nothing to a record, and leaves nothing of it behind
/// for `END` either.
fn only(program: &Program) -> Option<Pattern> {
    let mut rules = program.rules.iter().filter(|rule| !matches!(rule.when, When::Begin));
    let (rule, ends) = (rules.next()?, rules.next().is_some());
    match &rule.when {
        When::Matches(Expr { kind: ExprKind::Pattern(text), .. }) if !ends => {
            Pattern::new(&[text], Syntax::Awk, Options::default()).ok()
        }
        _ => None,
    }
}

impl Resolver<'_> {
    /// Spreads what is known of arrays over calls, and checks that nothing is both.
    fn settle(&mut self) -> Resolved<()> {
        loop {
            let mut changed = false;
            for (given, parameter) in &self.handed {
                let array = |variable| self.uses.get(variable).is_some_and(|uses| uses.array);
                let (one, other) = (array(given), array(parameter));
                if one != other {
                    self.uses.entry(given.clone()).or_default().array = true;
                    self.uses.entry(parameter.clone()).or_default().array = true;
                    changed = true;
                }
            }
            if !changed {
                break;
            }
        }
        let mut wrong: Option<(Range<usize>, String)> = None;
        for (variable, uses) in &self.uses {
            if let (true, Some(span)) = (uses.array, &uses.value)
                && wrong.as_ref().is_none_or(|(known, _)| span.start < known.start)
            {
                let name = match variable {
                    Variable::Global(name) => name.clone(),
                    Variable::Parameter(function, at) => {
                        self.functions[*function].parameters[*at].clone()
                    }
                };
                wrong = Some((span.clone(), name));
            }
        }
        match wrong {
            None => Ok(()),
            Some((span, name)) => {
                let message = format!("“{name}” is an array and cannot be used as a value");
                Err(Fault::new(span, message))
            }
        }
    }

    fn variable(&self, name: &str) -> Variable {
        if let Some(function) = self.inside
            && let Some(at) =
                self.functions[function].parameters.iter().position(|known| known == name)
        {
            return Variable::Parameter(function, at);
        }
        Variable::Global(name.to_owned())
    }

    fn global(&mut self, name: &str) -> usize {
        let next = self.globals.len();
        *self.globals.entry(name.to_owned()).or_insert(next)
    }

    fn check_name(&self, name: &str, span: &Range<usize>) -> Resolved<()> {
        if self.functions.iter().any(|function| function.name == name) {
            let message = format!("“{name}” is a function: it is called as {name}(…)");
            return Err(Fault::new(span.clone(), message));
        }
        Ok(())
    }

    fn is_array(&self, variable: &Variable) -> bool {
        self.uses.get(variable).is_some_and(|uses| uses.array)
    }

    fn array(&mut self, name: &str, span: &Range<usize>) -> Resolved<ArrayPlace> {
        self.check_name(name, span)?;
        if SPECIALS.iter().any(|(known, _)| *known == name) {
            return Err(Fault::new(span.clone(), format!("{name} is not an array")));
        }
        let variable = self.variable(name);
        self.uses.entry(variable.clone()).or_default().array = true;
        Ok(match variable {
            Variable::Parameter(_, at) => ArrayPlace::Local(at),
            Variable::Global(name) => {
                let next = self.arrays.len();
                ArrayPlace::Global(*self.arrays.entry(name).or_insert(next))
            }
        })
    }

    fn value_place(&mut self, name: &str, span: &Range<usize>) -> Resolved<Place> {
        self.check_name(name, span)?;
        let variable = self.variable(name);
        if let Variable::Global(name) = &variable
            && let Some((_, special)) = SPECIALS.iter().find(|(known, _)| known == name)
        {
            if matches!(special, code::Special::Fs | code::Special::Rs) {
                self.code.separators_named += 1;
            }
            return Ok(Place::Special(*special));
        }
        let uses = self.uses.entry(variable.clone()).or_default();
        uses.value.get_or_insert_with(|| span.clone());
        Ok(match variable {
            Variable::Parameter(_, at) => Place::Local(at),
            Variable::Global(name) => Place::Global(self.global(&name)),
        })
    }

    fn program(&mut self, program: &Program) -> Resolved<()> {
        for (number, function) in program.functions.iter().enumerate() {
            self.inside = Some(number);
            let body = self.steps(&function.body)?;
            let arrays = (0..function.parameters.len())
                .map(|at| self.is_array(&Variable::Parameter(number, at)))
                .collect();
            self.code.functions.push(code::Function { arrays, body });
        }
        self.inside = None;
        for rule in &program.rules {
            let when = match &rule.when {
                When::Begin | When::End => {
                    let body = self.steps(rule.body.as_deref().unwrap_or_default())?;
                    let begins = matches!(rule.when, When::Begin);
                    if begins { &mut self.code.begin } else { &mut self.code.end }.push(body);
                    continue;
                }
                When::Always => code::When::Always,
                When::Matches(condition) => code::When::Matches(self.node(condition)?),
                When::Range(first, last) => {
                    let (first, last) = (self.node(first)?, self.node(last)?);
                    self.code.ranges += 1;
                    code::When::Range(first, last, self.code.ranges - 1)
                }
            };
            let body = match &rule.body {
                Some(body) => Some(self.steps(body)?),
                None => None,
            };
            let at = match &rule.when {
                When::Matches(condition) => condition.span.clone(),
                When::Range(first, last) => first.span.start..last.span.end,
                When::Begin | When::End | When::Always => 0..0,
            };
            self.code.rules.push(code::Rule { when, at, body });
        }
        Ok(())
    }

    fn steps(&mut self, statements: &[Statement]) -> Resolved<Vec<Step>> {
        let mut steps = Vec::with_capacity(statements.len());
        for statement in statements {
            self.statement(statement, &mut steps)?;
        }
        Ok(steps)
    }

    fn boxed(&mut self, statement: &Statement) -> Resolved<Box<[Step]>> {
        let mut steps = Vec::new();
        self.statement(statement, &mut steps)?;
        Ok(steps.into())
    }

    fn statement(&mut self, statement: &Statement, steps: &mut Vec<Step>) -> Resolved<()> {
        let step = match statement {
            Statement::Expression(expr) => Step::Run(match self.appending(expr)? {
                Some(node) => node,
                None => self.node(expr)?,
            }),
            Statement::Print { values, to } => {
                Step::Print { values: self.nodes(values)?, to: self.target(to.as_ref())? }
            }
            Statement::Printf { values, to, span } => {
                let to = self.target(to.as_ref())?;
                Step::Printf { values: self.nodes(values)?, to, at: span.start }
            }
            Statement::If { condition, then, otherwise } => {
                let at = condition.span.clone();
                let condition = self.node(condition)?;
                let then = self.boxed(then)?;
                let otherwise = match otherwise {
                    Some(otherwise) => self.boxed(otherwise)?,
                    None => Box::default(),
                };
                Step::If(condition, at, then, otherwise)
            }
            Statement::While { condition, body } => Step::Loop {
                condition: Some(self.node(condition)?),
                step: None,
                body: self.boxed(body)?,
                first: true,
            },
            Statement::Do { body, condition } => {
                let body = self.boxed(body)?;
                Step::Loop {
                    condition: Some(self.node(condition)?),
                    step: None,
                    body,
                    first: false,
                }
            }
            Statement::For { first, condition, step, body } => {
                if let Some(first) = first {
                    self.statement(first, steps)?;
                }
                let condition = match condition {
                    Some(condition) => Some(self.node(condition)?),
                    None => None,
                };
                let body = self.boxed(body)?;
                let mut after = Vec::new();
                if let Some(step) = step {
                    self.statement(step, &mut after)?;
                }
                Step::Loop { condition, step: after.pop().map(Box::new), body, first: true }
            }
            Statement::ForIn { variable, array, span, body } => {
                let variable = self.value_place(variable, span)?;
                let array = self.array(array, span)?;
                Step::ForIn { variable, array, body: self.boxed(body)? }
            }
            Statement::Block(statements) => {
                for statement in statements {
                    self.statement(statement, steps)?;
                }
                return Ok(());
            }
            Statement::Next(span) => Step::Next(span.start),
            Statement::NextFile(span) => Step::NextFile(span.start),
            Statement::Exit(status) => Step::Exit(self.maybe(status.as_ref())?),
            Statement::Return(value) => Step::Return(self.maybe(value.as_ref())?),
            Statement::Break => Step::Break,
            Statement::Continue => Step::Continue,
            Statement::Delete { array, key, span } => {
                let array = self.array(array, span)?;
                if key.is_empty() {
                    Step::Clear(array)
                } else {
                    Step::Delete(array, self.nodes(key)?)
                }
            }
        };
        steps.push(step);
        Ok(())
    }

    /// `x = x y` as a statement adds to the end of x.
    fn appending(&mut self, expr: &Expr) -> Resolved<Option<Node>> {
        let ExprKind::Assign(place, None, value) = &expr.kind else { return Ok(None) };
        let (ExprKind::Name(name), ExprKind::Concat(..)) = (&place.kind, &value.kind) else {
            return Ok(None);
        };
        let mut parts = Vec::new();
        flatten(value, &mut parts);
        let again = matches!(&parts[0].kind, ExprKind::Name(first) if first == name);
        if !again || !parts[1..].iter().all(|part| is_steady(part)) {
            return Ok(None);
        }
        let to = self.place(place)?;
        let rest: Resolved<Vec<Node>> = parts[1..].iter().map(|part| self.node(part)).collect();
        Ok(Some(Node::Append(Box::new((to, rest?.into())))))
    }

    fn maybe(&mut self, expr: Option<&Expr>) -> Resolved<Option<Node>> {
        expr.map(|expr| self.node(expr)).transpose()
    }

    fn target(&mut self, to: Option<&(Redirection, Expr)>) -> Resolved<Option<Box<Target>>> {
        let Some((how, name)) = to else { return Ok(None) };
        Ok(Some(Box::new(Target { how: *how, at: name.span.start, name: self.node(name)? })))
    }

    fn nodes(&mut self, exprs: &[Expr]) -> Resolved<Box<[Node]>> {
        exprs.iter().map(|expr| self.node(expr)).collect()
    }

    fn pattern(&mut self, text: &[u8], span: &Range<usize>) -> Resolved<usize> {
        if !self.settled {
            return Ok(0);
        }
        let pattern = compile(text).map_err(|error| {
            let inside = span.start + 1..span.end.saturating_sub(1).max(span.start + 1);
            let start = (inside.start + error.span.start).min(inside.end);
            let end = (inside.start + error.span.end).min(inside.end);
            Fault::new(if start < end { start..end } else { span.clone() }, error.to_string())
        })?;
        self.code.patterns.push(pattern);
        Ok(self.code.patterns.len() - 1)
    }

    /// What is where a pattern is wanted.
    fn matcher(&mut self, expr: &Expr) -> Resolved<Matcher> {
        match &expr.kind {
            ExprKind::Pattern(text) => Ok(Matcher::Known(self.pattern(text, &expr.span)?)),
            ExprKind::Group(inside) if matches!(inside.kind, ExprKind::Pattern(_)) => {
                self.matcher(inside)
            }
            ExprKind::Text(text) => Ok(Matcher::Known(self.pattern(text, &expr.span)?)),
            _ => Ok(Matcher::Made(Box::new(self.node(expr)?), expr.span.start)),
        }
    }

    fn text(&mut self, text: &[u8]) -> Node {
        let texts = &mut self.code.texts;
        let place = texts.iter().position(|known| known == text).unwrap_or_else(|| {
            texts.push(text.to_vec());
            texts.len() - 1
        });
        Node::Text(place)
    }

    fn place(&mut self, expr: &Expr) -> Resolved<Place> {
        match &expr.kind {
            ExprKind::Name(name) => self.value_place(name, &expr.span),
            ExprKind::Field(number) => Ok(Place::Field(self.node(number)?, expr.span.start)),
            ExprKind::Element(array, key) => {
                let array = self.array(array, &expr.span)?;
                Ok(Place::Element(array, self.nodes(key)?))
            }
            ExprKind::Group(inside) => self.place(inside),
            _ => {
                let message = "only a variable, a field or an array element can be changed";
                Err(Fault::new(expr.span.clone(), message))
            }
        }
    }

    fn node(&mut self, expr: &Expr) -> Resolved<Node> {
        crate::common::stack::reading(|| self.node_inside(expr))
    }

    #[allow(clippy::too_many_lines)] // one arm for each kind of expression
    fn node_inside(&mut self, expr: &Expr) -> Resolved<Node> {
        let at = expr.span.start;
        Ok(match &expr.kind {
            ExprKind::Number(value) => Node::Number(*value),
            ExprKind::Text(text) => self.text(text),
            ExprKind::Pattern(text) => {
                let pattern = Matcher::Known(self.pattern(text, &expr.span)?);
                Node::Match { subject: Box::new(Node::Column(0)), pattern, negated: false }
            }
            ExprKind::Name(name) => match self.value_place(name, &expr.span)? {
                Place::Special(special) => Node::Special(special),
                Place::Local(place) => Node::Local(place),
                Place::Global(place) => Node::Global(place),
                Place::Field(..) | Place::Element(..) => Node::Number(0.0),
            },
            ExprKind::Field(number) => match self.node(number)? {
                Node::Number(number) if number >= 0.0 && number < f64::from(i32::MAX) => {
                    self.code.columns.insert(number as usize);
                    Node::Column(number as usize)
                }
                number => Node::Field(Box::new(number), at),
            },
            ExprKind::Element(array, key) => {
                let array = self.array(array, &expr.span)?;
                Node::Element(array, self.nodes(key)?)
            }
            ExprKind::Group(inside) => self.node(inside)?,
            ExprKind::In(key, array) => {
                let key = self.nodes(key)?;
                Node::In(self.array(array, &expr.span)?, key)
            }
            ExprKind::Assign(place, None, value) => {
                let value = self.node(value)?;
                Node::Assign(Box::new((self.place(place)?, value)))
            }
            ExprKind::Assign(place, Some(operator), value) => {
                let value = self.node(value)?;
                Node::Update(*operator, Box::new((self.place(place)?, value)), at)
            }
            ExprKind::Increment { place, by, before } => {
                let place = Box::new(self.place(place)?);
                Node::Increment { place, by: *by, before: *before }
            }
            ExprKind::Negate(inside) => match self.node(inside)? {
                Node::Number(value) => Node::Number(-value),
                other => Node::Negate(Box::new(other)),
            },
            ExprKind::Plus(inside) => match self.node(inside)? {
                Node::Number(value) => Node::Number(value),
                other => Node::Plus(Box::new(other)),
            },
            ExprKind::Not(inside) => match self.node(inside)? {
                Node::Number(value) => Node::Number(f64::from(u8::from(value == 0.0))),
                Node::Match { subject, pattern, negated } => {
                    Node::Match { subject, pattern, negated: !negated }
                }
                other => Node::Not(Box::new(other)),
            },
            ExprKind::Arithmetic(operator, left, right) => {
                let (left, right) = (self.node(left)?, self.node(right)?);
                if let (Node::Number(one), Node::Number(other)) = (&left, &right)
                    && let Some(value) = calculate(*operator, *one, *other)
                {
                    return Ok(Node::Number(value));
                }
                Node::Arithmetic(*operator, Box::new((left, right)), at)
            }
            ExprKind::Compare(comparison, left, right) => {
                let (left, right) = (self.node(left)?, self.node(right)?);
                if let (Node::Number(one), Node::Number(other)) = (&left, &right) {
                    let holds = compare(*comparison, one.partial_cmp(other));
                    return Ok(Node::Number(f64::from(u8::from(holds))));
                }
                Node::Compare(*comparison, Box::new((left, right)))
            }
            ExprKind::Match { subject, pattern, negated } => Node::Match {
                subject: Box::new(self.node(subject)?),
                pattern: self.matcher(pattern)?,
                negated: *negated,
            },
            ExprKind::And(left, right) => {
                Node::And(Box::new((self.node(left)?, self.node(right)?)))
            }
            ExprKind::Or(left, right) => Node::Or(Box::new((self.node(left)?, self.node(right)?))),
            ExprKind::Conditional(condition, yes, no) => {
                let parts = (self.node(condition)?, self.node(yes)?, self.node(no)?);
                Node::Conditional(Box::new(parts))
            }
            ExprKind::Concat(..) => {
                let mut parts = Vec::new();
                flatten(expr, &mut parts);
                let mut nodes: Vec<Node> = Vec::new();
                for part in parts {
                    let node = self.node(part)?;
                    if let (Some(Node::Text(one)), Node::Text(other)) = (nodes.last(), &node) {
                        let both = [&self.code.texts[*one][..], &self.code.texts[*other]].concat();
                        nodes.pop();
                        let both = self.text(&both);
                        nodes.push(both);
                    } else {
                        nodes.push(node);
                    }
                }
                match nodes.pop() {
                    Some(only @ Node::Text(_)) if nodes.is_empty() => only,
                    last => Node::Concat(nodes.into_iter().chain(last).collect()),
                }
            }
            ExprKind::Call(name, arguments) => self.call(name, arguments, &expr.span)?,
            ExprKind::Builtin(builtin, arguments) => {
                self.builtin(*builtin, arguments, &expr.span)?
            }
            ExprKind::Getline { from, place } => {
                let from = match from {
                    GetlineFrom::Input => From::Input,
                    GetlineFrom::File(name) => From::File(self.node(name)?),
                    GetlineFrom::Command(text) => From::Command(self.node(text)?),
                };
                let place = match place {
                    Some(place) => Some(self.place(place)?),
                    None => None,
                };
                Node::Getline(Box::new(Getline { from, place }))
            }
        })
    }

    fn call(&mut self, name: &str, arguments: &[Expr], span: &Range<usize>) -> Resolved<Node> {
        let Some(number) = self.functions.iter().position(|function| function.name == name) else {
            return Err(Fault::new(span.clone(), format!("no function “{name}”")));
        };
        let takes = self.functions[number].parameters.len();
        if arguments.len() > takes {
            let message = format!("{name} takes {takes} arguments, not {}", arguments.len());
            return Err(Fault::new(span.clone(), message));
        }
        let mut given = Vec::with_capacity(arguments.len());
        for (at, argument) in arguments.iter().enumerate() {
            let parameter = Variable::Parameter(number, at);
            let ExprKind::Name(name) = &argument.kind else {
                let uses = self.uses.entry(parameter).or_default();
                uses.value.get_or_insert_with(|| argument.span.clone());
                given.push(Argument::Value(self.node(argument)?));
                continue;
            };
            self.check_name(name, &argument.span)?;
            let variable = self.variable(name);
            if self.is_array(&variable) && self.settled {
                given.push(Argument::Array(self.array(name, &argument.span)?));
            } else if self.settled || SPECIALS.iter().any(|(known, _)| known == name) {
                given.push(Argument::Value(self.node(argument)?));
            } else {
                self.handed.push((variable, parameter));
            }
        }
        Ok(Node::Call(number, given.into(), span.start))
    }

    fn builtin(
        &mut self,
        builtin: Builtin,
        arguments: &[Expr],
        span: &Range<usize>,
    ) -> Resolved<Node> {
        let at = span.start;
        let mut call = BuiltinCall {
            builtin,
            values: Vec::new(),
            matcher: None,
            place: None,
            array: None,
            at,
        };
        match (builtin, arguments) {
            (Builtin::Length, [only]) if matches!(only.kind, ExprKind::Name(_)) => {
                let ExprKind::Name(name) = &only.kind else { return Ok(Node::Number(0.0)) };
                self.check_name(name, &only.span)?;
                if self.is_array(&self.variable(name)) {
                    call.array = Some(self.array(name, &only.span)?);
                } else if self.settled {
                    call.values.push(self.node(only)?);
                }
            }
            (Builtin::Split, [text, array, rest @ ..]) => {
                call.values.push(self.node(text)?);
                let ExprKind::Name(name) = &array.kind else {
                    let message = "split needs the name of an array here";
                    return Err(Fault::new(array.span.clone(), message));
                };
                call.array = Some(self.array(name, &array.span)?);
                if let [separator] = rest {
                    match &separator.kind {
                        ExprKind::Pattern(_) => call.matcher = Some(self.matcher(separator)?),
                        _ => call.values.push(self.node(separator)?),
                    }
                }
            }
            (Builtin::Match, [text, pattern]) => {
                call.values.push(self.node(text)?);
                call.matcher = Some(self.matcher(pattern)?);
            }
            (Builtin::Sub | Builtin::Gsub, [pattern, replacement, rest @ ..]) => {
                call.matcher = Some(self.matcher(pattern)?);
                call.values.push(self.node(replacement)?);
                call.place = Some(match rest {
                    [place] => self.place(place)?,
                    _ => Place::Field(Node::Number(0.0), at),
                });
            }
            (Builtin::Gensub, [pattern, rest @ ..]) => {
                call.matcher = Some(self.matcher(pattern)?);
                call.values = self.nodes(rest)?.into();
            }
            _ => call.values = self.nodes(arguments)?.into(),
        }
        Ok(Node::Builtin(Box::new(call)))
    }
}

/// The parts of a concatenation, left to right.
fn flatten<'e>(expr: &'e Expr, parts: &mut Vec<&'e Expr>) {
    match &expr.kind {
        ExprKind::Concat(left, right) => {
            flatten(left, parts);
            parts.push(right);
        }
        _ => parts.push(expr),
    }
}

/// True where an expression changes nothing, whatever it is made of.
fn is_steady(expr: &Expr) -> bool {
    match &expr.kind {
        ExprKind::Number(_) | ExprKind::Text(_) | ExprKind::Name(_) => true,
        ExprKind::Field(inside) | ExprKind::Group(inside) => is_steady(inside),
        ExprKind::Element(_, key) => key.iter().all(is_steady),
        ExprKind::Arithmetic(_, left, right) => is_steady(left) && is_steady(right),
        _ => false,
    }
}
