//! The options of a stage: what is set, and the text with one of them set otherwise. Nothing but
//! that option changes: the new text is parsed again and compared, and where anything else would
//! be another, or the option not as it was asked for, there is no change at all.

use std::ops::Range;

use engine::parse;
use filters::{Arguments, Definition, OptionId, OptionSpec, Optional, Spec, Style};
use shell::{Command, Pipeline, Span, Word, quote};

use super::stages::{EditError, TextEdit, apply_edits};

/// What means a word whose value is known only when it runs; it cannot be an option.
const EXPANDED: &str = "expanded";

/// A value that most options take, to try whether two options go together.
const TRIED: &str = "1";

/// An option of a stage.
#[derive(Clone, Debug)]
pub struct SheetRow {
    /// The option.
    pub option: &'static OptionSpec,
    /// Its values, one for each time it is given; without a value, empty ones.
    pub given: Vec<String>,
    /// Why it cannot be switched on beside the others, in the filter's own words.
    pub excluded: Option<String>,
}

/// The options of a stage.
#[derive(Clone, Debug)]
pub struct Sheet {
    /// The filter.
    pub spec: &'static Spec,
    /// All its options, in the order of its description.
    pub rows: Vec<SheetRow>,
}

/// How an option is to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Setting {
    /// Not given.
    Off,
    /// Given, without a value.
    On,
    /// Given with this value, which takes the place of the last one.
    Value(String),
    /// Given once more, with this value.
    Again(String),
}

/// A stage and its words.
struct Stage<'t> {
    text: &'t str,
    pipeline: Pipeline,
    number: usize,
    definition: &'static Definition,
    values: Vec<String>,
}

/// Where an option is given.
struct Place {
    /// The word, from 0 after the name.
    word: usize,
    /// Its bytes there: a letter, or the whole word.
    part: Range<usize>,
    /// The word with the value, and the byte in it at which the value begins.
    value: Option<(usize, usize)>,
    /// It is written as a number alone: `-5`.
    number: bool,
}

impl<'t> Stage<'t> {
    fn of(text: &'t str, at: usize, number: usize) -> Result<Self, EditError> {
        let script = parse(text).map_err(|_| EditError::NotParsed)?;
        let pipeline = script.shown(at).cloned().ok_or(EditError::NotParsed)?;
        let command = pipeline.commands.get(number).ok_or(EditError::NoStage)?;
        let name = command.name().ok_or(EditError::NoOptions)?;
        let definition = filters::find(name.as_bytes()).ok_or(EditError::NoOptions)?;
        if definition.spec.style == Style::Own || definition.spec.options.is_empty() {
            return Err(EditError::NoOptions);
        }
        let value = |word: &Word| word.literal().unwrap_or_else(|| EXPANDED.to_owned());
        let values = command.words[1..].iter().map(value).collect();
        Ok(Self { text, pipeline, number, definition, values })
    }

    fn command(&self) -> &Command {
        &self.pipeline.commands[self.number]
    }

