//! How often options are used: in the recipes of the Guide and the examples of the filter.

use std::collections::BTreeMap;

use filters::{Definition, OptionId};

use super::recipes::all;

/// How often each option of a filter is in the Guide's recipes and in its own examples. What is in
/// none is not there.
pub fn option_uses(definition: &Definition) -> BTreeMap<OptionId, usize> {
    let spec = definition.spec;
    let examples = spec.examples.iter().map(|example| example.line);
    let recipes = all().map(|recipe| recipe.stages);
    let mut uses = BTreeMap::new();
    for text in examples.chain(recipes) {
        let Ok(script) = engine::parse(text) else { continue };
        for command in script.pipelines().flat_map(|pipeline| &pipeline.commands) {
            let words: Option<Vec<String>> =
                command.words.iter().map(shell::Word::literal).collect();
            let Some(words) =
                words.filter(|words| words.first().is_some_and(|one| one == spec.name))
            else {
                continue;
            };
            let words: Vec<Vec<u8>> = words.into_iter().skip(1).map(String::into_bytes).collect();
            let Ok(arguments) = definition.parse(&words) else { continue };
            for given in &arguments.options {
                *uses.entry(given.id).or_default() += 1;
            }
        }
    }
    uses
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_used_comes_before_what_is_not() {
        let uses = |name: &str| option_uses(filters::find(name.as_bytes()).unwrap());
        let sort = uses("sort");
        let of = |option: char| sort.get(&option.into()).copied().unwrap_or(0);
        for used in ['r', 'n', 'k'] {
            assert!(of(used) > of('d') && of(used) > of('i'), "{sort:?}");
        }
        assert!(uses("grep").contains_key(&'v'.into()));
    }
}
