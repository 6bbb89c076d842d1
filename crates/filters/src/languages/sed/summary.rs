//! What a script does, in words.

use super::tree::{Action, Script};

/// True where the commands only choose lines.
pub(super) fn keeps(script: &Script) -> bool {
    script.commands.iter().all(|command| {
        matches!(
            command.action,
            Action::Delete
                | Action::Print
                | Action::Quit(_)
                | Action::QuitSilently(_)
                | Action::Block(_)
                | Action::Nothing
        )
    })
}

/// The script in a phrase.
pub(super) fn summary(script: &Script, quiet: bool) -> String {
    if let [only] = &script.commands[..] {
        let not = if only.negated { "not " } else { "" };
        let selected = if matches!(only.when, super::tree::When::Always) && !only.negated {
            "on every line".to_owned()
        } else {
            format!("on the lines {not}selected")
        };
        return match &only.action {
            Action::Substitute(substitution) => {
                let which = match (substitution.all, substitution.from) {
                    (true, 1) => "every match".to_owned(),
                    (true, from) => format!("the matches from number {from} on"),
                    (false, 1) => "the first match".to_owned(),
                    (false, from) => format!("match number {from}"),
                };
                let prints = if quiet && substitution.print {
                    ", and writes only changed lines"
                } else if quiet {
                    ", and writes nothing else"
                } else {
                    ""
                };
                format!("replaces {which} {selected}{prints}")
            }
            Action::Delete if quiet => "writes nothing".to_owned(),
            Action::Delete => format!("drops the lines {not}selected"),
            Action::Print if quiet => format!("keeps the lines {not}selected"),
            Action::Print => format!("writes the lines {not}selected twice"),
            Action::Translate(_) => format!("replaces characters by their partners {selected}"),
            Action::Quit(_) => "stops after the selected line".to_owned(),
            Action::Number if quiet => format!("writes the numbers of the lines {not}selected"),
            _ => format!("runs one command {selected}"),
        };
    }
    let count = script.commands.iter().filter(|c| !matches!(c.action, Action::Block(_))).count();
    format!(
        "runs a script of {}",
        crate::text::phrases::counted(count as u64, "command", "commands")
    )
}
