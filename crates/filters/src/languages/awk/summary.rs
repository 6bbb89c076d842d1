//! What a program does, in words, statement by statement.

use super::tree::{
    Arithmetic, Builtin, Comparison, Expr, ExprKind, GetlineFrom, Program, Redirection, Statement,
    When,
};
use crate::text::phrases::{list, named};

/// Longest explanation, in bytes; what does not fit is counted.
const LONGEST: usize = 600;

/// The program in words.
pub(super) fn summary(program: &Program) -> String {
    let mut said = String::new();
    let mut left = 0;
    for rule in &program.rules {
        let when = match &rule.when {
            When::Begin => "before reading".to_owned(),
            When::End => "at the end".to_owned(),
            When::Always => "for every record".to_owned(),
            When::Matches(condition) => format!("for records where {}", self::condition(condition)),
            When::Range(from, to) => {
                format!("from a record where {} to one where {}", condition(from), condition(to))
            }
        };
        let what = match &rule.body {
            None => "prints the record".to_owned(),
            Some(body) if body.is_empty() => "does nothing".to_owned(),
            Some(body) => statements(body),
        };
        if said.len() + when.len() + what.len() > LONGEST && !said.is_empty() {
            left += 1;
            continue;
        }
        if !said.is_empty() {
            said.push_str("; ");
        }
        said.push_str(&format!("{when}: {}", shortened(&what)));
    }
    match left {
        0 if said.is_empty() => "does nothing".to_owned(),
        0 => said,
        _ => format!("{said}; and {left} more rules"),
    }
}

fn shortened(text: &str) -> String {
    if text.len() <= LONGEST {
        return text.to_owned();
    }
    let mut end = LONGEST;
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    format!("{} …", &text[..end])
}

fn statements(all: &[Statement]) -> String {
    let said: Vec<String> = all.iter().map(statement).collect();
    said.join(", ")
}

fn statement(statement: &Statement) -> String {
    crate::common::stack::reading(|| statement_inside(statement))
}

fn statement_inside(statement: &Statement) -> String {
    match statement {
        Statement::Expression(expr) => action(expr),
        Statement::Print { values, to } => {
            format!("prints {}{}", printed(values), target(to.as_ref()))
        }
        Statement::Printf { values, to, .. } => {
            let (format, rest) = match &values[..] {
                [format, rest @ ..] => (value(format), rest),
                [] => (String::new(), &[][..]),
            };
            let rest: Vec<String> = rest.iter().map(value).collect();
            let rest = if rest.is_empty() { rest.join("") } else { format!("{} ", list(&rest)) };
            format!("prints {rest}in the format {format}{}", target(to.as_ref()))
        }
        Statement::If { condition, then, otherwise } => {
            let otherwise =
                otherwise.as_ref().map(|other| format!(", else {}", self::statement(other)));
            let (condition, then) = (self::condition(condition), self::statement(then));
            format!("if {condition} {then}{}", otherwise.unwrap_or_default())
        }
        Statement::While { condition, body } => {
            format!("as long as {} {}", self::condition(condition), self::statement(body))
        }
        Statement::Do { body, condition } => {
            format!("{}, again as long as {}", self::statement(body), self::condition(condition))
        }
        Statement::For { first, condition, step, body } => {
            let first = first.as_ref().map(|first| format!("{}, then ", self::statement(first)));
            let condition = condition.as_ref().map_or("for ever".to_owned(), |condition| {
                format!("as long as {}", self::condition(condition))
            });
            let step = step.as_ref().map(|step| format!(" and {}", self::statement(step)));
            let (first, step) = (first.unwrap_or_default(), step.unwrap_or_default());
            format!("{first}{condition} {}{step}", self::statement(body))
        }
        Statement::ForIn { variable, array, body, .. } => {
            format!("for each key {variable} of {array} {}", self::statement(body))
        }
        Statement::Block(all) => statements(all),
        Statement::Next(_) => "takes the next record".to_owned(),
        Statement::NextFile(_) => "takes the next file".to_owned(),
        Statement::Exit(None) => "ends".to_owned(),
        Statement::Exit(Some(status)) => format!("ends with status {}", value(status)),
        Statement::Return(None) => "returns".to_owned(),
        Statement::Return(Some(result)) => format!("returns {}", value(result)),
        Statement::Break => "leaves the loop".to_owned(),
        Statement::Continue => "takes the next round".to_owned(),
        Statement::Delete { array, key, .. } if key.is_empty() => format!("empties {array}"),
        Statement::Delete { array, key, .. } => format!("deletes {}", element(array, key)),
    }
}

