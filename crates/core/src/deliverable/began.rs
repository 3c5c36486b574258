//! When a run began.

use std::fmt;
use std::sync::{Arc, LazyLock};

use jiff::civil::DateTime;

/// When a run began, in the local time of the machine that began it. It is found out when something
/// asks for the first time, and is the same from then on: to know the local time, a program reads the
/// system's whole list of time zones.
#[derive(Clone)]
pub struct Began(Arc<LazyLock<DateTime, Ask>>);

type Ask = Box<dyn FnOnce() -> DateTime + Send>;

impl Began {
    /// An instant that is found out like this.
    #[must_use]
    pub fn found_out(ask: impl FnOnce() -> DateTime + Send + 'static) -> Self {
        Self(Arc::new(LazyLock::new(Box::new(ask))))
    }

    /// The instant.
    #[must_use]
    pub fn instant(&self) -> DateTime {
        **self.0
    }
}

impl From<DateTime> for Began {
    fn from(instant: DateTime) -> Self {
        Self::found_out(move || instant)
    }
}

impl fmt::Debug for Began {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{:?}", self.instant())
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicU32, Ordering};

    use super::*;

    #[test]
    fn it_is_found_out_once_and_only_when_asked() {
        static ASKED: AtomicU32 = AtomicU32::new(0);
        let began = Began::found_out(|| {
            ASKED.fetch_add(1, Ordering::Relaxed);
            "2026-03-21T09:30:00".parse().unwrap()
        });
        let other = began.clone();
        assert_eq!(ASKED.load(Ordering::Relaxed), 0);
        assert_eq!(began.instant(), other.instant());
        assert_eq!(ASKED.load(Ordering::Relaxed), 1);
    }
}
