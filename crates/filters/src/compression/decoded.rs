//! A source of what compressed data holds. Several members one after the other are one stream, as the
//! forms have it (RFC 1952 section 2.2, RFC 8878 section 3, .xz section 2).

use std::io::{self, BufRead, Read};

use bytes::Bytes;
use bzip2::bufread::BzDecoder;
use flate2::bufread::GzDecoder;
use liblzma::bufread::XzDecoder;
use stream::{
    BLOCK_SIZE, Block, Decoding, DecodingError, DecodingFailure, Processors, ReadError, Source,
};

use super::blocks::Blocks;
use super::form::{Form, MAGIC_BYTES};
use super::reader::SourceReader;

/// Memory that a member may want for reading it: what `xz -9` and `zstd -19` want, many times.
const MEMORY_MIB: u64 = 1024;

static GZIP: Decoding =
    Decoding { name: "gzip", at_once: 0, open: |source| opened(source, Form::Gzip) };
static BZIP2: Decoding =
    Decoding { name: "bzip2", at_once: 900_000, open: |source| opened(source, Form::Bzip2) };
static XZ: Decoding = Decoding { name: "xz", at_once: 0, open: |source| opened(source, Form::Xz) };
static ZSTD: Decoding =
    Decoding { name: "zstd", at_once: 0, open: |source| opened(source, Form::Zstd) };

fn opened(source: Box<dyn Source>, form: Form) -> Box<dyn Source> {
    Box::new(DecodedSource::new(source, form))
}

impl Form {
    /// How files of this form are read.
    pub fn decoding(self) -> &'static Decoding {
        match self {
            Self::Gzip => &GZIP,
            Self::Bzip2 => &BZIP2,
            Self::Xz => &XZ,
            Self::Zstd => &ZSTD,
        }
    }
}

/// One member while it is read.
enum Member {
    Gzip(GzDecoder<SourceReader>),
    Bzip2(BzDecoder<SourceReader>),
    Xz(XzDecoder<SourceReader>),
    Zstd(Box<zstd::stream::read::Decoder<'static, SourceReader>>),
}

impl Member {
    fn begin(form: Form, reader: SourceReader) -> io::Result<Self> {
        Ok(match form {
            Form::Gzip => Self::Gzip(GzDecoder::new(reader)),
            Form::Bzip2 => Self::Bzip2(BzDecoder::new(reader)),
            Form::Xz => {
                let stream = liblzma::stream::Stream::new_auto_decoder(MEMORY_MIB << 20, 0);
                Self::Xz(XzDecoder::new_stream(reader, stream?))
            }
            Form::Zstd => {
                let decoder = zstd::stream::read::Decoder::with_buffer(reader)?;
                Self::Zstd(Box::new(decoder.single_frame()))
            }
        })
    }

    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Self::Gzip(decoder) => decoder.read(buffer),
            Self::Bzip2(decoder) => decoder.read(buffer),
            Self::Xz(decoder) => decoder.read(buffer),
            Self::Zstd(decoder) => decoder.read(buffer),
        }
    }

    /// Bytes that were decoded so far, also by a reading that failed, where that may be more than it
    /// said.
    fn decoded(&self) -> u64 {
        match self {
            Self::Bzip2(decoder) => decoder.total_out(),
            _ => 0,
        }
    }

    fn reader(&mut self) -> &mut SourceReader {
        match self {
            Self::Gzip(decoder) => decoder.get_mut(),
            Self::Bzip2(decoder) => decoder.get_mut(),
            Self::Xz(decoder) => decoder.get_mut(),
            Self::Zstd(decoder) => decoder.get_mut(),
        }
    }

    fn reader_of(&self) -> &SourceReader {
        match self {
            Self::Gzip(decoder) => decoder.get_ref(),
            Self::Bzip2(decoder) => decoder.get_ref(),
            Self::Xz(decoder) => decoder.get_ref(),
            Self::Zstd(decoder) => decoder.get_ref(),
        }
    }

    fn end(self) -> SourceReader {
        match self {
            Self::Gzip(decoder) => decoder.into_inner(),
            Self::Bzip2(decoder) => decoder.into_inner(),
            Self::Xz(decoder) => decoder.into_inner(),
            Self::Zstd(decoder) => decoder.finish(),
        }
    }
}

