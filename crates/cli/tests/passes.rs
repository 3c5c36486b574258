//! Layers are taken apart and put together without the loss of a bit, as other readers see them too.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::layers::bits;
use common::{Project, needs};
use exr::image::{AnyChannel, AnyChannels, FlatSamples, Image, Layer};
use exr::meta::attribute::IntegerBounds;
use exr::prelude::{
    Blocks, Compression, Encoding, ImageAttributes, LayerAttributes, LineOrder, Vec2,
    WritableImage, f16,
};
use rustix::process::Pid;

const WIDTH: usize = 40;
const HEIGHT: usize = 24;

/// Samples with all kinds of bits, those that are no numbers among them.
fn halves(seed: u32) -> FlatSamples {
    let bits = |at: usize| {
        (at as u32)
            .wrapping_mul(2_654_435_761)
            .wrapping_add(seed * 77) as u16
    };
    FlatSamples::F16(
        (0..WIDTH * HEIGHT)
            .map(|at| f16::from_bits(bits(at)))
            .collect(),
    )
}

fn floats(seed: u32) -> FlatSamples {
    let bits = |at: usize| {
        (at as u32)
            .wrapping_mul(2_654_435_761)
            .wrapping_add(seed * 77)
    };
    FlatSamples::F32(
        (0..WIDTH * HEIGHT)
            .map(|at| f32::from_bits(bits(at)))
            .collect(),
    )
}

fn whole(seed: u32) -> FlatSamples {
    FlatSamples::U32((0..WIDTH * HEIGHT).map(|at| at as u32 ^ seed).collect())
}

/// Writes a file of these channels, whose data window begins somewhere in a larger picture.
fn layered(path: &Path, compression: Compression, channels: &[(&str, FlatSamples)]) {
    let encoding = Encoding {
        compression,
        line_order: LineOrder::Increasing,
        ..Encoding::FAST_LOSSLESS
    };
    encoded(path, encoding, channels);
}

/// The same with blocks of any kind, in any order.
fn encoded(path: &Path, encoding: Encoding, channels: &[(&str, FlatSamples)]) {
    let channels = channels
        .iter()
        .map(|(name, samples)| AnyChannel::new(*name, samples.clone()));
    let attributes = LayerAttributes {
        layer_position: Vec2(4, -2),
        ..LayerAttributes::default()
    };
    let layer = Layer::new(
        (WIDTH, HEIGHT),
        attributes,
        encoding,
        AnyChannels::sort(channels.collect()),
    );
    let display = IntegerBounds::new((0, 0), (WIDTH + 10, HEIGHT + 6));
    Image::new(ImageAttributes::new(display), layer)
        .write()
        .to_file(path)
        .unwrap();
}

fn six_channels() -> Vec<(&'static str, FlatSamples)> {
    vec![
        ("R", halves(1)),
        ("G", halves(2)),
        ("B", halves(3)),
        ("left.depth.Z", floats(4)),
        ("object names.id", whole(5)),
        ("über-pass.Y", halves(6)),
    ]
}

#[test]
fn taken_apart_and_put_together_it_is_the_same_bit_for_bit() {
    for compression in [
        Compression::ZIP16,
        Compression::ZIP1,
        Compression::PIZ,
        Compression::RLE,
        Compression::Uncompressed,
    ] {
        let project = Project::empty();
        layered(&project.path("a.exr"), compression, &six_channels());
        let split = project
            .call(&["passes", "split", "a.exr", "--to", "s/{layer}.exr"])
            .ends(0);
        assert_eq!(split.out.lines().count(), 4, "{}", split.out);
        assert_eq!(
            project.files("s"),
            [
                "left.depth.exr",
                "main.exr",
                "object names.exr",
                "über-pass.exr"
            ]
        );
        assert_eq!(
            bits(&project.path("s/left.depth.exr"))
                .keys()
                .collect::<Vec<_>>(),
            ["Z"]
        );
        project
            .call(&[
                "passes",
                "merge",
                "s/main.exr",
                "left.depth=s/left.depth.exr",
                "object names=s/object names.exr",
                "über-pass=s/über-pass.exr",
                "--to",
                "b.exr",
            ])
            .ends(0);
        let (before, after) = (bits(&project.path("a.exr")), bits(&project.path("b.exr")));
        assert!(
            before == after,
            "{compression:?}: {:?} and {:?}",
            before.keys(),
            after.keys()
        );
        let listed = |file: &str| {
            project
                .call(&["passes", "list", file, "--format", "json"])
                .ends(0)
                .json()
        };
        let (mut first, mut second) = (listed("a.exr"), listed("b.exr"));
        for list in [&mut first, &mut second] {
            for layer in list["layers"].as_array_mut().unwrap() {
                layer["file"] = "same".into();
            }
        }
        assert_eq!(first, second);
        let layer = &first["layers"][0];
        assert_eq!((&layer["left"], &layer["top"]), (&4.into(), &(-2).into()));
        assert_eq!(
            (&layer["size"], &layer["display"]),
            (&"40x24".into(), &"50x30".into())
        );
    }
}

