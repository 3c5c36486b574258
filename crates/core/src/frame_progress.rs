//! How far a frame is that is being rendered, as its engine reports it.

use std::fmt;

use crate::picture::RenderedSamples;

/// How far a frame is; what the engine does not report is none.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct FrameProgress {
    /// From 0 to 100.
    pub percent: Option<f64>,
    /// Samples of each pixel.
    pub samples: Option<RenderedSamples>,
    /// Seconds that are left.
    pub left: Option<f64>,
}

impl FrameProgress {
    /// How much of the frame is done, from 0 to 1; none where nothing shows it.
    #[must_use]
    pub fn share(self) -> Option<f64> {
        let percent = self.percent.map(|percent| percent / 100.0);
        let of_samples = || {
            let samples = self.samples?;
            let wanted = samples.wanted.filter(|wanted| *wanted > 0)?;
            Some(samples.done as f64 / wanted as f64)
        };
        percent
            .or_else(of_samples)
            .map(|share| share.clamp(0.0, 1.0))
    }
}

/// The percentage and the samples, such as `55 %, 140 of 256 samples`.
impl fmt::Display for FrameProgress {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let percent = self.percent.map(|percent| format!("{percent:.0} %"));
        let samples = self.samples.map(|samples| samples.to_string());
        let parts: Vec<String> = [percent, samples].into_iter().flatten().collect();
        out.write_str(&parts.join(", "))
    }
}

/// Seconds of a time as engines write it: `95`, `95.5`, `95s`, `1:35`, `0:01:35.2`; none of anything else.
#[must_use]
pub fn seconds_of(text: &str) -> Option<f64> {
    let text = text.trim();
    let text = text.strip_suffix('s').unwrap_or(text);
    let parts: Vec<&str> = text.split(':').collect();
    if parts.len() > 3
        || parts
            .iter()
            .any(|part| !part.starts_with(|one: char| one.is_ascii_digit()))
    {
        return None;
    }
    parts.iter().try_fold(0.0, |sum, part| {
        let number: f64 = part.parse().ok()?;
        number.is_finite().then_some(sum * 60.0 + number)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_read_as_engines_write_them() {
        for (text, seconds) in [
            ("95", Some(95.0)),
            ("95.5", Some(95.5)),
            ("95s", Some(95.0)),
            ("1:35", Some(95.0)),
            ("00:01:35.2", Some(95.2)),
            ("1:00:00:00", None),
            ("soon", None),
            ("", None),
            ("-3", None),
            ("inf", None),
            ("1:", None),
        ] {
            assert_eq!(seconds_of(text), seconds, "{text}");
        }
    }

    #[test]
    fn samples_show_how_far_a_frame_is_where_there_is_no_percentage() {
        let of = |done, wanted| FrameProgress {
            samples: Some(RenderedSamples { done, wanted }),
            ..FrameProgress::default()
        };
        assert_eq!(of(64, Some(256)).share(), Some(0.25));
        assert_eq!(of(300, Some(256)).share(), Some(1.0));
        assert_eq!(of(64, None).share(), None);
        assert_eq!(of(64, Some(0)).share(), None);
        assert_eq!(of(64, Some(256)).to_string(), "64 of 256 samples");
    }
}