/// The values of a `print`; neighbouring fields are said together.
fn printed(values: &[Expr]) -> String {
    let fields: Option<Vec<String>> = values
        .iter()
        .map(|value| {
            field_number(value).filter(|number| *number > 0.0).map(|number| number.to_string())
        })
        .collect();
    match (values, fields) {
        ([], _) => "the record".to_owned(),
        ([only], _) => value(only),
        (_, Some(fields)) => format!("fields {} joined by a blank or OFS", list(&fields)),
        _ => {
            let said: Vec<String> = values.iter().map(value).collect();
            format!("{} joined by a blank or OFS", list(&said))
        }
    }
}

fn target(to: Option<&(Redirection, Expr)>) -> String {
    match to {
        None => String::new(),
        Some((Redirection::File, name)) => format!(" into the file {}", value(name)),
        Some((Redirection::Append, name)) => format!(" at the end of the file {}", value(name)),
        Some((Redirection::Pipe, command)) => format!(" to the command {}", value(command)),
    }
}

/// An expression that is as a statement.
fn action(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Group(inside) => action(inside),
        ExprKind::Assign(place, None, new) => format!("sets {} to {}", value(place), value(new)),
        ExprKind::Assign(place, Some(how), by) => {
            let (place, by) = (value(place), value(by));
            match how {
                Arithmetic::Add => format!("adds {by} to {place}"),
                Arithmetic::Subtract => format!("subtracts {by} from {place}"),
                Arithmetic::Multiply => format!("multiplies {place} by {by}"),
                Arithmetic::Divide => format!("divides {place} by {by}"),
                _ => format!("sets {place} to {place} {} {by}", sign(*how)),
            }
        }
        ExprKind::Increment { place, by, .. } if *by > 0.0 => format!("adds 1 to {}", value(place)),
        ExprKind::Increment { place, .. } => format!("subtracts 1 from {}", value(place)),
        ExprKind::Builtin(builtin @ (Builtin::Sub | Builtin::Gsub), values) => {
            let which = if *builtin == Builtin::Gsub { "every match" } else { "the first match" };
            let of = values.first().map(pattern).unwrap_or_default();
            let by = values.get(1).map(value).unwrap_or_default();
            let in_ = values.get(2).map(|place| format!(" in {}", value(place)));
            format!("replaces {which} of {of} by {by}{}", in_.unwrap_or_default())
        }
        ExprKind::Builtin(Builtin::Split, values) => {
            let said: Vec<String> = values.iter().take(2).map(value).collect();
            format!("splits {}", said.join(" into "))
        }
        ExprKind::Builtin(Builtin::System, values) => {
            format!("runs the command {}", values.first().map(value).unwrap_or_default())
        }
        ExprKind::Builtin(Builtin::Close, values) => {
            format!("closes {}", values.first().map(value).unwrap_or_default())
        }
        ExprKind::Getline { from, place } => {
            let into = place.as_ref().map(|place| format!(" into {}", value(place)));
            let from = match from {
                GetlineFrom::Input => String::new(),
                GetlineFrom::File(name) => format!(" of the file {}", value(name)),
                GetlineFrom::Command(command) => format!(" of the command {}", value(command)),
            };
            format!("reads the next line{from}{}", into.unwrap_or_default())
        }
        _ => format!("evaluates {}", value(expr)),
    }
}

/// An expression that is true or false.
fn condition(expr: &Expr) -> String {
    crate::common::stack::reading(|| condition_inside(expr))
}

fn condition_inside(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Group(inside) => condition(inside),
        ExprKind::Pattern(_) => format!("{} matches", pattern(expr)),
        ExprKind::Match { subject, pattern: text, negated } => {
            let not = if *negated { "does not match" } else { "matches" };
            format!("{} {not} {}", value(subject), pattern(text))
        }
        ExprKind::Compare(how, one, other) => {
            let is = match how {
                Comparison::Less => "is less than",
                Comparison::LessOrEqual => "is at most",
                Comparison::Equal => "is",
                Comparison::NotEqual => "is not",
                Comparison::Greater => "is more than",
                Comparison::GreaterOrEqual => "is at least",
            };
            format!("{} {is} {}", value(one), value(other))
        }
        ExprKind::And(one, other) => format!("{} and {}", part(one), part(other)),
        ExprKind::Or(one, other) => format!("{} or {}", part(one), part(other)),
        ExprKind::In(key, array) => format!("{} is in {array}", values_of(key)),
        ExprKind::Not(inside) => match &inside.kind {
            ExprKind::Increment { place, by, before: false } if *by > 0.0 => match &place.kind {
                ExprKind::Element(array, key) => {
                    format!("{} comes for the first time (counted in {array})", values_of(key))
                }
                _ => format!("{} is 0", value(inside)),
            },
            ExprKind::In(key, array) => format!("{} is not in {array}", values_of(key)),
            ExprKind::Pattern(_) => format!("{} does not match", pattern(inside)),
            ExprKind::Group(group) if !is_plain(group) => format!("not ({})", condition(group)),
            _ => format!("{} is 0 or empty", value(inside)),
        },
        ExprKind::Number(number) => if *number == 0.0 { "never" } else { "always" }.to_owned(),
        _ => format!("{} is not 0 or empty", value(expr)),
    }
}

