//! Processors in name: jobs run one after the other.

use crate::Processors;

/// One processor: runs the jobs one after the other.
pub struct OneProcessor;

impl Processors for OneProcessor {
    fn count(&self) -> usize {
        1
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        for job in jobs {
            job();
        }
    }
}

/// Several processors in name: the jobs run one after the other, in reverse.
pub struct Processed(pub usize);

impl Processors for Processed {
    fn count(&self) -> usize {
        self.0
    }

    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>) {
        for job in jobs.into_iter().rev() {
            job();
        }
    }
}
