//! Kinds of samples: how many bytes they have, and what value they stand for.

use half::f16;

/// How a sample is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SampleKind {
    /// 8-bit whole numbers.
    Eight,
    /// 16-bit whole numbers, the high byte first.
    SixteenBig,
    /// 16-bit whole numbers, the low byte first.
    SixteenLittle,
    /// IEEE 754 binary16, the low byte first.
    Half,
    /// IEEE 754 binary32, the low byte first.
    Float,
    /// 32-bit whole numbers, the low byte first: names of objects and the like, as they are.
    Whole,
}

/// The value of an 8-bit sample, from a table: a division for each takes longer.
#[inline]
pub(super) fn of_eight_bits(sample: u8) -> f32 {
    static VALUES: [f32; 256] = {
        let mut values = [0.0; 256];
        let mut at = 0;
        while at < values.len() {
            values[at] = at as f32 / 255.0;
            at += 1;
        }
        values
    };
    VALUES[usize::from(sample)]
}

impl SampleKind {
    /// Bytes of a sample.
    #[inline]
    pub(crate) fn bytes(self) -> usize {
        match self {
            Self::Eight => 1,
            Self::SixteenBig | Self::SixteenLittle | Self::Half => 2,
            Self::Float | Self::Whole => 4,
        }
    }

    /// The value of a sample; whole numbers of 8 and 16 bits from 0 to 1.
    #[inline]
    pub(crate) fn value(self, bytes: &[u8]) -> f32 {
        match (self, bytes) {
            (Self::Eight, [one]) => of_eight_bits(*one),
            (Self::SixteenBig, [one, two]) => f32::from(u16::from_be_bytes([*one, *two])) / 65535.0,
            (Self::SixteenLittle, [one, two]) => {
                f32::from(u16::from_le_bytes([*one, *two])) / 65535.0
            }
            (Self::Half, [one, two]) => f16::from_le_bytes([*one, *two]).to_f32(),
            (Self::Float, [one, two, three, four]) => {
                f32::from_le_bytes([*one, *two, *three, *four])
            }
            (Self::Whole, [one, two, three, four]) => {
                u32::from_le_bytes([*one, *two, *three, *four]) as f32
            }
            _ => 0.0,
        }
    }

    /// How many samples are not a number, and how many are infinite.
    pub(super) fn count_broken(self, bytes: &[u8]) -> (u64, u64) {
        let broken = match self {
            Self::Half => {
                let (words, _) = bytes.as_chunks::<2>();
                let is_broken = |word: &[u8; 2]| u16::from_le_bytes(*word) & 0x7c00 == 0x7c00;
                words.iter().map(|word| u32::from(is_broken(word))).sum()
            }
            Self::Float => {
                let (words, _) = bytes.as_chunks::<4>();
                let is_broken =
                    |word: &[u8; 4]| u32::from_le_bytes(*word) & 0x7f80_0000 == 0x7f80_0000;
                words.iter().map(|word| u32::from(is_broken(word))).sum()
            }
            _ => 0_u32,
        };
        let broken = u64::from(broken);
        if broken == 0 {
            return (0, 0);
        }
        let samples = bytes.chunks_exact(self.bytes());
        let not_a_number = samples.filter(|one| self.value(one).is_nan()).count();
        (not_a_number as u64, broken - not_a_number as u64)
    }
}
