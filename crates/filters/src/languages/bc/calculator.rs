//! Runs bc statements: variables, functions, output.

use std::collections::HashMap;
use std::ops::Range;
use std::rc::Rc;

use num_bigint::BigInt;

use super::library;
use super::number::{DIGITS_MAX, Number, Trouble};
use super::tree::{
    Argument, Builtin, Comparison, Expr, ExprKind, Function, Item, Name, Names, Operator,
    Parameter, Place, Printed, Statement,
};

/// Calls within calls beyond this are refused.
const CALLS_MAX: usize = 10_000;

/// Elements an array may have.
const INDEX_MAX: i64 = 16_777_215;

/// The largest base numbers are written in.
const OUTPUT_BASE_MAX: i64 = 1_000_000_000;

/// Rounds of loops and calls between two looks whether to go on.
const ROUNDS: u32 = 1 << 10;

/// Why statements were not run to their end.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Stop {
    /// An error at a place; the next line continues.
    Fault { span: Range<usize>, message: String },
    /// The program says it is over.
    Halt,
    /// Somebody else says so.
    Cancelled,
}

type Run<T> = Result<T, Box<Stop>>;

fn fault<T>(span: &Range<usize>, message: impl Into<String>) -> Run<T> {
    Err(fault_in(span, message.into()))
}

#[allow(clippy::unnecessary_box_returns)] // as results hold it
fn fault_in(span: &Range<usize>, message: String) -> Box<Stop> {
    Box::new(Stop::Fault { span: span.clone(), message })
}

enum Flow {
    On,
    Break,
    Continue,
    Return(Number),
}

type Array = HashMap<i64, Number>;

/// A variable or array as it was before a call.
enum Saved {
    Variable(Name, Number),
    Array(Name, Array),
}

/// What `read` reads from, and whether to go on.
pub(super) trait Outside {
    /// The next line of the input, without its newline.
    fn line(&mut self) -> Option<Vec<u8>>;
    /// False when the run was cancelled.
    fn goes_on(&self) -> bool;
}

pub(super) struct Calculator {
    scale: u32,
    input_base: u32,
    output_base: BigInt,
    last: Number,
    variables: Vec<Number>,
    arrays: Vec<Array>,
    functions: HashMap<Name, Rc<Function>>,
    calls: usize,
    rounds: u32,
    library: bool,
    /// What was written and is not taken yet.
    pub(super) out: Vec<u8>,
    /// Columns of the line that is being written.
    column: usize,
    /// Columns a line may have; 0 without a limit.
    width: usize,
}

impl Calculator {
    pub(super) fn new(library: bool, width: usize) -> Self {
        Self {
            scale: if library { 20 } else { 0 },
            input_base: 10,
            output_base: BigInt::from(10),
            last: Number::default(),
            variables: Vec::new(),
            arrays: Vec::new(),
            functions: HashMap::new(),
            calls: 0,
            rounds: 0,
            library,
            out: Vec::new(),
            column: 0,
            width,
        }
    }

    /// Runs an item. Afterwards every name shows the previous text it may be used.
    pub(super) fn item(
        &mut self,
        item: &Item,
        names: &Names,
        outside: &mut dyn Outside,
    ) -> Result<(), Box<Stop>> {
        self.variables.resize_with(names.len().max(self.variables.len()), Number::default);
        self.arrays.resize_with(names.len().max(self.arrays.len()), Array::default);
        match item {
            Item::Define(name, function) => {
                self.functions.insert(*name, function.clone());
                Ok(())
            }
            Item::Statements(statements) => {
                let mut context = Context { names, outside };
                let run = || self.run(statements, &mut context);
                crate::common::stack::running(run).map(|_| ())
            }
        }
    }

    fn round(&mut self, context: &Context<'_>) -> Run<()> {
        self.rounds = self.rounds.wrapping_add(1);
        if self.rounds.is_multiple_of(ROUNDS) && !context.outside.goes_on() {
            return Err(Box::new(Stop::Cancelled));
        }
        Ok(())
    }

    fn run(&mut self, statements: &[Statement], context: &mut Context<'_>) -> Run<Flow> {
        for statement in statements {
            match self.statement(statement, context)? {
                Flow::On => {}
                other => return Ok(other),
            }
        }
        Ok(Flow::On)
    }