#[test]
fn layers_come_together_however_their_files_are_cut_into_blocks() {
    let tiles = |side| Blocks::Tiles(Vec2(side, side));
    let encoding = |compression, blocks, line_order| Encoding {
        compression,
        blocks,
        line_order,
    };
    let kinds = [
        encoding(Compression::ZIP1, Blocks::ScanLines, LineOrder::Decreasing),
        encoding(Compression::PIZ, Blocks::ScanLines, LineOrder::Increasing),
        encoding(Compression::ZIP16, tiles(16), LineOrder::Unspecified),
        encoding(Compression::RLE, tiles(7), LineOrder::Unspecified),
        encoding(Compression::Uncompressed, tiles(64), LineOrder::Unspecified),
    ];
    let samples = |number: usize| {
        let number = number as u32;
        [
            ("Z", floats(number)),
            ("id", whole(number)),
            ("Y", halves(number)),
        ]
    };
    // Each kind is the first once: by it the new file is cut.
    for first in 0..kinds.len() {
        let project = Project::empty();
        let mut arguments = vec!["passes".to_owned(), "merge".to_owned()];
        for (number, kind) in kinds
            .iter()
            .cycle()
            .skip(first)
            .take(kinds.len())
            .enumerate()
        {
            let name = format!("{number}.exr");
            encoded(&project.path(&name), *kind, &samples(number));
            arguments.push(format!("layer{number}={name}"));
        }
        arguments.extend(["--to".to_owned(), "m.exr".to_owned()]);
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        project.call(&arguments).ends(0);
        let merged = bits(&project.path("m.exr"));
        assert_eq!(merged.len(), 15);
        for number in 0..kinds.len() {
            for (name, samples) in bits(&project.path(&format!("{number}.exr"))) {
                let layer = format!("layer{number}.{name}");
                assert_eq!(merged[&layer], samples, "{layer} of {:?}", kinds[first]);
            }
        }
        // And apart again.
        let split = ["passes", "split", "m.exr", "--to", "s/{layer}.exr"];
        project.call(&split).ends(0);
        let last = bits(&project.path("s/layer4.exr"));
        assert_eq!(last, bits(&project.path("4.exr")));
    }
}

#[test]
fn a_large_file_is_taken_apart_in_little_memory() {
    // 2048 x 2048 pixels of 12 bytes, which are 48 MB.
    let project = Project::empty();
    let size = 2048_usize;
    let channel = |name: &str, seed: f32| {
        let values = (0..size * size)
            .map(|at| (at % 977) as f32 * seed)
            .collect();
        AnyChannel::new(name, FlatSamples::F32(values))
    };
    let channels = vec![
        channel("Y", 0.5),
        channel("depth.Z", 0.25),
        channel("id.Y", 2.0),
    ];
    let encoding = Encoding {
        compression: Compression::Uncompressed,
        blocks: Blocks::ScanLines,
        line_order: LineOrder::Increasing,
    };
    let channels = AnyChannels::sort(channels.into_iter().collect());
    let layer = Layer::new((size, size), LayerAttributes::default(), encoding, channels);
    Image::new(ImageAttributes::with_size((size, size)), layer)
        .write()
        .to_file(project.path("large.exr"))
        .unwrap();
    let mut command = project.command(&["passes", "split", "large.exr", "--layer", "depth"]);
    let mut child = command.spawn().unwrap();
    let id = Pid::from_raw(child.id().try_into().unwrap()).unwrap();
    let mut most = 0;
    loop {
        // The peak, in kB, as long as the process is there.
        let status = fs::read_to_string(format!("/proc/{}/status", id.as_raw_nonzero()));
        let peak = status.ok().and_then(|text| {
            let line = text.lines().find(|line| line.starts_with("VmHWM:"))?;
            line.split_whitespace().nth(1)?.parse::<u64>().ok()
        });
        most = most.max(peak.unwrap_or(0));
        if let Some(status) = child.try_wait().unwrap() {
            assert!(status.success());
            break;
        }
    }
    assert!(most > 0 && most < 40_000, "{most} kB");
    let (all, depth) = (
        bits(&project.path("large.exr")),
        bits(&project.path("large_depth.exr")),
    );
    assert_eq!(depth["Z"], all["depth.Z"]);
}

