//! Movies that this program makes by itself: another decoder finds the frames, the colors and the sound that went in.
#![cfg(feature = "movies")]
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Called, Project, kiln, needs, wav};
use image::RgbImage;
use serde_json::Value;
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, write_exr};

/// Patches of even colors, and a square that moves with the frame.
fn picture(frame: u32) -> RgbImage {
    const COLORS: [[u8; 3]; 8] = [
        [0, 0, 0],
        [255, 255, 255],
        [128, 128, 128],
        [200, 40, 40],
        [40, 180, 60],
        [40, 60, 200],
        [230, 200, 60],
        [20, 90, 110],
    ];
    RgbImage::from_fn(192, 112, |x, y| {
        let at = ((x / 48) + 4 * (y / 56)) as usize;
        let is_square = (4 * frame..4 * frame + 12).contains(&x) && (50..62).contains(&y);
        image::Rgb(if is_square { [250; 3] } else { COLORS[at] })
    })
}

/// A folder of so many pictures.
fn sequence(project: &Project, folder: &str, frames: u32) {
    fs::create_dir_all(project.path(folder)).unwrap();
    for frame in 1..=frames {
        let name = format!("{folder}/orr.{frame:04}.png");
        picture(frame).save(project.path(&name)).unwrap();
    }
}

fn probe(movie: &Path) -> Value {
    let called = Command::new("ffprobe")
        .args([
            "-v",
            "error",
            "-count_frames",
            "-show_streams",
            "-show_format",
            "-of",
            "json",
        ])
        .arg(movie)
        .output()
        .unwrap();
    assert!(
        called.stderr.is_empty(),
        "{}",
        String::from_utf8_lossy(&called.stderr)
    );
    serde_json::from_slice(&called.stdout).unwrap()
}

fn seconds(value: &Value) -> f64 {
    value.as_str().unwrap().parse().unwrap()
}

/// The frames of a movie as another program decodes them.
fn decoded(project: &Project, movie: &str) -> Vec<RgbImage> {
    let folder = tempfile::tempdir().unwrap();
    let called = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(project.path(movie))
        .args(["-vf", "scale=flags=accurate_rnd+full_chroma_int"])
        .arg(folder.path().join("%05d.png"))
        .output()
        .unwrap();
    assert!(
        called.stderr.is_empty(),
        "{}",
        String::from_utf8_lossy(&called.stderr)
    );
    let mut files: Vec<_> = fs::read_dir(folder.path())
        .unwrap()
        .map(|one| one.unwrap().path())
        .collect();
    files.sort();
    files
        .iter()
        .map(|path| image::open(path).unwrap().to_rgb8())
        .collect()
}

/// The color in the middle of each patch differs by so many levels at most.
fn assert_same_colors(found: &RgbImage, wanted: &RgbImage, levels: u8, what: &str) {
    for patch in 0..8 {
        let (x, y) = (
            24 + 48 * (patch % 4),
            20 + 56 * (patch / 4) + 14 * (patch / 4),
        );
        let (found, wanted) = (found.get_pixel(x, y), wanted.get_pixel(x, y));
        for at in 0..3 {
            let difference = found[at].abs_diff(wanted[at]);
            assert!(difference <= levels, "{what}: {found:?} for {wanted:?}");
        }
    }
}

