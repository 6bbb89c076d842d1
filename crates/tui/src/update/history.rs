//! Earlier lines, and the parameters of the script.

use crate::parts::prompt::Prompt;
use crate::screen::place::{Focus, Place};
use crate::state::app::App;

impl App {
    /// Puts an earlier line into the text; the one that was there can be taken back.
    pub(crate) fn take_line(&mut self, line: &str) {
        self.text.editor.set_text(line, line.len());
        self.text.recalled = None;
        self.focus = Focus::Text;
        self.message = None;
        self.text_changed();
    }

    /// The parameters the script is given, as they would be typed.
    pub(crate) fn parameters(&self) -> String {
        let positional = self.session.variables.positional();
        let words: Vec<String> = positional.iter().map(|word| shell::quote_bytes(word)).collect();
        words.join(" ")
    }

    /// True where the text uses parameters that it is given.
    pub(crate) fn uses_parameters(&self) -> bool {
        self.text.script.as_ref().is_some_and(|script| script.uses.any())
    }

    /// Asks for the parameters of a script that was just opened, where it uses some and has none.
    pub(crate) fn ask_missing_parameters(&mut self) {
        let none = self.session.variables.positional().is_empty();
        if none && self.text.path.is_some() && self.uses_parameters() {
            self.ask_parameters();
        }
    }

    /// Asks for the parameters of the script.
    pub(crate) fn ask_parameters(&mut self) {
        let title = "parameters of the script, as one would type them after its name";
        let prompt = Prompt::new(title, &self.parameters(), "use them", Self::use_parameters);
        self.open_drawer(prompt.or_else("leave them"));
    }

    /// Takes other parameters, given as words of the shell.
    pub(crate) fn use_parameters(&mut self, text: &str) {
        let parsed = engine::parse(&format!("x {text}"));
        let words = parsed.ok().and_then(|script| {
            let mut pipelines = script.pipelines();
            let command = pipelines.next().map(|pipeline| &pipeline.commands[..]);
            match (command, pipelines.next()) {
                (Some([command]), None) if command.is_constant() => {
                    let words = command.words.iter().skip(1);
                    words.map(|word| word.literal().map(String::into_bytes)).collect()
                }
                _ => None,
            }
        });
        let Some(words) = words else {
            self.message = Some("parameters are words, quoted where they need it".to_owned());
            return;
        };
        self.session.variables = self.session.variables.with_positional(words);
        self.session.workbench.forget();
        self.text_changed();
    }

    /// Looks at the next command of the text, or at the one before.
    pub(crate) fn other_command(&mut self, next: bool) {
        let (all, at) = self.text.commands();
        let other = if next { Some(at + 1) } else { at.checked_sub(1) };
        let Some(pipeline) = other.and_then(|other| all.get(other)) else {
            let where_ = match all.len() {
                0 | 1 => "the text has no other command",
                _ if next => "it is the last command of the text",
                _ => "it is the first command of the text",
            };
            self.message = Some(where_.to_owned());
            return;
        };
        let (start, last) = (pipeline.span.start, pipeline.commands.len().saturating_sub(1));
        self.text.editor.set_cursor(start);
        self.place = Place::Stage(last);
        self.message = None;
        self.text_changed();
    }

    /// Remembers a line that had a result when another takes its place.
    pub(crate) fn note_evaluated(&mut self, text: &str) {
        // An earlier line that is only looked at is none that was written.
        if self.text.recalled.is_none()
            && let Some(line) = self.text.evaluated(text)
        {
            self.remember(&line);
        }
    }
}
