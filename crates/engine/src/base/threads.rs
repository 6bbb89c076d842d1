//! The one way to start a thread: it has a name, and a machine that has no more of them is an error
//! that whoever wants one answers for. `std::thread::spawn` and `Scope::spawn`, which panic then, are
//! forbidden elsewhere.

use std::io;
use std::thread::{Builder, JoinHandle, Scope, ScopedJoinHandle};

use stream::{Excess, RunControl};

/// Starts a thread that continues by itself.
///
/// # Errors
/// Where the machine has no more threads, or no memory for one; `work` is dropped then.
#[allow(clippy::disallowed_methods)] // here alone
pub fn start_thread<T: Send + 'static>(
    name: &str,
    work: impl FnOnce() -> T + Send + 'static,
) -> io::Result<JoinHandle<T>> {
    let faults = faults::Inherited::take()?;
    Builder::new().name(name.to_owned()).spawn(move || {
        faults.pass_on();
        work()
    })
}

/// As [`start_thread`], for one that ends before `scope` does.
///
/// # Errors
/// As there.
#[allow(clippy::disallowed_methods)] // here alone
pub(crate) fn start_within<'s, 'e, T: Send + 's>(
    scope: &'s Scope<'s, 'e>,
    name: &str,
    work: impl FnOnce() -> T + Send + 's,
) -> io::Result<ScopedJoinHandle<'s, T>> {
    let faults = faults::Inherited::take()?;
    Builder::new().name(name.to_owned()).spawn_scoped(scope, move || {
        faults.pass_on();
        work()
    })
}

/// Work that a run cannot do without.
struct Part<F> {
    // Dropped before the work, and with it the ends of pipes that it holds: whoever is at the other end
    // must not take that for the end of the data.
    refused: Refused,
    work: F,
}

/// Ends a run when it is dropped.
struct Refused(Option<RunControl>);

impl Drop for Refused {
    fn drop(&mut self) {
        if let Some(control) = &self.0 {
            control.exceed(Excess::NoThread);
        }
    }
}

impl<T, F: FnOnce() -> T> Part<F> {
    fn of(control: &RunControl, work: F) -> Self {
        Self { refused: Refused(Some(control.clone())), work }
    }

    fn run(mut self) -> T {
        self.refused.0 = None;
        (self.work)()
    }
}

/// As [`start_thread`], for a part of a run: where it cannot be started that run is ended with
/// [`Excess::NoThread`], before `work` is dropped.
///
/// # Errors
/// As there.
pub(crate) fn start_part<T: Send + 'static>(
    name: &str,
    control: &RunControl,
    work: impl FnOnce() -> T + Send + 'static,
) -> io::Result<JoinHandle<T>> {
    let part = Part::of(control, work);
    start_thread(name, move || part.run())
}

/// As [`start_part`], for one that ends before `scope` does.
///
/// # Errors
/// As there.
pub(crate) fn start_part_within<'s, 'e, T: Send + 's>(
    scope: &'s Scope<'s, 'e>,
    name: &str,
    control: &RunControl,
    work: impl FnOnce() -> T + Send + 's,
) -> io::Result<ScopedJoinHandle<'s, T>> {
    let part = Part::of(control, work);
    start_within(scope, name, move || part.run())
}

/// Nothing fails but what the machine refuses.
#[cfg(not(test))]
mod faults {
    pub(super) struct Inherited;

    impl Inherited {
        #[allow(clippy::unnecessary_wraps, reason = "as in the tests")]
        pub(super) fn take() -> std::io::Result<Self> {
            Ok(Self)
        }

        #[allow(clippy::unused_self, reason = "as in the tests")]
        pub(super) fn pass_on(&self) {}
    }
}

/// Threads that are refused in a test: all that a thread and those that it starts ask for, after a
/// number of them.
#[cfg(test)]
pub(crate) mod faults {
    use std::cell::RefCell;
    use std::io;
    use std::sync::Arc;
    use std::sync::atomic::{AtomicI64, Ordering::SeqCst};

