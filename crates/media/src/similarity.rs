//! How alike two pictures look: structural similarity (Wang and others, 2004).

use truepath_core::picture::Size;

/// The side of a block in pixels.
const BLOCK: u32 = 8;

/// The mean structural similarity of blocks, from the brightness of both pictures at each pixel, from 0 to 1; 1 where
/// nothing differs.
pub(crate) fn mean_similarity(size: Size, lights: impl Fn(usize) -> (f64, f64)) -> f64 {
    // The constants of the paper for values from 0 to 1.
    let (c1, c2) = (0.01_f64.powi(2), 0.03_f64.powi(2));
    let (mut sum, mut blocks) = (0.0, 0_u64);
    for top in (0..size.height).step_by(BLOCK as usize) {
        for left in (0..size.width).step_by(BLOCK as usize) {
            let (mut a, mut b, mut aa, mut bb, mut ab, mut count) = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0);
            for y in top..(top + BLOCK).min(size.height) {
                for x in left..(left + BLOCK).min(size.width) {
                    let at = y as usize * size.width as usize + x as usize;
                    let (one, other) = lights(at);
                    a += one;
                    b += other;
                    aa += one * one;
                    bb += other * other;
                    ab += one * other;
                    count += 1.0;
                }
            }
            let (a, b) = (a / count, b / count);
            let (va, vb, cov) = (aa / count - a * a, bb / count - b * b, ab / count - a * b);
            sum +=
                ((2.0 * a * b + c1) * (2.0 * cov + c2)) / ((a * a + b * b + c1) * (va + vb + c2));
            blocks += 1;
        }
    }
    if blocks == 0 {
        1.0
    } else {
        sum / blocks as f64
    }
}