enum State {
    /// Before a member, or after the last one.
    Between(SourceReader),
    Within(Box<Member>),
    /// In members whose blocks are decoded by several processors.
    Blocks(Box<Blocks>),
    /// Nothing more comes.
    Over,
}

/// What the data of another source holds. Memory: one block, and what the decoder keeps: the window of
/// the form, at most [`MEMORY_MIB`].
pub(super) struct DecodedSource {
    state: State,
    form: Form,
    /// True for a regular file: all of it can be read without waiting for anybody.
    is_whole: bool,
    /// True where what is missing at the end is there in the whole data.
    is_part: bool,
    members: u64,
    /// Given so far.
    bytes: u64,
    lines: u64,
    /// What ended a member after bytes that are given first.
    failed: Option<io::Error>,
}

impl DecodedSource {
    pub(super) fn new(source: Box<dyn Source>, form: Form) -> Self {
        let is_whole = source.file_bytes().is_some();
        let is_part = source.is_part();
        let state = State::Between(SourceReader::new(source));
        Self { state, form, is_whole, is_part, members: 0, bytes: 0, lines: 0, failed: None }
    }

    fn error(&self, failure: DecodingFailure, at: u64) -> ReadError {
        let error = DecodingError { failure, at, bytes: self.bytes, lines: self.lines };
        ReadError::Io(io::Error::other(error))
    }

    /// What an error of a decoder or of the source means.
    fn failed(&self, error: &io::Error, at: u64, reader: &mut SourceReader) -> ReadError {
        if let Some(failure) = reader.take_failure() {
            return failure;
        }
        let memory = error.get_ref().and_then(|inner| inner.downcast_ref());
        if error.kind() == io::ErrorKind::OutOfMemory {
            return ReadError::Io(io::ErrorKind::OutOfMemory.into());
        }
        let failure = if let Some(liblzma::stream::Error::MemLimit) = memory {
            DecodingFailure::Memory(MEMORY_MIB)
        } else if error.kind() == io::ErrorKind::UnexpectedEof {
            DecodingFailure::Truncated
        } else {
            DecodingFailure::Damaged
        };
        self.error(failure, at)
    }

    /// Begins the next member, where there is one.
    fn begin(&mut self, mut reader: SourceReader, helped: bool) -> Result<State, ReadError> {
        if self.members > 0
            && let Err(error) = skip_zeros(&mut reader)
        {
            return Err(self.failed(&error, reader.taken(), &mut reader));
        }
        let at = reader.taken();
        let first = match reader.peek(MAGIC_BYTES) {
            Ok(first) => first,
            Err(error) => return Err(self.failed(&error, at, &mut reader)),
        };
        let found = Form::of_content(first);
        if found == Some(self.form) {
            // What is not all there yet is read as it comes.
            if self.form == Form::Bzip2 && self.is_whole && helped {
                return Ok(State::Blocks(Box::new(Blocks::new(reader))));
            }
            let member = Member::begin(self.form, reader);
            return member
                .map(Box::new)
                .map(State::Within)
                .map_err(|_| self.error(DecodingFailure::Damaged, at));
        }
        let failure = match (first.is_empty(), self.members) {
            _ if self.is_part && first.len() < MAGIC_BYTES => DecodingFailure::Truncated,
            (true, 1..) => return Ok(State::Over),
            (true, 0) => DecodingFailure::Truncated,
            (false, 1..) => DecodingFailure::Trailing(self.form.name()),
            (false, 0) => {
                let found = found.map(Form::name);
                DecodingFailure::OtherForm { wanted: self.form.name(), found }
            }
        };
        Err(self.error(failure, at))
    }

