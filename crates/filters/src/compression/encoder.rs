//! What writes compressed data.

use std::io::{self, Write};

use bzip2::write::BzEncoder;
use flate2::write::GzEncoder;
use flate2::{Compression, GzBuilder};
use liblzma::write::XzEncoder;

use super::form::Form;

/// One member while it is written. Memory: what the form wants at its level, at most some 700 MiB
/// (`xz -9`), and what was not taken yet.
pub(super) enum Encoder {
    Gzip(GzEncoder<Vec<u8>>),
    Bzip2(BzEncoder<Vec<u8>>),
    Xz(XzEncoder<Vec<u8>>),
    Zstd(Box<zstd::stream::write::Encoder<'static, Vec<u8>>>),
}

/// What gzip data says of the file it was made from (RFC 1952 section 2.3.1).
#[derive(Default)]
pub(super) struct Named {
    pub(super) name: Option<Vec<u8>>,
    /// Seconds since 1970; 0 for none.
    pub(super) modified: u32,
}

impl Encoder {
    /// Begins a member.
    ///
    /// # Errors
    /// Where there is no memory for it.
    pub(super) fn begin(form: Form, level: u32, named: Named) -> io::Result<Self> {
        Ok(match form {
            Form::Gzip => {
                let mut builder = GzBuilder::new().mtime(named.modified);
                if let Some(name) = named.name {
                    builder = builder.filename(name);
                }
                Self::Gzip(builder.write(Vec::new(), Compression::new(level)))
            }
            Form::Bzip2 => Self::Bzip2(BzEncoder::new(Vec::new(), bzip2::Compression::new(level))),
            Form::Xz => {
                let check = liblzma::stream::Check::Crc64;
                let stream = liblzma::stream::Stream::new_easy_encoder(level, check)?;
                Self::Xz(XzEncoder::new_stream(Vec::new(), stream))
            }
            Form::Zstd => {
                let mut encoder = zstd::stream::write::Encoder::new(Vec::new(), level as i32)?;
                encoder.include_checksum(true)?;
                Self::Zstd(Box::new(encoder))
            }
        })
    }

    /// Takes more data.
    ///
    /// # Errors
    /// Where there is no memory for it.
    pub(super) fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        match self {
            Self::Gzip(encoder) => encoder.write_all(bytes),
            Self::Bzip2(encoder) => encoder.write_all(bytes),
            Self::Xz(encoder) => encoder.write_all(bytes),
            Self::Zstd(encoder) => encoder.write_all(bytes),
        }
    }

    /// What is written by now and was not taken.
    pub(super) fn written(&mut self) -> &mut Vec<u8> {
        match self {
            Self::Gzip(encoder) => encoder.get_mut(),
            Self::Bzip2(encoder) => encoder.get_mut(),
            Self::Xz(encoder) => encoder.get_mut(),
            Self::Zstd(encoder) => encoder.get_mut(),
        }
    }

    /// Ends the member; gives what was not taken.
    ///
    /// # Errors
    /// Where there is no memory for it.
    pub(super) fn finish(self) -> io::Result<Vec<u8>> {
        match self {
            Self::Gzip(encoder) => encoder.finish(),
            Self::Bzip2(encoder) => encoder.finish(),
            Self::Xz(encoder) => encoder.finish(),
            Self::Zstd(encoder) => encoder.finish(),
        }
    }
}