    fn statement(&mut self, statement: &Statement, context: &mut Context<'_>) -> Run<Flow> {
        match statement {
            Statement::Expression(expression, writes) => {
                let value = self.value(expression, context)?;
                if *writes {
                    self.write_number(&value);
                    self.out.push(b'\n');
                    self.column = 0;
                    self.last = value;
                }
            }
            Statement::Text(text) => self.write(text),
            Statement::Print(parts) => {
                for part in parts {
                    match part {
                        Printed::Text(text) => self.write(text),
                        Printed::Value(expression) => {
                            let value = self.value(expression, context)?;
                            self.write_number(&value);
                            self.last = value;
                        }
                    }
                }
            }
            Statement::Block(statements) => return self.run(statements, context),
            Statement::If(condition, then, otherwise) => {
                if !self.value(condition, context)?.is_zero() {
                    return self.statement(then, context);
                }
                if let Some(otherwise) = otherwise {
                    return self.statement(otherwise, context);
                }
            }
            Statement::While(condition, body) => {
                while !self.value(condition, context)?.is_zero() {
                    self.round(context)?;
                    match self.statement(body, context)? {
                        Flow::On | Flow::Continue => {}
                        Flow::Break => break,
                        returned @ Flow::Return(_) => return Ok(returned),
                    }
                }
            }
            Statement::For(first, condition, step, body) => {
                if let Some(first) = first {
                    self.value(first, context)?;
                }
                loop {
                    if let Some(condition) = condition
                        && self.value(condition, context)?.is_zero()
                    {
                        break;
                    }
                    self.round(context)?;
                    match self.statement(body, context)? {
                        Flow::On | Flow::Continue => {}
                        Flow::Break => break,
                        returned @ Flow::Return(_) => return Ok(returned),
                    }
                    if let Some(step) = step {
                        self.value(step, context)?;
                    }
                }
            }
            Statement::Break => return Ok(Flow::Break),
            Statement::Continue => return Ok(Flow::Continue),
            Statement::Return(value) => {
                return Ok(Flow::Return(match value {
                    Some(value) => self.value(value, context)?,
                    None => Number::default(),
                }));
            }
            Statement::Halt | Statement::Quit => return Err(Box::new(Stop::Halt)),
            Statement::Limits => {
                let text = format!(
                    "digits of a number: {DIGITS_MAX}\nlargest obase: {OUTPUT_BASE_MAX}\n\
                     last index of an array: {INDEX_MAX}\ncalls within calls: {CALLS_MAX}\n"
                );
                self.write(&text);
            }
        }
        Ok(Flow::On)
    }

    /// Writes a text as it is.
    fn write(&mut self, text: &str) {
        self.out.extend_from_slice(text.as_bytes());
        self.column = match text.rfind('\n') {
            Some(at) => text[at + 1..].chars().count(),
            None => self.column + text.chars().count(),
        };
    }

    /// Writes a number, folding the line where it is full (XCU bc, "Operations").
    fn write_number(&mut self, number: &Number) {
        let text = number.write(&self.output_base);
        for byte in text.bytes() {
            // The backslash and the newline are two of the columns.
            if self.width > 2 && self.column + 2 >= self.width {
                self.out.extend_from_slice(b"\\\n");
                self.column = 0;
            }
            self.out.push(byte);
            self.column += 1;
        }
    }

