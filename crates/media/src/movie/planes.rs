//! Luma and chroma of a picture: ITU-R BT.709, 8 bits of limited range, chroma of half the width and height.

use truepath_core::picture::Size;

use crate::raster::Raster;

/// A picture as an encoder takes it. Its width and height are even.
pub(super) struct Planes {
    pub(super) size: Size,
    pub(super) luma: Vec<u8>,
    /// Blue and red difference, each a quarter of the luma's pixels.
    pub(super) blue: Vec<u8>,
    pub(super) red: Vec<u8>,
}

/// Weights of red, green and blue in luma (BT.709, item 3.2), times 2^16 and 219/255.
const LUMA: [i32; 3] = [11_966, 40_254, 4_064];
/// The same for the differences (item 3.3), times 2^16 and 224/255.
const BLUE: [i32; 3] = [-6_596, -22_189, 28_784];
const RED: [i32; 3] = [28_784, -26_145, -2_639];
const HALF: i32 = 1 << 15;

impl Planes {
    /// Those of a picture, whose last row or column is left out where it has an odd number of them.
    pub(super) fn of(raster: &Raster) -> Self {
        let size = Size {
            width: raster.size().width & !1,
            height: raster.size().height & !1,
        };
        let (width, stride) = (size.width as usize, raster.size().width as usize);
        let (pixels, _) = raster.bytes().as_chunks::<3>();
        let mut planes = Self {
            size,
            luma: Vec::with_capacity(width * size.height as usize),
            blue: Vec::new(),
            red: Vec::new(),
        };
        for row in pixels
            .chunks_exact(stride.max(1))
            .take(size.height as usize)
        {
            let luma = row[..width].iter().map(|pixel| {
                let sum = weighted(pixel.map(i32::from), LUMA);
                (((sum + HALF) >> 16) + 16) as u8
            });
            planes.luma.extend(luma);
        }
        for two in pixels.chunks_exact((2 * stride).max(1)) {
            let (above, below) = two.split_at(stride);
            let (above, _) = above.as_chunks::<2>();
            let (below, _) = below.as_chunks::<2>();
            for (above, below) in above.iter().zip(below) {
                let four = [above[0], above[1], below[0], below[1]];
                let sum =
                    [0, 1, 2].map(|at| four.iter().map(|one| i32::from(one[at])).sum::<i32>());
                // The mean of four pixels.
                let difference =
                    |weights| (((weighted(sum, weights) + 4 * HALF) >> 18) + 128) as u8;
                planes.blue.push(difference(BLUE));
                planes.red.push(difference(RED));
            }
        }
        planes
    }
}

fn weighted(color: [i32; 3], weights: [i32; 3]) -> i32 {
    color
        .iter()
        .zip(weights)
        .map(|(one, weight)| one * weight)
        .sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn black_white_and_the_primaries_have_the_values_of_the_standard() {
        let of = |color| {
            let size = Size {
                width: 4,
                height: 2,
            };
            let planes = Planes::of(&Raster::new(size, color));
            assert_eq!(
                (planes.luma.len(), planes.blue.len(), planes.red.len()),
                (8, 2, 2)
            );
            (planes.luma[3], planes.blue[1], planes.red[1])
        };
        assert_eq!(of([0, 0, 0]), (16, 128, 128));
        assert_eq!(of([255, 255, 255]), (235, 128, 128));
        assert_eq!(of([255, 0, 0]), (63, 102, 240));
        assert_eq!(of([0, 255, 0]), (173, 42, 26));
        assert_eq!(of([0, 0, 255]), (32, 240, 118));
    }

    #[test]
    fn an_odd_row_or_column_is_left_out() {
        let size = Size {
            width: 5,
            height: 3,
        };
        let planes = Planes::of(&Raster::new(size, [9; 3]));
        assert_eq!(
            planes.size,
            Size {
                width: 4,
                height: 2
            }
        );
        assert_eq!((planes.luma.len(), planes.red.len()), (8, 2));
    }
}
