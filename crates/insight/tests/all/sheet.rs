//! Every option of every filter: on, off, another value; nothing else of the text changes.

use insight::{Setting, set_option, sheet};

/// Values to try; not every option takes them, but every one can be written.
const VALUES: &[&str] = &["3", "a b", "it's", ",", "-x", ""];

/// Texts to try a filter's options in: by itself, among others, with words that must stay.
fn bases(definition: &filters::Definition) -> Vec<(String, usize)> {
    let name = definition.spec.name;
    let mut all = vec![
        (format!("printf 'a\\n' | {name} \"$x\"  'b c' -- -d | cat > out"), 1),
        (name.to_owned(), 0),
    ];
    let examples = definition.spec.examples.iter();
    let lines =
        examples.map(|example| example.line.to_owned()).filter(|line| line.starts_with(name));
    all.extend(lines.map(|line| (line, 0)));
    // Only where the filter takes these words.
    all.retain(|(text, number)| sheet(text, 0, *number).is_ok());
    all
}

/// What was put into (or taken out of) a text, where everything around it is the same.
fn is_one_piece(before: &str, after: &str) -> bool {
    let (short, long) = if before.len() < after.len() { (before, after) } else { (after, before) };
    let same = short.bytes().zip(long.bytes()).take_while(|(one, two)| one == two).count();
    let same_end =
        short.bytes().rev().zip(long.bytes().rev()).take_while(|(one, two)| one == two).count();
    same + same_end >= short.len()
}

fn given(text: &str, number: usize, id: filters::OptionId) -> Vec<String> {
    let sheet = sheet(text, 0, number).unwrap_or_else(|error| panic!("{text}: {error}"));
    sheet.rows.into_iter().find(|row| row.option.id == id).unwrap().given
}

#[test]
fn every_option_is_switched_alone() {
    let (mut tried, mut refused) = (0, Vec::new());
    for definition in filters::all() {
        let spec = definition.spec;
        for (base, number) in bases(definition) {
            for option in spec.options {
                let before = given(&base, number, option.id);
                let settings: Vec<Setting> = match option.value {
                    None => vec![Setting::On],
                    Some(_) => {
                        let values = VALUES.iter().map(|value| Setting::Value((*value).to_owned()));
                        let optional = option.optional != filters::Optional::Never;
                        values
                            .filter(|value| !optional || *value != Setting::Value(String::new()))
                            .collect()
                    }
                };
                for setting in settings {
                    tried += 1;
                    let Ok(changed) = set_option(&base, 0, number, option.id, &setting) else {
                        refused.push(format!("{base}: {} {setting:?}", option.id));
                        continue;
                    };
                    let now = given(&changed, number, option.id);
                    match &setting {
                        Setting::Value(value) => {
                            assert_eq!(now.last(), Some(value), "{base} -> {changed}");
                        }
                        _ => assert!(!now.is_empty(), "{base} -> {changed}"),
                    }
                    if before.is_empty() {
                        assert!(is_one_piece(&base, &changed), "{base} -> {changed}");
                        let back = set_option(&changed, 0, number, option.id, &Setting::Off);
                        assert_eq!(back.as_ref(), Ok(&base), "{changed}");
                    }
                }
                // What is given can be taken out, and the rest stays.
                if !before.is_empty() {
                    match set_option(&base, 0, number, option.id, &Setting::Off) {
                        Ok(without) => assert!(
                            given(&without, number, option.id).is_empty(),
                            "{base} -> {without}"
                        ),
                        Err(_) => refused.push(format!("{base}: {} off", option.id)),
                    }
                }
            }
        }
    }
    assert!(tried > 3_000, "{tried}");
    assert!(refused.len() * 50 < tried, "{} of {tried}:\n{}", refused.len(), refused.join("\n"));
}

#[test]
fn several_options_come_and_go_in_any_order() {
    for definition in filters::all() {
        let flags: Vec<filters::OptionId> = definition
            .spec
            .options
            .iter()
            .filter(|option| option.value.is_none())
            .map(|option| option.id)
            .collect();
        let base = format!("cat f | {} 2> e | sort", definition.spec.name);
        if sheet(&base, 0, 1).is_err() {
            continue;
        }
        let mut text = base.clone();
        let mut on = Vec::new();
        for short in flags {
            if let Ok(next) = set_option(&text, 0, 1, short, &Setting::On) {
                on.push(short);
                text = next;
            }
        }
        // From the middle to both ends.
        let half = on.len() / 2;
        for short in on[half..].iter().chain(on[..half].iter().rev()) {
            text = set_option(&text, 0, 1, *short, &Setting::Off)
                .unwrap_or_else(|error| panic!("{text}: {error}"));
        }
        assert_eq!(text, base);
    }
}