    fn value(&mut self, expression: &Expr, context: &mut Context<'_>) -> Run<Number> {
        let span = &expression.span;
        Ok(match &expression.kind {
            ExprKind::Number(digits) => Number::parse(digits, self.input_base),
            ExprKind::Read(place) => self.read(place, span, context)?,
            ExprKind::Assign(place, operator, value) => {
                let value = self.value(value, context)?;
                let index = self.index(place, span, context)?;
                let value = match operator {
                    Some(operator) => {
                        let old = self.stored(place, index);
                        self.calculate(*operator, &old, &value, span)?
                    }
                    None => value,
                };
                self.store(place, index, value.clone(), span)?;
                value
            }
            ExprKind::Increment { place, up, before } => {
                let index = self.index(place, span, context)?;
                let old = self.stored(place, index);
                let new = old.add(&Number::from(if *up { 1 } else { -1 }));
                self.store(place, index, new.clone(), span)?;
                if *before { new } else { old }
            }
            ExprKind::Negate(inside) => self.value(inside, context)?.negated(),
            ExprKind::Not(inside) => truth(self.value(inside, context)?.is_zero()),
            ExprKind::Power(left, right) => {
                let left = self.value(left, context)?;
                let right = self.value(right, context)?;
                self.calculate(Operator::Power, &left, &right, span)?
            }
            ExprKind::Row(first, rest) => {
                let mut result = self.value(first, context)?;
                for (operator, operand) in rest {
                    let operand = self.value(operand, context)?;
                    result = self.calculate(*operator, &result, &operand, span)?;
                }
                result
            }
            ExprKind::Compare(comparison, left, right) => {
                let left = self.value(left, context)?;
                let order = left.compare(&self.value(right, context)?);
                truth(match comparison {
                    Comparison::Less => order.is_lt(),
                    Comparison::LessOrEqual => order.is_le(),
                    Comparison::Equal => order.is_eq(),
                    Comparison::NotEqual => order.is_ne(),
                    Comparison::Greater => order.is_gt(),
                    Comparison::GreaterOrEqual => order.is_ge(),
                })
            }
            ExprKind::And(left, right) => {
                let left = self.value(left, context)?;
                let right = self.value(right, context)?;
                truth(!left.is_zero() && !right.is_zero())
            }
            ExprKind::Or(left, right) => {
                let left = self.value(left, context)?;
                let right = self.value(right, context)?;
                truth(!left.is_zero() || !right.is_zero())
            }
            ExprKind::Call(name, arguments) => self.call(*name, arguments, span, context)?,
            ExprKind::Builtin(builtin, argument) => {
                let value = match argument {
                    Some(argument) => self.value(argument, context)?,
                    None => Number::default(),
                };
                match builtin {
                    Builtin::Length => Number::from(value.length() as i64),
                    Builtin::Scale => Number::from(i64::from(value.scale())),
                    Builtin::SquareRoot => {
                        value.square_root(self.scale).or_else(|trouble| in_words(trouble, span))?
                    }
                    Builtin::Read => {
                        let line = context.outside.line().unwrap_or_default();
                        let text = line.trim_ascii();
                        let (negative, digits) = match text.strip_prefix(b"-") {
                            Some(digits) => (true, digits),
                            None => (false, text),
                        };
                        let plain =
                            digits.iter().all(|b| matches!(b, b'0'..=b'9' | b'A'..=b'F' | b'.'));
                        if !plain || memchr::memchr_iter(b'.', digits).count() > 1 {
                            return fault(span, "the input is not a number");
                        }
                        let number = Number::parse(digits, self.input_base);
                        if negative { number.negated() } else { number }
                    }
                }
            }
        })
    }

    fn calculate(
        &self,
        operator: Operator,
        left: &Number,
        right: &Number,
        span: &Range<usize>,
    ) -> Run<Number> {
        let result = match operator {
            Operator::Add => Ok(left.add(right)),
            Operator::Subtract => Ok(left.subtract(right)),
            Operator::Multiply => left.multiply(right, self.scale),
            Operator::Divide => left.divide(right, self.scale),
            Operator::Remainder => left.remainder(right, self.scale),
            Operator::Power => {
                let Some(exponent) = right.to_i64() else {
                    return fault(span, "the exponent is too large");
                };
                if right.scale() > 0 && *right != Number::from(exponent).at_scale(right.scale()) {
                    return fault(span, "the exponent is not a whole number");
                }
                if left.is_zero() && exponent < 0 {
                    return fault(span, "division by zero");
                }
                left.power(exponent, self.scale)
            }
        };
        result.or_else(|trouble| in_words(trouble, span))
    }

    /// The index of an element, worked out once however often the place is used.
    fn index(&mut self, place: &Place, span: &Range<usize>, context: &mut Context<'_>) -> Run<i64> {
        let Place::Element(_, index) = place else { return Ok(0) };
        match self.value(index, context)?.to_i64() {
            Some(index) if (0..=INDEX_MAX).contains(&index) => Ok(index),
            _ => fault(span, format!("an index must be from 0 to {INDEX_MAX}")),
        }
    }

    fn read(
        &mut self,
        place: &Place,
        span: &Range<usize>,
        context: &mut Context<'_>,
    ) -> Run<Number> {
        let index = self.index(place, span, context)?;
        Ok(self.stored(place, index))
    }

    fn stored(&self, place: &Place, index: i64) -> Number {
        match place {
            Place::Variable(name) => self.variables[*name].clone(),
            Place::Element(name, _) => self.arrays[*name].get(&index).cloned().unwrap_or_default(),
            Place::Scale => Number::from(i64::from(self.scale)),
            Place::InputBase => Number::from(i64::from(self.input_base)),
            Place::OutputBase => Number::new(self.output_base.clone(), 0),
            Place::Last => self.last.clone(),
        }
    }

    fn store(&mut self, place: &Place, index: i64, value: Number, span: &Range<usize>) -> Run<()> {
        let within = |least: i64, most: i64, what: &str| match value.to_i64() {
            Some(whole) if (least..=most).contains(&whole) => Ok(whole),
            _ => fault(span, format!("{what} must be from {least} to {most}")),
        };
        match place {
            Place::Variable(name) => self.variables[*name] = value,
            Place::Element(name, _) => {
                self.arrays[*name].insert(index, value);
            }
            Place::Scale => self.scale = within(0, DIGITS_MAX as i64, "scale")? as u32,
            Place::InputBase => self.input_base = within(2, 16, "ibase")? as u32,
            Place::OutputBase => {
                self.output_base = BigInt::from(within(2, OUTPUT_BASE_MAX, "obase")?);
            }
            Place::Last => self.last = value,
        }
        Ok(())
    }

