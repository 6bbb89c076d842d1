//! Streams of text as the filters see them: reference-counted blocks, line readers and writers,
//! the origin of every line, meters, and the [`Files`] and [`Commands`] that stand between a filter and the
//! machine. A leaf crate: it knows no threads, no clocks and no terminal.

mod arrivals;
mod block;
mod commands;
mod decoding;
mod end;
mod ends;
mod error;
mod file_facts;
mod files;
mod input;
mod layers;
mod machine;
mod meter;
mod metered;
mod origin;
mod output;
mod processors;
mod run_control;
mod stage;
mod visible;
mod working_folder;

pub use arrivals::Arrivals;
pub use block::{BLOCK_SIZE, Block};
pub use commands::{CommandEnd, CommandRequest, Commands, Environment, Joined, Running};
pub use decoding::{Decoding, DecodingError, DecodingFailure};
pub use end::AtEnd;
pub use ends::{Sink, Source, Tail};
pub use error::{ExitStatus, ReadError, StageError, WriteError, describe};
pub use file_facts::{FileFacts, FileKind};
pub use files::{Files, Replacement, WriteMode};
pub use input::{Input, Lines};
pub use layers::{FilesLayer, Next, SinkLayer, SourceLayer};
pub use machine::{Machine, Permission, Scratch};
pub use meter::{Shares, StageFigures, StageMeter};
pub use metered::METERED;
pub use origin::{LineId, Origin, OriginStore, Origins};
pub use output::{Output, Side};
pub use processors::Processors;
pub use run_control::{AtWork, COMMANDS_MAX, Excess, Holding, RunControl, Wakes, held_by_all};
pub use stage::{InputName, InputTrouble, StageIo, StagePorts};
pub use visible::{shown_on_terminal, steers, visible};
pub use working_folder::WorkingFolder;

pub mod testing;
