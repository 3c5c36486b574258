//! The rows of a PNG from what its stream holds: filters (ISO/IEC 15948, clause 9) undone.

/// Undoes the filters of a picture that lies in memory, and hands on its rows from top to bottom; each row begins with
/// the number of its filter. Whether all filters are known: if not, no row is handed on.
pub(crate) fn unfilter(
    bytes: &mut [u8],
    row_bytes: usize,
    pixel_bytes: usize,
    mut take: impl FnMut(u32, &[u8]),
) -> bool {
    const LAST_FILTER: u8 = 4;
    let rows = || bytes.chunks_exact(row_bytes + 1);
    if !rows().all(|row| row[0] <= LAST_FILTER) {
        return false;
    }
    let first = vec![0; row_bytes];
    let mut above: &[u8] = &first;
    for (number, row) in bytes.chunks_exact_mut(row_bytes + 1).enumerate() {
        let (filter, row) = row.split_at_mut(1);
        match pixel_bytes {
            1 => undo::<1>(filter[0], above, row),
            2 => undo::<2>(filter[0], above, row),
            3 => undo::<3>(filter[0], above, row),
            4 => undo::<4>(filter[0], above, row),
            6 => undo::<6>(filter[0], above, row),
            _ => undo::<8>(filter[0], above, row),
        }
        take(number as u32, row);
        above = row;
    }
    true
}

/// Undoes the filter of a row whose pixels have so many bytes.
fn undo<const PIXEL: usize>(filter: u8, above: &[u8], row: &mut [u8]) {
    let (above, _) = above.as_chunks::<PIXEL>();
    let (pixels, _) = row.as_chunks_mut::<PIXEL>();
    let mut left = [0; PIXEL];
    match filter {
        1 => {
            for pixel in pixels {
                *pixel = std::array::from_fn(|at| pixel[at].wrapping_add(left[at]));
                left = *pixel;
            }
        }
        2 => {
            for (byte, above) in row.iter_mut().zip(above.as_flattened()) {
                *byte = byte.wrapping_add(*above);
            }
        }
        3 => {
            for (pixel, above) in pixels.iter_mut().zip(above) {
                *pixel = std::array::from_fn(|at| {
                    let mean = u16::midpoint(left[at].into(), above[at].into());
                    pixel[at].wrapping_add(mean as u8)
                });
                left = *pixel;
            }
        }
        4 => {
            let mut corner = [0; PIXEL];
            for (pixel, above) in pixels.iter_mut().zip(above) {
                *pixel = std::array::from_fn(|at| {
                    pixel[at].wrapping_add(paeth(left[at], above[at], corner[at]))
                });
                (left, corner) = (*pixel, *above);
            }
        }
        _ => {}
    }
}

/// The neighbour that is nearest to left + above - corner (clause 9.4).
#[inline(always)]
fn paeth(left: u8, above: u8, corner: u8) -> u8 {
    let (a, b, c) = (i16::from(left), i16::from(above), i16::from(corner));
    let (to_left, to_above) = ((b - c).abs(), (a - c).abs());
    let to_corner = (a + b - 2 * c).abs();
    let nearer = if to_above <= to_corner { above } else { corner };
    if to_left <= to_above && to_left <= to_corner {
        left
    } else {
        nearer
    }
}
