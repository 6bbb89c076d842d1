//! The items: words with quotes and escapes, or everything up to a delimiter.

use stream::{Input, LineId, ReadError};

/// How the input is cut into items.
#[derive(Clone, Debug)]
pub(super) enum Splitting {
    /// Each item ends with this byte; nothing is special.
    Ended(u8),
    /// Words between blanks and newlines; quotes and backslashes take away their meaning.
    Words {
        /// The item at which the input ends.
        end: Option<Vec<u8>>,
        /// Only newlines end items, and blanks before them do not count.
        whole_lines: bool,
    },
}

pub(super) struct Item {
    pub(super) bytes: Vec<u8>,
    /// The line it ends in.
    pub(super) id: LineId,
    /// It is the last of its line, and the line does not go on (with a blank at its end).
    pub(super) ends_line: bool,
}

pub(super) enum Trouble {
    Read(ReadError),
    Quote(&'static str),
}

pub(super) struct Items {
    input: Input,
    splitting: Splitting,
    pub(super) name: Vec<u8>,
    block: bytes::Bytes,
    at: usize,
    id: LineId,
    over: bool,
}

impl Items {
    pub(super) fn new(input: Input, splitting: Splitting, name: Vec<u8>) -> Self {
        let id = LineId::new(input.number(), 0);
        Self { input, splitting, name, block: bytes::Bytes::new(), at: 0, id, over: false }
    }

    fn byte(&mut self) -> Result<Option<u8>, Trouble> {
        loop {
            if let Some(&byte) = self.block.get(self.at) {
                self.at += 1;
                return Ok(Some(byte));
            }
            match self.input.next_block().map_err(Trouble::Read)? {
                None => return Ok(None),
                Some(lines) => (self.block, self.at) = (lines.bytes, 0),
            }
        }
    }

    /// The next item. Memory: the item.
    pub(super) fn next(&mut self) -> Result<Option<Item>, Trouble> {
        if self.over {
            return Ok(None);
        }
        let item = match self.splitting.clone() {
            Splitting::Ended(byte) => self.ended(byte)?,
            Splitting::Words { end, whole_lines } => {
                let item = self.word(whole_lines)?;
                item.filter(|item| end.as_ref().is_none_or(|end| *end != item.bytes))
            }
        };
        self.over = item.is_none();
        Ok(item)
    }

    fn ended(&mut self, end: u8) -> Result<Option<Item>, Trouble> {
        let mut bytes = Vec::new();
        let id = self.id;
        while let Some(byte) = self.byte()? {
            if byte == b'\n' {
                self.id = self.id.plus(1);
            }
            if byte == end {
                return Ok(Some(Item { bytes, id, ends_line: true }));
            }
            bytes.push(byte);
        }
        Ok((!bytes.is_empty()).then_some(Item { bytes, id, ends_line: true }))
    }

    fn word(&mut self, whole_lines: bool) -> Result<Option<Item>, Trouble> {
        let mut bytes = Vec::new();
        let mut started = false;
        let mut quote = None;
        let mut id = self.id;
        loop {
            let Some(byte) = self.byte()? else {
                if let Some(quote) = quote {
                    return Err(Trouble::Quote(if quote == b'"' { "double" } else { "single" }));
                }
                return Ok(started.then_some(Item { bytes, id, ends_line: true }));
            };
            if let Some(open) = quote {
                match byte {
                    b'\n' => {
                        return Err(Trouble::Quote(if open == b'"' { "double" } else { "single" }));
                    }
                    byte if byte == open => quote = None,
                    byte => bytes.push(byte),
                }
                continue;
            }
            match byte {
                b'\n' => {
                    id = self.id;
                    self.id = self.id.plus(1);
                    if started {
                        return Ok(Some(Item { bytes, id, ends_line: true }));
                    }
                }
                b' ' | b'\t' | 11 | 12 | b'\r' if !whole_lines || !started => {
                    if started {
                        // A blank at the end of a line makes it go on, so none ends here.
                        return Ok(Some(Item { bytes, id: self.id, ends_line: false }));
                    }
                }
                b'"' | b'\'' => (quote, started) = (Some(byte), true),
                b'\\' => {
                    started = true;
                    // The character behind it is itself, a newline too.
                    if let Some(byte) = self.byte()? {
                        if byte == b'\n' {
                            self.id = self.id.plus(1);
                        }
                        bytes.push(byte);
                    }
                }
                byte => {
                    started = true;
                    bytes.push(byte);
                }
            }
            id = self.id;
        }
    }
}
