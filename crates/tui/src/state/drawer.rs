//! What lies over the notes for a while: help, questions, prompts, the sample, the Shelf.

use std::path::PathBuf;

use engine::HeldCommand;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::{Input, InputRequest};

use crate::actions::all;
use crate::state::examples::PatternView;
use crate::state::guide::{GuideView, PageView};
use crate::state::list::{List, edit};
use crate::state::point::{PointView, PutAt};
use crate::state::program::ProgramEditor;
use crate::state::sample_form::SampleForm;
use crate::state::sheet::SheetView;
use crate::state::shelf::ShelfView;
use crate::state::start::StartView;
use crate::state::trail::TrailView;
use crate::state::versions::VersionsView;

/// One of them.
pub(crate) enum Drawer {
    /// All keys, scrolled by this many rows.
    Help(usize),
    /// All notes, scrolled by this many rows.
    Notes(usize),
    /// Earlier lines.
    History(Box<EarlierLines>),
    /// Which lines are worked on.
    Sample(SampleForm),
    /// A line of text is asked for.
    Prompt(Prompt),
    /// A question to be answered by y or n.
    Confirm(Question),
    /// Saved pipelines.
    Shelf(Box<ShelfView>),
    /// The place to begin.
    Start(Box<StartView>),
    /// All actions.
    Actions(List<usize>),
    /// What can be handed over.
    Export(List<insight::Export>),
    /// A program of a stage.
    Program(Box<ProgramEditor>),
    /// What can be done with what is pointed at.
    Point(Box<PointView>),
    /// The trail of a line, or what became of a text.
    Trail(Box<TrailView>),
    /// Versions of the text side by side.
    Versions(Box<VersionsView>),
    /// The Guide.
    Guide(Box<GuideView>),
    /// A page of it.
    Page(PageView),
    /// The options of a stage.
    Sheet(Box<SheetView>),
    /// Patterns for what was marked.
    Pattern(Box<PatternView>),
    /// What others have made of a file that was written, from this row on.
    Changes(Box<Changes>),
}

/// What a line of text is asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum PromptKind {
    /// To search the lens.
    Search,
    /// A text that is missed in the result.
    Missed,
    /// A stage, to be put at this place.
    Stage(usize),
    /// The parameters of the script.
    Parameters,
    /// A file for the table of columns.
    Columns,
    /// The text that takes the place of what a pattern matches.
    Substitute {
        /// Where the stage is put.
        at: PutAt,
        /// The pattern.
        pattern: String,
    },
    /// The text that takes the place of another one, by a stage that is put there.
    Replacement {
        /// Where.
        at: PutAt,
        /// The text that is replaced.
        old: String,
    },
    /// Another name for a script.
    Rename(PathBuf),
    /// The name of a copy of a script.
    CopyAs(PathBuf),
    /// The comment above a script.
    Comment(PathBuf),
    /// A file to save to.
    SaveAs,
    /// A file for the output of the last run.
    KeepOutput,
    /// A file for a drawing or a document.
    Export(insight::Export),
}

/// A line of text being asked for.
pub(crate) struct Prompt {
    /// What for.
    pub kind: PromptKind,
    /// The text so far.
    pub input: Input,
    /// It was there to begin with and gives way to what is typed.
    pub offered: bool,
}

impl Prompt {
    /// A key for the line.
    pub(crate) fn key(&mut self, key: KeyEvent) {
        let typed = matches!(key.code, KeyCode::Char(_))
            && !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        if std::mem::take(&mut self.offered) && typed {
            self.input = Input::default();
        }
        edit(&mut self.input, key);
    }
}

/// Earlier lines, and whether those of the shell can be read too.
pub(crate) struct EarlierLines {
    /// The newest first.
    pub list: List<String>,
    /// A file of the shell that has not been read.
    pub offered: Option<PathBuf>,
}

/// A file that is not taken back because others have changed it.
pub(crate) struct Changes {
    /// The file.
    pub path: PathBuf,
    /// What was written, beside what is there now; `None` where that is too much.
    pub difference: Option<insight::Difference>,
    /// The first row shown.
    pub top: usize,
}

/// A question.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Question {
    /// Write the held-back files?
    Write,
    /// Run on everything?
    RunAll,
    /// Leave although something is not saved?
    Leave,
    /// Leave although a run continues?
    EndRun,
    /// Let the result go on to standard output?
    PassOn,
    /// Print the text?
    Print,
    /// Open another pipeline although something is not saved?
    Open(PathBuf),
    /// Save over a file that is there?
    Overwrite(PathBuf),
    /// Start these held-back commands, by their numbers among all?
    Act(Vec<(usize, HeldCommand)>),
    /// Start this program?
    Allow(Box<HeldCommand>),
}