#[test]
fn layers_of_other_windows_become_parts() {
    let project = Project::empty();
    layered(
        &project.path("a.exr"),
        Compression::ZIP16,
        &[("R", halves(1)), ("G", halves(2)), ("B", halves(3))],
    );
    let part = Layer::new(
        (8, 8),
        LayerAttributes::default(),
        Encoding::FAST_LOSSLESS,
        AnyChannels::sort(
            [AnyChannel::new("Z", FlatSamples::F32(vec![0.5; 64]))]
                .into_iter()
                .collect(),
        ),
    );
    let display = IntegerBounds::new((0, 0), (WIDTH + 10, HEIGHT + 6));
    Image::new(ImageAttributes::new(display), part)
        .write()
        .to_file(project.path("z.exr"))
        .unwrap();
    project
        .call(&["passes", "merge", "a.exr", "depth=z.exr", "--to", "m.exr"])
        .ends(0);
    let found = bits(&project.path("m.exr"));
    assert_eq!(
        found.keys().collect::<Vec<_>>(),
        ["depth.Z", "main.B", "main.G", "main.R"]
    );
    assert_eq!(found["main.R"], bits(&project.path("a.exr"))["R"]);
    project.call(&["passes", "split", "m.exr"]).ends(0);
    assert_eq!(
        bits(&project.path("m_depth.exr"))["Z"],
        vec![0.5_f32.to_bits(); 64]
    );
    if needs("oiiotool") {
        let shown = Command::new("oiiotool")
            .args(["--info", "-v"])
            .arg(project.path("m.exr"))
            .output()
            .unwrap();
        let text = String::from_utf8_lossy(&shown.stdout).into_owned();
        assert!(
            shown.status.success() && text.contains("2 subimages"),
            "{text}"
        );
    }
}

#[test]
fn another_reader_sees_the_same_pixels() {
    if !needs("oiiotool") {
        return;
    }
    let project = Project::empty();
    let even = |value: f32| FlatSamples::F16(vec![f16::from_f32(value); WIDTH * HEIGHT]);
    let channels = [
        ("R", even(0.25)),
        ("G", even(0.5)),
        ("B", even(0.75)),
        ("depth.Z", floats(0)),
    ];
    layered(&project.path("a.exr"), Compression::ZIP16, &channels);
    project
        .call(&["passes", "split", "a.exr", "--layer", "main"])
        .ends(0);
    let shown = Command::new("oiiotool")
        .args(["--stats"])
        .arg(project.path("a_main.exr"))
        .output()
        .unwrap();
    let text = String::from_utf8_lossy(&shown.stdout).into_owned();
    assert!(
        shown.status.success(),
        "{}",
        String::from_utf8_lossy(&shown.stderr)
    );
    assert!(text.contains("0.250000 0.500000 0.750000"), "{text}");
    assert_eq!(project.files(".").len(), 2);
}

#[test]
fn nothing_is_replaced_and_mistakes_are_named() {
    let project = Project::empty();
    layered(&project.path("a.exr"), Compression::ZIP16, &six_channels());
    layered(
        &project.path("evil.exr"),
        Compression::ZIP16,
        &[("../../up.R", halves(1))],
    );
    project.write("a_main.exr", "mine");
    let half = fs::read(project.path("a.exr")).unwrap();
    fs::write(project.path("half.exr"), &half[..half.len() / 2]).unwrap();
    let cases: [(&[&str], &str); 9] = [
        (&["split", "a.exr"], "a_main.exr is there already"),
        (
            &["split", "a.exr", "--to", "{stem}.exr"],
            "a.exr is there already",
        ),
        (
            &["split", "a.exr", "--to", "x.exr"],
            "several layers would get the name x.exr",
        ),
        (
            &["split", "a.exr", "--layer", "dpeth"],
            "has no layer dpeth; it has main, left.depth",
        ),
        (
            &["split", "a.exr", "--to", "{shot}.exr"],
            "it takes {folder}, {stem} and {layer}",
        ),
        (&["split", "evil.exr"], "a name that no file can have"),
        (&["split", "half.exr"], "half.exr: "),
        (
            &["merge", "a.exr", "a.exr", "--to", "m.exr"],
            "two layers have the name",
        ),
        (&["merge", "a.exr", "--to", "m.png"], "does not end in .exr"),
    ];
    for (options, wanted) in cases {
        let called = project.call(&[&["passes"], options].concat()).ends(2);
        assert!(called.err.contains(wanted), "{options:?}: {}", called.err);
    }
    assert_eq!(project.read("a_main.exr"), "mine");
    assert_eq!(
        project.files("."),
        ["a.exr", "a_main.exr", "evil.exr", "half.exr"]
    );
}

