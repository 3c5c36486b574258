//! The threads that core works with.

use std::io;
use std::thread;

use rayon::prelude::*;
use rayon::{ThreadPool, ThreadPoolBuilder};
use truepath_core::executor::Executor;

/// Threads for files that are copied and made sure to stay: each waits for the disk most of the time.
pub(crate) fn disk_threads() -> io::Result<ThreadPool> {
    const OF_A_CORE: usize = 4;
    let cores = thread::available_parallelism().map_or(1, usize::from);
    let threads = ThreadPoolBuilder::new().num_threads(cores * OF_A_CORE);
    threads.build().map_err(io::Error::other)
}

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
