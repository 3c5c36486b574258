//! Whole, damaged and wrong pictures.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};

use truepath_core::picture::{Bits, Channels, Size, format};
use truepath_media::{Canvas, ExpectedPicture, Flaw, Found, verify, write_exr};

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
        _ => {
            let planes = [(String::new(), canvas)];
            write_exr(&planes, &mut out, bits, compression, 1.0).unwrap();
        }
    }
    out.into_inner()
}

fn wanted(name: &str) -> ExpectedPicture {
    ExpectedPicture {
        format: format(name).unwrap(),
        size: Some(SIZE),
        channels: None,
        bits: None,
        planes: Vec::new(),
        allows_unverifiable: false,
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
                        (SIZE, Found::Known(channels), Found::Known(bits))
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
fn what_differs_is_reported() {
    let folder = tempfile::tempdir().unwrap();
    let path = written(folder.path(), &bytes("png", Channels::Rgb, Bits::Eight, ""));
    let check = |change: fn(&mut ExpectedPicture)| {
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
fn other_formats_are_read_and_halves_are_found() {
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
            (Found::Known(Channels::Rgb), Found::Known(Bits::Eight)),
            "{name}"
        );
        let path = written(folder.path(), &out.get_ref()[..out.get_ref().len() / 2]);
        assert!(
            verify(&path, &wanted(name)).is_err(),
            "half a {name} passes"
        );
    }
}

#[test]
fn of_several_layers_each_must_be_there() {
    let folder = tempfile::tempdir().unwrap();
    let layer = |name: &str, channels| (name.to_owned(), Canvas::new(SIZE, channels));
    let planes = [
        layer("left.beauty", Channels::Rgba),
        layer("left.depth", Channels::Gray),
        layer("right.beauty", Channels::Rgba),
    ];
    let mut out = Cursor::new(Vec::new());
    write_exr(&planes, &mut out, Bits::Half, "zip", 2.0).unwrap();
    let path = written(folder.path(), &out.into_inner());
    let check = |planes: &[(&str, &str)]| {
        let word = |text: &str| (!text.is_empty()).then(|| text.to_owned());
        let wanted = ExpectedPicture {
            planes: planes
                .iter()
                .map(|(pass, view)| (word(pass), word(view)))
                .collect(),
            channels: Some(Channels::Rgba),
            ..wanted("exr")
        };
        verify(&path, &wanted).map_err(|flaw| flaw.to_string())
    };
    check(&[("beauty", "left"), ("depth", "left"), ("beauty", "right")]).unwrap();
    check(&[("beauty", ""), ("depth", "")]).unwrap();
    let missing = check(&[("beauty", "left"), ("depth", "right")]).unwrap_err();
    assert_eq!(
        missing,
        "its set of layers is left.beauty, left.depth, right.beauty, not one with right, depth"
    );
    // A single picture is asked for, and three are there: the others are noted.
    let several = check(&[]).unwrap();
    assert_eq!(
        several.notes,
        [
            "it has further channels: left.depth.Y, right.beauty.A, right.beauty.B, right.beauty.G, right.beauty.R"
        ]
    );
}

/// The headers of a DPX file, most significant byte first, and its pixels.
fn dpx(bits: u8, descriptor: u8, packing: u16, bytes: usize) -> Vec<u8> {
    let mut file = vec![0; 2048 + bytes];
    let mut put = |at: usize, value: &[u8]| file[at..at + value.len()].copy_from_slice(value);
    put(0, b"SDPX");
    put(4, &2048_u32.to_be_bytes());
    put(772, &SIZE.width.to_be_bytes());
    put(776, &SIZE.height.to_be_bytes());
    put(800, &[descriptor, 0, 0, bits]);
    put(804, &packing.to_be_bytes());
    put(808, &2048_u32.to_be_bytes());
    file
}

#[test]
fn dpx_is_whole_or_not() {
    let folder = tempfile::tempdir().unwrap();
    let rows = SIZE.height as usize;
    for (bits, descriptor, packing, line, facts) in [
        (8, 50, 0, 25 * 4, (Channels::Rgb, Bits::Eight)),
        (10, 50, 1, 33 * 4, (Channels::Rgb, Bits::Ten)),
        (12, 50, 0, 38 * 4, (Channels::Rgb, Bits::Twelve)),
        (16, 51, 0, 33 * 8, (Channels::Rgba, Bits::Sixteen)),
    ] {
        let whole = dpx(bits, descriptor, packing, line * rows);
        let path = written(folder.path(), &whole);
        let found = verify(&path, &wanted("dpx")).unwrap();
        let facts = (Found::Known(facts.0), Found::Known(facts.1));
        assert_eq!((found.size, (found.channels, found.bits)), (SIZE, facts));
        for length in [4, 1000, 2048, whole.len() - 1] {
            let path = written(folder.path(), &whole[..length]);
            assert!(matches!(
                verify(&path, &wanted("dpx")),
                Err(Flaw::Broken(_))
            ));
        }
    }
}

#[test]
fn whole_numbers_are_not_called_float_and_further_channels_are_noted() {
    use exr::prelude::{AnyChannel, AnyChannels, FlatSamples, Image, WritableImage};
    let folder = tempfile::tempdir().unwrap();
    let size = (SIZE.width as usize, SIZE.height as usize);
    let half = |name: &str| {
        let values = vec![half::f16::from_f32(0.5); size.0 * size.1];
        AnyChannel::new(name, FlatSamples::F16(values))
    };
    let ids = || AnyChannel::new("id", FlatSamples::U32(vec![7; size.0 * size.1]));
    let depth = || AnyChannel::new("Z", FlatSamples::F32(vec![2.5; size.0 * size.1]));
    let written = |channels: Vec<AnyChannel<FlatSamples>>| {
        let mut out = Cursor::new(Vec::new());
        let image = Image::from_channels(size, AnyChannels::sort(channels.into_iter().collect()));
        image.write().non_parallel().to_buffered(&mut out).unwrap();
        written(folder.path(), &out.into_inner())
    };
    let asked = |channels, bits| ExpectedPicture {
        channels: Some(channels),
        bits: Some(bits),
        ..wanted("exr")
    };
    let all = || vec![half("R"), half("G"), half("B"), half("A"), depth(), ids()];
    let facts = verify(&written(all()), &asked(Channels::Rgba, Bits::Half)).unwrap();
    assert_eq!(facts.notes, ["it has further channels: Z, ID"]);
    let flaw = verify(&written(vec![ids()]), &asked(Channels::Gray, Bits::Float)).unwrap_err();
    assert_eq!(
        flaw.to_string(),
        "its depth is 32-bit whole numbers, not float"
    );
    verify(&written(vec![depth()]), &asked(Channels::Gray, Bits::Float)).unwrap();
    let mixed = vec![
        half("R"),
        half("G"),
        half("B"),
        AnyChannel::new("A", FlatSamples::F32(vec![1.0; size.0 * size.1])),
    ];
    let flaw = verify(&written(mixed), &asked(Channels::Rgba, Bits::Half)).unwrap_err();
    assert_eq!(flaw.to_string(), "its depth is of several depths, not half");
}

/// A chunk of a PNG.
fn chunk(name: &[u8; 4], content: &[u8]) -> Vec<u8> {
    let mut sum = crc32fast::Hasher::new();
    sum.update(name);
    sum.update(content);
    let length = content.len() as u32;
    let sum = sum.finalize().to_be_bytes();
    [&length.to_be_bytes()[..], name, content, &sum].concat()
}

/// A gray PNG of 8 by 2 pixels with so many bits, whose compressed stream lacks so many bytes at its end.
fn gray_png(bits: u8, lacking: usize) -> Vec<u8> {
    let row = vec![0_u8; usize::from(bits) + 1];
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::fast());
    std::io::Write::write_all(&mut packer, &[row.clone(), row].concat()).unwrap();
    let packed = packer.finish().unwrap();
    let head = [0, 0, 0, 8, 0, 0, 0, 2, bits, 0, 0, 0, 0];
    [
        b"\x89PNG\r\n\x1a\n".to_vec(),
        chunk(b"IHDR", &head),
        chunk(b"IDAT", &packed[..packed.len() - lacking]),
        chunk(b"IEND", &[]),
    ]
    .concat()
}

#[test]
fn a_png_without_the_end_of_its_stream_is_not_whole() {
    let folder = tempfile::tempdir().unwrap();
    let any = ExpectedPicture::of_format(format("png").unwrap());
    for bits in [1, 8] {
        let whole = written(folder.path(), &gray_png(bits, 0));
        verify(&whole, &any).unwrap();
        // The checksum alone, and the last of the pixels with it.
        for lacking in [1, 4, 5] {
            let cut = written(folder.path(), &gray_png(bits, lacking));
            let flaw = verify(&cut, &any).unwrap_err();
            assert!(matches!(flaw, Flaw::Broken(_)), "{bits}, {lacking}: {flaw}");
        }
    }
}

#[test]
fn few_bits_are_not_eight() {
    let folder = tempfile::tempdir().unwrap();
    let any = ExpectedPicture::of_format(format("png").unwrap());
    let eight = ExpectedPicture {
        bits: Some(Bits::Eight),
        ..any.clone()
    };
    for bits in [1, 2, 4] {
        let path = written(folder.path(), &gray_png(bits, 0));
        assert_eq!(verify(&path, &any).unwrap().kind().bits, bits.to_string());
        let flaw = verify(&path, &eight).unwrap_err();
        let fix = flaw.fix("the renderer").unwrap();
        assert!(
            fix.contains("leave `bits` unset"),
            "no key takes {bits}: {fix}"
        );
    }
    verify(&written(folder.path(), &gray_png(8, 0)), &eight).unwrap();
}
