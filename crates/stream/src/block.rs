//! Blocks: shared bytes that know how many newlines they have.

use bytes::Bytes;

use crate::METERED;

/// The size in bytes that files are read at and writers flush at. Blocks passed on whole may be
/// larger or smaller; nothing depends on it but speed: each block that a stage waits for costs a
/// change of threads, and a few blocks should fit in the nearer caches.
pub const BLOCK_SIZE: usize = 128 * 1024;

/// A shared, immutable run of bytes that knows how many newlines it holds.
///
/// Cloning and slicing share the memory. The newlines are counted once, when the block is made,
/// and every meter and `wc -l` after that reads the count.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Block {
    bytes: Bytes,
    newlines: u64,
}

fn count(bytes: &[u8]) -> u64 {
    memchr::memchr_iter(b'\n', bytes).count() as u64
}

impl Block {
    /// Takes `bytes` and counts their newlines.
    pub fn new(bytes: impl Into<Bytes>) -> Self {
        let bytes = bytes.into();
        // Without meters they are counted only for who asks.
        let newlines = if METERED { count(&bytes) } else { 0 };
        Self { bytes, newlines }
    }

    /// Takes `bytes` whose newlines were counted already.
    pub fn counted(bytes: Bytes, newlines: u64) -> Self {
        debug_assert_eq!(newlines, count(&bytes));
        Self { bytes, newlines }
    }

    /// Takes what was gathered in `buffer` and leaves that empty. A buffer that is mostly unused
    /// stays where it is and its bytes are copied, so that many small blocks that somebody holds
    /// take no more memory than twice their bytes.
    pub fn gathered(buffer: &mut Vec<u8>) -> Self {
        if buffer.len() >= buffer.capacity() / 2 {
            return Self::new(std::mem::take(buffer));
        }
        let block = Self::new(Bytes::copy_from_slice(buffer));
        buffer.clear();
        block
    }

    /// The bytes.
    pub fn bytes(&self) -> &Bytes {
        &self.bytes
    }

    /// Takes the bytes out.
    pub fn into_bytes(self) -> Bytes {
        self.bytes
    }

    /// How many newline bytes the block holds.
    pub fn newlines(&self) -> u64 {
        if METERED { self.newlines } else { count(&self.bytes) }
    }

    /// Length in bytes.
    pub fn len(&self) -> usize {
        self.bytes.len()
    }

    /// True for a block without bytes.
    pub fn is_empty(&self) -> bool {
        self.bytes.is_empty()
    }

    /// True when the last byte is a newline.
    pub fn ends_line(&self) -> bool {
        self.bytes.last() == Some(&b'\n')
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn newlines_are_known() {
        for (bytes, newlines, ends) in [
            (&b""[..], 0, false),
            (b"a", 0, false),
            (b"\n", 1, true),
            (b"a\nb", 1, false),
            (b"a\n\nb\n", 3, true),
        ] {
            let block = Block::new(bytes.to_vec());
            assert_eq!((block.newlines(), block.ends_line()), (newlines, ends), "{bytes:?}");
            assert_eq!((block.len(), block.is_empty()), (bytes.len(), bytes.is_empty()));
            assert_eq!(Block::counted(block.bytes().clone(), newlines), block);
            assert_eq!(block.into_bytes(), bytes);
        }
    }

    #[test]
    fn a_buffer_that_is_mostly_unused_is_copied_and_kept() {
        let mut buffer = Vec::with_capacity(100);
        buffer.extend_from_slice(b"short\n");
        let block = Block::gathered(&mut buffer);
        assert_eq!((block.bytes().as_ref(), block.newlines()), (&b"short\n"[..], 1));
        assert!(buffer.is_empty() && buffer.capacity() >= 100, "the room is used again");
        buffer.extend_from_slice(&[b'x'; 60]);
        let block = Block::gathered(&mut buffer);
        assert_eq!(block.len(), 60);
        assert_eq!(buffer.capacity(), 0, "a full buffer is given away");
    }
}
