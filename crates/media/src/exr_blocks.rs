//! Unpacks blocks of an OpenEXR file that are packed by ZIP, the most usual compression, faster than the library does.

use exr::block::chunk::{Chunk, CompressedBlock};
use exr::compression::Compression;
use exr::meta::header::Header;

use crate::inflate::Inflater;

/// Unpacks blocks one after another.
pub(crate) struct BlockUnpacker {
    inflater: Inflater,
    /// What was inflated, with its bytes still apart.
    apart: Vec<u8>,
}

impl BlockUnpacker {
    pub(crate) fn new() -> Self {
        Self {
            inflater: Inflater::new(),
            apart: Vec::new(),
        }
    }

    /// The block with its bytes unpacked, which is how blocks are stored that do not get smaller. A block that is packed
    /// otherwise, or is damaged, stays as it is.
    pub(crate) fn unpack(&mut self, mut chunk: Chunk, headers: &[Header]) -> Chunk {
        let Some(header) = headers.get(chunk.layer_index) else {
            return chunk;
        };
        if !matches!(header.compression, Compression::ZIP1 | Compression::ZIP16) {
            return chunk;
        }
        let Some(length) = block_length(header, &chunk.compressed_block) else {
            return chunk;
        };
        let (CompressedBlock::ScanLine(exr::block::chunk::CompressedScanLineBlock {
            compressed_pixels_le: bytes,
            ..
        })
        | CompressedBlock::Tile(exr::block::chunk::CompressedTileBlock {
            compressed_pixels_le: bytes,
            ..
        })) = &mut chunk.compressed_block
        else {
            return chunk;
        };
        if bytes.len() != length {
            self.apart.resize(length, 0);
            if self.inflater.fill(bytes, &mut self.apart) {
                add_up(&mut self.apart);
                bytes.resize(length, 0);
                interleave(&self.apart, bytes);
            }
        }
        chunk
    }
}

/// Bytes of a block that is unpacked; none where its place is not in the picture.
fn block_length(header: &Header, block: &CompressedBlock) -> Option<usize> {
    let place = header.get_block_data_indices(block).ok()?;
    let pixels = header.get_absolute_block_pixel_coordinates(place).ok()?;
    let most = header.max_block_pixel_size();
    let is_inside = pixels.size.0 <= most.0 && pixels.size.1 <= most.1;
    is_inside.then(|| pixels.size.area() * header.channels.bytes_per_pixel)
}

/// Turns differences, which are stored with 128 added, into values: each byte is the sum of all up to it.
fn add_up(bytes: &mut [u8]) {
    let Some((first, rest)) = bytes.split_first_mut() else {
        return;
    };
    let mut before = *first;
    #[cfg(target_arch = "x86_64")]
    let rest = {
        let (blocks, rest) = rest.as_chunks_mut::<16>();
        #[expect(unsafe_code, reason = "every x86-64 processor has SSE2")]
        // SAFETY: SSE2 is part of the target.
        unsafe {
            before = add_up_blocks(before, blocks);
        }
        rest
    };
    for byte in rest {
        before = before.wrapping_add(byte.wrapping_sub(128));
        *byte = before;
    }
}

/// The same for blocks of 16 bytes after a value; gives the last value. This is a third of the time of a file where it is
/// done byte by byte.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "sse2")]
fn add_up_blocks(mut before: u8, blocks: &mut [[u8; 16]]) -> u8 {
    use std::arch::x86_64::{
        _mm_add_epi8 as add, _mm_cvtsi128_si64 as low_half, _mm_extract_epi16, _mm_set_epi64x,
        _mm_set1_epi8, _mm_slli_si128 as up_by, _mm_unpackhi_epi64 as high_half, _mm_xor_si128,
    };
    for block in blocks {
        let bits = u128::from_le_bytes(*block);
        let differences = _mm_xor_si128(
            _mm_set_epi64x((bits >> 64) as i64, bits as i64),
            _mm_set1_epi8(-128),
        );
        let pairs = add(differences, up_by(differences, 1));
        let fours = add(pairs, up_by(pairs, 2));
        let eights = add(fours, up_by(fours, 4));
        let sums = add(eights, up_by(eights, 8));
        let values = add(sums, _mm_set1_epi8(before as i8));
        let low = low_half(values) as u64;
        let high = low_half(high_half(values, values)) as u64;
        *block = (u128::from(high) << 64 | u128::from(low)).to_le_bytes();
        before = before.wrapping_add((_mm_extract_epi16(sums, 7) >> 8) as u8);
    }
    before
}

/// The first half of the bytes are those at even places, the second half those at odd ones.
fn interleave(apart: &[u8], into: &mut [u8]) {
    let (even, odd) = apart.split_at(apart.len().div_ceil(2));
    let (pairs, last) = into.as_chunks_mut::<2>();
    for ((pair, even), odd) in pairs.iter_mut().zip(even).zip(odd) {
        *pair = [*even, *odd];
    }
    if let ([last], Some(even)) = (last, even.last()) {
        *last = *even;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// As the file layout has it, one byte after another.
    fn plainly(mut bytes: Vec<u8>) -> Vec<u8> {
        for at in 1..bytes.len() {
            bytes[at] = bytes[at - 1].wrapping_add(bytes[at]).wrapping_sub(128);
        }
        let half = bytes.len().div_ceil(2);
        (0..bytes.len())
            .map(|at| bytes[at / 2 + (at % 2) * half])
            .collect()
    }

    #[test]
    fn bytes_come_back_to_their_places_at_every_length() {
        for length in 0..120_usize {
            let bytes: Vec<u8> = (0..length).map(|at| (at * at * 37 + 11) as u8).collect();
            let mut apart = bytes.clone();
            add_up(&mut apart);
            let mut whole = vec![0; length];
            interleave(&apart, &mut whole);
            assert_eq!(whole, plainly(bytes), "{length} bytes");
        }
    }
}