    fn spec(&self) -> &'static Spec {
        self.definition.spec
    }

    fn bytes(&self) -> Vec<Vec<u8>> {
        self.values.iter().map(|value| value.clone().into_bytes()).collect()
    }

    fn arguments(&self) -> Option<Arguments> {
        Arguments::parse(self.spec(), &self.bytes()).ok()
    }

    /// Where the option is given, each time.
    fn places(&self, option: &OptionSpec) -> Vec<Place> {
        let spec = self.spec();
        let operands: Vec<usize> = self.arguments().map_or(Vec::new(), |arguments| {
            arguments.operands.iter().map(|operand| operand.word).collect()
        });
        let mut places = Vec::new();
        let mut word = 0;
        while let Some(value) = self.values.get(word) {
            let here = word;
            word += 1;
            if operands.contains(&here) || value == "--" {
                continue;
            }
            if let Some(long) = value.strip_prefix("--") {
                let name = long.split('=').next().unwrap_or(long);
                let Some(found) = by_long(spec, name) else { continue };
                let attached = (name.len() < long.len()).then_some((here, 2 + name.len() + 1));
                let next = found.value.is_some() && found.optional == Optional::Never;
                let value_at = attached.or_else(|| next.then_some((here + 1, 0)));
                if attached.is_none() && next {
                    word += 1;
                }
                if found.id == option.id {
                    let part = 0..value.len();
                    places.push(Place { word: here, part, value: value_at, number: false });
                }
            } else if value.len() > 1 && value.starts_with('-') {
                word += self.in_cluster(value, here, option, &mut places);
            }
        }
        places
    }

    /// Finds the option in a word of letters; gives how many further words that has used.
    fn in_cluster(
        &self,
        value: &str,
        word: usize,
        option: &OptionSpec,
        places: &mut Vec<Place>,
    ) -> usize {
        let spec = self.spec();
        let letters = &value[1..];
        let all_digits = letters.bytes().all(|byte| byte.is_ascii_digit());
        let number = match spec.style {
            Style::NumberIs(short) => Some(short),
            Style::NumberAndUnit { option, .. } => Some(option),
            _ => None,
        };
        if let (Some(short), true) = (number, all_digits) {
            if option.id == short {
                let part = 0..value.len();
                places.push(Place { word, part, value: Some((word, 1)), number: true });
            }
            return 0;
        }
        for (at, letter) in letters.char_indices() {
            let Some(found) = spec.option(letter).filter(|found| found.has_letter()) else {
                return 0;
            };
            let part = at + 1..at + 2;
            let plain = found.value.is_none() || found.optional == Optional::LongOnly;
            if plain {
                if found.id == option.id {
                    places.push(Place { word, part, value: None, number: false });
                }
                continue;
            }
            let attached = at + 1 < letters.len() || found.optional == Optional::Attached;
            let value_at = if attached { (word, at + 2) } else { (word + 1, 0) };
            if found.id == option.id {
                places.push(Place { word, part, value: Some(value_at), number: false });
            }
            return usize::from(!attached);
        }
        0
    }

    /// What the filter says where this option is added: only where the option by itself is right,
    /// so that it is the others it does not go with.
    fn excludes(&self, arguments: &Arguments, option: &OptionSpec) -> Option<String> {
        let optional = option.optional != Optional::Never;
        let value = option.value.filter(|_| !optional).map(|_| TRIED);
        let words = written(self.spec(), option, value);
        let own: Vec<Vec<u8>> = words.split(' ').map(|word| word.as_bytes().to_vec()).collect();
        let alone = [own.clone(), vec![b"--".to_vec()], arguments.operand_values()].concat();
        self.definition.build(&alone).ok()?;
        let error = self.definition.build(&[own, self.bytes()].concat()).err()?;
        Some(error.first_line().to_owned())
    }

    fn word(&self, word: usize) -> Option<&Word> {
        self.command().words.get(word + 1)
    }

    /// The byte of the text at which a byte of a word's value is, where all before it is written
    /// as it is.
    fn byte_at(&self, word: usize, at: usize) -> Option<usize> {
        let span = self.word(word)?.span;
        let raw = &self.text[span.range()];
        let before = self.values.get(word)?.get(..at)?;
        raw.starts_with(before).then_some(span.start + at)
    }

    /// A word and the blank before it.
    fn whole_word(&self, word: usize) -> Option<Span> {
        let span = self.word(word)?.span;
        let before = self.text[..span.start].trim_end_matches([' ', '\t']).len();
        Some(Span::new(before, span.end))
    }

    /// The edits that take an option out of one place.
    fn without(&self, place: &Place) -> Option<Vec<TextEdit>> {
        let remove = |span: Span| TextEdit { span, text: String::new() };
        let value = &self.values[place.word];
        let long = place.part == (0..value.len());
        let mut edits = Vec::new();
        let attached = place.value.is_some_and(|(word, _)| word == place.word);
        let rest_is_value = attached && !long;
        let alone = long || value.len() == 2 || rest_is_value && place.part.start == 1;
        if alone {
            edits.push(remove(self.whole_word(place.word)?));
        } else {
            let from = self.byte_at(place.word, place.part.start)?;
            let to = if rest_is_value {
                self.word(place.word)?.span.end
            } else {
                self.byte_at(place.word, place.part.end)?
            };
            edits.push(remove(Span::new(from, to)));
        }
        if let Some((word, _)) = place.value.filter(|(word, _)| *word != place.word) {
            edits.push(remove(self.whole_word(word)?));
        }
        Some(edits)
    }

    /// The edit that gives the option another value in a place.
    fn with_value(&self, place: &Place, option: &OptionSpec, new: &str) -> Option<Vec<TextEdit>> {
        let replace = |from: usize, to: usize, text: String| {
            vec![TextEdit { span: Span::new(from, to), text }]
        };
        match place.value {
            Some((word, _)) if word != place.word => {
                let span = self.word(word)?.span;
                Some(replace(span.start, span.end, quote(new)))
            }
            Some((word, _)) if place.number && !new.bytes().all(|byte| byte.is_ascii_digit()) => {
                let span = self.word(word)?.span;
                Some(replace(span.start, span.end, written(self.spec(), option, Some(new))))
            }
            Some((word, at)) => {
                let end = self.word(word)?.span.end;
                Some(replace(self.byte_at(word, at)?, end, attached(new)))
            }
            // A value that was left out.
            None => {
                let mut edits = self.without(place)?;
                edits.push(self.adding(option, Some(new))?);
                Some(edits)
            }
        }
    }

    /// The edit that adds the option after the last one there is.
    fn adding(&self, option: &OptionSpec, value: Option<&str>) -> Option<TextEdit> {
        let arguments = self.arguments()?;
        let first_operand = arguments.operands.first().map(|operand| operand.word);
        let end_of_options = self.values.iter().position(|value| value == "--");
        let last = arguments
            .options
            .iter()
            .map(|given| given.word)
            // An option after an operand stays there; the new one is with those before.
            .filter(|word| first_operand.is_none_or(|first| *word < first))
            .filter(|word| end_of_options.is_none_or(|end| *word < end))
            .max();
        let command = self.command();
        let after = match last {
            Some(word) => self.word(word)?.span.end,
            None => command.words.first()?.span.end,
        };
        let text = format!(" {}", written(self.spec(), option, value));
        Some(TextEdit { span: Span::new(after, after), text })
    }
}

