//! Streams of a document, compressed (ISO 32000-1, 7.4.4).

use std::io::Write;

use flate2::{Compression, write::ZlibEncoder};

pub(super) fn compressed(bytes: &[u8]) -> std::io::Result<Vec<u8>> {
    let mut encoder = ZlibEncoder::new(Vec::new(), Compression::default());
    encoder.write_all(bytes)?;
    encoder.finish()
}