impl Question {
    /// The keys that answer it.
    fn hints(&self) -> Vec<(&'static str, &'static str)> {
        match self {
            Self::Leave => {
                vec![("s", "save and quit"), ("y", "quit without saving"), ("n", "stay")]
            }
            Self::PassOn => vec![
                ("y", "run it, pass the result on"),
                ("n", "pass nothing on, quit"),
                ("Esc", "stay"),
            ],
            Self::Print => vec![
                ("y", "back with this text"),
                ("n/Esc", "back, the line as it was"),
                ("e", "stay"),
            ],
            Self::Allow(_) => vec![
                ("o", "once"),
                ("s", "for this session"),
                ("a", "always, kept in the configuration"),
                ("n", "no"),
            ],
            Self::Act(_) => vec![
                ("s", "run them, stop at the first failure"),
                ("g", "run them all, also after a failure"),
                ("t", "several together, in no order"),
                ("n", "no"),
            ],
            Self::RunAll => {
                vec![("y", "run"), ("d", "run without writing files"), ("n", "no")]
            }
            _ => vec![("y", "yes"), ("n", "no")],
        }
    }
}

impl Prompt {
    /// The keys that mean something in it.
    fn hints(&self) -> Vec<(&'static str, &'static str)> {
        match self.kind {
            PromptKind::Search => vec![("Enter", "search"), ("Esc", "close")],
            PromptKind::Missed => vec![("Enter", "where is it lost?"), ("Esc", "close")],
            PromptKind::Stage(_) => vec![("Enter", "add the stage"), ("Esc", "close")],
            PromptKind::Replacement { .. } | PromptKind::Substitute { .. } => {
                vec![("Enter", "put it in"), ("Esc", "close")]
            }
            PromptKind::Parameters => vec![("Enter", "use them"), ("Esc", "leave them")],
            PromptKind::Rename(_) => vec![("Enter", "rename"), ("Esc", "close")],
            PromptKind::CopyAs(_) => vec![("Enter", "copy"), ("Esc", "close")],
            PromptKind::Comment(_) => vec![("Enter", "save"), ("Esc", "close")],
            PromptKind::SaveAs => vec![("Enter", "save"), ("Esc", "do not save")],
            PromptKind::Export(_) | PromptKind::Columns => {
                vec![("Enter", "write it"), ("Esc", "close")]
            }
            PromptKind::KeepOutput => vec![("Enter", "keep it"), ("Esc", "close")],
        }
    }
}

/// In the place to begin.
const START: &[(&str, &str)] = &[
    ("Enter", "open"),
    ("↑↓", "choose"),
    ("type", "to search"),
    ("Tab", "several"),
    ("F9", "how do I …"),
    ("Esc", "an empty text"),
    ("Ctrl-Q", "quit"),
];

impl Drawer {
    pub(crate) fn prompt(kind: PromptKind, text: &str) -> Self {
        Self::Prompt(Prompt { kind, input: Input::new(text.to_owned()), offered: !text.is_empty() })
    }

    pub(crate) fn actions() -> Self {
        let all = all().iter().enumerate();
        Self::Actions(List::new(
            all.map(|(at, entry)| (format!("{} {}", entry.says, entry.short), at)).collect(),
        ))
    }

    /// The selected row, where it has a list.
    pub(crate) fn selected(&mut self) -> Option<&mut usize> {
        match self {
            Self::Shelf(view) => Some(&mut view.at),
            Self::Start(view) => Some(&mut view.at),
            Self::Actions(list) => Some(&mut list.at),
            Self::Export(list) => Some(&mut list.at),
            Self::History(earlier) => Some(&mut earlier.list.at),
            Self::Point(point) => Some(&mut point.list.at),
            Self::Guide(guide) => Some(&mut guide.selected),
            Self::Pattern(patterns) => Some(&mut patterns.at),
            Self::Sheet(view) => Some(&mut view.at),
            Self::Sample(form) => Some(&mut form.row),
            // It has two lists, of which it knows itself.
            Self::Trail(_)
            | Self::Versions(_)
            | Self::Help(_)
            | Self::Notes(_)
            | Self::Prompt(_)
            | Self::Confirm(_)
            | Self::Program(_)
            | Self::Page(_)
            | Self::Changes(_) => None,
        }
    }

    pub(crate) fn paste(&mut self, text: &str) {
        let input = match self {
            Self::Prompt(prompt) => &mut prompt.input,
            Self::Shelf(view) => &mut view.query,
            Self::Start(view) => &mut view.query,
            Self::Actions(list) => &mut list.query,
            Self::Export(list) => &mut list.query,
            Self::History(earlier) => &mut earlier.list.query,
            Self::Point(point) => &mut point.list.query,
            Self::Guide(guide) => &mut guide.query,
            Self::Trail(view) => &mut view.query,
            Self::Help(_)
            | Self::Versions(_)
            | Self::Notes(_)
            | Self::Sample(_)
            | Self::Confirm(_)
            | Self::Program(_)
            | Self::Pattern(_)
            | Self::Sheet(_)
            | Self::Page(_)
            | Self::Changes(_) => return,
        };
        for character in text.chars().filter(|character| !character.is_control()) {
            input.handle(InputRequest::InsertChar(character));
        }
    }

    /// It takes the whole screen but for the command text.
    pub(crate) fn is_whole(&self) -> bool {
        matches!(self, Self::Versions(_) | Self::Shelf(_) | Self::Start(_))
    }