#[test]
fn another_decoder_finds_what_went_in() {
    if !needs("ffmpeg") || !needs("ffprobe") {
        return;
    }
    let project = Project::empty();
    sequence(&project, "pictures", 30);
    fs::write(project.path("tone.wav"), wav(9)).unwrap();
    let cases: [(&str, &[&str], &str, &str, u8); 6] = [
        ("a.mp4", &["--fps", "24"], "24/1", "h264", 3),
        (
            "b.mp4",
            &["--fps", "23.976", "--audio", "tone.wav"],
            "24000/1001",
            "h264",
            3,
        ),
        (
            "c.mov",
            &["--fps", "25", "--audio", "tone.wav", "--quality", "high"],
            "25/1",
            "h264",
            3,
        ),
        (
            "d.mov",
            &[
                "--fps",
                "12.5",
                "--audio",
                "tone.wav",
                "--audio-codec",
                "pcm-24",
            ],
            "25/2",
            "h264",
            3,
        ),
        (
            "e.mov",
            &["--fps", "30", "--codec", "mjpeg", "--audio", "tone.wav"],
            "30/1",
            "mjpeg",
            3,
        ),
        (
            "f.mp4",
            &["--fps", "60", "--quality", "draft"],
            "60/1",
            "h264",
            5,
        ),
    ];
    for (movie, options, rate, codec, levels) in cases {
        let call = [&["movie", "pictures", "--to", movie], options].concat();
        project.call(&call).ends(0);
        let found = probe(&project.path(movie));
        let video = &found["streams"][0];
        assert_eq!(video["codec_name"], codec, "{movie}");
        assert_eq!(video["r_frame_rate"], rate, "{movie}");
        assert_eq!(video["nb_read_frames"], "30", "{movie}");
        assert_eq!(
            (&video["width"], &video["height"]),
            (&192.into(), &112.into())
        );
        let (above, below) = rate.split_once('/').unwrap();
        let fps = above.parse::<f64>().unwrap() / below.parse::<f64>().unwrap();
        assert!(
            (seconds(&video["duration"]) - 30.0 / fps).abs() < 0.5 / fps,
            "{movie}: {video}"
        );
        if codec == "h264" {
            for key in ["color_space", "color_transfer", "color_primaries"] {
                assert_eq!(video[key], "bt709", "{movie}: {key}");
            }
            assert_eq!(video["color_range"], "tv");
        }
        let sound = &found["streams"][1];
        assert_eq!(sound.is_object(), options.contains(&"--audio"), "{movie}");
        if sound.is_object() {
            // Silence fills it to the length of the pictures.
            assert!(
                (seconds(&sound["duration"]) - 30.0 / fps).abs() < 0.5 / fps,
                "{movie}: {sound}"
            );
            let wanted = if movie.ends_with("mp4") {
                "flac"
            } else {
                "pcm"
            };
            assert!(
                sound["codec_name"].as_str().unwrap().starts_with(wanted),
                "{sound}"
            );
        }
        let frames = decoded(&project, movie);
        assert_eq!(frames.len(), 30, "{movie}");
        for frame in [1, 15, 30] {
            let wanted = picture(frame);
            let what = format!("{movie}, frame {frame}");
            assert_same_colors(&frames[frame as usize - 1], &wanted, levels, &what);
            // The square is where it was in this frame, and no other.
            let bright = |image: &RgbImage| image.get_pixel(4 * frame + 6, 56)[0] > 200;
            assert!(bright(&frames[frame as usize - 1]), "{what}");
        }
        // Made again it is the same, byte by byte.
        let again = format!("again-{movie}");
        let call = [
            &["movie", "pictures", "--to", &again],
            options,
            &["--threads", "1"],
        ]
        .concat();
        project.call(&call).ends(0);
        assert!(
            fs::read(project.path(movie)).unwrap() == fs::read(project.path(&again)).unwrap(),
            "{movie}"
        );
        // Players need not read it to its end before they begin.
        let bytes = fs::read(project.path(movie)).unwrap();
        let place = |name: &[u8]| bytes.windows(4).position(|four| four == name).unwrap();
        assert!(place(b"moov") < place(b"mdat"), "{movie}");
    }
}

#[test]
fn the_sound_is_the_same_sample_by_sample() {
    if !needs("ffmpeg") {
        return;
    }
    let project = Project::empty();
    sequence(&project, "pictures", 48);
    fs::write(project.path("tone.wav"), wav(20)).unwrap();
    let samples = |file: &str| {
        let called = Command::new("ffmpeg")
            .args(["-v", "error", "-i"])
            .arg(project.path(file))
            .args(["-map", "0:a", "-f", "s16le", "-c:a", "pcm_s16le", "-"])
            .output()
            .unwrap();
        assert!(
            called.stderr.is_empty(),
            "{}",
            String::from_utf8_lossy(&called.stderr)
        );
        called.stdout
    };
    for movie in ["a.mp4", "a.mov"] {
        project
            .call(&[
                "movie", "pictures", "--fps", "24", "--audio", "tone.wav", "--to", movie,
            ])
            .ends(0);
        let (found, wanted) = (samples(movie), samples("tone.wav"));
        assert!(!wanted.is_empty());
        assert!(
            found == wanted,
            "{movie}: {} bytes, not {}",
            found.len(),
            wanted.len()
        );
    }
}

