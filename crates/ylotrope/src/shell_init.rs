//! What a shell reads to have the Bench at its prompt.

use clap::ValueEnum;

/// A shell with a line that can be edited by a program.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Shell {
    Bash,
    Zsh,
    Fish,
}

const BASH: &str = include_str!("shell_init/bash.sh");
const ZSH: &str = include_str!("shell_init/zsh.sh");
const FISH: &str = include_str!("shell_init/fish.fish");

/// The text for this shell. It calls this very program, wherever it is.
pub(crate) fn text(shell: Shell) -> String {
    let program = std::env::current_exe().ok().and_then(|path| path.to_str().map(str::to_owned));
    let program = program.unwrap_or_else(|| "ylotrope".to_owned());
    let text = match shell {
        Shell::Bash => BASH,
        Shell::Zsh => ZSH,
        Shell::Fish => FISH,
    };
    text.replace("PROGRAM", &tui::quote(&program))
}