    fn call(
        &mut self,
        name: Name,
        arguments: &[Argument],
        span: &Range<usize>,
        context: &mut Context<'_>,
    ) -> Run<Number> {
        let Some(function) = self.functions.get(&name).cloned() else {
            return self.library_call(name, arguments, span, context);
        };
        let takes = function.parameters.len();
        if takes != arguments.len() {
            let name = context.names.name(name);
            let given = arguments.len();
            return fault(span, format!("{name} takes {takes} arguments, not {given}"));
        }
        if self.calls >= CALLS_MAX {
            return fault(span, format!("more than {CALLS_MAX} calls within calls"));
        }
        self.round(context)?;
        let mut given = Vec::with_capacity(takes);
        for (argument, parameter) in arguments.iter().zip(&function.parameters) {
            given.push(match (argument, parameter.is_array) {
                (Argument::Value(value), false) => {
                    Saved::Variable(parameter.name, self.value(value, context)?)
                }
                (Argument::Array(array), true) => {
                    Saved::Array(parameter.name, self.arrays[*array].clone())
                }
                (Argument::Value(value), true) => {
                    return fault(&value.span, "an array should be given here: name[]");
                }
                (Argument::Array(_), false) => {
                    return fault(span, "a number should be given here, not an array");
                }
            });
        }
        // Names are bound while the function runs and go back to what they were behind it.
        let mut saved = Vec::with_capacity(takes + function.autos.len());
        for binding in given {
            saved.push(self.exchange(binding));
        }
        for Parameter { name, is_array } in &function.autos {
            saved.push(self.exchange(if *is_array {
                Saved::Array(*name, Array::default())
            } else {
                Saved::Variable(*name, Number::default())
            }));
        }
        self.calls += 1;
        let flow = crate::common::stack::running(|| self.run(&function.body, context));
        self.calls -= 1;
        for binding in saved.into_iter().rev() {
            self.exchange(binding);
        }
        match flow {
            Ok(Flow::Return(value)) => Ok(value),
            Ok(_) => Ok(Number::default()),
            Err(stop) => Err(match *stop {
                // The place of the call is one in this line; that in the function is not.
                Stop::Fault { message, .. } if self.calls == 0 => {
                    let name = context.names.name(name);
                    fault_in(span, format!("in {name}: {message}"))
                }
                other => Box::new(other),
            }),
        }
    }

    /// Binds a name; gives what it was bound to.
    fn exchange(&mut self, binding: Saved) -> Saved {
        match binding {
            Saved::Variable(name, value) => {
                Saved::Variable(name, std::mem::replace(&mut self.variables[name], value))
            }
            Saved::Array(name, array) => {
                Saved::Array(name, std::mem::replace(&mut self.arrays[name], array))
            }
        }
    }

    fn library_call(
        &mut self,
        name: Name,
        arguments: &[Argument],
        span: &Range<usize>,
        context: &mut Context<'_>,
    ) -> Run<Number> {
        let function = context.names.name(name).to_owned();
        let mut values = Vec::new();
        for argument in arguments {
            match argument {
                Argument::Value(value) => values.push(self.value(value, context)?),
                Argument::Array(_) => return fault(span, "a number should be given here"),
            }
        }
        if !self.library {
            return fault(span, format!("no function “{function}”"));
        }
        let goes_on = || context.outside.goes_on();
        match library::call(&function, &values, self.scale, &goes_on) {
            Ok(Some(value)) => Ok(value),
            Ok(None) => {
                let message = format!("no function “{function}” with these arguments");
                fault(span, message)
            }
            Err(library::Stop::Trouble(trouble)) => in_words(trouble, span),
            Err(library::Stop::Cancelled) => Err(Box::new(Stop::Cancelled)),
        }
    }
}

struct Context<'c> {
    names: &'c Names,
    outside: &'c mut dyn Outside,
}

fn truth(holds: bool) -> Number {
    Number::from(i64::from(holds))
}

fn in_words<T>(trouble: Trouble, span: &Range<usize>) -> Run<T> {
    let message = match trouble {
        Trouble::DivisionByZero => "division by zero".to_owned(),
        Trouble::NegativeRoot => "square root of a negative number".to_owned(),
        Trouble::TooLarge => format!("a number would have more than {DIGITS_MAX} digits"),
    };
    fault(span, message)
}
