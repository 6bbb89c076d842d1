//! Expansion of words (XCU 2.6): home, parameters, field splitting, file names, quotes.

use std::os::unix::ffi::OsStringExt;

use shell::{Parameter, Part, Word};
use stream::World;

use crate::glob::{Glob, has_pattern};
use crate::plan::Variables;

/// What a word is made of before it is split into fields.
#[derive(Clone, Copy)]
enum Unit {
    /// A byte; whether it is quoted; whether it came from an unquoted expansion.
    Byte(u8, bool, bool),
    /// Where `"$@"` ends a field.
    Break,
    /// Something quoted is here, so that the field exists even when empty.
    Present,
}

/// The fields a word becomes: none, one, or several.
pub(crate) fn fields(word: &Word, variables: &Variables, world: &dyn World) -> Vec<Vec<u8>> {
    let mut result = Vec::new();
    for field in split(&units(word, variables, world), &separators(variables, world)) {
        if has_pattern(&field) {
            let glob = Glob { bytes: field };
            let names = glob.matches(world);
            if names.is_empty() {
                result.push(glob.text());
            } else {
                result.extend(names);
            }
        } else {
            result.push(field.iter().map(|&(byte, _)| byte).collect());
        }
    }
    result
}

/// The one value a word has where it is not split: an assignment, the target of a redirection.
pub(crate) fn value(word: &Word, variables: &Variables, world: &dyn World) -> Vec<u8> {
    let bytes = units(word, variables, world).into_iter().filter_map(|unit| match unit {
        Unit::Byte(byte, ..) => Some(byte),
        Unit::Break => Some(b' '),
        Unit::Present => None,
    });
    bytes.collect()
}

fn separators(variables: &Variables, world: &dyn World) -> Vec<u8> {
    variables.get("IFS", world).unwrap_or_else(|| b" \t\n".to_vec())
}

fn units(word: &Word, variables: &Variables, world: &dyn World) -> Vec<Unit> {
    let mut units = Vec::new();
    for part in &word.parts {
        match part {
            Part::Text(text) => {
                units.extend(text.bytes().map(|byte| Unit::Byte(byte, false, false)));
            }
            Part::Escaped(character) => {
                let mut buffer = [0; 4];
                let text = character.encode_utf8(&mut buffer);
                units.extend(text.bytes().map(|byte| Unit::Byte(byte, true, false)));
            }
            Part::Single(text) => {
                units.push(Unit::Present);
                units.extend(text.bytes().map(|byte| Unit::Byte(byte, true, false)));
            }
            Part::Double(inner) => double_quoted(inner, variables, world, &mut units),
            Part::Parameter(parameter, _) => {
                let values = variables.values(parameter, world);
                for (number, value) in values.iter().enumerate() {
                    if number > 0 {
                        units.push(Unit::Break);
                    }
                    units.extend(value.iter().map(|&byte| Unit::Byte(byte, false, true)));
                }
            }
            Part::Home => {
                let home = variables.get("HOME", world);
                let home = home.unwrap_or_else(|| b"~".to_vec());
                units.extend(home.into_iter().map(|byte| Unit::Byte(byte, true, false)));
            }
            // A word of its own, which the plan gives a name.
            Part::Substituted(_) => {}
        }
    }
    units
}

fn double_quoted(inner: &[Part], variables: &Variables, world: &dyn World, units: &mut Vec<Unit>) {
    // `"$@"` alone without parameters is nothing at all, not an empty field.
    let vanishes =
        matches!(inner, [Part::Parameter(Parameter::All, _)]) && variables.positional().is_empty();
    if !vanishes {
        units.push(Unit::Present);
    }
    for part in inner {
        match part {
            Part::Text(text) => {
                units.extend(text.bytes().map(|byte| Unit::Byte(byte, true, false)));
            }
            Part::Escaped(character) => {
                let mut buffer = [0; 4];
                let text = character.encode_utf8(&mut buffer);
                units.extend(text.bytes().map(|byte| Unit::Byte(byte, true, false)));
            }
            Part::Parameter(parameter, _) => {
                let values = variables.values(parameter, world);
                let joined = *parameter != Parameter::All;
                for (number, value) in values.iter().enumerate() {
                    if number > 0 {
                        if joined {
                            let separator = separators(variables, world).first().copied();
                            units.extend(separator.map(|byte| Unit::Byte(byte, true, false)));
                        } else {
                            units.extend([Unit::Break, Unit::Present]);
                        }
                    }
                    units.extend(value.iter().map(|&byte| Unit::Byte(byte, true, false)));
                }
            }
            Part::Single(_) | Part::Double(_) | Part::Home | Part::Substituted(_) => {}
        }
    }
}

/// Splits at separators that came from expansions (XCU 2.6.5): runs of white space count once
/// and not at the ends, each other separator ends a field.
fn split(units: &[Unit], separators: &[u8]) -> Vec<Vec<(u8, bool)>> {
    let mut fields: Vec<Vec<(u8, bool)>> = Vec::new();
    let mut field: Option<Vec<(u8, bool)>> = None;
    // White space just ended a field; a separator right behind it belongs to it.
    let mut after_space = false;
    for &unit in units {
        match unit {
            Unit::Byte(byte, _, true) if separators.contains(&byte) => {
                let space = matches!(byte, b' ' | b'\t' | b'\n');
                if space {
                    if let Some(field) = field.take() {
                        fields.push(field);
                        after_space = true;
                    }
                } else {
                    if !after_space || field.is_some() {
                        fields.push(field.take().unwrap_or_default());
                    }
                    after_space = false;
                }
            }
            Unit::Byte(byte, quoted, _) => {
                after_space = false;
                field.get_or_insert_with(Vec::new).push((byte, quoted));
            }
            Unit::Break => {
                after_space = false;
                fields.extend(field.take());
            }
            Unit::Present => {
                after_space = false;
                field.get_or_insert_with(Vec::new);
            }
        }
    }
    fields.extend(field);
    fields
}

/// Environment values as bytes.
pub(crate) fn environment(name: &str, world: &dyn World) -> Option<Vec<u8>> {
    world.variable(name).map(OsStringExt::into_vec)
}
