//! What is written comes out whole, in order, with its origins.

use proptest::prelude::*;

use super::*;
use crate::testing::MemorySink;

/// A sink that keeps its blocks apart.
#[derive(Default)]
struct Blocks(Mutex<Vec<Block>>);

impl Sink for Blocks {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.0.lock().push(block);
        Ok(())
    }
}

/// A sink whose reader has gone.
struct Gone;

impl Sink for Gone {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Err(WriteError::Closed)
    }

    fn is_closed(&self) -> bool {
        true
    }

    fn is_terminal(&self) -> bool {
        true
    }

    fn facts(&self) -> Option<FileFacts> {
        Some(FileFacts { bytes: 7, ..FileFacts::default() })
    }
}

fn id(line: u64) -> LineId {
    LineId::new(0, line)
}

/// An output with a store of origins, and what it writes to.
fn kept(block_size: usize) -> (Output, Arc<MemorySink>, Arc<Mutex<OriginStore>>) {
    let (sink, store) = (Arc::new(MemorySink::default()), Arc::new(Mutex::default()));
    let output = Output::new(sink.clone(), Some(Arc::clone(&store))).with_block_size(block_size);
    (output, sink, store)
}

/// Where every line comes from.
fn origins(store: &Mutex<OriginStore>) -> Vec<Vec<u64>> {
    let store = store.lock();
    (0..store.lines()).map(|line| store.get(line).iter().map(LineId::line).collect()).collect()
}

#[test]
fn nothing_is_written_before_a_block_is_full_or_flushed() {
    let sink = Arc::new(Blocks::default());
    let mut output = Output::new(sink.clone(), None).with_block_size(4);
    assert!(output.at_line_start());
    output.put(b"abc", Origin::None).unwrap();
    assert!(sink.0.lock().is_empty() && !output.at_line_start());
    output.put(b"defghi", Origin::None).unwrap();
    let sizes = |sink: &Blocks| sink.0.lock().iter().map(Block::len).collect::<Vec<_>>();
    assert_eq!(sizes(&sink), [4, 4]);
    output.flush().unwrap();
    output.flush().unwrap();
    assert_eq!(sizes(&sink), [4, 4, 1], "an empty block is never written");
    drop(output);
    assert_eq!(sizes(&sink), [4, 4, 1]);
}

#[test]
fn an_eager_output_hands_on_whole_lines_at_once() {
    let sink = Arc::new(Blocks::default());
    let mut output = Output::new(sink.clone(), None).eager(true);
    assert!(output.is_eager() && !output.keeps_origins());
    output.put(b"no end", Origin::None).unwrap();
    assert_eq!(sink.0.lock().len(), 0);
    output.line(b"", Origin::None).unwrap();
    assert_eq!(sink.0.lock().len(), 1);
    output.put(b"a\nb\n", Origin::None).unwrap();
    assert_eq!(sink.0.lock().len(), 2);
    assert!(!Output::new(sink, None).is_eager());
}

#[test]
fn memory_grows_with_what_is_written() {
    let mut output = Output::new(Arc::new(Blocks::default()), None);
    assert_eq!(output.buffer.capacity(), 0);
    output.put(&[b'a'; FIRST_ROOM], Origin::None).unwrap();
    assert_eq!(output.buffer.capacity(), FIRST_ROOM);
    output.put(b"b", Origin::None).unwrap();
    assert_eq!(output.buffer.capacity(), BLOCK_SIZE);
    // One that has filled a block will fill another.
    output.put(&vec![b'c'; BLOCK_SIZE], Origin::None).unwrap();
    output.put(b"d", Origin::None).unwrap();
    assert_eq!(output.buffer.capacity(), BLOCK_SIZE);
}

