//! From linear light to what a display shows.

use super::transfer;

/// A pixel whose values are broken is shown in a color of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum PixelFault {
    /// All values are numbers.
    #[default]
    None,
    /// One is not a number.
    NotANumber,
    /// One is infinite.
    Infinite,
}

impl PixelFault {
    /// What is wrong with the values of a pixel.
    #[must_use]
    pub fn of(values: &[f32]) -> Self {
        if values.iter().any(|value| value.is_nan()) {
            Self::NotANumber
        } else if values.iter().any(|value| value.is_infinite()) {
            Self::Infinite
        } else {
            Self::None
        }
    }
}

/// How linear values are shown.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DisplayOptions {
    /// In stops: 1 doubles the light.
    pub exposure: f32,
    /// Values that are shown as black and as white, of data that is no light.
    pub range: Option<(f32, f32)>,
}

impl Default for DisplayOptions {
    fn default() -> Self {
        Self {
            exposure: 0.0,
            range: None,
        }
    }
}

/// The color of a pixel that is not a number: magenta.
pub const NOT_A_NUMBER: [u8; 3] = [255, 0, 255];
/// The color of a pixel that is infinite: cyan.
pub const INFINITE: [u8; 3] = [0, 255, 255];
/// The two shades of the checker behind transparent pixels, as linear light, and its squares in pixels.
const CHECKER: ([f32; 2], u32) = ([0.10, 0.22], 8);

/// What a display shows of a pixel: linear light with its color multiplied by its alpha, over a checker, by the curve
/// of sRGB (IEC 61966-2-1); of data the range from black to white.
#[must_use]
pub fn display(
    [red, green, blue, alpha]: [f32; 4],
    fault: PixelFault,
    (x, y): (u32, u32),
    options: DisplayOptions,
) -> [u8; 3] {
    match fault {
        PixelFault::NotANumber => return NOT_A_NUMBER,
        PixelFault::Infinite => return INFINITE,
        PixelFault::None => {}
    }
    if let Some((low, high)) = options.range {
        let width = if high > low { high - low } else { 1.0 };
        return [red, green, blue].map(|value| byte((value - low) / width));
    }
    let gain = options.exposure.exp2();
    let (shades, side) = CHECKER;
    let shade = shades[((x / side + y / side) % 2) as usize];
    let behind = (1.0 - alpha.clamp(0.0, 1.0)) * shade;
    [red, green, blue].map(|value| srgb_byte(value * gain + behind))
}

/// Linear light as a byte of sRGB.
#[must_use]
pub fn srgb_byte(light: f32) -> u8 {
    let encode = transfer("srgb").map(|facts| facts.encode);
    let value = f64::from(light.clamp(0.0, 1.0));
    byte(encode.map_or(value, |encode| encode(value)) as f32)
}

/// The linear light of a value of sRGB from 0 to 1: IEC 61966-2-1.
#[must_use]
pub fn srgb_light(value: f32) -> f32 {
    if value <= 0.04045 {
        value / 12.92
    } else {
        ((value + 0.055) / 1.055).powf(2.4)
    }
}

fn byte(value: f32) -> u8 {
    (value.clamp(0.0, 1.0) * 255.0).round() as u8
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn light_is_shown_by_the_curve_of_the_standard() {
        // Middle gray is 118 of 255, and what was encoded comes back.
        assert_eq!(srgb_byte(0.18), 118);
        for value in 0..=255_u8 {
            assert_eq!(srgb_byte(srgb_light(f32::from(value) / 255.0)), value);
        }
        let show = |pixel, options| display(pixel, PixelFault::None, (0, 0), options);
        let stop = DisplayOptions {
            exposure: 1.0,
            ..DisplayOptions::default()
        };
        assert_eq!(show([0.09, 0.09, 0.09, 1.0], stop), [118; 3]);
        let range = DisplayOptions {
            range: Some((10.0, 20.0)),
            ..DisplayOptions::default()
        };
        assert_eq!(show([10.0, 15.0, 30.0, 1.0], range), [0, 128, 255]);
    }

    #[test]
    fn broken_values_and_nothing_are_seen() {
        let options = DisplayOptions::default();
        let fault = |fault| display([f32::NAN; 4], fault, (0, 0), options);
        assert_eq!(fault(PixelFault::NotANumber), NOT_A_NUMBER);
        assert_eq!(fault(PixelFault::Infinite), INFINITE);
        let nothing = |at| display([0.0; 4], PixelFault::None, at, options);
        assert_ne!(nothing((0, 0)), nothing((8, 0)));
        assert_eq!(nothing((0, 0)), nothing((8, 8)));
    }
}
