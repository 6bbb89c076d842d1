//! For which stages two texts give the same whatever the data is. Each answer is a list of what is
//! known to be right, over the whole stage: its options, its operands, what else it reads and writes.
//! What is not on it is "the same on this data" at most.

use super::super::field_missing::awk_program;
use super::super::look::Look;

/// True where all options of the stage are among these.
fn only_options(look: &Look<'_>, allowed: &str) -> bool {
    look.arguments
        .as_ref()
        .is_some_and(|arguments| arguments.options.iter().all(|given| given.is_one_of(allowed)))
}

/// How many operands it has.
fn operands(look: &Look<'_>) -> usize {
    look.arguments.as_ref().map_or(usize::MAX, |arguments| arguments.operands.len())
}

/// Standard input by its name is no file that could be read again.
fn names_standard_input(look: &Look<'_>) -> bool {
    look.arguments
        .as_ref()
        .is_none_or(|arguments| arguments.operands.iter().any(|operand| operand.value == b"-"))
}

/// Nothing of the pipeline writes a file: one that is read could be written meanwhile.
fn nothing_is_written(look: &Look<'_>) -> bool {
    look.preview.stages.iter().all(|stage| {
        stage.pending.is_empty() && stage.held.is_empty() && stage.plan.written().next().is_none()
    })
}

/// A program of sed or awk that neither reads nor writes anything but its input and output, and starts
/// nothing: by its characters.
fn keeps_to_itself(program: &str) -> bool {
    const ODD: [&str; 7] = ["getline", "system", "|", ">", "close", "FILENAME", "ARGV"];
    !ODD.iter().any(|word| program.contains(word))
}

/// `cat FILE | this`: a file behaves as a pipe for it at all. Who follows a file would not end, and who writes
/// the one it reads would read on what it has written.
pub(super) fn ends_with_the_file(look: &Look<'_>) -> bool {
    let follows = look
        .arguments_of("tail")
        .is_some_and(|arguments| "fF".chars().any(|option| arguments.has(option)))
        || look.has_long("follow")
        || look.has_long("retry");
    // What redirections write is told by itself where it is the same file.
    let writes = look.preview.stages.iter().any(|stage| {
        let by_redirection = stage.plan.written().count();
        stage.pending.len() > by_redirection
    });
    !follows && !writes
}

/// `cat FILE | this`: it reads the same from the file itself.
pub(super) fn reads_a_file_as_a_pipe(look: &Look<'_>) -> bool {
    if !nothing_is_written(look) || !look.stage.plan.targets.is_empty() {
        return false;
    }
    match look.stage.name.as_str() {
        "grep" => only_options(look, "aceEFGhinovwx") && operands(look) <= 1,
        "cut" => operands(look) == 0,
        "tr" => true,
        "sort" => only_options(look, "bdfghiknrstuMVS") && operands(look) == 0,
        "uniq" => operands(look) == 0,
        "head" | "tail" => only_options(look, "cn") && operands(look) == 0,
        // Several figures are as wide as the file is large.
        "wc" => {
            let one = look.arguments.as_ref().is_some_and(|one| one.options.len() == 1);
            one && only_options(look, "clmw") && operands(look) == 0
        }
        "rev" | "tac" | "nl" | "fold" | "expand" | "unexpand" => operands(look) == 0,
        "awk" => {
            only_options(look, "Fv")
                && operands(look) == 1
                && awk_program(look).is_some_and(|program| keeps_to_itself(&program))
        }
        _ => false,
    }
}

/// `sort | uniq`: without keys only lines of the same bytes are equal for sort.
pub(super) fn orders_whole_lines(look: &Look<'_>) -> bool {
    only_options(look, "rST")
}

/// `sort | this`: it keeps or drops each line by what is in it alone. grep does so only with `-a`: of
/// binary data it shows no lines after the first odd one, wherever that is.
pub(super) fn selects_anywhere(sort: &Look<'_>, look: &Look<'_>) -> bool {
    // With several files the names stand before the lines.
    if operands(sort) > 1 || names_standard_input(sort) || !nothing_is_written(look) {
        return false;
    }
    match look.stage.name.as_str() {
        "grep" => {
            look.arguments.as_ref().is_some_and(|arguments| arguments.has('a'))
                && only_options(look, "aeEFGhivwx")
                && operands(look) <= 1
        }
        "awk" => {
            only_options(look, "F")
                && operands(look) == 1
                && awk_program(look).is_some_and(|program| is_condition(&program))
        }
        _ => false,
    }
}

/// A condition on the fields of a record, and nothing else.
fn is_condition(program: &str) -> bool {
    let mut rest = program.trim();
    while let Some(first) = rest.chars().next() {
        let length = match first {
            '$' | '0'..='9' | '.' | ' ' | '(' | ')' | '!' | '~' => 1,
            '<' | '>' | '=' if rest[1..].starts_with('=') => 2,
            '<' | '>' => 1,
            '&' | '|' if rest[1..].starts_with(first) => 2,
            '"' | '/' => {
                let plain = |c: char| c.is_ascii_alphanumeric() || " _.:-^$".contains(c);
                let inner = rest[1..].find(|c| !plain(c)).unwrap_or(rest.len() - 1);
                if !rest[1 + inner..].starts_with(first) {
                    return false;
                }
                inner + 2
            }
            'N' if rest.starts_with("NF") => 2,
            _ => return false,
        };
        rest = &rest[length..];
    }
    !program.trim().is_empty()
}

/// `sort | sort`: equal keys are ordered by the whole line, so that what was before is not seen.
pub(super) fn orders_anew(look: &Look<'_>) -> bool {
    only_options(look, "bdfghiknrtMVST") && operands(look) == 0 && nothing_is_written(look)
}

/// `sort | grep -c`: each line is looked at by itself and only counted.
pub(super) fn only_counts(look: &Look<'_>) -> bool {
    only_options(look, "aceEFGhivwx") && operands(look) <= 1 && nothing_is_written(look)
}

/// `sort` of standard input or of one file that has a name.
pub(super) fn reads_one_file(look: &Look<'_>) -> bool {
    operands(look) <= 1 && !names_standard_input(look)
}

#[cfg(test)]
mod tests {
    use super::is_condition;

    #[test]
    fn conditions_are_told_from_what_may_do_more() {
        for condition in ["$3 > 20", "$1 == \"gate-02\" && NF >= 4", "/refused/", "!($2 ~ /^a/)"] {
            assert!(is_condition(condition), "{condition}");
        }
        for other in [
            "",
            "$1 = 2",
            "NR > 2",
            "!seen[$0]++",
            "/a/,/b/",
            "{ print }",
            "system(\"x\")",
            "rand() > 0.5",
            "\"x\" | getline",
            "/a\\/b/",
            "\"unfinished",
        ] {
            assert!(!is_condition(other), "{other}");
        }
    }
}
