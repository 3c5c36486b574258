//! The clock that a run goes by: how long things take, when to look again, what time it is. Signs of
//! life between machines go by their own.
//!
//! Debug builds let `TRUEPATH_HASTE` make it go so many times as fast, so that a night of slow frames
//! passes in seconds, and `TRUEPATH_CLOCK_AHEAD` set the time of day ahead, in seconds: nothing may
//! hang on that one.

use std::ops::Add;
use std::sync::OnceLock;
use std::time::{Duration, Instant};

use jiff::{SignedDuration, Timestamp, Zoned};

/// A hasty clock waits at least so long, so that nothing spins.
const SHORTEST: Duration = Duration::from_millis(1);

/// A moment of a run, since the program began.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment(Duration);

impl Moment {
    /// This moment.
    #[must_use]
    pub fn now() -> Self {
        Self(since_the_beginning() * haste())
    }

    /// The time from then to now.
    #[must_use]
    pub fn elapsed(self) -> Duration {
        Self::now().since(self)
    }

    /// The time from an earlier moment to this one; none from a later one.
    #[must_use]
    pub fn since(self, earlier: Self) -> Duration {
        self.0.saturating_sub(earlier.0)
    }
}

impl Add<Duration> for Moment {
    type Output = Self;

    fn add(self, time: Duration) -> Self {
        Self(self.0.saturating_add(time))
    }
}

/// How long to wait where so much time is to pass.
pub(crate) fn pause(time: Duration) -> Duration {
    match haste() {
        1 => time,
        haste => (time / haste).max(SHORTEST),
    }
}

/// The time in nanoseconds since 1970, by the clock that files are dated by.
pub(crate) fn nanoseconds_now() -> i64 {
    i64::try_from(Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX)
}

/// The time, as RFC 3339.
pub(crate) fn timestamp() -> String {
    let now = Timestamp::now();
    now.checked_add(ahead()).unwrap_or(now).to_string()
}

/// The time of day where this machine stands.
pub(crate) fn time_of_day() -> Zoned {
    let now = Zoned::now();
    now.checked_add(ahead()).unwrap_or(now)
}

fn since_the_beginning() -> Duration {
    static BEGUN: OnceLock<Instant> = OnceLock::new();
    BEGUN.get_or_init(Instant::now).elapsed()
}

/// How far the clock is ahead of that of the machine.
fn ahead() -> SignedDuration {
    let hasty = since_the_beginning() * (haste() - 1);
    let hasty = SignedDuration::try_from(hasty).unwrap_or(SignedDuration::ZERO);
    hasty.saturating_add(SignedDuration::from_secs(
        set("TRUEPATH_CLOCK_AHEAD").unwrap_or(0),
    ))
}

fn haste() -> u32 {
    static HASTE: OnceLock<u32> = OnceLock::new();
    *HASTE.get_or_init(|| set("TRUEPATH_HASTE").unwrap_or(1).max(1))
}

/// What a debug build reads from its environment.
fn set<T: std::str::FromStr>(name: &str) -> Option<T> {
    let value = cfg!(debug_assertions).then(|| std::env::var(name).ok())??;
    value.parse().ok()
}
