//! Lowest and highest value, sums and squares of a channel.

use half::f16;

use super::{RowPart, SampleKind};

/// What is known of the values of a channel.
#[derive(Debug, Clone, Copy)]
pub(super) struct ChannelSums {
    lowest: f32,
    highest: f32,
    count: f64,
    sum: f64,
    squares: f64,
    /// Differences of neighbours, and how many.
    differences: f64,
    neighbours: f64,
}

impl Default for ChannelSums {
    fn default() -> Self {
        Self {
            lowest: f32::INFINITY,
            highest: f32::NEG_INFINITY,
            count: 0.0,
            sum: 0.0,
            squares: 0.0,
            differences: 0.0,
            neighbours: 0.0,
        }
    }
}

impl ChannelSums {
    pub(super) fn add(&mut self, other: &Self) {
        self.lowest = self.lowest.min(other.lowest);
        self.highest = self.highest.max(other.highest);
        self.count += other.count;
        self.sum += other.sum;
        self.squares += other.squares;
        self.differences += other.differences;
        self.neighbours += other.neighbours;
    }

    fn take_range(&mut self, lowest: f32, highest: f32) {
        self.lowest = self.lowest.min(lowest);
        self.highest = self.highest.max(highest);
    }

    /// Adds the values of a row.
    fn sum(&mut self, values: impl Iterator<Item = f32>) {
        let mut before: Option<f32> = None;
        for value in values {
            if !value.is_finite() {
                before = None;
                continue;
            }
            let exact = f64::from(value);
            self.count += 1.0;
            self.sum += exact;
            self.squares += exact * exact;
            if let Some(before) = before.replace(value) {
                self.differences += f64::from((value - before).abs());
                self.neighbours += 1.0;
            }
        }
    }

    /// The lowest and the highest value; 0 where no value is a number.
    pub(super) fn range(&self) -> (f32, f32) {
        if self.lowest <= self.highest {
            (self.lowest, self.highest)
        } else {
            (0.0, 0.0)
        }
    }

    pub(super) fn mean(&self) -> f32 {
        (self.sum / self.count.max(1.0)) as f32
    }

    pub(super) fn deviation(&self) -> f32 {
        let count = self.count.max(1.0);
        let mean = self.sum / count;
        (self.squares / count - mean * mean).max(0.0).sqrt() as f32
    }

    pub(super) fn noise(&self) -> f32 {
        (self.differences / self.neighbours.max(1.0)) as f32
    }
}

/// Takes the lowest and the highest value of each channel; `is_sound` where no sample is infinite or no number.
pub(super) fn take_extremes(channels: &mut [ChannelSums], part: &RowPart<'_>, is_sound: bool) {
    let whole = |most: f32| move |one: u16| f32::from(one) / most;
    match part.kind {
        SampleKind::Eight => of_row(channels, part, |[one]| one, |one| f32::from(one) / 255.0),
        SampleKind::SixteenBig => of_row(channels, part, u16::from_be_bytes, whole(65535.0)),
        SampleKind::SixteenLittle => of_row(channels, part, u16::from_le_bytes, whole(65535.0)),
        SampleKind::Whole => of_row(channels, part, u32::from_le_bytes, |one| one as f32),
        SampleKind::Half if is_sound => {
            let read = |bytes| half_order(i16::from_le_bytes(bytes));
            let value = |one| f16::from_bits(half_order(one) as u16).to_f32();
            of_row(channels, part, read, value);
        }
        SampleKind::Float if is_sound => {
            let read = |bytes| float_order(i32::from_le_bytes(bytes));
            let value = |one| f32::from_bits(float_order(one) as u32);
            of_row(channels, part, read, value);
        }
        SampleKind::Half | SampleKind::Float => of_floats(channels, part),
    }
}

/// Whole numbers in the order of the floating point numbers with these bits (IEEE 754, section 5.10), and back.
fn half_order(bits: i16) -> i16 {
    bits ^ (((bits >> 15) as u16) >> 1) as i16
}

/// The same for 32 bits.
fn float_order(bits: i32) -> i32 {
    bits ^ (((bits >> 31) as u32) >> 1) as i32
}

/// So many samples of each channel are compared side by side: it is done at once for all of them.
const LANES: usize = 16;

/// Whole numbers, of one channel or of several side by side.
fn of_row<const BYTES: usize, T: Copy + Ord>(
    channels: &mut [ChannelSums],
    part: &RowPart<'_>,
    read: impl Fn([u8; BYTES]) -> T + Copy,
    value: impl Fn(T) -> f32 + Copy,
) {
    let (samples, _) = part.bytes.as_chunks::<BYTES>();
    match channels.len() {
        1 => of_lanes::<BYTES, LANES, T>(channels, samples, read, value),
        2 => of_lanes::<BYTES, { 2 * LANES }, T>(channels, samples, read, value),
        3 => of_lanes::<BYTES, { 3 * LANES }, T>(channels, samples, read, value),
        _ => of_lanes::<BYTES, { 4 * LANES }, T>(channels, samples, read, value),
    }
}

fn of_lanes<const BYTES: usize, const WIDTH: usize, T: Copy + Ord>(
    channels: &mut [ChannelSums],
    samples: &[[u8; BYTES]],
    read: impl Fn([u8; BYTES]) -> T + Copy,
    value: impl Fn(T) -> f32 + Copy,
) {
    let count = channels.len();
    let (blocks, rest) = samples.as_chunks::<WIDTH>();
    if let Some(first) = blocks.first() {
        let mut lowest = first.map(read);
        let mut highest = lowest;
        for block in blocks {
            for at in 0..WIDTH {
                let sample = read(block[at]);
                lowest[at] = lowest[at].min(sample);
                highest[at] = highest[at].max(sample);
            }
        }
        for at in 0..WIDTH {
            channels[at % count].take_range(value(lowest[at]), value(highest[at]));
        }
    }
    for (at, sample) in rest.iter().enumerate() {
        let sample = value(read(*sample));
        channels[at % count].take_range(sample, sample);
    }
}

/// Floating point: what is not a number or infinite has no place in a range.
fn of_floats(channels: &mut [ChannelSums], part: &RowPart<'_>) {
    let count = channels.len();
    let samples = part.bytes.chunks_exact(part.kind.bytes());
    for (at, sample) in samples.enumerate() {
        let value = part.kind.value(sample);
        if value.is_finite() {
            channels[at % count].take_range(value, value);
        }
    }
}

/// Adds up the values of each channel, their squares, and how they differ from those beside them.
pub(super) fn take_sums(channels: &mut [ChannelSums], part: &RowPart<'_>) {
    let bytes = part.kind.bytes();
    for (at, channel) in channels.iter_mut().enumerate() {
        let pixels = part.bytes.chunks_exact(part.pixel());
        let samples = pixels.map(|pixel| &pixel[at * bytes..(at + 1) * bytes]);
        // The kind is decided once for all samples.
        match part.kind {
            SampleKind::Eight => channel.sum(samples.map(|one| SampleKind::Eight.value(one))),
            SampleKind::Half => channel.sum(samples.map(|one| SampleKind::Half.value(one))),
            SampleKind::Float => channel.sum(samples.map(|one| SampleKind::Float.value(one))),
            kind => channel.sum(samples.map(|one| kind.value(one))),
        }
    }
}
