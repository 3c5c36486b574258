//! Lowest and highest value, sums and squares of a channel.

use half::f16;

use super::sample::of_eight_bits;
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
    fn sum(&mut self, values: &[f32]) {
        // What is infinite or not a number parts the row: it has no neighbours.
        if values
            .iter()
            .fold(true, |all, value| all & value.is_finite())
        {
            self.sum_finite(values);
        } else {
            let parts = values.split(|value| !value.is_finite());
            parts.for_each(|part| self.sum_finite(part));
        }
    }

    /// Adds values side by side. Several are added up at the same time, as processors do at once.
    fn sum_finite(&mut self, values: &[f32]) {
        const LANES: usize = 8;
        let (mut sums, mut squares, mut differences) = ([0.0; LANES], [0.0; LANES], [0.0; LANES]);
        let after = values.get(1..).unwrap_or_default();
        let (blocks, _) = after.as_chunks::<LANES>();
        let (ones, rest) = values.split_at(blocks.len() * LANES);
        for (one, after) in ones.as_chunks::<LANES>().0.iter().zip(blocks) {
            for at in 0..LANES {
                let exact = f64::from(one[at]);
                sums[at] += exact;
                squares[at] += exact * exact;
                differences[at] += f64::from((after[at] - one[at]).abs());
            }
        }
        for (at, one) in rest.iter().enumerate() {
            let exact = f64::from(*one);
            sums[at % LANES] += exact;
            squares[at % LANES] += exact * exact;
            let next = rest.get(at + 1);
            differences[at % LANES] += next.map_or(0.0, |next| f64::from((next - one).abs()));
        }
        self.count += values.len() as f64;
        self.neighbours += after.len() as f64;
        self.sum += sums.iter().sum::<f64>();
        self.squares += squares.iter().sum::<f64>();
        self.differences += differences.iter().sum::<f64>();
    }

    /// The lowest and the highest value; 0 where no value is a number.
    pub(super) fn range(&self) -> (f32, f32) {
        if self.lowest <= self.highest {
            // Never -0, which is no other value.
            (self.lowest + 0.0, self.highest + 0.0)
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

/// Takes the lowest and the highest value of each channel; gives how many samples are not a number, and how many are
/// infinite, which have no place in a range.
pub(super) fn take_extremes(channels: &mut [ChannelSums], part: &RowPart<'_>) -> (u64, u64) {
    let whole = |most: f32| move |one: u16| f32::from(one) / most;
    let is_finite = match part.kind {
        SampleKind::Eight => of_row(channels, part, |[one]| one, |one| f32::from(one) / 255.0),
        SampleKind::SixteenBig => of_row(channels, part, u16::from_be_bytes, whole(65535.0)),
        SampleKind::SixteenLittle => of_row(channels, part, u16::from_le_bytes, whole(65535.0)),
        SampleKind::Whole => of_row(channels, part, u32::from_le_bytes, |one| one as f32),
        SampleKind::Half => {
            let read = |bytes| half_order(i16::from_le_bytes(bytes));
            let value = |one| f16::from_bits(half_order(one) as u16).to_f32();
            of_row(channels, part, read, value)
        }
        SampleKind::Float => of_float_row(channels, part),
    };
    if is_finite {
        return (0, 0);
    }
    let count = channels.len();
    let samples = part.bytes.chunks_exact(part.kind.bytes());
    for (at, sample) in samples.enumerate() {
        let value = part.kind.value(sample);
        if value.is_finite() {
            channels[at % count].take_range(value, value);
        }
    }
    part.kind.count_broken(part.bytes)
}

/// Whole numbers in the order of the floating point numbers with these bits (IEEE 754, section 5.10), and back. What is
/// infinite or not a number lies at either end of that order.
fn half_order(bits: i16) -> i16 {
    bits ^ (((bits >> 15) as u16) >> 1) as i16
}

/// So many samples of each channel are compared side by side: it is done at once for all of them.
const LANES: usize = 16;

/// Samples that whole numbers stand for, of one channel or of several side by side; takes their extremes and gives
/// true, or takes nothing where one is infinite or not a number.
fn of_row<const BYTES: usize, T: Copy + Ord>(
    channels: &mut [ChannelSums],
    part: &RowPart<'_>,
    read: impl Fn([u8; BYTES]) -> T + Copy,
    value: impl Fn(T) -> f32 + Copy,
) -> bool {
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
) -> bool {
    let (blocks, rest) = samples.as_chunks::<WIDTH>();
    let lanes = blocks.first().map(|first| {
        let mut lowest = first.map(read);
        let mut highest = lowest;
        for block in blocks {
            for at in 0..WIDTH {
                let sample = read(block[at]);
                lowest[at] = lowest[at].min(sample);
                highest[at] = highest[at].max(sample);
            }
        }
        (lowest.map(value), highest.map(value))
    });
    take_lanes(
        channels,
        lanes,
        rest.iter().map(|sample| value(read(*sample))),
    )
}

/// The same of floating point numbers of 32 bits.
fn of_float_row(channels: &mut [ChannelSums], part: &RowPart<'_>) -> bool {
    let (samples, _) = part.bytes.as_chunks::<4>();
    match channels.len() {
        1 => of_float_lanes::<LANES>(channels, samples),
        2 => of_float_lanes::<{ 2 * LANES }>(channels, samples),
        3 => of_float_lanes::<{ 3 * LANES }>(channels, samples),
        _ => of_float_lanes::<{ 4 * LANES }>(channels, samples),
    }
}

fn of_float_lanes<const WIDTH: usize>(channels: &mut [ChannelSums], samples: &[[u8; 4]]) -> bool {
    let (blocks, rest) = samples.as_chunks::<WIDTH>();
    let mut broken = [0; WIDTH];
    let lanes = blocks.first().map(|first| {
        let mut lowest = first.map(f32::from_le_bytes);
        let mut highest = lowest;
        for block in blocks {
            for at in 0..WIDTH {
                let sample = f32::from_le_bytes(block[at]);
                // Comparisons that processors do at once; none is true of what is not a number.
                lowest[at] = if sample < lowest[at] {
                    sample
                } else {
                    lowest[at]
                };
                highest[at] = if sample > highest[at] {
                    sample
                } else {
                    highest[at]
                };
                #[expect(clippy::eq_op, reason = "0, unless it is infinite or not a number")]
                let difference = sample - sample;
                broken[at] |= difference.to_bits();
            }
        }
        (lowest, highest)
    });
    let rest = rest.iter().map(|sample| f32::from_le_bytes(*sample));
    broken == [0; WIDTH] && take_lanes(channels, lanes, rest)
}

/// Takes extremes that were found side by side, and samples that remain; nothing where one is not finite.
fn take_lanes<const WIDTH: usize>(
    channels: &mut [ChannelSums],
    lanes: Option<([f32; WIDTH], [f32; WIDTH])>,
    rest: impl Iterator<Item = f32> + Clone,
) -> bool {
    let ends = lanes
        .iter()
        .flat_map(|(lowest, highest)| lowest.iter().chain(highest));
    if !ends.copied().chain(rest.clone()).all(f32::is_finite) {
        return false;
    }
    let count = channels.len();
    if let Some((lowest, highest)) = &lanes {
        for at in 0..WIDTH {
            channels[at % count].take_range(lowest[at], highest[at]);
        }
    }
    for (at, sample) in rest.enumerate() {
        channels[at % count].take_range(sample, sample);
    }
    true
}

/// Adds up the values of each channel, their squares, and how they differ from those beside them; hands on the values
/// of each, with its place among the channels.
pub(super) fn take_sums(
    channels: &mut [ChannelSums],
    part: &RowPart<'_>,
    mut take: impl FnMut(usize, &[f32]),
) {
    let bytes = part.kind.bytes();
    let mut values: Vec<f32> = Vec::with_capacity(part.bytes.len() / part.pixel());
    for (at, channel) in channels.iter_mut().enumerate() {
        let pixels = part.bytes.chunks_exact(part.pixel());
        let samples = pixels.map(|pixel| &pixel[at * bytes..(at + 1) * bytes]);
        values.clear();
        // The kind is decided once for all samples.
        match part.kind {
            SampleKind::Eight => {
                let pixels = part.bytes.chunks_exact(part.channels);
                values.extend(pixels.map(|pixel| of_eight_bits(pixel[at])));
            }
            SampleKind::Half => values.extend(samples.map(|one| SampleKind::Half.value(one))),
            SampleKind::Float => values.extend(samples.map(|one| SampleKind::Float.value(one))),
            kind => values.extend(samples.map(|one| kind.value(one))),
        }
        channel.sum(&values);
        take(at, &values);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Measures a row of one channel.
    fn measure(bytes: &[u8], kind: SampleKind) -> (ChannelSums, (u64, u64)) {
        let mut channels = [ChannelSums::default()];
        let part = RowPart::interleaved(bytes, kind, 1);
        take_sums(&mut channels, &part, |_, _| {});
        let broken = take_extremes(&mut channels, &part);
        (channels[0], broken)
    }

    #[test]
    fn a_broken_sample_is_found_wherever_it_stands_and_changes_nothing_else() {
        for length in [1_usize, 7, 16, 17, 40, 64] {
            for (broken, counts) in [
                (f32::NAN, (1, 0)),
                (-f32::NAN, (1, 0)),
                (f32::INFINITY, (0, 1)),
                (f32::NEG_INFINITY, (0, 1)),
                (-0.5, (0, 0)),
            ] {
                for place in 0..length {
                    let mut values: Vec<f32> = (0..length).map(|at| at as f32 / 8.0).collect();
                    values[place] = broken;
                    let finite = || values.iter().copied().filter(|value| value.is_finite());
                    let pairs = values.windows(2).map(|pair| (pair[1] - pair[0]).abs());
                    let pairs: Vec<f32> = pairs.filter(|pair| pair.is_finite()).collect();
                    let floats = values.iter().flat_map(|value| value.to_le_bytes());
                    let halves = values
                        .iter()
                        .flat_map(|value| f16::from_f32(*value).to_le_bytes());
                    for (bytes, kind) in [
                        (floats.collect::<Vec<u8>>(), SampleKind::Float),
                        (halves.collect(), SampleKind::Half),
                    ] {
                        let (sums, found) = measure(&bytes, kind);
                        assert_eq!(found, counts, "{kind:?}: {broken} at {place} of {length}");
                        let lowest = finite().reduce(f32::min).unwrap_or(0.0);
                        let highest = finite().reduce(f32::max).unwrap_or(0.0);
                        assert_eq!(sums.range(), (lowest, highest));
                        let count = finite().count().max(1) as f32;
                        assert_eq!(sums.mean(), finite().sum::<f32>() / count);
                        let noise = pairs.iter().sum::<f32>() / pairs.len().max(1) as f32;
                        assert_eq!(sums.noise(), noise);
                    }
                }
            }
        }
    }
}
