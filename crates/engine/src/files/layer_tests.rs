//! Every layer over a probe with everything that an end can have: what it loses is what it must.

use std::sync::Arc;
use std::sync::atomic::Ordering::Relaxed;

use parking_lot::Mutex;
use stream::testing::{ProbeSink, ProbeSource, lost_of_sink, lost_of_source};
use stream::{OriginStore, RunControl, Sink, Source, StageMeter};

use super::cut_short::{EndSeen, TellsEnd};
use super::emptied::Readers;
use crate::flow::counted::{CountedSource, Sources};
use crate::flow::descriptors::{Reader, SharedInput};
use crate::flow::metered::{MeteredSink, MeteredSource, StageClock};
use crate::flow::origins::{InputCursor, OriginSink};
use crate::flow::read_ahead::ReadAhead;

fn probe() -> Box<dyn Source> {
    Box::new(ProbeSource)
}

#[test]
fn sources_around_others_keep_what_those_can() {
    let (meter, control) = (Arc::new(StageMeter::default()), RunControl::default());
    let clock = StageClock::start(&meter, &control);
    let metered = MeteredSource::new(probe(), &clock);
    let shared = Arc::new(SharedInput::new(probe()));
    let emptiable = Readers::default().add("/x".into(), probe(), true);
    let ahead = ["allows_ahead", "next_block_with"];
    let layers: [(&str, Box<dyn Source>, &[&str]); 6] = [
        ("counted", CountedSource::of(probe(), &Arc::default()), &[]),
        // A plain file needs no other processors, and is read ahead once.
        ("read ahead", ReadAhead::of(probe(), &meter, &control), &ahead),
        ("metered", Box::new(metered), &ahead),
        ("that may be emptied", emptiable, &[]),
        // When its lines came is told apart, of a part as of the whole.
        ("that tells its end", Box::new(TellsEnd::new(probe(), EndSeen::default())), &["arrivals"]),
        // Whoever is alone has nobody to leave anything to; who has read a line first is not known.
        ("shared", Box::new(Reader(shared)), &["next_block_with", "go_to", "give_back"]),
    ];
    for (name, mut layer, lost) in layers {
        let found = lost_of_source(&mut *layer);
        assert!(found.iter().all(|ability| lost.contains(ability)), "{name}: {found:?}");
        assert!(lost.iter().all(|ability| found.contains(ability)), "{name}: {found:?}");
    }
}

#[test]
fn sinks_around_others_keep_what_those_can() {
    let (meter, control) = (Arc::new(StageMeter::default()), RunControl::default());
    let clock = StageClock::start(&meter, &control);
    let inner = Arc::new(ProbeSink::default());
    let input = Arc::new(SharedInput::new(probe()));
    let origins = Arc::new(Mutex::new(OriginStore::default()));
    let layers: [(&str, Box<dyn Sink>); 3] = [
        ("metered", Box::new(MeteredSink::new(inner.clone(), &meter, &control, &clock))),
        ("of a program", Box::new(MeteredSink::of_program(inner.clone(), &meter, &control))),
        ("with origins", Box::new(OriginSink::new(inner.clone(), origins, InputCursor::of(input)))),
    ];
    for (name, layer) in layers {
        assert!(lost_of_sink(&*layer, &inner).is_empty(), "{name}");
    }
}

#[test]
fn what_is_given_back_is_counted_no_more() {
    let sources = Arc::new(Sources::default());
    let mut counted = CountedSource::of(probe(), &sources);
    let block = counted.next_block().unwrap().unwrap();
    assert_eq!(sources.bytes.load(Relaxed), block.len() as u64);
    assert!(counted.give_back(block.bytes().slice(2..)));
    assert_eq!(sources.bytes.load(Relaxed), 2);
}
