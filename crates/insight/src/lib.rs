//! What can be said about a pipeline and its data: advice, words for what stages do, lines set
//! side by side by their origins, and changes of the text stage by stage.

mod advice;
mod columns;
mod compare;
mod describe;
mod edit;
mod example;
mod export;
mod guide;
mod point;
mod runs;
mod shelf;
mod start;
mod trail;

pub use advice::about::About;
pub use advice::check::{CheckError, Checked, CheckedNote, check};
pub use advice::note::{Basis, Fix, Note, NoteKind, Proof, Severity};
pub use advice::proof::{Proofs, Tried};
pub use advice::{ABOUT as ADVICE, about, notes, refused_notes};
pub use columns::detect::{Candidate, candidates};
pub use columns::form::Form;
pub use columns::kind::Kind;
pub use columns::reading::read_columns;
pub use columns::splitting::Splitting;
pub use columns::survey::Survey;
pub use columns::table::{Column, ColumnTable, Distinct, OddLines};
pub use columns::words::COLUMN_HEADINGS;
pub use compare::alignment::{Alignment, Row};
pub use compare::difference::{Difference, DifferenceRow, Side, difference, difference_of};
pub use compare::streams::{StreamDifference, StreamRow, compare_streams, row_text};
pub use compare::versions::{StagePair, first_difference, stage_pairs};
pub use describe::fields::counted;
pub use describe::held_commands::{command_details, command_line};
pub use describe::recovered::recovered_in_words;
pub use describe::units::{
    byte_rate, bytes, duration, figure, figure_bytes, figure_lines, grouped, known_mark, line_rate,
    lines, percent, progress, rate, share_percents,
};
pub use describe::wiring::{End, Step, Wire, wiring};
pub use describe::words::{effect, explain, left_over, limit_in_words, marks, sample_in_words};
pub use edit::field_list::{fields_of_list, list_of_fields};
pub use edit::inserting::{PutIn, insert_at_source, insert_stages};
pub use edit::options::{Setting, Sheet, SheetRow, set_option, sheet};
pub use edit::programs::{ProgramText, programs, quoted_program};
pub use edit::stages::{
    EditError, TextEdit, apply_edits, delete_stage, insert_stage, move_stage, toggle_stage,
};
pub use example::suggest::{Finds, Mark, Suggestion, finds, substituting, suggestions, uses};
pub use export::checked::{checked_json, checked_text};
pub use export::columns::{columns_csv, columns_json, columns_text};
pub use export::drawing::{Export, ExportError, diagram, export, funnel, throughput, wires};
pub use export::report::{figures_csv, figures_json, report_html, report_markdown};
pub use guide::form::Form as RecipeForm;
pub use guide::option_use::option_uses;
pub use guide::recipe::Recipe;
pub use guide::recipes::all as recipes;
pub use guide::search::search as search_recipes;
pub use guide::topics::{TOPICS, Topic};
pub use point::ground::{Ground, Spot};
pub use point::offer::{Group, Offer};
pub use point::offers::{offers, replacing};
pub use point::outcome::{Outcome, TRIED, beginning, outcome};
pub use runs::bottleneck::{Reason, Slowest, held_by, slowest};
pub use runs::comparison::{ComparedRow, change, compare};
pub use runs::folders::{Keeps, NotOurs, make_own_folder, own_file_error, own_folder, read_own};
pub use runs::history::{Gaps, History, Moment, Rate, passed};
pub use runs::record::{
    CommandRecord, CoursePoint, KeptRun, RunEnd, RunRecord, Runs, SourceRecord, WrittenRecord,
};
pub use shelf::entry::{ShelfEntry, Shelved, comment_of, search_shelf, with_comment};
pub use shelf::files::{FileUse, files_of};
pub use shelf::folder::{
    Deleted, copy_script, delete_script, rename_script, renamed, restore_script, scripts_in,
};
pub use shelf::past::{PAST_MOST, PastLine, PastLog};
pub use start::folder::{EntryKind, FolderEntry, list_folder};
pub use start::look::{FileLook, look_at};
pub use start::programs::{SourceProgram, folder_name, source_programs};
pub use start::reading::reading_command;
pub use trail::follow::{Change, Lost, Trail, TrailSource, TrailStart, TrailStep};
pub use trail::whereabouts::{Beyond, Evaluate, Gone, Inner, LostAt, Progress, Whereabouts};
