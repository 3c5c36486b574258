//! How fast it goes and how long it takes, in round words.

use std::time::Duration;

/// `3.1 per second`, `12.0 per minute`, `2.5 per hour`
pub(crate) fn pace(rate: f64) -> String {
    match rate {
        rate if rate >= 0.5 => format!("{rate:.1} per second"),
        rate if rate >= 0.5 / 60.0 => format!("{:.1} per minute", rate * 60.0),
        rate => format!("{:.1} per hour", rate * 3600.0),
    }
}

/// `40 s`, `3 min`, `2 h 05 min`
pub(crate) fn rough(seconds: f64) -> String {
    let whole = Duration::from_secs_f64(seconds.clamp(0.0, 1e9)).as_secs();
    match whole {
        0..=99 => format!("{whole} s"),
        100..=5999 => format!("{} min", whole.div_ceil(60)),
        _ => format!("{} h {:02} min", whole / 3600, whole % 3600 / 60),
    }
}

#[cfg(test)]
mod tests {
    use super::rough;

    #[test]
    fn times_are_reported_roughly() {
        for (seconds, text) in [
            (0.4, "0 s"),
            (75.0, "75 s"),
            (150.0, "3 min"),
            (7500.0, "2 h 05 min"),
        ] {
            assert_eq!(rough(seconds), text);
        }
    }
}
