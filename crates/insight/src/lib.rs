//! What can be said about a pipeline and its data: advice, words for what stages do, lines set
//! side by side by their origins, and changes of the text stage by stage.

mod advice;
mod alignment;
mod difference;
mod edit;
mod figures;
mod programs;
mod wiring;
mod words;

pub use advice::{Fix, Note, Severity, notes};
pub use alignment::{Alignment, Row};
pub use difference::{Difference, DifferenceRow, Side, difference};
pub use edit::{
    EditError, TextEdit, apply_edits, delete_stage, insert_stage, move_stage, toggle_stage,
};
pub use figures::{bytes, duration, grouped, lines, percent, rate};
pub use programs::{ProgramText, programs, quoted_program};
pub use wiring::{End, Step, Wire, wiring};
pub use words::{effect, explain, limit_in_words, marks, sample_in_words};
