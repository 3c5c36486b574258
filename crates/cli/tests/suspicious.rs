//! Pictures that are whole and still wrong: each fault, planted into each format at the first, a middle and the
//! last frame, is reported; thousands of frames as they should be raise no warning.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::BufWriter;
use std::path::Path;

use common::{Project, kiln, made_up, needs};
use image::{ExtendedColorType, ImageEncoder};
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, write_exr};

const SIZE: Size = Size {
    width: 64,
    height: 48,
};
/// Frames of a sequence with a fault.
const COUNT: u32 = 12;

/// A format that faults are planted into.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Format {
    Png8,
    Png16,
    ExrHalf,
    ExrFloat,
    Jpeg,
    Tiff,
}

impl Format {
    const ALL: [Self; 6] = [
        Self::Png8,
        Self::Png16,
        Self::ExrHalf,
        Self::ExrFloat,
        Self::Jpeg,
        Self::Tiff,
    ];

    fn extension(self) -> &'static str {
        match self {
            Self::Png8 | Self::Png16 => "png",
            Self::ExrHalf | Self::ExrFloat => "exr",
            Self::Jpeg => "jpg",
            Self::Tiff => "tif",
        }
    }

    fn has_alpha(self) -> bool {
        self != Self::Jpeg
    }

    fn is_float(self) -> bool {
        matches!(self, Self::ExrHalf | Self::ExrFloat)
    }

    fn write(self, canvas: &Canvas, path: &Path) {
        let out = BufWriter::new(File::create(path).unwrap());
        let bytes = || -> Vec<u8> {
            let byte = |value: &f32| (value.clamp(0.0, 1.0) * 255.0).round() as u8;
            canvas.values.iter().map(byte).collect()
        };
        let color = match canvas.channels {
            Channels::Gray => ExtendedColorType::L8,
            Channels::GrayAlpha => ExtendedColorType::La8,
            Channels::Rgb => ExtendedColorType::Rgb8,
            Channels::Rgba => ExtendedColorType::Rgba8,
        };
        let (width, height) = (canvas.size.width, canvas.size.height);
        let planes = [(String::new(), canvas.clone())];
        match self {
            Self::Png8 => canvas.write_png(out, Bits::Eight).unwrap(),
            Self::Png16 => canvas.write_png(out, Bits::Sixteen).unwrap(),
            Self::ExrHalf => write_exr(&planes, out, Bits::Half, "zip", 1.0).unwrap(),
            Self::ExrFloat => write_exr(&planes, out, Bits::Float, "piz", 1.0).unwrap(),
            Self::Jpeg => image::codecs::jpeg::JpegEncoder::new_with_quality(out, 92)
                .write_image(&bytes(), width, height, color)
                .unwrap(),
            Self::Tiff => image::codecs::tiff::TiffEncoder::new(out)
                .write_image(&bytes(), width, height, color)
                .unwrap(),
        }
    }
}

/// Pseudo-random numbers from 0 to 1, by the constants of Numerical Recipes.
struct Chance(u32);

impl Chance {
    fn next(&mut self) -> f32 {
        self.0 = self.0.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (self.0 >> 8) as f32 / (1 << 24) as f32
    }
}

/// A picture of soft clouds with some grain, which moves with the frame; `look` is another camera.
fn clouds(frame: u32, look: u32, channels: Channels) -> Canvas {
    let mut canvas = Canvas::new(SIZE, channels);
    let mut chance = Chance(frame * 77 + look);
    let time = frame as f32 * 0.15 + look as f32 * 9.0;
    let count = channels.count();
    let colors = count - usize::from(matches!(channels, Channels::Rgba | Channels::GrayAlpha));
    for (at, pixel) in canvas.values.chunks_exact_mut(count).enumerate() {
        let (x, y) = ((at % 64) as f32 / 64.0, (at / 64) as f32 / 48.0);
        let wave = (x * 7.0 + time).sin() * (y * 5.0 - time * 0.7).cos();
        for (channel, value) in pixel.iter_mut().enumerate() {
            *value = if channel < colors {
                0.45 + 0.3 * wave + 0.05 * channel as f32 + 0.04 * chance.next()
            } else {
                (0.5 + wave).clamp(0.0, 1.0)
            };
        }
    }
    canvas
}

