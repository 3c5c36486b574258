//! What a picture is, beside what it shows: size, channels and bits.

use std::borrow::Cow;
use std::fmt;

use super::Size;

/// What a picture is, beside what it shows. The frames of a sequence are alike in it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct PictureKind {
    /// Width and height of what is displayed, in pixels.
    pub size: Size,
    /// Its channels, in the words of a job where it has them.
    pub channels: Cow<'static, str>,
    /// The bits of a channel, in the words of a job where it has them.
    pub bits: Cow<'static, str>,
}

impl PictureKind {
    /// What differs from another one, each as `its size is 8x8, not 4x4`.
    #[must_use]
    pub fn differences(&self, usual: &Self) -> Vec<String> {
        let mut differences = Vec::new();
        let mut compare = |what: &str, own: String, usual: String| {
            if own != usual {
                differences.push(format!("{what} {own}, not {usual}"));
            }
        };
        compare("size", self.size.to_string(), usual.size.to_string());
        compare(
            "channels",
            self.channels.to_string(),
            usual.channels.to_string(),
        );
        compare("bits", self.bits.to_string(), usual.bits.to_string());
        differences
    }
}

impl fmt::Display for PictureKind {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self {
            size,
            channels,
            bits,
        } = self;
        write!(out, "{size}, {channels}, {bits} bits")
    }
}

/// The kind that most of some pictures are of; none of no pictures. Of two that are as frequent, the one that comes first.
pub fn usual_kind<'k>(kinds: impl Iterator<Item = &'k PictureKind>) -> Option<PictureKind> {
    let mut counts: Vec<(&PictureKind, u64)> = Vec::new();
    for kind in kinds {
        match counts.iter_mut().find(|(known, _)| *known == kind) {
            Some((_, count)) => *count += 1,
            None => counts.push((kind, 1)),
        }
    }
    let most = counts.iter().map(|(_, count)| *count).max()?;
    let mut usual = counts.iter().filter(|(_, count)| *count == most);
    usual.next().map(|(kind, _)| (*kind).clone())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn most_pictures_are_usual_and_differences_are_named() {
        let kind = |side: u32, bits: &'static str| PictureKind {
            size: Size::square(side),
            channels: "rgb".into(),
            bits: bits.into(),
        };
        let kinds = [kind(8, "16"), kind(4, "8"), kind(4, "8")];
        let usual = usual_kind(kinds.iter()).unwrap();
        assert_eq!(usual, kinds[1]);
        assert_eq!(
            kinds[0].differences(&usual),
            ["size 8x8, not 4x4", "bits 16, not 8"]
        );
        assert_eq!(usual_kind(std::iter::empty()), None);
    }
}