/// The option with this long name, or the only one that begins so.
fn by_long(spec: &'static Spec, name: &str) -> Option<&'static OptionSpec> {
    let exact = spec.options.iter().find(|option| option.long == name);
    exact.or_else(|| {
        let mut begun = spec.options.iter().filter(|option| option.long.starts_with(name));
        let only = begun.next().filter(|_| !name.is_empty());
        only.filter(|_| begun.next().is_none())
    })
}

/// A value as the end of a word.
fn attached(value: &str) -> String {
    if value.is_empty() { String::new() } else { quote(value) }
}

/// An option as it is usually written.
fn written(spec: &Spec, option: &OptionSpec, value: Option<&str>) -> String {
    // Of these the value usually follows the letter at once.
    let close = matches!(
        spec.name,
        "cut"
            | "sort"
            | "paste"
            | "join"
            | "uniq"
            | "fold"
            | "nl"
            | "pr"
            | "awk"
            | "expand"
            | "unexpand"
    );
    match (option.has_letter(), value) {
        (false, Some(value)) => format!("--{}={}", option.long, attached(value)),
        (_, None) => option.id.to_string(),
        (true, Some(value)) if option.optional == Optional::LongOnly => {
            format!("--{}={}", option.long, attached(value))
        }
        (true, Some(value)) if option.optional == Optional::Attached => {
            format!("{}{}", option.id, attached(value))
        }
        (true, Some(value)) if close && !value.is_empty() => {
            format!("{}{}", option.id, attached(value))
        }
        (true, Some(value)) => format!("{} {}", option.id, quote(value)),
    }
}

/// The options of a stage as they are now.
///
/// # Errors
/// For a stage that is no filter with options, and text that cannot be taken apart.
pub fn sheet(text: &str, at: usize, number: usize) -> Result<Sheet, EditError> {
    let stage = Stage::of(text, at, number)?;
    let arguments = stage.arguments().ok_or(EditError::NoOptions)?;
    let fits = stage.definition.build(&stage.bytes()).is_ok();
    let row = |option: &'static OptionSpec| {
        let given: Vec<String> = arguments
            .all(option.id)
            .map(|given| String::from_utf8_lossy(&given.value).into_owned())
            .collect();
        // Whether two exclude each other is for the filter itself to say.
        let excluded =
            if given.is_empty() && fits { stage.excludes(&arguments, option) } else { None };
        SheetRow { option, given, excluded }
    };
    Ok(Sheet { spec: stage.spec(), rows: stage.spec().options.iter().map(row).collect() })
}