/// A sequence in a project of its own, without any renderer: the files are there, and are audited.
fn sequence(format: Format, more: &str, cameras: &[&str]) -> Project {
    let list = cameras
        .iter()
        .map(|name| format!("\"{name}\""))
        .collect::<Vec<_>>();
    let cameras = match cameras {
        [_, _, ..] => format!("cameras = [{}]\n", list.join(", ")),
        _ => String::new(),
    };
    let project = Project::new(&format!(
        "scene = \"kiln.toml\"\nengine = \"understudy\"\n{cameras}{more}\
         path = \"r/{{shot}}{{?_{{camera}}}}.{{frame:04}}.{}\"\n",
        format.extension()
    ));
    project.write("kiln.toml", "title = \"kiln\"\n");
    fs::create_dir(project.path("r")).unwrap();
    project
}

fn path(project: &Project, camera: &str, frame: u32, format: Format) -> std::path::PathBuf {
    let camera = if camera.is_empty() {
        String::new()
    } else {
        format!("_{camera}")
    };
    project.path(&format!("r/kiln{camera}.{frame:04}.{}", format.extension()))
}

/// The codes of the findings about pictures, with their severity and their sentences.
fn found(project: &Project) -> Vec<(String, String, String)> {
    let audit = project.audit();
    assert_eq!(audit["complete"], true, "{audit:#}");
    let text = |one: &serde_json::Value, key: &str| one[key].as_str().unwrap().to_owned();
    let findings = audit["findings"].as_array().unwrap();
    findings
        .iter()
        .map(|one| {
            (
                text(one, "code"),
                text(one, "severity"),
                text(one, "sentence"),
            )
        })
        .collect()
}

/// Draws what is wrong with a frame: canvas, the frame before it.
type Fault = fn(&mut Canvas, &Canvas);

fn blank(canvas: &mut Canvas, is_in: impl Fn(usize, usize) -> bool) {
    let count = canvas.channels.count();
    for (at, pixel) in canvas.values.chunks_exact_mut(count).enumerate() {
        if is_in(at % 64, at / 64) {
            pixel.fill(0.0);
        }
    }
}

/// Colors of all pixels at once; alpha stays.
fn paint(canvas: &mut Canvas, color: impl Fn(f32) -> f32) {
    let count = canvas.channels.count();
    for pixel in canvas.values.chunks_exact_mut(count) {
        for value in &mut pixel[..count.min(3)] {
            *value = color(*value);
        }
    }
}

/// The code that must report it, what it is, and how it is drawn.
const FAULTS: [(&str, &str, Fault); 13] = [
    ("TP801", "a pixel that is not a number", |canvas, _| {
        canvas.values[40] = f32::NAN
    }),
    ("TP801", "an infinite pixel", |canvas, _| {
        canvas.values[40] = f32::INFINITY
    }),
    ("TP802", "black", |canvas, _| paint(canvas, |_| 0.0)),
    ("TP802", "white", |canvas, _| paint(canvas, |_| 1.0)),
    ("TP802", "one gray", |canvas, _| paint(canvas, |_| 0.5)),
    ("TP803", "opaque", |canvas, _| {
        canvas
            .values
            .chunks_exact_mut(4)
            .for_each(|pixel| pixel[3] = 1.0);
    }),
    ("TP803", "transparent", |canvas, _| {
        canvas
            .values
            .chunks_exact_mut(4)
            .for_each(|pixel| pixel[3] = 0.0);
    }),
    ("TP804", "rows", |canvas, _| blank(canvas, |_, y| y >= 24)),
    ("TP804", "columns", |canvas, _| blank(canvas, |x, _| x < 16)),
    ("TP804", "a tile", |canvas, _| {
        blank(canvas, |x, y| {
            (16..48).contains(&x) && (16..32).contains(&y)
        });
    }),
    ("TP805", "the frame before", |canvas, before| {
        canvas.clone_from(before)
    }),
    ("TP807", "a missing light", |canvas, _| {
        paint(canvas, |value| value * 0.3)
    }),
    ("TP807", "much noise", |canvas, _| {
        let mut chance = Chance(5);
        canvas
            .values
            .iter_mut()
            .for_each(|value| *value += 0.4 * chance.next() - 0.2);
    }),
];

