//! What the descriptors of a command lead to.

use parking_lot::{Condvar, Mutex, MutexGuard};
use std::collections::VecDeque;
use std::io;
use std::path::Path;
use std::sync::{Arc, Weak};

use stream::{Arrivals, AtEnd, Block, FileFacts, ReadError, Sink, Source, Tail, WriteError};

/// Descriptors a command has: 0 to 9.
pub(crate) const DESCRIPTORS: usize = 10;

/// What a descriptor leads to.
#[derive(Clone)]
pub(crate) enum End {
    /// To be read.
    In(Arc<SharedInput>),
    /// To be written.
    Out(Arc<dyn Sink>),
}

/// An open descriptor.
#[derive(Clone)]
pub(crate) struct Port {
    pub(crate) end: End,
    /// The descriptor of this process that it is, for programs to get as it is.
    pub(crate) own: Option<u8>,
}

/// The descriptors of a command; those that are `None` are closed.
#[derive(Clone, Default)]
pub(crate) struct Ports {
    ports: [Option<Port>; DESCRIPTORS],
}

impl Ports {
    /// Standard input, output and error.
    pub(crate) fn new(
        input: Option<Box<dyn Source>>,
        out: Arc<dyn Sink>,
        error: Arc<dyn Sink>,
    ) -> Self {
        let mut ports = Self::default();
        if let Some(input) = input {
            ports.read_from(0, input);
        }
        ports.write_to(1, out);
        ports.write_to(2, error);
        ports
    }

    /// Marks the standard descriptors as those of this process.
    pub(crate) fn owned(mut self) -> Self {
        for (number, port) in self.ports.iter_mut().take(3).enumerate() {
            if let Some(port) = port {
                port.own = Some(number as u8);
            }
        }
        self
    }

    pub(crate) fn get(&self, descriptor: u8) -> Option<&Port> {
        self.ports.get(usize::from(descriptor))?.as_ref()
    }

    pub(crate) fn set(&mut self, descriptor: u8, port: Option<Port>) {
        if let Some(place) = self.ports.get_mut(usize::from(descriptor)) {
            *place = port;
        }
    }

    pub(crate) fn read_from(&mut self, descriptor: u8, source: Box<dyn Source>) {
        let end = End::In(Arc::new(SharedInput::new(source)));
        self.set(descriptor, Some(Port { end, own: None }));
    }

    pub(crate) fn write_to(&mut self, descriptor: u8, sink: Arc<dyn Sink>) {
        self.set(descriptor, Some(Port { end: End::Out(sink), own: None }));
    }

    /// Makes `descriptor` lead where `of` does; false where that is closed.
    pub(crate) fn duplicate(&mut self, descriptor: u8, of: u8) -> bool {
        let port = self.get(of).cloned();
        let open = port.is_some();
        self.set(descriptor, port);
        open
    }

    /// Closes a descriptor: reading and writing fail.
    pub(crate) fn close(&mut self, descriptor: u8) {
        if descriptor == 0 {
            self.read_from(0, Box::new(Shut));
        } else {
            self.set(descriptor, None);
        }
    }

    /// What is read from a descriptor; `None` where nothing can be.
    pub(crate) fn input(&self, descriptor: u8) -> Option<Arc<SharedInput>> {
        match &self.get(descriptor)?.end {
            End::In(input) => Some(input.clone()),
            End::Out(_) => None,
        }
    }

    /// Where a descriptor writes to; a sink that refuses where it cannot be written.
    pub(crate) fn sink(&self, descriptor: u8) -> Arc<dyn Sink> {
        match self.get(descriptor) {
            Some(Port { end: End::Out(sink), .. }) => sink.clone(),
            _ => Arc::new(Shut),
        }
    }
}