/// The text with one option of a stage set otherwise; all else stays as it is, to the byte.
///
/// # Errors
/// Where that cannot be done: see [`EditError`]. The text is then to stay as it is.
pub fn set_option(
    text: &str,
    at: usize,
    number: usize,
    id: OptionId,
    setting: &Setting,
) -> Result<String, EditError> {
    let stage = Stage::of(text, at, number)?;
    let option = stage.spec().option(id).ok_or(EditError::NoOptions)?;
    let places = stage.places(option);
    let edits = match (setting, places.last()) {
        (Setting::Off, _) => {
            let mut edits = Vec::new();
            for place in &places {
                edits.extend(stage.without(place).ok_or(EditError::Quoted)?);
            }
            Some(joined(edits))
        }
        (Setting::On, None) => stage.adding(option, None).map(|edit| vec![edit]),
        (Setting::On, Some(_)) => Some(Vec::new()),
        (Setting::Value(value), Some(place)) => stage.with_value(place, option, value),
        (Setting::Value(value), None) | (Setting::Again(value), _) => {
            stage.adding(option, Some(value)).map(|edit| vec![edit])
        }
    };
    let changed = apply_edits(text, &edits.ok_or(EditError::Quoted)?);
    if is_only_that(&stage, &changed, id, setting) { Ok(changed) } else { Err(EditError::Quoted) }
}

/// Removals that touch become one.
fn joined(mut edits: Vec<TextEdit>) -> Vec<TextEdit> {
    edits.sort_by_key(|edit| edit.span.start);
    let mut all: Vec<TextEdit> = Vec::new();
    for edit in edits {
        match all.last_mut() {
            Some(last) if edit.span.start < last.span.end => {
                last.span = Span::new(last.span.start, edit.span.end.max(last.span.end));
            }
            _ => all.push(edit),
        }
    }
    all
}