#[test]
fn every_fault_is_reported_in_every_format_wherever_it_stands() {
    let mut tried = 0;
    for format in Format::ALL {
        let channels = if format.has_alpha() {
            Channels::Rgba
        } else {
            Channels::Rgb
        };
        let clean: Vec<Canvas> = (0..=COUNT)
            .map(|frame| clouds(frame, 0, channels))
            .collect();
        for (code, what, fault) in FAULTS {
            // Only floating point has numbers that are none, and JPEG has no alpha.
            if (code == "TP801" && !format.is_float()) || (code == "TP803" && !format.has_alpha()) {
                continue;
            }
            let project = sequence(
                format,
                &format!("frames = \"1-{COUNT}\"\nchannels = \"{channels}\"\n"),
                &[],
            );
            for frame in 1..=COUNT {
                let path = path(&project, "", frame, format);
                format.write(&clean[frame as usize], &path);
            }
            assert_eq!(found(&project), [], "{format:?} without a fault");
            for at in [1, COUNT / 2, COUNT] {
                // The first frame has none before it: the second is like it.
                let at = if code == "TP805" { at.max(2) } else { at };
                let shown = format!("{what} in frame {at} of {format:?}");
                let path = path(&project, "", at, format);
                let mut canvas = clean[at as usize].clone();
                fault(&mut canvas, &clean[at as usize - 1]);
                format.write(&canvas, &path);
                let found = found(&project);
                let (_, _, sentence) = found
                    .iter()
                    .find(|(found, ..)| found == code)
                    .unwrap_or_else(|| panic!("{shown}: {found:?}"));
                assert!(
                    sentence.contains(&format!("frame {at} ")),
                    "{shown}: {sentence}"
                );
                format.write(&clean[at as usize], &path);
                tried += 1;
            }
        }
    }
    assert_eq!(tried, 3 * (2 * 2 + 6 * 3 + 5 * 2 + 6 * 6));
}

#[test]
fn the_same_picture_under_two_cameras_is_reported_by_both_names() {
    for format in Format::ALL {
        let project = sequence(
            format,
            &format!("frames = \"1-{COUNT}\"\n"),
            &["front", "top"],
        );
        for frame in 1..=COUNT {
            for (look, camera) in ["front", "top"].into_iter().enumerate() {
                // From the ninth frame on the camera was not set.
                let look = if frame < 9 { look as u32 } else { 0 };
                let canvas = clouds(frame, look, Channels::Rgb);
                format.write(&canvas, &path(&project, camera, frame, format));
            }
        }
        let found = found(&project);
        let (_, severity, sentence) = found
            .iter()
            .find(|(code, ..)| code == "TP806")
            .unwrap_or_else(|| panic!("{format:?}: {found:?}"));
        assert_eq!(severity, "warning");
        assert!(sentence.contains("frames 9-12"), "{format:?}: {sentence}");
        assert!(
            sentence.contains("top") && sentence.contains("front"),
            "{sentence}"
        );
    }
}

#[test]
fn a_file_that_is_much_smaller_than_those_beside_is_noted() {
    let project = sequence(Format::Png8, "frames = \"1-12\"\n", &[]);
    for frame in 1..=COUNT {
        let mut canvas = clouds(frame, 0, Channels::Rgb);
        if frame == 5 {
            // The clouds without their grain.
            paint(&mut canvas, |value| (value * 2.0).round() / 2.0);
        }
        Format::Png8.write(&canvas, &path(&project, "", frame, Format::Png8));
    }
    let found = found(&project);
    assert!(
        found
            .iter()
            .any(|(code, severity, _)| code == "TP808" && severity == "note"),
        "{found:?}"
    );
}

/// Draws a frame of an animation.
type Animation = fn(u32) -> Canvas;

