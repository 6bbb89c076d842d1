//! What every filter says of itself with each of its options: the explanation, the verb, and why it
//! holds data back, as a table.

use filters::{Definition, OptionSpec};

use crate::support::words;

/// A value that an option of this kind may have.
fn value(name: &str) -> &str {
    match name {
        "CHAR" => ",",
        "GLOB" => "*.x",
        "LIST" => "1,3-4",
        "SECONDS" => "2",
        "FILE" => "g",
        name if name.contains("NUM") => "3",
        _ => "x",
    }
}

fn written(option: &OptionSpec) -> String {
    let value = option.value.map(value);
    if option.has_letter() {
        return format!("{}{}", option.id, value.unwrap_or_default());
    }
    match value {
        Some(value) => format!("--{}={value}", option.long),
        None => format!("--{}", option.long),
    }
}

fn row(definition: &'static Definition, line: &[Vec<u8>]) -> String {
    let shown: Vec<String> =
        line.iter().map(|word| String::from_utf8_lossy(word).replace('\n', "\\n")).collect();
    let shown = shown.join(" ");
    match definition.build(&line[1..]) {
        Err(error) => format!("{shown}\n    ✗ {}\n", error.first_line()),
        Ok(filter) => {
            let says = definition.explain(&line[1..]).unwrap_or_default();
            let holds = filter.holds().map_or(String::new(), |why| format!(" · holds: {why}"));
            format!("{shown}\n    {} · {says}{holds}\n", filter.verb().word())
        }
    }
}

#[test]
fn every_option_has_its_words() {
    let mut all: Vec<&'static Definition> = filters::all().to_vec();
    all.sort_by_key(|definition| definition.spec.name);
    let mut table = String::new();
    for definition in all {
        for example in definition.spec.examples {
            // Of an example that is a pipeline only the filter itself.
            let line = example
                .line
                .split(" | ")
                .find(|part| part.split_whitespace().next() == Some(definition.spec.name));
            let Some(line) = line.map(words) else { continue };
            table.push_str(&row(definition, &line));
        }
        let Some(base) = definition.spec.examples.first() else { continue };
        let base = words(base.line.split(" | ").next().unwrap_or_default());
        if base.first().map(Vec::as_slice) != Some(definition.spec.name.as_bytes()) {
            continue;
        }
        for option in definition.spec.options {
            let mut line = base.clone();
            line.insert(1, written(option).into_bytes());
            table.push_str(&row(definition, &line));
        }
    }
    insta::assert_snapshot!("explanations", table);
}
