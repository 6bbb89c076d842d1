//! Whether words run commands when they are expanded.

use shell::{Operation, Part, Span, Word};

/// True where expanding the word runs commands.
pub(crate) fn runs_commands(word: &Word) -> bool {
    fn part_runs(part: &Part) -> bool {
        match part {
            Part::Command(..) | Part::Substituted(..) => true,
            Part::Double(inner) | Part::Arithmetic(inner, _) => inner.iter().any(part_runs),
            Part::Alternatives(words) => words.iter().any(runs_commands),
            Part::Expansion(expansion, _) => match &expansion.operation {
                Operation::Length => false,
                Operation::Otherwise { word, .. } => runs_commands(word),
                Operation::Remove { pattern, .. } => runs_commands(pattern),
            },
            _ => false,
        }
    }
    word.parts.iter().any(part_runs)
}

/// True when words, assignments or redirections of a command run commands.
pub(crate) fn command_runs_commands(command: &shell::Command) -> bool {
    let redirected = command.redirections.iter().any(|one| match &one.kind {
        shell::RedirectionKind::Document(document) => parts_run_commands(document.parts()),
        kind => kind.word().is_some_and(runs_commands),
    });
    redirected
        || command.words.iter().any(runs_commands)
        || command.assignments.iter().any(|one| runs_commands(&one.value))
}

/// As [`runs_commands`], for the parts of a here-document.
pub(crate) fn parts_run_commands(parts: &[Part]) -> bool {
    runs_commands(&Word { parts: parts.to_vec(), span: Span::default() })
}
