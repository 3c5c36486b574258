//! Whole, damaged and wrong pictures.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};

use truepath_core::picture::{Bits, Channels, Size, format};
use truepath_media::{Canvas, Flaw, Wanted, verify};

const SIZE: Size = Size {
    width: 33,
    height: 21,
};

fn bytes(name: &str, channels: Channels, bits: Bits, compression: &str) -> Vec<u8> {
    let mut canvas = Canvas::new(SIZE, channels);
    for (index, value) in canvas.values.iter_mut().enumerate() {
        *value = (index as f32 * 0.37).sin().abs();
    }
    let mut out = Cursor::new(Vec::new());
    match name {
        "png" => canvas.write_png(&mut out, bits).unwrap(),
        _ => canvas.write_exr(&mut out, bits, compression).unwrap(),
    }
    out.into_inner()
}

fn wanted(name: &str) -> Wanted {
    Wanted {
        format: format(name).unwrap(),
        size: Some(SIZE),
        channels: None,
        bits: None,
    }
}

fn written(folder: &Path, data: &[u8]) -> PathBuf {
    let path = folder.join("picture");
    fs::write(&path, data).unwrap();
    path
}

#[test]
fn every_kind_that_is_written_is_read_back() {
    let folder = tempfile::tempdir().unwrap();
    for (name, bits, compressions) in [
        ("png", [Bits::Eight, Bits::Sixteen], &[""][..]),
        (
            "exr",
            [Bits::Half, Bits::Float],
            &["none", "rle", "zips", "zip", "piz"],
        ),
    ] {
        for bits in bits {
            for channels in Channels::ALL {
                for compression in compressions {
                    let path = written(folder.path(), &bytes(name, channels, bits, compression));
                    let facts = verify(&path, &wanted(name)).unwrap();
                    assert_eq!(
                        (facts.size, facts.channels, facts.bits),
                        (SIZE, channels, bits)
                    );
                }
            }
        }
    }
}

#[test]
fn a_truncated_file_never_passes() {
    let folder = tempfile::tempdir().unwrap();
    for (name, bits) in [("png", Bits::Sixteen), ("exr", Bits::Half)] {
        let whole = bytes(name, Channels::Rgba, bits, "zip");
        for length in (0..whole.len()).step_by(7).chain([whole.len() - 1]) {
            let path = written(folder.path(), &whole[..length]);
            let result = verify(&path, &wanted(name));
            assert!(
                result.is_err(),
                "{name} of {length} of {} bytes passes",
                whole.len()
            );
            assert_eq!(length == 0, matches!(result, Err(Flaw::Empty)));
        }
    }
}

#[test]
fn what_differs_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = written(folder.path(), &bytes("png", Channels::Rgb, Bits::Eight, ""));
    let check = |change: fn(&mut Wanted)| {
        let mut wanted = wanted("png");
        change(&mut wanted);
        verify(&path, &wanted).unwrap_err().to_string()
    };
    assert_eq!(
        check(|one| one.size = "32x21".parse().ok()),
        "its size is 33x21, not 32x21"
    );
    assert_eq!(
        check(|one| one.channels = Some(Channels::Rgba)),
        "its set of channels is rgb, not rgba"
    );
    assert_eq!(
        check(|one| one.bits = Some(Bits::Sixteen)),
        "its depth is 8, not 16"
    );
    assert_eq!(
        check(|one| one.format = format("exr").unwrap()),
        "it is no exr file, but png by its content"
    );
    fs::write(&path, "no picture at all").unwrap();
    assert_eq!(check(|_| ()), "it is no png file, but of no known format");
}

#[test]
fn the_image_library_reads_the_rest() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["jpeg", "tiff", "bmp", "tga", "webp"] {
        let picture = image::RgbImage::from_fn(SIZE.width, SIZE.height, |x, y| {
            image::Rgb([x as u8, y as u8, 9])
        });
        let mut out = Cursor::new(Vec::new());
        picture
            .write_to(&mut out, image::ImageFormat::from_extension(name).unwrap())
            .unwrap();
        let path = written(folder.path(), out.get_ref());
        let facts = verify(&path, &wanted(name)).unwrap();
        assert_eq!(
            (facts.channels, facts.bits),
            (Channels::Rgb, Bits::Eight),
            "{name}"
        );
        let path = written(folder.path(), &out.get_ref()[..out.get_ref().len() / 2]);
        assert!(
            verify(&path, &wanted(name)).is_err(),
            "half a {name} passes"
        );
    }
}