/// A picture of black with what a function puts into it.
fn drawn(pixel: impl Fn(f32, f32) -> [f32; 3]) -> Canvas {
    let mut canvas = Canvas::new(SIZE, Channels::Rgb);
    for (at, values) in canvas.values.chunks_exact_mut(3).enumerate() {
        let (x, y) = ((at % 64) as f32, (at / 64) as f32);
        values.copy_from_slice(&pixel(x, y));
    }
    canvas
}

/// A ball that goes to and fro before a plain wall.
fn ball(frame: u32) -> Canvas {
    let center = 32.0 + 20.0 * (frame as f32 * 0.05).sin();
    drawn(|x, y| {
        let (dx, dy) = (x - center, y - 24.0);
        let inside = dx * dx + dy * dy < 100.0;
        if inside {
            [0.8 - dx * 0.01, 0.4, 0.2]
        } else {
            [0.1, 0.15, 0.2 + y * 0.001]
        }
    })
}

/// Animations that are as they should be, and what the job says about them.
const CLEAN: [(&str, &str, Animation); 7] = [
    ("a fade to black and back", "", |frame| {
        let mut canvas = clouds(frame, 0, Channels::Rgb);
        let light = match frame {
            200..224 => 1.0 - (frame - 199) as f32 / 24.0,
            224..236 => 0.0,
            236..260 => (frame - 235) as f32 / 24.0,
            _ => 1.0,
        };
        paint(&mut canvas, |value| value * light);
        canvas
    }),
    ("flashes of two frames", "", |frame| {
        let mut canvas = clouds(frame, 1, Channels::Rgb);
        if frame % 90 < 2 {
            paint(&mut canvas, |value| value * 0.2 + 0.8);
        } else if frame == 300 || frame == 301 {
            paint(&mut canvas, |_| 1.0);
        }
        canvas
    }),
    ("a standing camera", "", ball),
    ("stars", "", |frame| {
        let mut chance = Chance(7);
        let stars: Vec<(f32, f32)> = (0..40)
            .map(|_| (chance.next() * 600.0, chance.next() * 48.0))
            .collect();
        drawn(|x, y| {
            let is_star = |(left, top): &(f32, f32)| {
                let left = (left + frame as f32 * 0.7) % 600.0 - 200.0;
                (left - x).abs() < 0.7 && (top - y).abs() < 0.7
            };
            if stars.iter().any(is_star) {
                [0.9, 0.9, 1.0]
            } else {
                [0.0; 3]
            }
        })
    }),
    ("animation on twos", "", |frame| ball(frame / 2 * 2)),
    (
        "mattes of one value",
        "color.pixels = \"data\"\n",
        |frame| {
            let value = if frame % 50 < 20 { 0.0 } else { 1.0 };
            drawn(|x, _| {
                [if (frame / 25).is_multiple_of(2) {
                    value
                } else {
                    f32::from(u8::from(x < 32.0))
                }; 3]
            })
        },
    ),
    ("a curtain that opens, and bars", "", |frame| {
        let clouds = clouds(frame, 3, Channels::Rgb);
        let open = (frame as f32 * 0.4) % 40.0;
        let mut canvas = clouds;
        blank(&mut canvas, |x, y| {
            !(6..42).contains(&y) || (x as f32) > 24.0 + open
        });
        canvas
    }),
];

#[test]
fn thousands_of_frames_as_they_should_be_raise_no_warning() {
    let mut frames = 0;
    for (what, more, animation) in CLEAN {
        let project = sequence(Format::Png8, &format!("frames = \"1-480\"\n{more}"), &[]);
        for frame in 1..=480 {
            Format::Png8.write(&animation(frame), &path(&project, "", frame, Format::Png8));
        }
        let warnings: Vec<_> = found(&project)
            .into_iter()
            .filter(|(_, severity, _)| severity != "note")
            .collect();
        assert_eq!(warnings, [], "{what}");
        frames += 480;
    }
    assert!(frames >= 3000);
}

