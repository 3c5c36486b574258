//! Independent pieces of work, on the threads that a caller brings along.

use std::fmt;
use std::sync::{Mutex, PoisonError};

/// Does independent pieces of work, on as many threads as it sees fit. Core starts none of its own.
pub trait Executor: fmt::Debug + Sync {
    /// Calls `work` once with each number below `count`, in any order, and returns when all is done.
    fn execute(&self, count: usize, work: &(dyn Fn(usize) + Sync));
}

/// Does one piece after another, on the thread of the caller.
#[derive(Debug)]
pub struct OneThread;

impl Executor for OneThread {
    fn execute(&self, count: usize, work: &(dyn Fn(usize) + Sync)) {
        (0..count).for_each(work);
    }
}

/// The results of some pieces of work, in the order of their numbers.
pub fn map<T: Send>(
    executor: &dyn Executor,
    count: usize,
    work: impl Fn(usize) -> T + Sync,
) -> Vec<T> {
    let results: Vec<Mutex<Option<T>>> = (0..count).map(|_| Mutex::new(None)).collect();
    executor.execute(count, &|index| {
        let result = work(index);
        *results[index]
            .lock()
            .unwrap_or_else(PoisonError::into_inner) = Some(result);
    });
    results
        .into_iter()
        .enumerate()
        .map(|(index, result)| {
            let result = result.into_inner().unwrap_or_else(PoisonError::into_inner);
            result.unwrap_or_else(|| work(index))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_are_in_order_whatever_the_order_of_work() {
        #[derive(Debug)]
        struct Backwards;
        impl Executor for Backwards {
            fn execute(&self, count: usize, work: &(dyn Fn(usize) + Sync)) {
                (0..count).rev().for_each(work);
            }
        }
        for executor in [&OneThread as &dyn Executor, &Backwards] {
            assert_eq!(map(executor, 4, |index| index * 2), [0, 2, 4, 6]);
        }
    }
}