#[test]
fn layers_become_open_raster_that_other_programs_read() {
    let project = Project::empty();
    let size = truepath_core::picture::Size {
        width: 40,
        height: 30,
    };
    // Half transparent light, over a PNG that must stay as it is.
    let mut canvas = truepath_media::Canvas::new(size, truepath_core::picture::Channels::Rgba);
    for pixel in canvas.values.chunks_exact_mut(4) {
        pixel.copy_from_slice(&[0.5, 0.0, 0.0, 0.5]);
    }
    let file = std::io::BufWriter::new(fs::File::create(project.path("glow.exr")).unwrap());
    let half = truepath_core::picture::Bits::Half;
    truepath_media::write_exr(&[(String::new(), canvas)], file, half, "zip", 1.0).unwrap();
    let sky = common::picture_of(40, 30, png::ColorType::Rgb, 7);
    fs::write(project.path("sky.png"), &sky).unwrap();
    let layers = ["sky.png", "glow <1> & \"two\"=glow.exr"];
    for to in ["dawn.ora", "again.ora"] {
        project
            .call(&["passes", "merge", layers[0], layers[1], "--to", to])
            .ends(0);
    }
    assert_eq!(
        fs::read(project.path("dawn.ora")).unwrap(),
        fs::read(project.path("again.ora")).unwrap()
    );
    let refused = project.call(&["passes", "merge", "sky.png", "--to", "dawn.ora"]);
    assert!(refused.ends(2).err.contains("dawn.ora"));
    fs::write(project.path("half.png"), &sky[..sky.len() / 2]).unwrap();
    fs::write(
        project.path("small.png"),
        common::picture_of(20, 30, png::ColorType::Rgb, 7),
    )
    .unwrap();
    for (wrong, why) in [
        ("half.png", "half.png"),
        ("small.png", "20x30"),
        ("none.png", "none.png"),
    ] {
        let refused = project.call(&["passes", "merge", "sky.png", wrong, "--to", "x.ora"]);
        let refused = refused.ends(2);
        assert!(refused.err.contains(why), "{}", refused.err);
        assert!(!project.path("x.ora").exists());
    }
    if !common::needs("python3") {
        return;
    }
    // An independent reader of the zip, the list and the pictures' bytes.
    let script = r#"
import sys, zipfile, xml.etree.ElementTree as tree, struct, zlib
zip = zipfile.ZipFile("dawn.ora")
assert zip.testzip() is None
first = zip.infolist()[0]
assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
assert zip.read("mimetype") == b"image/openraster"
image = tree.fromstring(zip.read("stack.xml"))
assert (image.get("w"), image.get("h")) == ("40", "30")
layers = image.find("stack").findall("layer")
assert [one.get("name") for one in layers] == ['glow <1> & "two"', "sky"]
assert zip.read(layers[1].get("src")) == open("sky.png", "rb").read()
def rows(data):
    at, body = 8, b""
    while at < len(data):
        length, kind = struct.unpack(">I4s", data[at:at + 8])
        if kind == b"IHDR": head = struct.unpack(">IIBB", data[at + 8:at + 18])
        if kind == b"IDAT": body += data[at + 8:at + 8 + length]
        at += 12 + length
    return head, zlib.decompress(body)
head, body = rows(zip.read(layers[0].get("src")))
assert head == (40, 30, 16, 6), head
head, body = rows(zip.read("mergedimage.png"))
assert head == (40, 30, 8, 6), head
assert "Thumbnails/thumbnail.png" in zip.namelist()
zip.extractall("out")
"#;
    let output = std::process::Command::new("python3")
        .args(["-c", script])
        .current_dir(project.path("."))
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    // The light is a red of full strength, half transparent; what is merged is it over the sky.
    let pixel = |name: &str| {
        let image = image::open(project.path(name)).unwrap().to_rgba8();
        image.get_pixel(3, 3).0
    };
    assert_eq!(pixel("out/data/layer1.png"), [255, 0, 0, 128]);
    let sky = pixel("sky.png");
    let light = |value: u8| truepath_core::picture::srgb_light(f32::from(value) / 255.0);
    let merged = [
        truepath_core::picture::srgb_byte(0.5 + 0.5 * light(sky[0])),
        truepath_core::picture::srgb_byte(0.5 * light(sky[1])),
        truepath_core::picture::srgb_byte(0.5 * light(sky[2])),
        255,
    ];
    for (one, other) in pixel("out/mergedimage.png").iter().zip(merged) {
        assert!(one.abs_diff(other) <= 1, "{merged:?}");
    }
}