#[test]
fn what_renderers_make_raises_no_warning() {
    let rendered = kiln("1-60", "passes = [\"beauty\", \"depth\", \"shadow\"]\n", "");
    let job = rendered.read("truepath.toml");
    rendered.write("truepath.toml", &job.replace("{shot}.", "{shot}_{pass}."));
    rendered.call(&["run"]).ends(0);
    let severities: BTreeSet<String> = found(&rendered)
        .into_iter()
        .map(|(_, one, _)| one)
        .collect();
    assert!(severities.iter().all(|one| one == "note"), "{severities:?}");
    if !needs("povray") {
        return;
    }
    let traced = Project::new(
        "scene = \"ball.pov\"\nframes = \"1-40\"\nengine = \"povray\"\nsize = \"64x48\"\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    traced.write(
        "ball.pov",
        "#version 3.7;\nglobal_settings { assumed_gamma 1.0 }\ncamera { location <0, 1, -5> look_at 0 }\n\
         light_source { <4, 6, -8> rgb 1 }\nplane { y, -1 pigment { checker rgb 0.9 rgb 0.2 } }\n\
         sphere { <2 * sin(clock * 6), 0, 0>, 1 pigment { rgb <0.9, 0.4, 0.1> } }\n",
    );
    traced.call(&["run"]).ends(0);
    let warnings: Vec<_> = found(&traced)
        .into_iter()
        .filter(|(_, severity, _)| severity != "note")
        .collect();
    assert_eq!(warnings, []);
}

/// A renderer that gets the camera as an argument and ignores it.
fn wrong_camera(more: &str) -> Project {
    let project = made_up(
        " }\narguments = [\"{frame}\", \"{camera}\"]\noutput-name = \"p{frame:?}.png\"\n",
        "cp ../../clouds$1.png p$1.png\n",
        &format!("frames = \"1-40\"\ncameras = [\"front\", \"top\"]\n{more}"),
    );
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("{shot}.", "{shot}_{camera}."));
    for frame in 1..=40 {
        let canvas = clouds(frame, 0, Channels::Rgb);
        Format::Png8.write(&canvas, &project.path(&format!("clouds{frame}.png")));
    }
    project
}

#[test]
fn a_run_says_at_once_that_two_cameras_show_the_same() {
    let project = wrong_camera("");
    let called = project.call(&["run", "--verbose", "--jobs", "2"]).ends(0);
    let lines: Vec<&str> = called.err.lines().collect();
    let reported = lines.iter().position(|line| line.contains("TP806"));
    let reported = reported.unwrap_or_else(|| panic!("{}", called.err));
    // With the first frames of the second camera.
    let of_top = lines[..reported]
        .iter()
        .filter(|line| line.contains("· top ·") && line.contains(" files, "));
    assert!(of_top.count() <= 3, "{}", called.err);
    assert!(
        called.out.contains("show the very pixels of"),
        "{}",
        called.out
    );
    // It is reported once while the run is at work, and once more in the summary.
    let times = called.err.matches("TP806").count();
    assert_eq!(times, 1, "{}", called.err);
}

#[test]
fn a_run_stops_at_what_the_job_says() {
    let project = wrong_camera("stop-on = [\"same-picture\", \"black\"]\n");
    let called = project.call(&["run", "--jobs", "2"]).ends(1);
    assert!(called.out.contains("stopped"), "{}", called.out);
    assert!(
        called.out.contains("the job says to stop then"),
        "{}",
        called.out
    );
    let there = project.files("r").len();
    assert!((2..50).contains(&there), "{there}");
    // What is there stays, and another word is refused with what would work.
    let wrong = project
        .call(&["check", "--set", "stop-on=[\"blakc\"]"])
        .ends(2);
    assert!(wrong.err.contains("did you mean `black`?"), "{}", wrong.err);
}

#[test]
fn what_a_run_measured_is_in_its_ledger() {
    let project = wrong_camera("");
    project.call(&["run"]).ends(0);
    let ledger = project.read(".truepath/ledger/0001.jsonl");
    let measured = ledger.lines().filter(|line| {
        line.contains("\"published\"")
            && line.contains("\"brightness\":")
            && line.contains("\"hash\":\"blake3:")
    });
    assert_eq!(measured.count(), 80);
}
