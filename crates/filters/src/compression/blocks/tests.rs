//! Read block by block and read as one stream: the same bytes and the same failures, whatever the data.

use std::io::Write;

use bzip2::Compression;
use bzip2::write::BzEncoder;
use proptest::prelude::*;
use stream::testing::{CutSource, Processed};
use stream::{BLOCK_SIZE, Block, DecodingError, DecodingFailure, ReadError, Source};

use super::super::decoded::DecodedSource;
use super::*;

/// A regular file, or something that is read as it comes.
struct Data {
    inner: CutSource,
    bytes: Option<u64>,
}

impl Source for Data {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.inner.next_block()
    }

    fn file_bytes(&self) -> Option<u64> {
        self.bytes
    }
}

/// What is in the data, and what was said at its end.
fn read(data: &[u8], cut: usize, by_blocks: bool) -> (Vec<u8>, Option<DecodingError>) {
    let bytes = by_blocks.then_some(data.len() as u64);
    let data = Data { inner: CutSource::new(data, cut), bytes };
    let mut source = DecodedSource::new(Box::new(data), Form::Bzip2);
    let mut out = Vec::new();
    loop {
        match source.next_block_with(&Processed(3)) {
            Ok(Some(block)) => out.extend_from_slice(block.bytes()),
            Ok(None) => return (out, None),
            Err(ReadError::Io(error)) => {
                return (out, Some(DecodingError::inside(&error).unwrap().clone()));
            }
            Err(ReadError::Cancelled) => unreachable!("nobody cancels"),
        }
    }
}

/// Both ways, but for the place of the failure, which is not seen at the same moment.
fn alike(data: &[u8], cut: usize) -> (Vec<u8>, Option<DecodingFailure>) {
    let (straight, expected) = read(data, cut, false);
    let (out, failure) = read(data, cut, true);
    let failure = failure.map(|error| error.failure);
    assert_eq!(failure, expected.map(|error| error.failure));
    // How much is known of a block before it proves damaged depends on how much is asked for at once.
    let slack = if failure == Some(DecodingFailure::Damaged) { BLOCK_SIZE } else { 0 };
    assert!(out.len().abs_diff(straight.len()) <= slack, "{} {}", out.len(), straight.len());
    assert!(out.iter().zip(&straight).all(|(one, other)| one == other));
    (out, failure)
}

fn packed(data: &[u8], level: u32) -> Vec<u8> {
    let mut encoder = BzEncoder::new(Vec::new(), Compression::new(level));
    encoder.write_all(data).unwrap();
    encoder.finish().unwrap()
}

/// Several blocks of level 1: bytes of chance, and runs of one byte.
fn data() -> impl Strategy<Value = Vec<u8>> {
    (any::<u64>(), 0_usize..450_000, 0_usize..3).prop_map(|(seed, bytes, kind)| {
        let mut chance = fastrand::Rng::with_seed(seed);
        let mut data = Vec::new();
        while data.len() < bytes {
            match kind {
                0 => data.push(chance.u8(..)),
                1 => data.extend(std::iter::repeat_n(chance.u8(..), chance.usize(..2000))),
                _ => data.extend(format!("gate {} refused\n", chance.u8(..)).into_bytes()),
            }
        }
        data
    })
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(12) })]

    #[test]
    fn members_and_blocks_come_back(
        first in data(), second in data(), cut in 1_usize..100_000, padded in any::<bool>(),
    ) {
        let zeros = if padded { vec![0; 100] } else { Vec::new() };
        let members = [&packed(&first, 1)[..], &packed(&second, 1), &zeros, &packed(b"", 9), &packed(b"x", 5)];
        let (out, failure) = alike(&members.concat(), cut);
        prop_assert!(out == [first, second, b"x".to_vec()].concat());
        prop_assert_eq!(failure, None);
    }

    #[test]
    fn damage_is_found_where_it_is(
        data in data(), place in any::<prop::sample::Index>(), bit in 0_u32..8, cut in any::<bool>(),
    ) {
        let mut bytes = [packed(&data, 1), packed(b"after it\n", 1)].concat();
        let place = place.index(bytes.len());
        if cut {
            bytes.truncate(place);
        } else {
            bytes[place] ^= 1 << bit;
        }
        let (out, failure) = alike(&bytes, 5000);
        let whole = [&data[..], b"after it\n"].concat();
        // The end of a member may also be the end of the data, and the level may be higher.
        prop_assert!(failure.is_some() || out == whole || cut && out == data);
    }
}

/// Written bit by bit.
#[derive(Default)]
struct Written(String);

impl Written {
    fn put(&mut self, value: u64, bits: usize) {
        self.0 += &format!("{value:0bits$b}");
    }

    /// As the only block of a member.
    fn alone(mut self, sum: u32) -> Vec<u8> {
        self.put(END_MARK, 48);
        self.put(sum.into(), 32);
        [b"BZh9", &self.bytes()[..]].concat()
    }

    fn bytes(&self) -> Vec<u8> {
        let byte = |bits: &[u8]| {
            let bits = bits
                .iter()
                .fold((0, 8), |(value, left), bit| (value << 1 | (bit - b'0'), left - 1));
            bits.0 << bits.1
        };
        self.0.as_bytes().chunks(8).map(byte).collect()
    }
}

/// A block whose data has these bytes, each of them from 2 to 253, as they are: codes of 8 bits for
/// them and of 9 for the others.
fn block_with(payload: &[u8], sum: u32) -> Written {
    let mut block = Written::default();
    block.put(BLOCK_MARK, 48);
    block.put(sum.into(), 32);
    block.put(0, 1 + 24);
    for _ in 0..17 {
        block.put(0xffff, 16);
    }
    let groups = (payload.len() + 1).div_ceil(50);
    block.put(2, 3);
    block.put(groups as u64, 15);
    for _ in 0..groups {
        block.put(0, 1);
    }
    for _ in 0..2 {
        block.put(8, 5);
        for symbol in 0..258 {
            if symbol == 254 {
                block.put(0b10, 2);
            }
            block.put(0, 1);
        }
    }
    for byte in payload {
        assert!((2..254).contains(byte));
        block.put((*byte).into(), 8);
    }
    block.put(0x1ff, 9);
    block
}

