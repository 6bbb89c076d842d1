//! What can be said about a pipeline and its data: advice, words for what stages do, lines set
//! side by side by their origins, and changes of the text stage by stage.

mod advice;
mod alignment;
mod bottleneck;
mod commands;
mod comparison;
mod difference;
mod drawing;
mod edit;
mod figures;
mod folders;
mod history;
mod programs;
mod record;
mod report;
mod wiring;
mod words;

pub use advice::{Fix, Note, Severity, notes};
pub use alignment::{Alignment, Row};
pub use bottleneck::{Reason, Slowest, held_by, slowest};
pub use commands::{command_details, command_line};
pub use comparison::{ComparedRow, change, compare};
pub use difference::{Difference, DifferenceRow, Side, difference, difference_of};
pub use drawing::{Export, ExportError, diagram, export, funnel, put_in_place, throughput, wires};
pub use edit::{
    EditError, TextEdit, apply_edits, delete_stage, insert_stage, move_stage, toggle_stage,
};
pub use figures::{
    byte_rate, bytes, duration, grouped, line_rate, lines, percent, progress, rate, share_percents,
};
pub use folders::{NotOurs, make_own_folder, own_file_error, own_folder, read_own};
pub use history::{Gaps, History, Moment, Rate, passed};
pub use programs::{ProgramText, programs, quoted_program};
pub use record::{
    CommandRecord, CoursePoint, KeptRun, RunEnd, RunRecord, Runs, SourceRecord, WrittenRecord,
};
pub use report::{figures_csv, figures_json, report_html, report_markdown};
pub use wiring::{End, Step, Wire, wiring};
pub use words::{effect, explain, limit_in_words, marks, sample_in_words};
