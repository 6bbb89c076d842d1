//! Compressed data: its forms, known by their first bytes, and how they are read and written. Forms
//! by RFC 1952 (gzip), RFC 8878 (zstd), the format of bzip2 1.0 and the .xz format 1.2.1.

mod blocks;
pub(crate) mod codec;
mod decoded;
mod encoder;
mod form;
mod reader;

pub use form::Form;