#[test]
fn large_runs_are_shared_and_small_ones_copied() {
    let sink = Arc::new(Blocks::default());
    let mut output = Output::new(sink.clone(), None);
    let large = Bytes::from(b"x\n".repeat(SHARE_FROM));
    output.put(b"first\n", Origin::None).unwrap();
    output.pass(large.clone(), id(0)).unwrap();
    output.pass(Bytes::from_static(b"small\n"), id(0)).unwrap();
    {
        let blocks = sink.0.lock();
        assert_eq!(blocks.len(), 2, "what was gathered goes first, then the run");
        assert_eq!(blocks[0].bytes(), &b"first\n"[..]);
        assert_eq!(blocks[1].bytes().as_ptr(), large.as_ptr(), "the same memory");
        assert_eq!(blocks[1].newlines(), SHARE_FROM as u64);
    }
    let lines = Lines { bytes: large.clone(), first: id(0), newlines: SHARE_FROM as u64 };
    output.pass_lines(lines).unwrap();
    let edge = vec![b'y'; SHARE_FROM];
    output.put_owned(edge.clone(), id(0)).unwrap();
    output.flush().unwrap();
    let blocks = sink.0.lock();
    assert_eq!(blocks.len(), 5);
    assert_eq!(blocks[3].bytes().as_ptr(), large.as_ptr());
    assert_eq!(blocks[4].bytes(), &edge);
}

#[test]
fn a_line_may_be_written_in_parts_and_comes_from_all_of_them() {
    let (mut output, sink, store) = kept(5);
    output.put(b"a", Origin::Line(id(1))).unwrap();
    output.put(b"b", Origin::Line(id(3))).unwrap();
    output.put(b"c\nd\n", Origin::Sequence(id(5))).unwrap();
    output.line(b"", Origin::Line(id(9))).unwrap();
    output.put(b"", Origin::Line(id(10))).unwrap();
    output.line(b"e", Origin::List(&[id(2), id(4)])).unwrap();
    output.put(b"f\n", Origin::None).unwrap();
    output.flush().unwrap();
    assert_eq!(sink.contents(), b"abc\nd\n\ne\nf\n");
    assert_eq!(
        origins(&store),
        [vec![1, 3, 5], vec![6], vec![9], vec![2, 4], vec![]],
        "the second line comes from the line after the first's"
    );
}

#[test]
fn each_of_several_lines_comes_from_one() {
    let (mut output, sink, store) = kept(3);
    output.put_each(b"a\nb\n", &[id(7), id(2)]).unwrap();
    output.put(b"c", Origin::Line(id(5))).unwrap();
    output.put_each(b"d\ne\n", &[id(6), id(8)]).unwrap();
    output.put_each(b"", &[]).unwrap();
    output.flush().unwrap();
    assert_eq!(sink.contents(), b"a\nb\ncd\ne\n");
    assert_eq!(origins(&store), [vec![7], vec![2], vec![5, 6], vec![8]]);
    assert!(output.at_line_start() && output.keeps_origins());
}

#[test]
fn a_second_way_in_keeps_the_order_and_has_origins_of_its_own() {
    let (mut output, sink, store) = kept(100);
    output.line(b"before", Origin::Line(id(0))).unwrap();
    let side = output.side(Some((id(3), id(4)))).unwrap();
    side.write(Block::new(b"x\ny".to_vec())).unwrap();
    side.write(Block::new(Vec::new())).unwrap();
    side.write(Block::new(b"z\n".to_vec())).unwrap();
    // Nothing, at the beginning of a line too, changes nothing.
    side.write(Block::new(Vec::new())).unwrap();
    side.write(Block::new(b"u\n".to_vec())).unwrap();
    let none = output.side(None).unwrap();
    none.write(Block::new(b"message\n".to_vec())).unwrap();
    output.line(b"after", Origin::Line(id(5))).unwrap();
    output.flush().unwrap();
    assert_eq!(sink.contents(), b"before\nx\nyz\nu\nmessage\nafter\n");
    assert_eq!(origins(&store), [vec![0], vec![3, 4], vec![3, 4], vec![3, 4], vec![], vec![5]]);
    assert!(!side.is_closed());
}

