//! Help of other processors.

/// Processors a stage may ask for.
pub trait Processors: Send + Sync {
    /// How many can usefully work at once; at least 1.
    fn count(&self) -> usize;
    /// Runs all jobs, some at the same time, and returns when the last has ended.
    fn run(&self, jobs: Vec<Box<dyn FnOnce() + Send + '_>>);
}