/// A part of a longer condition: between brackets where it is one itself.
fn part(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Group(inside) if matches!(inside.kind, ExprKind::And(..) | ExprKind::Or(..)) => {
            format!("({})", condition(inside))
        }
        _ => condition(expr),
    }
}

/// True for what has a value of its own and is no condition.
fn is_plain(expr: &Expr) -> bool {
    matches!(
        expr.kind,
        ExprKind::Number(_)
            | ExprKind::Text(_)
            | ExprKind::Name(_)
            | ExprKind::Field(_)
            | ExprKind::Element(..)
    )
}

fn field_number(expr: &Expr) -> Option<f64> {
    let ExprKind::Field(number) = &expr.kind else { return None };
    match number.kind {
        ExprKind::Number(number) => Some(number),
        _ => None,
    }
}

fn pattern(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Pattern(text) => format!("/{}/", String::from_utf8_lossy(text)),
        _ => value(expr),
    }
}

fn values_of(all: &[Expr]) -> String {
    let said: Vec<String> = all.iter().map(value).collect();
    list(&said)
}

fn element(array: &str, key: &[Expr]) -> String {
    let said: Vec<String> = key.iter().map(value).collect();
    format!("{array}[{}]", said.join(", "))
}

fn sign(how: Arithmetic) -> &'static str {
    match how {
        Arithmetic::Add => "+",
        Arithmetic::Subtract => "−",
        Arithmetic::Multiply => "×",
        Arithmetic::Divide => "/",
        Arithmetic::Remainder => "modulo",
        Arithmetic::Power => "to the power of",
    }
}

/// A text: a word as it is, anything else in quotes.
fn text(text: &[u8]) -> String {
    let word = !text.is_empty()
        && text.iter().all(|byte| byte.is_ascii_alphanumeric() || b"._-/".contains(byte));
    match text {
        b"" => "nothing".to_owned(),
        _ if word => String::from_utf8_lossy(text).into_owned(),
        b"\n" | b"\t" | b" " => named(text),
        _ => {
            format!("“{}”", String::from_utf8_lossy(text).replace('\n', "\\n").replace('\t', "\\t"))
        }
    }
}

fn value(expr: &Expr) -> String {
    crate::common::stack::reading(|| value_inside(expr))
}

fn value_inside(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Number(number) => number.to_string(),
        ExprKind::Text(bytes) => text(bytes),
        ExprKind::Pattern(_) => format!("whether {} matches", pattern(expr)),
        ExprKind::Name(name) => match &name[..] {
            "NR" => "the record's number".to_owned(),
            "FNR" => "the record's number in its file".to_owned(),
            "NF" => "the number of fields".to_owned(),
            "FILENAME" => "the file's name".to_owned(),
            name => name.to_owned(),
        },
        ExprKind::Field(number) => match (&number.kind, field_number(expr)) {
            (_, Some(0.0)) => "the record".to_owned(),
            (_, Some(number)) => format!("field {number}"),
            (ExprKind::Name(name), _) if name == "NF" => "the last field".to_owned(),
            _ => format!("field ({})", value(number)),
        },
        ExprKind::Element(array, key) => element(array, key),
        ExprKind::Group(inside) => match &inside.kind {
            ExprKind::Arithmetic(..) => format!("({})", value(inside)),
            _ => value(inside),
        },
        ExprKind::Negate(inside) => format!("−{}", value(inside)),
        ExprKind::Plus(inside) => value(inside),
        ExprKind::Arithmetic(how, one, other) => {
            format!("{} {} {}", value(one), sign(*how), value(other))
        }
        ExprKind::Concat(..) => {
            let mut parts = Vec::new();
            concatenated(expr, &mut parts);
            parts.join(" followed by ")
        }
        ExprKind::Conditional(when, one, other) => {
            format!("{} if {}, else {}", value(one), condition(when), value(other))
        }
        ExprKind::Call(name, values) => call(name, values),
        ExprKind::Builtin(builtin, values) => function(*builtin, values),
        ExprKind::Assign(..) | ExprKind::Increment { .. } | ExprKind::Getline { .. } => {
            format!("what {} gives", action(expr).replacen("evaluates ", "", 1))
        }
        _ => format!("whether {}", condition(expr)),
    }
}