/// The descriptor that a name means: `/dev/stdin`, `/dev/fd/3` and the like. `None` for any
/// other name, and for numbers that no command has.
pub(crate) fn descriptor_named(path: &Path) -> Option<u8> {
    let name = path.to_str()?;
    let number = match name {
        "/dev/stdin" => return Some(0),
        "/dev/stdout" => return Some(1),
        "/dev/stderr" => return Some(2),
        _ => name.strip_prefix("/dev/fd/").or_else(|| name.strip_prefix("/proc/self/fd/"))?,
    };
    // One digit is all that there are.
    let digit = number.parse::<u8>().ok().filter(|_| number.len() == 1)?;
    (usize::from(digit) < DESCRIPTORS).then_some(digit)
}

enum NamedEnd {
    In(Weak<SharedInput>),
    Out(Weak<dyn Sink>),
}

/// The descriptors of a command for whoever opens them by name. The standard ones are not kept open
/// by it: the command may be done with them before its end. The others are open as long as it runs.
#[derive(Default)]
pub(crate) struct NamedPorts {
    ends: [Option<NamedEnd>; DESCRIPTORS],
    /// What else holds the others.
    _open: Vec<Port>,
}

impl NamedPorts {
    pub(crate) fn of(ports: &Ports) -> Self {
        let named = |port: &Option<Port>| {
            port.as_ref().map(|port| match &port.end {
                End::In(input) => NamedEnd::In(Arc::downgrade(input)),
                End::Out(sink) => NamedEnd::Out(Arc::downgrade(sink)),
            })
        };
        Self {
            ends: std::array::from_fn(|number| named(&ports.ports[number])),
            _open: ports.ports.iter().skip(3).flatten().cloned().collect(),
        }
    }

    /// Leads a descriptor elsewhere.
    pub(crate) fn write_to(&mut self, descriptor: u8, sink: &Arc<dyn Sink>) {
        if let Some(place) = self.ends.get_mut(usize::from(descriptor)) {
            *place = Some(NamedEnd::Out(Arc::downgrade(sink)));
        }
    }

    fn get(&self, descriptor: u8) -> Option<&NamedEnd> {
        self.ends.get(usize::from(descriptor))?.as_ref()
    }

    /// Reads on where a descriptor has come to.
    ///
    /// # Errors
    /// `ENOENT` where it is closed, `EACCES` where it is written.
    pub(crate) fn read(&self, descriptor: u8) -> io::Result<Box<dyn Source>> {
        match self.get(descriptor) {
            Some(NamedEnd::In(input)) => Ok(match input.upgrade() {
                Some(input) => Box::new(Reader(input)),
                None => Box::new(AtEnd),
            }),
            // A stage without an input has nothing to read.
            None if descriptor == 0 => Ok(Box::new(AtEnd)),
            None => Err(io::ErrorKind::NotFound.into()),
            Some(NamedEnd::Out(_)) => Err(io::ErrorKind::PermissionDenied.into()),
        }
    }

    /// Writes where a descriptor leads.
    ///
    /// # Errors
    /// `ENOENT` where it is closed, `EACCES` where it is read.
    pub(crate) fn write(&self, descriptor: u8) -> io::Result<Arc<dyn Sink>> {
        match self.get(descriptor) {
            Some(NamedEnd::Out(sink)) => sink.upgrade().ok_or(io::ErrorKind::NotFound.into()),
            None => Err(io::ErrorKind::NotFound.into()),
            Some(NamedEnd::In(_)) => Err(io::ErrorKind::PermissionDenied.into()),
        }
    }
}

/// A closed descriptor.
struct Shut;

impl Shut {
    fn error() -> io::Error {
        io::Error::from_raw_os_error(rustix::io::Errno::BADF.raw_os_error())
    }
}

impl Sink for Shut {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Err(WriteError::Io(Self::error()))
    }
}

impl Source for Shut {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Err(ReadError::Io(Self::error()))
    }
}

