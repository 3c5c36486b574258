//! Locks that a panic elsewhere does not take away: what is behind them is whole between any two changes.

use std::sync::{Mutex, MutexGuard, PoisonError};

/// Locks, whatever became of those that held it before.
pub(crate) fn lock<T: ?Sized>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