#[test]
fn frames_that_are_missing_or_broken_refuse_the_movie_unless_something_stands_there() {
    let project = Project::empty();
    sequence(&project, "pictures", 8);
    fs::remove_file(project.path("pictures/orr.0003.png")).unwrap();
    let bytes = fs::read(project.path("pictures/orr.0006.png")).unwrap();
    fs::write(
        project.path("pictures/orr.0006.png"),
        &bytes[..bytes.len() / 2],
    )
    .unwrap();
    let call = |options: &[&str]| -> Called {
        project.call(&[&["movie", "pictures", "--fps", "24"], options].concat())
    };
    let refused = call(&["--to", "a.mp4"]).ends(2);
    assert!(
        refused.err.contains("frame 3 of orr: it is missing"),
        "{}",
        refused.err
    );
    // Nothing is left of it.
    assert_eq!(project.files(".").len(), 7);
    for what in ["hold", "black", "slate"] {
        let movie = format!("{what}.mp4");
        let made = call(&["--missing", what, "--to", &movie]).ends(0);
        assert!(
            made.err.contains("2 frames are missing or broken"),
            "{}",
            made.err
        );
        let verified = project.call(&["movie", "--verify", &movie]).ends(0);
        assert!(
            verified
                .out
                .starts_with("frames 8\nwidth 192\nheight 112\n"),
            "{}",
            verified.out
        );
    }
    if !needs("ffmpeg") {
        return;
    }
    assert_same_colors(&decoded(&project, "hold.mp4")[2], &picture(2), 4, "held");
    let black = &decoded(&project, "black.mp4")[5];
    assert!(black.get_pixel(5, 5)[0] < 4);
    // Its number stands in the middle.
    assert!(black.pixels().any(|pixel| pixel[0] > 200));
    let slate = &decoded(&project, "slate.mp4")[5];
    assert!(slate.pixels().any(|pixel| pixel[0] > 200 && pixel[2] < 120));
}

#[test]
fn nothing_is_replaced_and_mistakes_are_named() {
    let project = Project::empty();
    sequence(&project, "pictures", 3);
    sequence(&project, "two/a", 2);
    sequence(&project, "two/b", 2);
    project.write("there.mp4", "mine");
    project.write("no.wav", "no sound");
    let said = |options: &[&str], code: i32| {
        let called = project.call(&[&["movie"], options].concat()).ends(code);
        called.err
    };
    let cases: [(&[&str], &str); 9] = [
        (
            &["pictures", "--fps", "24", "--to", "there.mp4"],
            "there.mp4 is there already",
        ),
        (&["pictures", "--to", "a.mp4"], "set the frame rate"),
        (
            &["pictures", "--fps", "24", "--to", "a.avi"],
            "neither in .mp4 nor in .mov",
        ),
        (
            &[
                "pictures", "--fps", "24", "--codec", "mjpeg", "--to", "a.mp4",
            ],
            "mp4 does not hold mjpeg",
        ),
        (
            &[
                "pictures", "--fps", "24", "--audio", "no.wav", "--to", "a.mp4",
            ],
            "no.wav cannot be used",
        ),
        (
            &[
                "pictures",
                "--fps",
                "24",
                "--burn-in",
                "{shot}",
                "--to",
                "a.mp4",
            ],
            "no token `{shot}`",
        ),
        (
            &["two", "--fps", "24", "--to", "a.mp4"],
            "made of one sequence, and here are 2",
        ),
        (
            &["pictures/x.{frame:04}.png", "--fps", "24", "--to", "a.mp4"],
            "no pictures of such names",
        ),
        (
            &["pictures", "--fps", "0", "--to", "a.mp4"],
            "a number above zero",
        ),
    ];
    for (options, wanted) in cases {
        let err = said(options, 2);
        assert!(err.contains(wanted), "{options:?}: {err}");
    }
    // Odd sides lose a row or a column, which is reported.
    fs::create_dir(project.path("odd")).unwrap();
    RgbImage::new(65, 49)
        .save(project.path("odd/o.0001.png"))
        .unwrap();
    let odd = project
        .call(&["movie", "odd", "--fps", "24", "--to", "odd.mp4"])
        .ends(0);
    assert!(
        odd.err
            .contains("pictures of 65x49: the last row or column is left out"),
        "{}",
        odd.err
    );
    fs::remove_file(project.path("odd.mp4")).unwrap();
    fs::remove_file(project.path("odd/o.0001.png")).unwrap();
    // Pictures of several sizes are no accident of one frame.
    RgbImage::new(64, 64)
        .save(project.path("pictures/orr.0002.png"))
        .unwrap();
    let err = said(
        &[
            "pictures",
            "--fps",
            "24",
            "--missing",
            "hold",
            "--to",
            "a.mp4",
        ],
        2,
    );
    assert!(
        err.contains("frame 2 has 64x64 pixels, and the first 192x112"),
        "{err}"
    );
    assert_eq!(project.read("there.mp4"), "mine");
    assert_eq!(project.files(".").len(), 9);
}

