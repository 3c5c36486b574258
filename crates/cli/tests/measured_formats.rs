//! What pictures show is measured alike in every format, by files of an independent writer.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::path::Path;
use std::process::Command;

use truepath_core::picture::{DisplayOptions, PictureMeasure, Size};
use truepath_media::{ExamineOptions, ExpectedPicture, ProxyOptions, examine, proxy, recognise};

const OPTIONS: ExamineOptions<'_> = ExamineOptions {
    hashes: &[],
    measure: true,
};

fn measure(path: &Path) -> PictureMeasure {
    let format = recognise(path).unwrap().unwrap();
    let examined = examine(path, &ExpectedPicture::of_format(format), OPTIONS);
    if let Err(flaw) = &examined.facts {
        panic!("{}: {flaw}", path.display());
    }
    examined
        .measure
        .unwrap_or_else(|| panic!("{} is not measured", path.display()))
}

/// Runs a program in a folder.
fn run(folder: &Path, program: &str, line: &str) {
    let mut command = Command::new(program);
    command.args(line.split(' ')).current_dir(folder);
    let output = command.output().unwrap();
    let error = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{line}: {error}");
}

fn convert(folder: &Path, line: &str) {
    run(folder, "convert", line);
}

/// Files of one picture, how they are written, and how far their values may be from those of the first.
const KINDS: [(&str, &str, f32); 19] = [
    ("interlaced.png", "-interlace PNG", 0.0),
    (
        "interlaced16.png",
        "-interlace PNG -depth 16 -define png:bit-depth=16",
        0.0,
    ),
    ("palette.png", "+dither -colors 256 PNG8:", 0.03),
    (
        "interlaced-palette.png",
        "+dither -colors 256 -interlace PNG PNG8:",
        0.03,
    ),
    ("plain.tga", "ffmpeg -rle 0", 0.0),
    ("runs.tga", "ffmpeg -rle 1", 0.0),
    ("palette.tga", "ffmpeg -pix_fmt pal8", 0.2),
    ("24.bmp", "BMP3:", 0.0),
    ("32.bmp", "-alpha off BMP:", 0.0),
    (
        "palette.bmp",
        "+dither -colors 200 -type Palette BMP3:",
        0.03,
    ),
    (
        "runs.bmp",
        "+dither -colors 200 -type Palette -compress RLE BMP3:",
        0.03,
    ),
    ("555.bmp", "-define bmp:subtype=RGB555 BMP:", 0.04),
    ("565.bmp", "-define bmp:subtype=RGB565 BMP:", 0.04),
    ("8.dpx", "-depth 8", 0.002),
    ("10.dpx", "-depth 10", 0.002),
    ("12.dpx", "-depth 12", 0.002),
    ("16.dpx", "-depth 16", 0.002),
    ("little.dpx", "-depth 10 -endian LSB", 0.002),
    ("light.hdr", "-set colorspace RGB", 0.02),
];

/// A line that writes a file from the first; a prefix such as `BMP3:` names the kind of file.
fn convert_line(options: &str, name: &str) -> String {
    match options.rsplit_once(' ') {
        Some((options, prefix)) if prefix.ends_with(':') => {
            format!("from.png {options} {prefix}{name}")
        }
        None if options.ends_with(':') => format!("from.png {options}{name}"),
        _ => format!("from.png {options} {name}"),
    }
}

#[test]
fn every_format_is_measured_and_shown_alike() {
    if !common::needs("convert") || !common::needs("ffmpeg") {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    convert(
        folder.path(),
        "-size 67x41 gradient:#e02010-#1030d0 ( -size 20x14 xc:#30ff20 ) -geometry +14+5 -composite -depth 8 PNG24:from.png",
    );
    let from = measure(&path("from.png"));
    let small = |path: &Path| {
        let options = ProxyOptions {
            within: Size::square(16),
            is_data: true,
        };
        proxy(path, options)
            .unwrap()
            .shown(DisplayOptions::default())
    };
    let from_shown = small(&path("from.png"));
    for (name, options, tolerance) in KINDS {
        if let Some(options) = options.strip_prefix("ffmpeg ") {
            let line = format!("-v error -i from.png {options} {name}");
            run(folder.path(), "ffmpeg", &line);
        } else {
            convert(folder.path(), &convert_line(options, name));
        }
        let measured = measure(&path(name));
        for (what, found, wanted) in [
            ("brightness", measured.brightness, from.brightness),
            ("contrast", measured.contrast, from.contrast),
            ("lowest", measured.ranges[0].0, from.ranges[0].0),
            ("highest green", measured.ranges[1].1, from.ranges[1].1),
            ("highest blue", measured.ranges[2].1, from.ranges[2].1),
        ] {
            let distance = (found - wanted).abs();
            assert!(
                distance <= tolerance + 1e-5,
                "{name}: {what} is {found}, not {wanted}"
            );
        }
        // Upright, and with its colors at their places.
        let shown = small(&path(name));
        for (x, y) in [(0, 0), (15, 0), (0, 9), (15, 9), (5, 3), (8, 5)] {
            let (found, wanted) = (shown.pixel(x, y), from_shown.pixel(x, y));
            for channel in 0..3 {
                assert!(
                    found[channel].abs_diff(wanted[channel]) <= 12 + (tolerance * 255.0) as u8,
                    "{name}: pixel {x},{y} is {found:?}, not {wanted:?}"
                );
            }
        }
    }
}

#[test]
fn a_picture_of_one_color_is_found_in_every_format() {
    if !common::needs("convert") {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    for name in ["PNG8:a.png", "a.tga", "BMP3:a.bmp", "a.dpx", "a.hdr"] {
        convert(
            folder.path(),
            &format!("-size 40x30 xc:#ff0000 -depth 8 {name}"),
        );
        let file = name.rsplit(':').next().unwrap();
        let color = measure(&folder.path().join(file)).constant_color().unwrap();
        let near = |at: usize, value: f32| (color[at] - value).abs() < 0.01;
        assert!(
            near(0, 1.0) && near(1, 0.0) && near(2, 0.0),
            "{name}: {color:?}"
        );
    }
}