/// True where the changed text is the same but for that option.
fn is_only_that(before: &Stage<'_>, changed: &str, id: OptionId, setting: &Setting) -> bool {
    let Ok(after) = Stage::of(changed, before.pipeline.span.start, before.number) else {
        return false;
    };
    let text_of = |stage: &Stage<'_>, number: usize| {
        stage
            .pipeline
            .commands
            .get(number)
            .map(|command| stage.text[command.span.range()].to_owned())
    };
    let count = before.pipeline.commands.len();
    let others = (0..count).filter(|number| *number != before.number);
    let same_others = count == after.pipeline.commands.len()
        && others.into_iter().all(|number| text_of(before, number) == text_of(&after, number));
    let redirections = |stage: &Stage<'_>| -> Vec<String> {
        let all = stage.command().redirections.iter();
        all.map(|redirection| stage.text[redirection.span.range()].to_owned()).collect()
    };
    let (Some(old), Some(new)) = (before.arguments(), after.arguments()) else { return false };
    let rest = |arguments: &Arguments| -> Vec<(OptionId, Vec<u8>)> {
        let others = arguments.options.iter().filter(|given| given.id != id);
        others.map(|given| (given.id, given.value.clone())).collect()
    };
    let of = |arguments: &Arguments| -> Vec<Vec<u8>> {
        arguments.all(id).map(|given| given.value.clone()).collect()
    };
    let mut wanted = of(&old);
    match setting {
        Setting::Off => wanted.clear(),
        Setting::On if wanted.is_empty() => wanted.push(Vec::new()),
        Setting::On => {}
        Setting::Value(value) => {
            wanted.pop();
            wanted.push(value.clone().into_bytes());
        }
        Setting::Again(value) => wanted.push(value.clone().into_bytes()),
    }
    // Nothing around the words is another either.
    let (outside_old, outside_new) = (before.command().span, after.command().span);
    let same_around = before.text[..outside_old.start] == after.text[..outside_new.start]
        && before.text[outside_old.end..] == after.text[outside_new.end..];
    same_others
        && same_around
        && redirections(before) == redirections(&after)
        && rest(&old) == rest(&new)
        && old.operand_values() == new.operand_values()
        && of(&new) == wanted
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(text: &str, short: char, setting: Setting) -> String {
        set_option(text, 0, 0, short.into(), &setting).unwrap_or_else(|error| format!("({error})"))
    }

    fn value(text: &str) -> Setting {
        Setting::Value(text.to_owned())
    }

    #[test]
    fn an_option_is_switched_where_the_others_are() {
        assert_eq!(set("uniq f | sort", 'c', Setting::On), "uniq -c f | sort");
        assert_eq!(set("sort -rn -k2 f > o", 'u', Setting::On), "sort -rn -k2 -u f > o");
        assert_eq!(set("grep -- -x f", 'i', Setting::On), "grep -i -- -x f");
        assert_eq!(set("sort -rnu f", 'n', Setting::Off), "sort -ru f");
        assert_eq!(set("sort -r  f", 'r', Setting::Off), "sort  f");
        assert_eq!(set("sort --reverse f", 'r', Setting::Off), "sort f");
        assert_eq!(set("sort -rk2 f", 'k', Setting::Off), "sort -r f");
        assert_eq!(set("sort -r -k 2 f", 'k', Setting::Off), "sort -r f");
        assert_eq!(set("sort -k2 -r -k1 f", 'k', Setting::Off), "sort -r f");
        assert_eq!(set("head -5 f", 'n', Setting::Off), "head f");
    }

    #[test]
    fn a_value_changes_where_it_is_written() {
        assert_eq!(set("cut -d' ' -f3 f", 'f', value("1,4-")), "cut -d' ' -f1,4- f");
        assert_eq!(set("cut -d ' ' -f3", 'd', value(";")), "cut -d ';' -f3");
        assert_eq!(set("cut -d' ' -f3", 'd', value(",")), "cut -d, -f3");
        assert_eq!(set("cut -f3", 'd', value(":")), "cut -f3 -d:");
        assert_eq!(set("head -5 f", 'n', value("20")), "head -20 f");
        assert_eq!(set("head -n 5 f", 'n', value("-1")), "head -n -1 f");
        assert_eq!(set("head f", 'n', value("3")), "head -n 3 f");
        assert_eq!(
            set("grep -e a f", 'e', Setting::Again("b c".to_owned())),
            "grep -e a -e 'b c' f"
        );
        assert_eq!(set("grep --max-count=2 a", 'm', value("7")), "grep --max-count=7 a");
        assert_eq!(set("grep --color a", 'x', Setting::On), "grep --color -x a");
    }

    #[test]
    fn what_cannot_be_done_changes_nothing() {
        assert_eq!(set("echo a", 'n', Setting::On).chars().next(), Some('('));
        assert_eq!(set("sort '-'r f", 'r', Setting::Off), "sort f");
        assert!(set("sort \"-rn\" f", 'r', Setting::Off).starts_with('('));
        assert!(set_option("a |", 0, 0, 'x'.into(), &Setting::On).is_err());
        assert!(set_option("sort", 0, 3, 'r'.into(), &Setting::On).is_err());
    }

    #[test]
    fn a_sheet_says_what_is_set_and_what_excludes_it() {
        let sheet = sheet("cut -d: -f1 -s /etc/passwd | sort", 0, 0).unwrap();
        let row = |short: char| sheet.rows.iter().find(|row| row.option.id == short).unwrap();
        assert_eq!((row('d').given.clone(), row('s').given.len()), (vec![":".to_owned()], 1));
        assert!(row('b').given.is_empty());
        // In the filter's own words, and only where it is the others.
        assert_eq!(row('b').excluded.as_deref(), Some("only one list may be specified"));
        assert_eq!(row('z').excluded, None);
        let sheet = super::sheet("uniq -c", 0, 0).unwrap();
        let excluded = sheet.rows.iter().filter(|row| row.excluded.is_some());
        let excluded: Vec<&str> = excluded.map(|row| row.option.long).collect();
        assert_eq!(excluded, ["all-repeated", "group"]);
    }
}
