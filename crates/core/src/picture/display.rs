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
    /// Whether single values of such data are shown in colors, from the darkest to the brightest of [`false_color`].
    pub has_false_color: bool,
}

impl Default for DisplayOptions {
    fn default() -> Self {
        Self {
            exposure: 0.0,
            range: None,
            has_false_color: false,
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
        if options.has_false_color && red == green && green == blue {
            return false_color((red - low) / width);
        }
        return [red, green, blue].map(|value| byte((value - low) / width));
    }
    let gain = options.exposure.exp2();
    let (shades, side) = CHECKER;
    let shade = shades[((x / side + y / side) % 2) as usize];
    let behind = (1.0 - alpha.clamp(0.0, 1.0)) * shade;
    [red, green, blue].map(|value| srgb_byte(value * gain + behind))
}

/// The color of a value from 0 to 1 in place of a gray: each is brighter than those of smaller values, so that it can be
/// read without color too. Values outside have the color of the nearest end.
#[must_use]
pub fn false_color(value: f32) -> [u8; 3] {
    /// Evenly spaced, and brighter by about the same each time.
    const STOPS: [[u8; 3]; 6] = [
        [12, 10, 60],
        [28, 70, 160],
        [20, 135, 140],
        [90, 190, 80],
        [240, 205, 70],
        [255, 252, 235],
    ];
    let last = STOPS.len() - 1;
    let value = if value.is_nan() {
        0.0
    } else {
        value.clamp(0.0, 1.0)
    };
    let place = value * last as f32;
    let at = (place as usize).min(last - 1);
    let part = place - at as f32;
    let (from, to) = (STOPS[at], STOPS[at + 1]);
    [0, 1, 2].map(|channel| {
        let (from, to) = (f32::from(from[channel]), f32::from(to[channel]));
        (from + (to - from) * part).round() as u8
    })
}

/// Linear light as a byte of sRGB.
#[must_use]
pub fn srgb_byte(light: f32) -> u8 {
    byte(encoded_srgb(light))
}

/// Linear light as a value of sRGB, both from 0 to 1; what is beyond is cut off.
#[must_use]
pub fn encoded_srgb(light: f32) -> f32 {
    let encode = transfer("srgb").map(|facts| facts.encode);
    let value = f64::from(light.clamp(0.0, 1.0));
    encode.map_or(value, |encode| encode(value)) as f32
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
    fn false_colors_get_brighter_with_their_values() {
        let brightness = |value: f32| {
            let [red, green, blue] = false_color(value).map(f32::from);
            0.2126 * red + 0.7152 * green + 0.0722 * blue
        };
        for step in 0..100 {
            let (value, next) = (step as f32 / 100.0, (step + 1) as f32 / 100.0);
            assert!(brightness(next) > brightness(value), "{value}");
        }
        assert_eq!(false_color(-1.0), false_color(0.0));
        assert_eq!(false_color(f32::INFINITY), false_color(1.0));
        let options = DisplayOptions {
            range: Some((2.0, 4.0)),
            has_false_color: true,
            ..DisplayOptions::default()
        };
        let shown = |pixel| display(pixel, PixelFault::None, (0, 0), options);
        assert_eq!(shown([3.0, 3.0, 3.0, 1.0]), false_color(0.5));
        // Three values of their own are no single one.
        assert_eq!(shown([2.0, 3.0, 4.0, 1.0]), [0, 128, 255]);
    }

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