fn concatenated(expr: &Expr, parts: &mut Vec<String>) {
    match &expr.kind {
        ExprKind::Concat(one, other) => {
            concatenated(one, parts);
            concatenated(other, parts);
        }
        _ => parts.push(value(expr)),
    }
}

fn call(name: &str, values: &[Expr]) -> String {
    let said: Vec<String> = values.iter().map(value).collect();
    format!("{name}({})", said.join(", "))
}

fn function(builtin: Builtin, values: &[Expr]) -> String {
    let first = || values.first().map_or("the record".to_owned(), value);
    match (builtin, values) {
        (Builtin::Length, _) => format!("the length of {}", first()),
        (Builtin::Tolower, _) => format!("{} in small letters", first()),
        (Builtin::Toupper, _) => format!("{} in capitals", first()),
        (Builtin::Int, _) => format!("{} without its fraction", first()),
        (Builtin::Substr, [_, from]) => format!("{} from character {} on", first(), value(from)),
        (Builtin::Substr, [_, from, count]) => {
            format!("{} characters of {} from number {} on", value(count), first(), value(from))
        }
        (Builtin::Index, [_, part]) => format!("the place of {} in {}", value(part), first()),
        (Builtin::Sprintf, [format, rest @ ..]) => {
            format!("{} in the format {}", values_of(rest), value(format))
        }
        _ => {
            let known = super::tree::BUILTINS.iter().find(|(_, known, ..)| *known == builtin);
            call(known.map_or("", |(name, ..)| name), values)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::parser::parse;
    use super::summary;

    #[test]
    fn programs_are_told_statement_by_statement() {
        for (program, expected) in [
            (
                "$1 == \"bob\" {print $3, $5}",
                "for records where field 1 is bob: prints fields 3 and 5 joined by a blank or OFS",
            ),
            ("/refused/", "for records where /refused/ matches: prints the record"),
            (
                "{n[$1] += $2} END {for (k in n) print k, n[k]}",
                "for every record: adds field 2 to n[field 1]; at the end: for each key k of n prints k and n[k] joined by a blank or OFS",
            ),
            (
                "!seen[$0]++",
                "for records where the record comes for the first time (counted in seen): prints the record",
            ),
            (
                "NR > 1 && $5 !~ /^x/ {print $NF}",
                "for records where the record's number is more than 1 and field 5 does not match /^x/: prints the last field",
            ),
            (
                "NR == 5, NR == 9",
                "from a record where the record's number is 5 to one where the record's number is 9: prints the record",
            ),
            (
                "BEGIN {FS = \":\"; OFS = \"\\t\"} {$2 = \"\"; print}",
                "before reading: sets FS to “:”, sets OFS to TAB; for every record: sets field 2 to nothing, prints the record",
            ),
            (
                "{gsub(/a+/, \"b\", $2); printf \"%s %d\\n\", $2, length($3)}",
                "for every record: replaces every match of /a+/ by b in field 2, prints field 2 and the length of field 3 in the format “%s %d\\n”",
            ),
            (
                "{if ($1 in a) next; else a[$1] = NR} END {exit n > 3}",
                "for every record: if field 1 is in a takes the next record, else sets a[field 1] to the record's number; at the end: ends with status whether n is more than 3",
            ),
            (
                "{for (i = 1; i <= NF; i++) s = s $i \"-\"} END {print substr(s, 2, 3) > \"out\"}",
                "for every record: sets i to 1, then as long as i is at most the number of fields sets s to s followed by field (i) followed by - and adds 1 to i; at the end: prints 3 characters of s from number 2 on into the file out",
            ),
            (
                "NR % 2 {print toupper($1) | \"sort\"}",
                "for records where the record's number modulo 2 is not 0 or empty: prints field 1 in capitals to the command sort",
            ),
            ("", "does nothing"),
        ] {
            assert_eq!(summary(&parse(program.as_bytes()).unwrap()), expected, "{program}");
        }
    }

    #[test]
    fn long_programs_are_cut_and_say_so() {
        let rule = "/a/ {print $1, $2, $3; n++; m[$1] = $2}\n";
        let many = summary(&parse(rule.repeat(40).as_bytes()).unwrap());
        assert!(many.ends_with("more rules") && many.len() < 800, "{many}");
        let long = format!("{{{}}}", "n++; ".repeat(300));
        let long = summary(&parse(long.as_bytes()).unwrap());
        assert!(long.ends_with(" …") && long.len() < 800, "{long}");
        let deep = format!("{{x = {}1{}}}", "(".repeat(5_000), ")".repeat(5_000));
        if let Ok(program) = parse(deep.as_bytes()) {
            summary(&program);
        }
    }
}