/// An input that several commands read one after the other: what one leaves the next one gets.
///
/// Nobody waits for another reader but to read itself: what was left, and how much was taken, is
/// known at once while somebody waits for the source.
pub(crate) struct SharedInput {
    state: Mutex<State>,
    /// The source is back.
    returned: Condvar,
}

struct State {
    /// `None` while somebody reads it.
    source: Option<Box<dyn Source>>,
    /// Read, but left for the next reader.
    left: VecDeque<Block>,
    /// Newlines that readers have taken.
    newlines: u64,
    /// What was taken does not end a line.
    open: bool,
    /// What the file was when the last block was read, and where that ended.
    read: Option<(Version, u64)>,
}

/// What shows that a file has changed: its length, and the time of its last change.
type Version = (u64, i128);

fn version_of(source: &dyn Source) -> Option<Version> {
    source.facts().filter(FileFacts::is_regular).map(|facts| (facts.bytes, facts.modified_ns))
}

impl State {
    /// Forgets what was left where the file was changed since it was read: the next reader gets what is
    /// there now, as if only what was taken had been read.
    fn forget_stale(&mut self) {
        let Some((version, end)) = self.read else { return };
        let left: u64 = self.left.iter().map(|block| block.len() as u64).sum();
        if let Some(source) = &mut self.source
            && version_of(&**source) != Some(version)
            && left <= end
            && source.go_to(end - left)
        {
            self.left.clear();
            self.read = None;
        }
    }

    fn take(&mut self, block: &Block) {
        self.newlines += block.newlines();
        self.open = !block.ends_line();
    }
}

/// The source while somebody reads it. It comes back whatever happens, so that nobody waits for it in
/// vain.
struct TakenSource<'i> {
    input: &'i SharedInput,
    source: Option<Box<dyn Source>>,
}

impl Drop for TakenSource<'_> {
    fn drop(&mut self) {
        self.input.lock().source = self.source.take();
        self.input.returned.notify_all();
    }
}

impl SharedInput {
    pub(crate) fn new(source: Box<dyn Source>) -> Self {
        let left = VecDeque::new();
        let state = State { source: Some(source), left, newlines: 0, open: false, read: None };
        Self { state: Mutex::new(state), returned: Condvar::new() }
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock()
    }

    /// Leaves bytes for whoever reads next.
    pub(crate) fn give_back(&self, bytes: impl Into<bytes::Bytes>) {
        let bytes = bytes.into();
        if !bytes.is_empty() {
            let block = Block::new(bytes);
            let mut state = self.lock();
            state.newlines -= block.newlines().min(state.newlines);
            // Lines are what is left mostly; the end of what was taken is not looked at again.
            state.open = false;
            state.left.push_front(block);
            drop(state);
            self.returned.notify_all();
        }
    }

    /// True when something was left by a reader, so that the place in the file is not that of
    /// the reader.
    pub(crate) fn has_left(&self) -> bool {
        !self.lock().left.is_empty()
    }

    /// The next block, where `wanted` says so; else it stays, and there is none.
    pub(crate) fn next_if(
        &self,
        wanted: impl FnOnce(&Block) -> bool,
    ) -> Result<Option<Block>, ReadError> {
        let mut state = self.lock();
        let block = loop {
            if !state.left.is_empty() {
                state.forget_stale();
            }
            if let Some(block) = state.left.pop_front() {
                break block;
            }
            let Some(source) = state.source.take() else {
                self.returned.wait(&mut state);
                continue;
            };
            drop(state);
            let mut taken = TakenSource { input: self, source: Some(source) };
            let read = taken.source.as_mut().map_or(Ok(None), |source| source.next_block());
            let now = taken
                .source
                .as_ref()
                .and_then(|source| version_of(&**source).zip(source.position()));
            drop(taken);
            state = self.lock();
            state.read = now;
            match read? {
                // What another reader has given back meanwhile comes first.
                Some(block) => match state.left.pop_front() {
                    Some(left) => {
                        state.left.push_back(block);
                        break left;
                    }
                    None => break block,
                },
                None => match state.left.pop_front() {
                    Some(left) => break left,
                    None => return Ok(None),
                },
            }
        };
        if wanted(&block) {
            state.take(&block);
            return Ok(Some(block));
        }
        state.left.push_front(block);
        drop(state);
        self.returned.notify_all();
        Ok(None)
    }

