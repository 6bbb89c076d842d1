//! Streams of text as the filters see them: reference-counted blocks, line readers and writers,
//! the origin of every line, meters, and the [`World`] that stands between a filter and the
//! machine. A leaf crate: it knows no threads, no clocks and no terminal.

mod block;
mod end;
mod error;
mod input;
mod meter;
mod metered;
mod origin;
mod output;
mod run_control;
mod stage;
mod visible;
mod world;

pub use block::{BLOCK_SIZE, Block};
pub use error::{ExitStatus, ReadError, StageError, WriteError, describe};
pub use input::{Input, Lines};
pub use meter::{Shares, StageFigures, StageMeter};
pub use metered::METERED;
pub use origin::{LineId, Origin, OriginStore, Origins};
pub use output::{Output, Side};
pub use run_control::{AtWork, Excess, RunControl};
pub use stage::{InputName, InputTrouble, StageIo, StagePorts};
pub use visible::visible;
pub use world::{
    CommandEnd, CommandRequest, Environment, FileFacts, FileKind, Joined, Machine, Permission,
    Processors, Replacement, Running, Scratch, Sink, Source, Tail, World, WriteMode,
};

pub mod testing;
