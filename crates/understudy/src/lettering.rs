//! Burns text into a picture.

use font8x8::UnicodeFonts;
use truepath_media::Canvas;

/// Draws a line of text, centred, with its top at `top` (pixels). Letters that the font has not
/// become `?`.
pub(crate) fn centred(canvas: &mut Canvas, text: &str, top: u32, scale: u32, value: f32) {
    let count = u32::try_from(text.chars().count()).unwrap_or(0);
    let width = count * 8 * scale;
    let mut left = canvas.size.width.saturating_sub(width) / 2;
    for letter in text.chars() {
        let glyph = [
            font8x8::BASIC_FONTS.get(letter),
            font8x8::LATIN_FONTS.get(letter),
        ]
        .into_iter()
        .flatten()
        .next()
        .or_else(|| font8x8::BASIC_FONTS.get('?'))
        .unwrap_or_default();
        for (row, bits) in (0u32..).zip(glyph) {
            for column in 0..8u32 {
                if bits >> column & 1 == 1 {
                    block(
                        canvas,
                        left + column * scale,
                        top + row * scale,
                        scale,
                        value,
                    );
                }
            }
        }
        left += 8 * scale;
    }
}

fn block(canvas: &mut Canvas, left: u32, top: u32, side: u32, value: f32) {
    let channels = canvas.channels.count();
    for y in top..(top + side).min(canvas.size.height) {
        for x in left..(left + side).min(canvas.size.width) {
            let at = (y as usize * canvas.size.width as usize + x as usize) * channels;
            canvas.values[at..at + channels].fill(value);
            if canvas.channels.has_alpha() {
                canvas.values[at + channels - 1] = 1.0;
            }
        }
    }
}
