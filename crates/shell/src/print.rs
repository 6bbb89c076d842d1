use crate::{Command, Parameter, Part, Pipeline, Redirection, RedirectionKind, Script, Word};

/// Prints a script in one plain form: a pipeline a line, single blanks, redirections behind the
/// words. Comments are not part of the tree and are not printed.
pub fn print(script: &Script) -> String {
    let mut out = String::new();
    for pipeline in &script.pipelines {
        print_pipeline(&mut out, pipeline);
        out.push('\n');
    }
    out
}

fn print_pipeline(out: &mut String, pipeline: &Pipeline) {
    for (number, command) in pipeline.commands.iter().enumerate() {
        if number > 0 {
            out.push_str(" | ");
        }
        print_command(out, command);
    }
}

fn print_command(out: &mut String, command: &Command) {
    let start = out.len();
    let space = |out: &mut String| {
        if out.len() > start {
            out.push(' ');
        }
    };
    for assignment in &command.assignments {
        space(out);
        out.push_str(&assignment.name);
        out.push('=');
        print_word(out, &assignment.value);
    }
    for word in &command.words {
        space(out);
        print_word(out, word);
    }
    for redirection in &command.redirections {
        space(out);
        print_redirection(out, redirection);
    }
}

fn print_redirection(out: &mut String, redirection: &Redirection) {
    let (operator, default) = match &redirection.kind {
        RedirectionKind::Read(_) => ("<", 0),
        RedirectionKind::Replace(_) => (">", 1),
        RedirectionKind::Append(_) => (">>", 1),
        RedirectionKind::Duplicate(_) => (">&", 1),
    };
    if redirection.descriptor != default {
        out.push_str(&redirection.descriptor.to_string());
    }
    out.push_str(operator);
    match &redirection.kind {
        RedirectionKind::Duplicate(of) => out.push_str(&of.to_string()),
        RedirectionKind::Read(word)
        | RedirectionKind::Replace(word)
        | RedirectionKind::Append(word) => {
            out.push(' ');
            print_word(out, word);
        }
    }
}

fn print_word(out: &mut String, word: &Word) {
    for (number, part) in word.parts.iter().enumerate() {
        match part {
            Part::Text(text) => out.push_str(text),
            Part::Escaped(character) => {
                out.push('\\');
                out.push(*character);
            }
            Part::Single(text) => {
                out.push('\'');
                out.push_str(text);
                out.push('\'');
            }
            Part::Double(inner) => {
                out.push('"');
                for (number, part) in inner.iter().enumerate() {
                    match part {
                        Part::Text(text) => out.push_str(text),
                        Part::Escaped(character) => {
                            out.push('\\');
                            out.push(*character);
                        }
                        Part::Parameter(parameter, _) => {
                            print_parameter(out, parameter, inner.get(number + 1));
                        }
                        Part::Single(_) | Part::Double(_) | Part::Home | Part::Substituted(_) => {}
                    }
                }
                out.push('"');
            }
            Part::Parameter(parameter, _) => {
                print_parameter(out, parameter, word.parts.get(number + 1));
            }
            Part::Home => out.push('~'),
            Part::Substituted(pipeline) => {
                out.push_str("<(");
                print_pipeline(out, pipeline);
                out.push(')');
            }
        }
    }
}

fn print_parameter(out: &mut String, parameter: &Parameter, next: Option<&Part>) {
    let name = match parameter {
        Parameter::Variable(name) => name.clone(),
        Parameter::Position(number) => number.to_string(),
        Parameter::All => "@".to_owned(),
        Parameter::AllJoined => "*".to_owned(),
        Parameter::Count => "#".to_owned(),
        Parameter::Status => "?".to_owned(),
        Parameter::Process => "$".to_owned(),
    };
    let runs_on = matches!(next, Some(Part::Text(text))
        if text.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_'));
    if runs_on || name.len() > 1 && name.starts_with(|c: char| c.is_ascii_digit()) {
        out.push_str("${");
        out.push_str(&name);
        out.push('}');
    } else {
        out.push('$');
        out.push_str(&name);
    }
}

/// `value` as one word of shell text: as it is where nothing in it is special, else in quotes.
pub fn quote(value: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "%+,-./:=@_^".contains(c);
    if !value.is_empty() && value.chars().all(plain) && !value.contains('=') {
        return value.to_owned();
    }
    format!("'{}'", value.replace('\'', "'\\''"))
}