#[test]
fn a_movie_of_a_job_needs_no_other_program_and_is_proven_again() {
    let job = |more: &str| {
        format!(
            "[project]\nengine = \"understudy\"\nsize = \"64x48\"\nfps = 12\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-6\"\n\
             [output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n\
             [output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"h264\"{more} }}\n"
        )
    };
    let project = Project::new(&job(""));
    project.write("kiln.toml", &common::scene(""));
    let nowhere = ("PATH", "/nowhere");
    project.call_with(&["check"], nowhere).ends(0);
    project.call_with(&["run"], nowhere).ends(0);
    project.call_with(&["audit"], nowhere).ends(0);
    let shown = project
        .call_with(&["paths", "--format", "json"], nowhere)
        .ends(0)
        .json();
    let encoders: Vec<&Value> = shown["deliverables"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| &one["engine"])
        .collect();
    assert_eq!(encoders, ["understudy", "built-in"]);
    // A movie that is damaged is found, and made again.
    let movie = project.path("r/kiln.mp4");
    let mut bytes = fs::read(&movie).unwrap();
    let end = bytes.len();
    bytes[end - 600..].fill(0);
    fs::write(&movie, &bytes).unwrap();
    project.call_with(&["audit"], nowhere).ends(1);
    // Another codec is another encoder's work, and one that cannot is refused before anything runs.
    project.write(
        "truepath.toml",
        &job(", encoder = \"built-in\", rate = \"5M\""),
    );
    let refused = project.call_with(&["check"], nowhere).ends(1);
    assert!(
        refused.out.contains("TP419") && refused.out.contains("keeps to no bit rate"),
        "{}",
        refused.out
    );
    project.write("truepath.toml", &job(", rate = \"5M\""));
    let refused = project.call_with(&["check"], nowhere).ends(1);
    assert!(refused.out.contains("ffmpeg"), "{}", refused.out);
}

#[test]
fn a_text_a_slate_and_a_shot_of_a_job() {
    let project = kiln("1-4", "", "");
    project.call(&["run"]).ends(0);
    project
        .call(&[
            "movie",
            "--fps",
            "24",
            "--slate",
            "3",
            "--burn-in",
            "{name} {frame:04}",
            "--corner",
            "top-left",
            "--to",
            "k.mp4",
        ])
        .ends(0);
    let verified = project.call(&["movie", "--verify", "k.mp4"]).ends(0);
    assert!(
        verified.out.starts_with("frames 7\nwidth 48\nheight 32\n"),
        "{}",
        verified.out
    );
    // Frames of other settings are reported.
    project
        .call(&[
            "movie",
            "--fps",
            "24",
            "--set",
            "settings.exposure=1",
            "--to",
            "s.mp4",
        ])
        .ends(0)
        .err
        .find("4 frames are stale")
        .unwrap();
    // Finals are as they were.
    project.call(&["audit"]).ends(0);
    // What is no movie is not taken for one.
    project
        .call(&["movie", "--verify", "truepath.toml"])
        .ends(3);
    project.call(&["movie", "--verify", "nowhere.mp4"]).ends(3);
}

#[test]
fn data_is_shown_from_its_least_to_its_greatest_value() {
    if !needs("ffmpeg") {
        return;
    }
    let project = Project::empty();
    fs::create_dir(project.path("depth")).unwrap();
    for frame in 1..=4 {
        // Meters: two halves, 10 and 30, whatever the frame.
        let size = Size {
            width: 64,
            height: 32,
        };
        let mut canvas = Canvas::new(size, Channels::Gray);
        for (at, value) in canvas.values.iter_mut().enumerate() {
            *value = if at % 64 < 32 { 10.0 } else { 30.0 };
        }
        let file = fs::File::create(project.path(&format!("depth/d.{frame:04}.exr"))).unwrap();
        write_exr(
            &[(String::new(), canvas)],
            std::io::BufWriter::new(file),
            Bits::Float,
            "zip",
            1.0,
        )
        .unwrap();
    }
    let made = project
        .call(&[
            "movie", "depth", "--fps", "24", "--values", "data", "--to", "d.mp4",
        ])
        .ends(0);
    assert!(
        made.err.contains("black is 10.000, white is 30.000"),
        "{}",
        made.err
    );
    let frame = &decoded(&project, "d.mp4")[3];
    assert!(frame.get_pixel(8, 16)[0] < 4 && frame.get_pixel(56, 16)[0] > 251);
    // As light both would be white.
    project
        .call(&["movie", "depth", "--fps", "24", "--to", "l.mp4"])
        .ends(0);
    assert!(decoded(&project, "l.mp4")[3].get_pixel(8, 16)[0] > 251);
}
