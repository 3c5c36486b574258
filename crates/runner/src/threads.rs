//! The threads that core works with.

use rayon::prelude::*;
use truepath_core::executor::Executor;

/// Works with all cores, where there is more than one piece of work.
#[derive(Debug)]
pub(crate) struct AllCores;

impl Executor for AllCores {
    fn execute(&self, count: usize, work: &(dyn Fn(usize) + Sync)) {
        if count > 1 {
            (0..count).into_par_iter().with_max_len(1).for_each(work);
        } else {
            (0..count).for_each(work);
        }
    }
}
