//! Which fields of its lines a stage looks at.

use super::field_missing::{awk_fields, awk_program};
use super::look::Look;

/// Fields by their numbers, from 1.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Used {
    /// All of them, or nobody knows which.
    All,
    /// These.
    Only(Vec<usize>),
    /// All from this one on.
    From(usize),
}

impl Used {
    /// True where it is among them.
    pub(super) fn has(&self, field: usize) -> bool {
        match self {
            Self::All => true,
            Self::Only(fields) => fields.contains(&field),
            Self::From(first) => field >= *first,
        }
    }

    /// True where one of them is at another place when the lines are split in another way.
    pub(super) fn differ<R: PartialEq>(&self, one: &[R], other: &[R]) -> bool {
        let most = one.len().max(other.len());
        (1..=most).any(|field| self.has(field) && one.get(field - 1) != other.get(field - 1))
    }
}

/// The fields that `cut`, `awk` or `sort` looks at.
pub(super) fn used_fields(look: &Look<'_>) -> Used {
    match look.stage.name.as_str() {
        "cut" => look.cut_fields().map_or(Used::All, Used::Only),
        "awk" => awk_program(look).map_or(Used::All, |program| of_program(&program)),
        "sort" => of_keys(look),
        _ => Used::All,
    }
}

/// The fields that a program of awk names; all where it works out which, or counts them.
fn of_program(program: &str) -> Used {
    let by_name = program
        .match_indices('$')
        .all(|(at, _)| program[at + 1..].starts_with(|next: char| next.is_ascii_digit()));
    if !by_name || program.contains("NF") {
        return Used::All;
    }
    Used::Only(awk_fields(program))
}

fn of_keys(look: &Look<'_>) -> Used {
    let Some(arguments) = look.arguments_of("sort") else { return Used::All };
    let mut fields = Vec::new();
    for key in arguments.all('k') {
        let text = String::from_utf8_lossy(&key.value).into_owned();
        let number = |part: &str| -> Option<usize> {
            part.chars().take_while(char::is_ascii_digit).collect::<String>().parse().ok()
        };
        let (from, to) = text.split_once(',').map_or((&*text, None), |(from, to)| (from, Some(to)));
        match (number(from), to.and_then(number)) {
            (Some(from), Some(to)) => fields.extend(from..=to.min(from + 512)),
            (Some(from), None) => return Used::From(from),
            _ => return Used::All,
        }
    }
    Used::Only(fields)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn programs_name_fields_or_use_all() {
        assert_eq!(of_program("{ s += $2 } END { print s }"), Used::Only(vec![2]));
        assert_eq!(of_program("$1 == \"a\" { print $3 }"), Used::Only(vec![1, 3]));
        for program in ["{ print $NF }", "{ print $(NF-1) }", "NF > 3", "{ print $i }"] {
            assert_eq!(of_program(program), Used::All, "{program}");
        }
        assert!(
            Used::From(2).differ(&[1, 2, 3], &[1, 2]) && !Used::Only(vec![1]).differ(&[1], &[1, 2])
        );
    }
}