#[test]
fn what_the_sink_knows_is_passed_on() {
    let mut output = Output::new(Arc::new(Gone), None).with_block_size(0);
    assert!(output.is_closed() && output.is_terminal());
    assert_eq!(output.file_facts().map(|facts| facts.bytes), Some(7));
    let error = output.put(b"ab", Origin::None).unwrap_err();
    assert!(matches!(error, WriteError::Closed));
    assert!(output.side(None).unwrap().is_closed());
    let open = Output::new(Arc::new(MemorySink::default()), None);
    assert!(!open.is_closed() && !open.is_terminal() && open.file_facts().is_none());
}

/// One call of an output.
#[derive(Clone, Debug)]
enum Call {
    Put(Vec<u8>),
    Line(Vec<u8>),
    Pass(Vec<u8>),
    Owned(Vec<u8>),
    Flush,
}

fn call() -> impl Strategy<Value = Call> {
    let bytes = || prop::collection::vec(prop::sample::select(b"ab\n".to_vec()), 0..12);
    let line = || prop::collection::vec(prop::sample::select(b"ab".to_vec()), 0..6);
    let long = bytes().prop_map(|bytes| bytes.repeat(900));
    prop_oneof![
        bytes().prop_map(Call::Put),
        line().prop_map(Call::Line),
        bytes().prop_map(Call::Pass),
        long.prop_map(Call::Owned),
        Just(Call::Flush),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    /// However it is written and gathered: the bytes are those of all calls in their order, every
    /// line has one entry in the store, and lines that begin with a call come from that call.
    #[test]
    fn bytes_and_origins_follow_the_calls(
        calls in prop::collection::vec(call(), 0..12),
        block_size in 1usize..40,
    ) {
        let (mut output, sink, store) = kept(block_size);
        let mut expected = Vec::new();
        let mut begins: Vec<u64> = Vec::new();
        for (at, call) in calls.iter().enumerate() {
            let from = id(1_000_000 * at as u64);
            let inside = expected.last().is_some_and(|&last| last != b'\n');
            let before = expected.len();
            match call {
                Call::Put(bytes) => {
                    output.put(bytes, Origin::Line(from)).unwrap();
                    expected.extend_from_slice(bytes);
                }
                Call::Line(bytes) => {
                    output.line(bytes, Origin::Line(from)).unwrap();
                    expected.extend_from_slice(bytes);
                    expected.push(b'\n');
                }
                Call::Pass(bytes) => {
                    output.pass(bytes.clone().into(), from).unwrap();
                    expected.extend_from_slice(bytes);
                }
                Call::Owned(bytes) => {
                    output.put_owned(bytes.clone(), from).unwrap();
                    expected.extend_from_slice(bytes);
                }
                Call::Flush => output.flush().unwrap(),
            }
            // The lines that begin in this call.
            let mut begun = expected[before..].split_inclusive(|&byte| byte == b'\n').count();
            if inside && begun > 0 {
                begun -= 1;
            }
            begins.extend(std::iter::repeat_n(at as u64, begun));
            let at_start = expected.last().is_none_or(|&last| last == b'\n');
            prop_assert_eq!(output.at_line_start(), at_start);
        }
        output.flush().unwrap();
        prop_assert_eq!(sink.contents(), expected);
        let first: Vec<u64> = origins(&store).iter().map(|from| from[0] / 1_000_000).collect();
        prop_assert_eq!(first, begins);
    }
}

#[test]
fn a_side_keeps_what_its_sink_can() {
    use crate::testing::{ProbeSink, lost_of_sink};
    let probe = Arc::new(ProbeSink::default());
    let side =
        Side { sink: probe.clone(), origins: None, lines: None, at_line_start: Mutex::new(true) };
    assert!(lost_of_sink(&side, &probe).is_empty());
}
