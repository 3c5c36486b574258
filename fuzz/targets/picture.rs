//! Pictures of every format: whatever a file says of itself, it is whole, broken, of another kind, or
//! cannot be verified, and no more memory is taken than the limit.
#![no_main]

use std::fs;

use libfuzzer_sys::fuzz_target;
use truepath_core::picture::format;
use truepath_media::{ExpectedPicture, verify};

const FORMATS: [&str; 9] = ["png", "exr", "jpeg", "tiff", "dpx", "bmp", "tga", "webp", "hdr"];

fuzz_target!(|bytes: &[u8]| {
    let folder = tempfile::tempdir_in("/dev/shm").unwrap();
    let path = folder.path().join("picture");
    fs::write(&path, bytes).unwrap();
    for name in FORMATS {
        let wanted = ExpectedPicture {
            format: format(name).unwrap(),
            size: None,
            channels: None,
            bits: None,
            planes: Vec::new(),
            allows_unverifiable: false,
        };
        let _ = verify(&path, &wanted);
    }
});