    /// The keys that mean something in it.
    pub(crate) fn hints(&self) -> Vec<(&'static str, &'static str)> {
        match self {
            Self::History(earlier) => {
                let mut hints = vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "take it")];
                hints
                    .extend(earlier.offered.is_some().then_some(("Tab", "those of the shell too")));
                hints.push(("Esc", "close"));
                hints
            }
            Self::Guide(_) | Self::Page(_) | Self::Sheet(_) | Self::Pattern(_) | Self::Point(_) => {
                self.hints_of_building()
            }
            Self::Trail(view) if view.in_lines => vec![
                ("↑↓", "line"),
                ("type", "to search"),
                ("Enter", "go to it"),
                ("Tab", "stages"),
                ("Esc", "close"),
            ],
            Self::Trail(_) => vec![
                ("↑↓", "stage"),
                ("Enter", "go to its line"),
                ("Tab", "its lines"),
                ("type", "search them"),
                ("Esc", "close"),
            ],
            Self::Start(_) => START.to_vec(),
            Self::Versions(_) => vec![
                ("↑↓", "version 2"),
                ("m", "compare with this one"),
                ("Enter", "take it"),
                ("Esc", "close"),
                ("x", "swap"),
                ("PgUp/PgDn", "scroll"),
            ],
            Self::Help(_) | Self::Notes(_) | Self::Changes(_) => {
                vec![("↑↓", "scroll"), ("Esc", "close")]
            }
            Self::Sample(form) if form.row == 3 => {
                vec![
                    ("↑↓", "choose"),
                    ("0-9", "number"),
                    ("Tab", "number or seed"),
                    ("Enter", "apply"),
                    ("Esc", "cancel"),
                ]
            }
            Self::Sample(_) => {
                vec![("↑↓", "choose"), ("0-9", "number"), ("Enter", "apply"), ("Esc", "cancel")]
            }
            Self::Prompt(prompt) => prompt.hints(),
            Self::Confirm(question) => question.hints(),
            Self::Program(_) => vec![
                ("type", "applied at once"),
                ("Esc", "close"),
                ("Enter", "new line"),
                ("Alt-u", "undo"),
                ("Alt-r", "redo"),
            ],
            Self::Shelf(_) => vec![
                ("type", "to search"),
                ("Enter", "open"),
                ("Esc", "close"),
                ("Alt-d", "delete"),
                ("Alt-u", "bring back"),
                ("Alt-r", "rename"),
                ("Alt-c", "copy"),
                ("Alt-t", "comment"),
                ("Alt-v", "compare"),
                ("Alt-m", "mark to compare"),
                ("↑↓", "choose"),
            ],
            Self::Actions(_) | Self::Export(_) => {
                vec![("↑↓", "choose"), ("type", "to search"), ("Enter", "run it"), ("Esc", "close")]
            }
        }
    }

    /// The keys where stages are built without typing them.
    fn hints_of_building(&self) -> Vec<(&'static str, &'static str)> {
        match self {
            Self::Guide(guide) => {
                // On a narrow screen the last ones have no room.
                let mut hints =
                    vec![("type", "what you want"), ("Enter", "put it in"), ("Esc", "close")];
                hints.push(("↑↓", "choose"));
                hints.extend((guide.fields() > 1).then_some(("Tab", "another field")));
                hints
            }
            Self::Page(_) => {
                vec![("↑↓", "scroll"), ("Enter", "back to the list"), ("Esc", "close")]
            }
            Self::Sheet(view) => {
                if view.pick.is_some() {
                    return vec![("←→", "field"), ("Space", "take it or not"), ("Tab", "done")];
                }
                let is_switch = view.at < view.switches();
                let set = if is_switch { ("Space", "switch") } else { ("type", "its value") };
                let mut hints = vec![set];
                hints.extend(is_switch.then_some(("type", "search")));
                hints.extend([("Enter", "keep"), ("Esc", "as it was"), ("↑↓", "choose")]);
                hints.extend(view.picks_fields().then_some(("Tab", "pick fields from a line")));
                let has_program = matches!(view.sheet.spec.name, "awk" | "sed");
                hints.extend(has_program.then_some(("F2", "its program")));
                hints
            }
            Self::Pattern(_) => vec![
                ("Enter", "put it in"),
                ("Esc", "close"),
                ("↑↓", "pattern"),
                ("←→", "what to do with it"),
                ("m", "mark one more"),
                ("x", "forget the examples"),
            ],
            Self::Point(point) => {
                let field = if point.line.is_some() { "field" } else { "column" };
                let mut hints = vec![("Enter", "put it in"), ("Esc", "close"), ("←→", field)];
                hints.extend([("type", "to search"), ("↑↓", "choose")]);
                if point.line.is_some() {
                    hints.push(("Shift-←→", "mark a piece"));
                    hints.push(("Ctrl-←→", "its beginning"));
                }
                hints.push(("Tab", "as awk"));
                hints
            }
            _ => Vec::new(),
        }
    }
}
