//! Every filter by its name.

use std::sync::LazyLock;

use crate::languages::{awk, bc, sed};
use crate::spec::Definition;
use crate::utilities::UTILITIES;

static ALL: LazyLock<Vec<&'static Definition>> = LazyLock::new(|| {
    let mut all = vec![&awk::DEFINITION, &bc::DEFINITION, &sed::DEFINITION];
    all.extend(UTILITIES);
    all.sort_by_key(|definition| definition.spec.name);
    all
});

/// Every filter, in the order of their names.
pub fn all() -> &'static [&'static Definition] {
    &ALL
}

/// The filter called `name`.
pub fn find(name: &[u8]) -> Option<&'static Definition> {
    ALL.iter().copied().find(|definition| definition.spec.name.as_bytes() == name)
}

#[cfg(test)]
mod tests {

    fn shown(line: &[&str]) -> String {
        let arguments: Vec<Vec<u8>> =
            line[1..].iter().map(|word| word.as_bytes().to_vec()).collect();
        let definition = super::find(line[0].as_bytes()).unwrap();
        let mut shown = String::new();
        for program in definition.programs(&arguments) {
            let text = line[program.word + 1];
            for (range, shade) in program.shades {
                shown.push_str(&format!("{shade:?}:{} ", &text[range]));
            }
        }
        shown.trim_end().to_owned()
    }

    #[test]
    fn programs_are_shaded() {
        assert_eq!(
            shown(&["awk", "-F:", "/a b/ && $3 > 1 { print $NF, \"x\" / 2 } # last"]),
            "Pattern:/a b/ Field:$3 Word:print Field:$NF Text:\"x\" Comment:# last"
        );
        assert_eq!(shown(&["awk", "$1 ~ /x"]), "Field:$1");
        assert_eq!(
            shown(&["sed", "-n", "-e", "/a/,$s/b\\(.\\)/[\\1&]/gp", "-e", "p # all"]),
            "Pattern:/a/ Pattern:b\\(.\\) Field:\\1 Field:& Comment:# all"
        );
        assert_eq!(shown(&["sed", "s/a/b"]), "");
        assert_eq!(shown(&["grep", "a"]), "");
    }
}
