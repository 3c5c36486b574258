//! The compressions of OpenEXR files that throw nothing away and that this program writes.

use exr::compression::Compression;

/// Each with its word in job files.
const LOSSLESS: [(&str, Compression); 5] = [
    ("none", Compression::Uncompressed),
    ("rle", Compression::RLE),
    ("zips", Compression::ZIP1),
    ("zip", Compression::ZIP16),
    ("piz", Compression::PIZ),
];

/// The compression of a word of job files.
pub(crate) fn lossless(word: &str) -> Option<Compression> {
    let mut all = LOSSLESS.iter();
    all.find(|(known, _)| *known == word).map(|(_, one)| *one)
}

/// Whether a compression is one of them.
pub(crate) fn is_lossless(compression: Compression) -> bool {
    LOSSLESS.iter().any(|(_, one)| *one == compression)
}
