//! News that is told once until somebody has looked, however often it comes.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether something was told and not looked at yet.
#[derive(Clone, Default)]
pub(crate) struct Told(Arc<AtomicBool>);

impl Told {
    /// True where it has to be told: nobody was told since it was looked at last.
    pub(crate) fn tell(&self) -> bool {
        !self.0.swap(true, Ordering::AcqRel)
    }

    /// It is looked at now: what comes from here on is news again.
    pub(crate) fn look(&self) {
        self.0.store(false, Ordering::Release);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_told_once_until_somebody_looks() {
        let told = Told::default();
        let other = told.clone();
        assert!(told.tell() && !other.tell() && !told.tell());
        other.look();
        assert!(told.tell());
    }
}
