//! Completions for bash, zsh and fish: options and commands from the description of the command line;
//! filters, their options, kept runs and saved pipelines from the program itself, when they are asked
//! for.

use clap::CommandFactory;
use clap_complete::{Shell as Target, generate};

use crate::Cli;
use crate::shell_init::Shell;

/// The script for this shell.
pub(crate) fn script(shell: Shell) -> String {
    let target = match shell {
        Shell::Bash => Target::Bash,
        Shell::Zsh => Target::Zsh,
        Shell::Fish => Target::Fish,
    };
    let mut text = Vec::new();
    generate(target, &mut Cli::command(), "ylotrope", &mut text);
    let text = String::from_utf8_lossy(&text).into_owned();
    match shell {
        // Files are left to the shell, which quotes them: as they are made, a name would be read as a
        // command line.
        Shell::Bash => {
            let text = text.replace("COMPREPLY=($(compgen -f \"${cur}\"))", "COMPREPLY=()");
            format!("{text}\n{BASH}")
        }
        // What is added takes the place of the function that was made, which it calls.
        Shell::Zsh => {
            // The files beside the commands are offered by what is added; as they are made the command
            // would have to come after a file.
            let is_files = |line: &&str| !line.starts_with("'::files");
            let own: Vec<&str> = text.lines().filter(is_files).collect();
            let own = own.join("\n").replace("\n_ylotrope() {", "\n_ylotrope_made() {");
            let own = own
                .replacen("words=($line[2] \"${words[@]}\")", "words=($line[1] \"${words[@]}\")", 1)
                .replacen("ylotrope-command-$line[2]:", "ylotrope-command-$line[1]:", 1)
                .replacen("case $line[2] in", "case $line[1] in", 1);
            let begun = "if [ \"$funcstack[1]\" = \"_ylotrope\" ]; then";
            own.replace(begun, &format!("{ZSH}\n{begun}"))
        }
        Shell::Fish => format!("{text}\n{FISH}"),
    }
}

const BASH: &str = include_str!("completions/bash.sh");
const ZSH: &str = include_str!("completions/zsh.sh");
const FISH: &str = include_str!("completions/fish.fish");

/// What can be where a word is asked for, one per line, with what it is after a TAB.
pub(crate) fn candidates(words: &[String]) -> String {
    let mut out = String::new();
    let mut add = |name: &str, says: &str| {
        // One line each: a name of several lines, or with a TAB, cannot be told.
        if name.chars().any(char::is_control) || name.starts_with('-') && words[0] == "scripts" {
            return;
        }
        out.push_str(&format!("{name}\t{}\n", says.replace(['\n', '\t'], " ")));
    };
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    match words[..] {
        ["use" | "guide"] => {
            for definition in filters::all() {
                add(definition.spec.name, definition.spec.summary);
            }
        }
        ["use", name, ..] => {
            let Some(definition) = filters::find(name.as_bytes()) else { return out };
            for option in definition.spec.options {
                if option.has_letter() {
                    add(&option.id.to_string(), option.meaning);
                }
                if !option.long.is_empty() {
                    add(&format!("--{}", option.long), option.meaning);
                }
            }
        }
        ["runs"] => {
            for run in insight::Runs::usual().map(|runs| runs.all()).unwrap_or_default() {
                add(&run.id, &run.record.line());
            }
        }
        ["scripts"] => {
            let Ok(entries) = insight::list_folder(std::path::Path::new(".")) else { return out };
            for entry in entries.iter().filter(|entry| entry.is_script) {
                if let Some(name) = entry.name.to_str() {
                    add(name, "saved pipeline");
                }
            }
        }
        _ => {}
    }
    out
}
