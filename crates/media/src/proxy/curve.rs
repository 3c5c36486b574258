//! Many pixels at once from light to what a display shows.

use truepath_core::picture::{INFINITE, NOT_A_NUMBER, PixelFault, TransferFacts};

use super::Proxy;
use crate::raster::Raster;

/// So many values of light have a byte of their own: near black, where curves are steepest, a step is a twentieth of a
/// byte of sRGB.
const STEPS: usize = 1 << 16;

/// The bytes of a transfer function, worked out once.
#[derive(Debug, Clone)]
pub struct DisplayCurve {
    bytes: Vec<u8>,
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

    fn byte(&self, light: f32) -> u8 {
        self.bytes[(light.clamp(0.0, 1.0) * (STEPS - 1) as f32).round() as usize]
    }
}

impl Proxy {
    /// What a display shows of it on black, as a frame of a movie.
    #[must_use]
    pub fn on_black(&self, curve: &DisplayCurve) -> Raster {
        let pixels = self.pixels.iter().zip(&self.faults);
        let shown = pixels.map(|([red, green, blue, _], fault)| match fault {
            PixelFault::None => [*red, *green, *blue].map(|light| curve.byte(light)),
            PixelFault::NotANumber => NOT_A_NUMBER,
            PixelFault::Infinite => INFINITE,
        });
        Raster::of_pixels(self.size, shown.collect())
    }
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::{Size, srgb_light, transfer};

    use super::*;

    #[test]
    fn what_was_encoded_comes_back_and_colors_stand_on_black() {
        let curve = DisplayCurve::new(transfer("srgb").unwrap());
        for value in 0..=255_u8 {
            assert_eq!(curve.byte(srgb_light(f32::from(value) / 255.0)), value);
        }
        let proxy = Proxy {
            source: Size::square(1),
            size: Size::square(1),
            pixels: vec![[0.18, 2.0, -1.0, 0.5]],
            faults: vec![PixelFault::None],
            is_linear: true,
            notes: Vec::new(),
        };
        assert_eq!(proxy.on_black(&curve).pixel(0, 0), [118, 255, 0]);
    }
}