    /// The next bytes of a member; none at its end.
    fn read(&mut self, member: &mut Member) -> Result<Bytes, ReadError> {
        if let Some(error) = self.failed.take() {
            return Err(self.failed(&error, member.reader_of().taken(), member.reader()));
        }
        let mut buffer = vec![0; BLOCK_SIZE];
        let mut filled = 0;
        while filled < buffer.len() {
            let before = member.decoded();
            match member.read(&mut buffer[filled..]) {
                Ok(0) => break,
                Ok(count) => filled += count,
                Err(error) => {
                    filled += (member.decoded() - before) as usize;
                    if filled == 0 {
                        return Err(self.failed(
                            &error,
                            member.reader_of().taken(),
                            member.reader(),
                        ));
                    }
                    // What came before is given first.
                    self.failed = Some(error);
                    break;
                }
            }
            // Whoever follows a file sees what there is.
            if !member.reader_of().has_more_at_hand() {
                break;
            }
        }
        buffer.truncate(filled);
        Ok(buffer.into())
    }
}

impl DecodedSource {
    /// An error, unless all that is wrong is that the source gives a part of the data.
    fn ended(&self, error: ReadError) -> Result<Option<Block>, ReadError> {
        let ReadError::Io(inner) = &error else { return Err(error) };
        let failure = DecodingError::inside(inner).map(|error| &error.failure);
        match failure {
            Some(DecodingFailure::Truncated) if self.is_part => Ok(None),
            _ => Err(error),
        }
    }

    fn next(&mut self, processors: Option<&dyn Processors>) -> Result<Option<Block>, ReadError> {
        loop {
            match std::mem::replace(&mut self.state, State::Over) {
                State::Over => return Ok(None),
                State::Between(reader) => match self.begin(reader, processors.is_some()) {
                    Ok(state) => self.state = state,
                    Err(error) => return self.ended(error),
                },
                State::Within(mut member) => match self.read(&mut member) {
                    Ok(bytes) if bytes.is_empty() => self.end_member(member.end()),
                    Ok(bytes) => {
                        self.state = State::Within(member);
                        return Ok(Some(self.given(bytes)));
                    }
                    Err(error) => return self.ended(error),
                },
                State::Blocks(mut blocks) => match blocks.next(processors) {
                    Ok(None) => self.end_member(blocks.end()),
                    Ok(Some(bytes)) => {
                        self.state = State::Blocks(blocks);
                        return Ok(Some(self.given(bytes)));
                    }
                    Err(error) => {
                        let place = blocks.place();
                        let error = self.failed(&error, place, blocks.reader_mut());
                        return self.ended(error);
                    }
                },
            }
        }
    }

    fn end_member(&mut self, reader: SourceReader) {
        self.members += 1;
        self.state = State::Between(reader);
    }

    fn given(&mut self, bytes: Bytes) -> Block {
        let block = Block::new(bytes);
        self.bytes += block.len() as u64;
        self.lines += block.newlines();
        block
    }
}

/// Skips the zeros that pad a stream to the size of a tape's or a disk's blocks.
fn skip_zeros(reader: &mut SourceReader) -> io::Result<()> {
    loop {
        let bytes = reader.fill_buf()?;
        let zeros = bytes.iter().take_while(|byte| **byte == 0).count();
        let all = zeros == bytes.len();
        reader.consume(zeros);
        if !all || zeros == 0 {
            return Ok(());
        }
    }
}

impl Source for DecodedSource {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.next(None)
    }

    fn next_block_with(&mut self, processors: &dyn Processors) -> Result<Option<Block>, ReadError> {
        self.next(Some(processors).filter(|processors| processors.count() > 1))
    }

    fn position(&self) -> Option<u64> {
        match &self.state {
            State::Over => None,
            State::Between(reader) => Some(reader.taken()),
            State::Within(member) => Some(member.reader_of().taken()),
            State::Blocks(blocks) => Some(blocks.place()),
        }
    }
}