    thread_local! {
        static LEFT: RefCell<Option<Arc<AtomicI64>>> = const { RefCell::new(None) };
    }

    pub(super) struct Inherited(Option<Arc<AtomicI64>>);

    impl Inherited {
        pub(super) fn take() -> io::Result<Self> {
            let left = LEFT.with_borrow(Clone::clone);
            match &left {
                Some(left) if left.fetch_sub(1, SeqCst) <= 0 => {
                    Err(io::Error::from_raw_os_error(rustix::io::Errno::AGAIN.raw_os_error()))
                }
                _ => Ok(Self(left)),
            }
        }

        pub(super) fn pass_on(&self) {
            LEFT.set(self.0.clone());
        }
    }

    /// Does something where only `allowed` threads are to be had, one after the other is counted; tells
    /// how many were asked for.
    pub(crate) fn with_threads<T>(allowed: i64, work: impl FnOnce() -> T) -> (T, i64) {
        let left = Arc::new(AtomicI64::new(allowed));
        let before = LEFT.replace(Some(left.clone()));
        let result = work();
        LEFT.set(before);
        (result, allowed - left.load(SeqCst))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_refused_is_an_error_for_all_that_belong_together() {
        let (ended, asked) = faults::with_threads(1, || {
            let inner = || start_thread("inner", || ()).is_err();
            let outer = start_thread("outer", inner).unwrap();
            let refused = outer.join().unwrap();
            let scoped = std::thread::scope(|scope| start_within(scope, "scoped", || ()).is_err());
            (refused, scoped)
        });
        assert_eq!((ended, asked), ((true, true), 3));
        assert!(start_thread("again", || 7).unwrap().join().unwrap() == 7);
    }

    /// Every thread that a run asks for is refused in turn: it ends with an error, soon, and nothing takes
    /// its place that is not whole.
    #[test]
    fn a_run_without_one_of_its_threads_ends_with_an_error_and_changes_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let at = folder.path().display();
        let old = |name: &str| std::fs::read_to_string(folder.path().join(name)).ok();
        std::fs::write(folder.path().join("data"), "b\na\n".repeat(100_000)).unwrap();
        for line in [
            format!("sort {at}/data | uniq -c > {at}/out"),
            format!("cat {at}/data | /bin/cat | tr a b > {at}/out"),
            format!("x=$(/bin/cat {at}/data | head -n 1); echo $x > {at}/out"),
            format!("comm <(sort {at}/data) {at}/data > {at}/out"),
            format!("/bin/cat <(head -n 5 {at}/data) > {at}/out"),
            format!("awk '{{ print | \"sort -u\" }}' {at}/data > {at}/out"),
            format!("{{ seq 3; seq 100000 | tac; }} | tee {at}/copy > {at}/out"),
        ] {
            let run = |threads: i64| {
                std::fs::write(folder.path().join("out"), "old\n").unwrap();
                let control = stream::RunControl::default();
                let mut variables = crate::Variables::default();
                let run = || crate::run_script(&line, &mut variables, &control, None);
                let (ended, asked) = faults::with_threads(threads, run);
                (ended, asked, old("out"))
            };
            let (ended, asked, whole) = run(i64::MAX / 2);
            assert!(ended.is_ok() && asked > 0 && whole.as_deref() != Some("old\n"), "{line}");
            for threads in 0..asked {
                let (ended, _, left) = run(threads);
                // A thread that only helps may be missing; then all is as it would be.
                let fine = matches!(ended, Ok(0)) && left == whole;
                let refused = !matches!(ended, Ok(0)) && left.as_deref() == Some("old\n");
                assert!(fine || refused, "{line}: without thread {threads}: {ended:?} {left:?}");
            }
        }
    }

    #[test]
    fn a_panic_inside_of_a_run_is_the_error_of_that_run() {
        let control = stream::RunControl::default();
        let panics =
            || crate::base::limits::with_memory_of_machine(&control, || panic!("as asked"));
        let caught = std::panic::catch_unwind(std::panic::AssertUnwindSafe(panics));
        assert!(caught.is_err(), "and whoever watched has ended");
    }
}
