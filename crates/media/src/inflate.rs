//! Inflates whole zlib streams (RFC 1950) into memory of a known size, checksum included. What it does not take is left
//! to the strict reader of the format, which says what is wrong.

use libdeflater::Decompressor;

/// Inflates streams one after another.
pub(crate) struct Inflater(Decompressor);

impl Inflater {
    pub(crate) fn new() -> Self {
        Self(Decompressor::new())
    }

    /// Fills a buffer with what a stream holds; whether that is just as long, and whole.
    pub(crate) fn fill(&mut self, stream: &[u8], into: &mut [u8]) -> bool {
        let wanted = into.len();
        self.0
            .zlib_decompress(stream, into)
            .is_ok_and(|length| length == wanted)
    }
}