    /// The next block.
    pub(crate) fn next_block(&self) -> Result<Option<Block>, ReadError> {
        self.next_if(|_| true)
    }

    /// Lines that readers have taken; one that is not ended counts.
    pub(crate) fn lines_taken(&self) -> u64 {
        let state = self.lock();
        state.newlines + u64::from(state.open)
    }
}

/// One of the readers of a shared input.
pub(crate) struct Reader(pub(crate) Arc<SharedInput>);

impl Reader {
    /// Does something with the source itself, where nothing was left by another reader.
    fn untouched<T>(&self, with: impl FnOnce(&mut dyn Source) -> Option<T>) -> Option<T> {
        let mut state = self.0.lock();
        if !state.left.is_empty() {
            return None;
        }
        with(state.source.as_mut()?.as_mut())
    }
}

impl Source for Reader {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        self.0.next_block()
    }

    fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        self.untouched(|source| Some(source.seek_last(part))).unwrap_or(Ok(false))
    }

    fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        self.untouched(|source| source.split(parts))
    }

    fn file_bytes(&self) -> Option<u64> {
        self.untouched(|source| source.file_bytes())
    }

    fn facts(&self) -> Option<FileFacts> {
        self.untouched(|source| source.facts())
    }

    fn position(&self) -> Option<u64> {
        self.untouched(|source| source.position())
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        // Lines are numbered from its beginning, and so are those of who reads first.
        if self.0.lines_taken() > 0 {
            return None;
        }
        self.untouched(|source| source.arrivals())
    }

    fn rewind(&mut self) -> bool {
        self.untouched(|source| Some(source.rewind())).unwrap_or(false)
    }

    fn give_back(&mut self, bytes: bytes::Bytes) -> bool {
        // Who is alone has nobody to leave it to.
        let shared = Arc::strong_count(&self.0) > 1;
        if shared {
            self.0.give_back(bytes);
        }
        shared
    }

    fn allows_ahead(&self) -> bool {
        // What is read ahead is lost to other readers.
        Arc::strong_count(&self.0) == 1
            && self.untouched(|source| Some(source.allows_ahead())).unwrap_or(false)
    }

    fn is_part(&self) -> bool {
        self.0.lock().source.as_ref().is_some_and(|source| source.is_part())
    }

    fn is_link(&self) -> bool {
        self.0.lock().source.as_ref().is_some_and(|source| source.is_link())
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use std::sync::mpsc::{Receiver, channel};

    use super::*;

    /// Gives what comes, and fails inside at an empty text.
    struct Coming(Receiver<&'static str>);

    impl Source for Coming {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            let text = self.0.recv().ok();
            assert!(text != Some(""), "as asked");
            Ok(text.map(|text| Block::new(text.as_bytes().to_vec())))
        }
    }

    #[test]
    fn names_stand_for_descriptors() {
        for (name, expected) in [
            ("/dev/stdin", Some(0)),
            ("/dev/stdout", Some(1)),
            ("/dev/stderr", Some(2)),
            ("/dev/fd/0", Some(0)),
            ("/dev/fd/9", Some(9)),
            ("/proc/self/fd/3", Some(3)),
            ("/dev/fd/10", None),
            ("/dev/fd/63", None),
            ("/dev/fd/01", None),
            ("/dev/fd/", None),
            ("/dev/fd/x", None),
            ("/dev/stdin/", None),
            ("stdin", None),
            ("/dev/null", None),
        ] {
            assert_eq!(descriptor_named(Path::new(name)), expected, "{name}");
        }
    }

    #[test]
    fn who_opens_a_descriptor_by_name_does_not_keep_it_open() {
        let (sender, receiver) = channel();
        sender.send("a").unwrap();
        let out: Arc<dyn Sink> = Arc::new(crate::base::sinks::Nowhere);
        let mut ports = Ports::new(Some(Box::new(Coming(receiver))), out.clone(), out.clone());
        let (third, receiver) = channel();
        ports.read_from(3, Box::new(Coming(receiver)));
        let mut named = NamedPorts::of(&ports);
        assert_eq!(text(named.read(0).unwrap().next_block()).as_deref(), Some("a"));
        assert!(Arc::ptr_eq(&named.write(1).unwrap(), &out));
        let kind = |result: io::Result<Box<dyn Source>>| result.err().map(|error| error.kind());
        assert_eq!(kind(named.read(1)), Some(io::ErrorKind::PermissionDenied));
        assert_eq!(kind(named.read(4)), Some(io::ErrorKind::NotFound));
        let kind = |result: io::Result<Arc<dyn Sink>>| result.err().map(|error| error.kind());
        assert_eq!(kind(named.write(0)), Some(io::ErrorKind::PermissionDenied));
        assert_eq!(kind(named.write(4)), Some(io::ErrorKind::NotFound));
        drop(ports);
        // The writer sees that nobody reads; but for what has no other reader.
        assert!(sender.send("b").is_err());
        third.send("c").unwrap();
        assert_eq!(text(named.read(3).unwrap().next_block()).as_deref(), Some("c"));
        assert_eq!(text(named.read(0).unwrap().next_block()), None);
        drop(out);
        assert_eq!(kind(named.write(1)), Some(io::ErrorKind::NotFound));
        let other: Arc<dyn Sink> = Arc::new(crate::base::sinks::Nowhere);
        named.write_to(1, &other);
        assert!(Arc::ptr_eq(&named.write(1).unwrap(), &other));
        assert_eq!(text(NamedPorts::default().read(0).unwrap().next_block()), None);
    }

    fn text(block: Result<Option<Block>, ReadError>) -> Option<String> {
        block.unwrap().map(|block| String::from_utf8(block.bytes().to_vec()).unwrap())
    }

    #[test]
    fn while_somebody_waits_for_the_source_the_rest_is_known_and_what_is_left_is_taken() {
        let (sender, coming) = channel();
        let input = Arc::new(SharedInput::new(Box::new(Coming(coming))));
        let (first, second) = (input.clone(), input.clone());
        let waiting = std::thread::spawn(move || text(first.next_block()));
        // It holds the source by now, or soon; nothing here waits for that.
        assert!(!input.has_left());
        assert_eq!(input.lines_taken(), 0);
        input.give_back("left\n".as_bytes());
        let other = std::thread::spawn(move || text(second.next_block()));
        sender.send("came\n").unwrap();
        sender.send("later\n").unwrap();
        let mut got = [waiting.join().unwrap(), other.join().unwrap()];
        got.sort();
        // Which of them read what is a matter of chance, but nothing twice and nothing lost.
        let rest = text(input.next_block());
        let mut all: Vec<String> = got.into_iter().flatten().chain(rest).collect();
        all.sort();
        assert_eq!(all, ["came\n", "later\n", "left\n"]);
        assert_eq!(input.lines_taken(), 3);
    }

    #[test]
    fn a_reader_that_fails_inside_leaves_the_source_to_the_next() {
        let (sender, coming) = channel();
        let input = Arc::new(SharedInput::new(Box::new(Coming(coming))));
        let failing = input.clone();
        sender.send("").unwrap();
        assert!(std::thread::spawn(move || text(failing.next_block())).join().is_err());
        sender.send("next\n").unwrap();
        assert_eq!(text(input.next_block()).as_deref(), Some("next\n"));
    }
}
