//! Runs what is planned: filters, programs, pipelines of both.

pub(crate) mod command;
pub(crate) mod context;
pub(crate) mod named_pipes;
pub(crate) mod native;
pub(crate) mod pipeline;
pub(crate) mod program;
pub(crate) mod redirections;
