//! What ends a run before all is done: the clock.

use std::time::Duration;

use clap::Args;
use jiff::civil::Time;
use jiff::{ToSpan, Zoned};
use truepath_runner::clock::Moment;

/// When a run stops.
#[derive(Debug, Clone, Default, Args)]
pub(super) struct Stopping {
    /// Stop at this time of day, today or tomorrow, such as 07:00
    #[arg(long, value_name = "TIME", value_parser = time_of_day, conflicts_with = "length")]
    until: Option<Time>,
    /// Stop after so long, such as 8h or 90m
    #[arg(long = "for", value_name = "LENGTH", value_parser = length)]
    length: Option<Duration>,
}

fn time_of_day(text: &str) -> Result<Time, String> {
    let time = Time::strptime("%H:%M", text);
    time.map_err(|_| "a time of day is written as 07:00".to_owned())
}

fn length(text: &str) -> Result<Duration, String> {
    truepath_core::job::length_of_time(text)
        .ok_or_else(|| "a length of time is written as 8h, 90m or 30s".to_owned())
}

impl Stopping {
    /// The instant at which to stop.
    pub(super) fn until(&self) -> Option<Moment> {
        let length = match (self.until, self.length) {
            (Some(time), _) => time_to(&Zoned::now(), time)?,
            (None, length) => length?,
        };
        Some(Moment::now() + length)
    }
}

/// How long it is to a time of day.
fn time_to(now: &Zoned, time: Time) -> Option<Duration> {
    let mut then = now.with().time(time).build().ok()?;
    if then <= *now {
        then = then.checked_add(1.day()).ok()?;
    }
    Duration::try_from(now.duration_until(&then)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_time_of_day_is_today_or_tomorrow() {
        let now: Zoned = "2026-03-01T22:30:00+00:00[UTC]".parse().unwrap();
        let hours = |text: &str| time_to(&now, time_of_day(text).unwrap()).unwrap().as_secs() / 60;
        assert_eq!(hours("23:00"), 30);
        assert_eq!(hours("07:00"), 8 * 60 + 30);
        assert_eq!(hours("22:30"), 24 * 60);
        assert!(time_of_day("25:00").is_err());
    }
}
