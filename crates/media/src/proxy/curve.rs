//! Many pixels at once from light to what a display shows.

use std::sync::Arc;

use truepath_core::picture::TransferFacts;

/// So many values of light have a byte of their own: near black, where curves are steepest, a step is a twentieth of a
/// byte of sRGB.
const STEPS: usize = 1 << 16;

/// The bytes of a transfer function, worked out once.
#[derive(Debug, Clone)]
pub struct DisplayCurve {
    bytes: Arc<[u8]>,
}

impl DisplayCurve {
    /// That of a transfer function.
    #[must_use]
    pub fn new(transfer: &TransferFacts) -> Self {
        let byte = |step: usize| {
            let light = step as f64 / (STEPS - 1) as f64;
            ((transfer.encode)(light).clamp(0.0, 1.0) * 255.0).round() as u8
        };
        Self {
            bytes: (0..STEPS).map(byte).collect(),
        }
    }

    /// The byte of a value of light.
    pub(super) fn byte(&self, light: f32) -> u8 {
        // Rounded: what is cast is cut, and what is no number is 0.
        self.bytes[(light.clamp(0.0, 1.0) * (STEPS - 1) as f32 + 0.5) as usize]
    }
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::{srgb_light, transfer};

    use super::*;

    #[test]
    fn what_was_encoded_comes_back() {
        let curve = DisplayCurve::new(transfer("srgb").unwrap());
        for value in 0..=255_u8 {
            assert_eq!(curve.byte(srgb_light(f32::from(value) / 255.0)), value);
        }
    }
}
