//! Frames per second.

use std::fmt;
use std::str::FromStr;

/// Frames per second, a rational number above zero.
///
/// The rates of television are written rounded: 23.976 stands for 24000/1001 (SMPTE ST 12-1). A value
/// keeps what was written, and [`Fps::exact`] gives the rate that it stands for.
///
/// ```
/// # use truepath_core::movie::Fps;
/// let fps: Fps = "23.976".parse().unwrap();
/// assert_eq!(fps.to_string(), "23.976");
/// assert_eq!(fps.fraction(), "24000/1001");
/// assert_eq!(fps.seconds(24), 24.0 / 23.976);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Fps {
    numerator: u64,
    denominator: u64,
}

/// Why a text is no number of frames per second.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("it takes a number above zero such as 30 or 23.976")]
pub struct FpsError;

impl Fps {
    /// A rate that is a whole number.
    #[must_use]
    pub fn whole(number: u32) -> Self {
        Self {
            numerator: number.max(1).into(),
            denominator: 1,
        }
    }

    /// As a decimal number, as it was written.
    #[must_use]
    pub fn value(self) -> f64 {
        self.numerator as f64 / self.denominator as f64
    }

    /// The length of some frames, in seconds.
    #[must_use]
    pub fn seconds(self, frames: u64) -> f64 {
        frames as f64 / self.value()
    }

    /// The rate that it stands for: of television's those with 1001 below.
    #[must_use]
    pub fn exact(self) -> Self {
        let near = |whole: &u64| {
            let exact = *whole as f64 * 1000.0 / 1001.0;
            self.denominator != 1 && (exact - self.value()).abs() < 0.005
        };
        match [24, 30, 48, 60, 120].iter().find(|whole| near(whole)) {
            Some(whole) => Self {
                numerator: whole * 1000,
                denominator: 1001,
            },
            None => self,
        }
    }

    /// The exact rate as frames in so many seconds: (24000, 1001), (30, 1), (25, 2).
    #[must_use]
    pub fn ratio(self) -> (u64, u64) {
        let exact = self.exact();
        (exact.numerator, exact.denominator)
    }

    /// The exact rate for encoders: `24000/1001`, `30`, `12.5`.
    #[must_use]
    pub fn fraction(self) -> String {
        let exact = self.exact();
        if exact.denominator == 1001 {
            format!("{}/1001", exact.numerator)
        } else {
            self.to_string()
        }
    }
}

impl fmt::Display for Fps {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}", self.value())
    }
}

impl FromStr for Fps {
    type Err = FpsError;

    /// Reads a decimal number such as `30` or `23.976`; of its decimals nine count.
    fn from_str(text: &str) -> Result<Self, FpsError> {
        const MOST_DECIMALS: usize = 9;
        let (whole, decimals) = text.split_once('.').unwrap_or((text, ""));
        let decimals = decimals.get(..MOST_DECIMALS).unwrap_or(decimals);
        let digits = format!("{whole}{decimals}");
        if digits.is_empty() || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
            return Err(FpsError);
        }
        let numerator: u64 = digits.parse().map_err(|_| FpsError)?;
        let places = u32::try_from(decimals.len()).map_err(|_| FpsError)?;
        let denominator = 10_u64.pow(places);
        let common = num_integer::gcd(numerator, denominator);
        match numerator {
            0 => Err(FpsError),
            _ => Ok(Self {
                numerator: numerator / common,
                denominator: denominator / common,
            }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_rate_is_written_as_it_was_read(whole in 1_u32..100_000, decimals in 0_u32..1000) {
            let text = f64::from(whole) + f64::from(decimals) / 1000.0;
            let fps: Fps = text.to_string().parse().unwrap();
            prop_assert_eq!(fps.to_string(), text.to_string());
        }
    }

    #[test]
    fn the_rates_of_television_are_exact() {
        for (written, exact) in [
            ("23.976", "24000/1001"),
            ("23.98", "24000/1001"),
            ("29.97", "30000/1001"),
            ("59.94", "60000/1001"),
            ("24", "24"),
            ("30.0", "30"),
            ("12.5", "12.5"),
        ] {
            let fps: Fps = written.parse().unwrap();
            assert_eq!(fps.fraction(), exact, "{written}");
        }
        for wrong in ["", "0", "0.0", "-24", "24/1", "1e3", ".", "many", "24,5"] {
            assert_eq!(wrong.parse::<Fps>(), Err(FpsError), "{wrong}");
        }
    }
}