fn sum(data: &[u8]) -> u32 {
    crc::Crc::<u32>::new(&crc::CRC_32_BZIP2).checksum(data)
}

/// What a block decodes to, whatever its checksum says.
fn decoded(block: &Written) -> Vec<u8> {
    let mut part = Part::new([b"BZh9", &block.bytes()[..]].concat());
    part.decode(1 << 20);
    std::iter::from_fn(|| part.give()).flatten().collect()
}

#[test]
fn marks_within_blocks_are_no_ends() {
    let mut chance = fastrand::Rng::with_seed(7);
    let marks: [&[u8]; 4] = [
        &[0x31, 0x41, 0x59, 0x26, 0x53, 0x59],
        &[0x17, 0x72, 0x45, 0x38, 0x50, 0x90],
        // An end with a checksum after it.
        &[0x17, 0x72, 0x45, 0x38, 0x50, 0x90, 5, 6, 7, 8],
        // And the head of a member of smaller blocks.
        b"\x17\x72\x45\x38\x50\x90\x05\x06\x07\x08BZh1\x31\x41\x59\x26\x53\x59more",
    ];
    for (turn, mark) in marks.iter().cycle().take(16).enumerate() {
        // Also very many small ones, and large ones.
        let (count, lengths) = match turn {
            12 => (500, 1..10),
            11 => (3, 100_001..120_000),
            _ => (5, 1..3000),
        };
        let mut data = Written(b"BZh9".iter().map(|byte| format!("{byte:08b}")).collect());
        let (mut combined, mut expected) = (0_u32, Vec::new());
        for _ in 0..count {
            let mut payload: Vec<u8> =
                (0..chance.usize(lengths.clone())).map(|_| chance.u8(2..254)).collect();
            for _ in 0..chance.usize(..4) {
                let at = chance.usize(..=payload.len());
                payload.splice(at..at, mark.iter().copied());
            }
            if turn % 2 == 0 {
                // Right before the end of the block.
                payload.extend_from_slice(mark);
            }
            let out = decoded(&block_with(&payload, 0));
            let alone = block_with(&payload, sum(&out)).alone(sum(&out));
            if read(&alone, 777, false).1.is_some() {
                // Of some codes no text can be made, whatever the checksum.
                continue;
            }
            data.0 += &block_with(&payload, sum(&out)).0;
            combined = combined.rotate_left(1) ^ sum(&out);
            expected.extend_from_slice(&out);
        }
        assert!(expected.len() > count);
        data.put(END_MARK, 48);
        data.put(combined.into(), 32);
        let bytes = data.bytes();
        let (out, failure) = alike(&bytes, 777);
        assert!(out == expected);
        assert_eq!(failure, None);
        let both = [&bytes[..], &bytes, b"and more"].concat();
        let (out, failure) = alike(&both, 777);
        assert!(out == [&expected[..], &expected].concat());
        assert_eq!(failure, Some(DecodingFailure::Trailing("bzip2")));
        let (out, failure) = alike(&bytes[..bytes.len() - 3], 777);
        assert!(out == expected);
        assert_eq!(failure, Some(DecodingFailure::Truncated));
        let mut changed = bytes.clone();
        changed[bytes.len() / 2] ^= 4;
        // Not every bit means something: one of the tables is not used.
        alike(&changed, 777);
        let last = bytes.len() - 2;
        changed = bytes;
        changed[last] ^= 4;
        assert_eq!(alike(&changed, 777).1, Some(DecodingFailure::Damaged));
    }
}

#[test]
fn a_block_of_one_byte_again_and_again_is_not_held_whole() {
    let data = packed(&vec![b'x'; 60 << 20], 9);
    let (out, failure) = alike(&data, 100);
    assert_eq!((out.len(), failure), (60 << 20, None));
    let mut part = Part::new(data);
    part.decode(AHEAD / 2);
    let ready: usize = std::iter::from_fn(|| part.give()).map(|bytes| bytes.len()).sum();
    assert!((AHEAD / 2..AHEAD / 2 + (2 << 20)).contains(&ready), "{ready}");
}

/// Notes how many jobs came at a time.
struct Noted(parking_lot::Mutex<Vec<usize>>);

impl Processors for Noted {
    fn count(&self) -> usize {
        3
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        self.0.lock().push(jobs.len());
        Processed(3).run(jobs);
    }
}

#[test]
fn all_blocks_are_decoded_with_others() {
    let mut chance = fastrand::Rng::with_seed(3);
    let content: Vec<u8> = (0..950_000).map(|_| chance.u8(..)).collect();
    // Ten blocks of one member, and as many members of one block each.
    let members: Vec<Vec<u8>> = content.chunks(95_000).map(|part| packed(part, 1)).collect();
    for data in [packed(&content, 1), members.concat()] {
        let noted = Noted(parking_lot::Mutex::default());
        let bytes = Some(data.len() as u64);
        let source = Data { inner: CutSource::new(&data, 1000), bytes };
        let mut source = DecodedSource::new(Box::new(source), Form::Bzip2);
        let mut out = Vec::new();
        while let Some(block) = source.next_block_with(&noted).unwrap() {
            out.extend_from_slice(block.bytes());
        }
        assert!(out == content);
        assert_eq!(*noted.0.lock(), [3, 3, 3, 1]);
    }
}
