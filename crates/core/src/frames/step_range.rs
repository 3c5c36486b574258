//! An arithmetic row of frames.

use super::Frame;

/// The frames `first`, `first + step` … `last`. `last` is always one of them, and the step of a
/// single frame is 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StepRange {
    first: Frame,
    last: Frame,
    step: Frame,
}

impl StepRange {
    /// The frames from `first` up to at most `last`; `None` where there are none or the step is
    /// not above zero.
    #[must_use]
    pub fn new(first: Frame, last: Frame, step: Frame) -> Option<Self> {
        if step < 1 || last < first {
            return None;
        }
        let last = first + (last - first) / step * step;
        let step = if last == first { 1 } else { step };
        Some(Self { first, last, step })
    }

    /// A single frame.
    #[must_use]
    pub fn single(frame: Frame) -> Self {
        Self {
            first: frame,
            last: frame,
            step: 1,
        }
    }

    /// Its first frame.
    #[must_use]
    pub fn first(&self) -> Frame {
        self.first
    }

    /// Its last frame.
    #[must_use]
    pub fn last(&self) -> Frame {
        self.last
    }

    /// The distance between neighbours, in frames.
    #[must_use]
    pub fn step(&self) -> Frame {
        self.step
    }

    /// How many frames it has.
    #[must_use]
    pub fn count(&self) -> u64 {
        ((self.last - self.first) / self.step + 1).unsigned_abs()
    }

    /// Whether a frame is one of its own.
    #[must_use]
    pub fn contains(&self, frame: Frame) -> bool {
        frame >= self.first && frame <= self.last && (frame - self.first) % self.step == 0
    }

    /// How many of its frames are at most `frame`.
    #[must_use]
    pub(super) fn count_up_to(&self, frame: Frame) -> u64 {
        if frame < self.first {
            0
        } else {
            ((frame.min(self.last) - self.first) / self.step + 1).unsigned_abs()
        }
    }

    /// The frames that both have: again one range, or none.
    #[must_use]
    pub fn intersection(&self, other: &Self) -> Option<Self> {
        let (low, high) = (self.first.max(other.first), self.last.min(other.last));
        if high < low {
            return None;
        }
        if self.step == 1 && other.step == 1 {
            return Self::new(low, high, 1);
        }
        // Both rows meet where self.first + i * self.step = other.first + j * other.step.
        let (a, b) = (i128::from(self.step), i128::from(other.step));
        let (divisor, inverse) = extended_gcd(a, b);
        let apart = i128::from(other.first) - i128::from(self.first);
        if apart % divisor != 0 {
            return None;
        }
        let period = a / divisor * b;
        let turns = (apart / divisor * inverse).rem_euclid(b / divisor);
        let meeting = i128::from(self.first) + turns * a;
        let low = i128::from(low);
        let first = meeting + (low - meeting).div_euclid(period) * period;
        let first = if first < low { first + period } else { first };
        if first > i128::from(high) {
            return None;
        }
        Self::new(
            Frame::try_from(first).ok()?,
            high,
            Frame::try_from(period).unwrap_or(Frame::MAX),
        )
    }

    /// What is left without the frames of `hole`, which must be an intersection with this range.
    /// At most `limit` pieces are made; `None` when that is not enough.
    pub(super) fn without(&self, hole: &Self, limit: usize) -> Option<Vec<Self>> {
        let mut left = Vec::new();
        left.extend(Self::new(self.first, hole.first - self.step, self.step));
        let stride = if hole.first == hole.last {
            self.step
        } else {
            hole.step
        };
        let rows = usize::try_from(stride / self.step - 1).ok()?;
        if rows > limit {
            return None;
        }
        for row in 1..=rows {
            let offset = Frame::try_from(row).ok()? * self.step;
            left.extend(Self::new(hole.first + offset, hole.last - 1, stride));
        }
        left.extend(Self::new(hole.last + self.step, self.last, self.step));
        Some(left)
    }

    /// Its frames, in order.
    pub fn iter(&self) -> impl Iterator<Item = Frame> + use<> {
        let step = usize::try_from(self.step).unwrap_or(usize::MAX);
        (self.first..=self.last).step_by(step)
    }
}

/// The greatest common divisor of a and b, and x with a·x ≡ divisor (mod b).
fn extended_gcd(a: i128, b: i128) -> (i128, i128) {
    let (mut old_rest, mut rest) = (a, b);
    let (mut old_x, mut x) = (1, 0);
    while rest != 0 {
        let quotient = old_rest / rest;
        (old_rest, rest) = (rest, old_rest - quotient * rest);
        (old_x, x) = (x, old_x - quotient * x);
    }
    (old_rest, old_x)
}
