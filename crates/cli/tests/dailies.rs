//! Movies for people to look at: a text in every frame, a slate, and sound that begins before or after the pictures.
#![cfg(feature = "movies")]
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::process::Command;

use common::{Project, needs};
use image::RgbImage;

fn job(more: &str) -> String {
    format!(
        "[project]\nengine = \"understudy\"\nsize = \"320x240\"\nfps = 12\nversion = 7\n\
         [shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-6\"\n\
         [output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n\
         [output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"h264\" }}\n{more}"
    )
}

fn project(more: &str) -> Project {
    let project = Project::new(&job(more));
    project.write("kiln.toml", &common::scene(""));
    project
}

/// The frames of a movie as another program decodes them.
fn frames(project: &Project, movie: &str) -> Vec<RgbImage> {
    let folder = tempfile::tempdir().unwrap();
    let called = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(project.path(movie))
        .arg(folder.path().join("%05d.png"))
        .output()
        .unwrap();
    assert!(called.status.success());
    let mut files: Vec<_> = fs::read_dir(folder.path())
        .unwrap()
        .map(|one| one.unwrap().path())
        .collect();
    files.sort();
    let open = |path| image::open(path).unwrap().to_rgb8();
    files.into_iter().map(open).collect()
}

/// How many pixels of a part are nearly white.
fn white(picture: &RgbImage, (left, top): (u32, u32), (width, height): (u32, u32)) -> usize {
    let part = image::imageops::crop_imm(picture, left, top, width, height).to_image();
    let is_white = |pixel: &&image::Rgb<u8>| pixel.0.iter().all(|value| *value > 200);
    part.pixels().filter(is_white).count()
}

#[test]
fn the_movie_of_a_job_has_its_text_and_its_slate_and_the_frames_have_not() {
    if !needs("ffmpeg") {
        return;
    }
    let project = project(
        "burn-in = { text = \"{shot}{? {camera}} v{version:03} {frame:04} {date}\", corner = \"top-right\" }\nslate = 3\n",
    );
    let nowhere = ("PATH", "/nowhere");
    project.call_with(&["check"], nowhere).ends(0);
    project.call_with(&["run"], nowhere).ends(0);
    project.call_with(&["audit"], nowhere).ends(0);
    let frames = frames(&project, "r/kiln.mp4");
    assert_eq!(frames.len(), 9, "six frames after three of the slate");
    let corner = ((160, 0), (160, 16));
    let lettered = white(&frames[3], corner.0, corner.1);
    assert!(lettered > 100, "{lettered} pixels of text");
    // Each frame has its own number.
    assert_ne!(
        image::imageops::crop_imm(&frames[3], 160, 0, 160, 14).to_image(),
        image::imageops::crop_imm(&frames[5], 160, 0, 160, 14).to_image()
    );
    let picture = image::open(project.path("r/kiln.0001.png")).unwrap();
    let untouched = white(&picture.to_rgb8(), corner.0, corner.1);
    assert!(untouched < lettered / 4, "{untouched} of {lettered}");
    // The command line holds what is the same for all frames and days.
    let lines = project.call(&["commands", "--output", "review"]).ends(0);
    assert!(
        lines.out.contains("--burn-in=kiln v007 {frame:04} {date}"),
        "{}",
        lines.out
    );
    // Another text makes the movie stale, and no frame.
    project.write(
        "truepath.toml",
        &job("burn-in.text = \"{shot}\"\nslate = 3\n"),
    );
    let audit = project.call(&["audit"]).ends(1);
    assert!(audit.out.contains("stale"), "{}", audit.out);
    let run = project.call(&["run", "--rerender-stale"]).ends(0);
    assert!(run.out.contains("1 file"), "{}{}", run.out, run.err);
}

#[test]
fn mistakes_are_found_before_anything_runs() {
    for (more, words) in [
        (
            "burn-in.text = \"{shott}\"\n",
            "there is no token `{shott}`",
        ),
        (
            "burn-in.text = \"{user}\"\n",
            "is not the same on every machine",
        ),
        (
            "burn-in = { text = \"{shot}\", corner = \"middle\" }\n",
            "top-left",
        ),
        ("slate = 0\n", "from 1 to 10000"),
        ("audio = \"a.wav\"\naudio-offset = \"soon\"\n", "`-2s`"),
        (
            "movie.codec = \"hevc\"\nburn-in.text = \"{shot}\"\n",
            "ffmpeg is not given `burn-in`",
        ),
        (
            "movie.rate = \"5M\"\nslate = 12\n",
            "ffmpeg is not given `slate`",
        ),
    ] {
        let text = if more.starts_with("movie.") {
            let (movie, more) = more.split_once('\n').unwrap();
            let movie = movie.strip_prefix("movie.").unwrap();
            let whole = job(more);
            if movie.starts_with("codec") {
                whole.replace("codec = \"h264\"", movie)
            } else {
                whole.replace("codec = \"h264\"", &format!("codec = \"h264\", {movie}"))
            }
        } else {
            job(more)
        };
        let project = Project::new(&text);
        project.write("kiln.toml", &common::scene(""));
        fs::write(project.path("a.wav"), common::wav(5)).unwrap();
        let called = project.call(&["check"]);
        assert_ne!(called.code, Some(0), "{more}");
        let said = format!("{}{}", called.out, called.err);
        assert!(said.contains(words), "{more}: {said}");
    }
}

/// The samples of a sound as another program decodes them: 16 bits, mono, 8000 a second.
fn samples(project: &Project, file: &str) -> Vec<i16> {
    let called = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(project.path(file))
        .args(["-map", "0:a", "-f", "s16le", "-c:a", "pcm_s16le", "-"])
        .output()
        .unwrap();
    let (pairs, _) = called.stdout.as_chunks::<2>();
    pairs.iter().map(|pair| i16::from_le_bytes(*pair)).collect()
}

#[test]
fn sound_begins_where_it_is_wanted_to_the_sample() {
    if !needs("ffmpeg") {
        return;
    }
    let project = project("");
    let tone = "-v error -f lavfi -i aevalsrc=sin(t*t*900):s=8000:d=2 -c:a pcm_s16le tone.wav";
    let made = Command::new("ffmpeg")
        .args(tone.split(' '))
        .current_dir(project.path("."))
        .status();
    assert!(made.unwrap().success());
    project.call(&["run", "--output", "frames"]).ends(0);
    let tone = samples(&project, "tone.wav");
    assert_eq!(tone.len(), 16_000);
    // Six frames of a twelfth of a second: 4,000 samples.
    for (name, more, silent, from) in [
        ("plain", "", 0, 0),
        ("late", "--audio-offset 0.25", 2_000, 0),
        ("early", "--audio-offset -0.5", 0, 4_000),
        ("slate", "--slate 6", 4_000, 0),
        ("beyond", "--audio-offset -1.9", 0, 15_200),
        ("never", "--audio-offset 90", 4_000, 16_000),
    ] {
        let line = format!("movie r --fps 12 --audio tone.wav --to {name}.mp4 {more}");
        let words: Vec<&str> = line.split_whitespace().collect();
        project.call(&words).ends(0);
        let length = if name == "slate" { 8_000 } else { 4_000 };
        let sound = tone[from..].iter().copied();
        let mut wanted: Vec<i16> = std::iter::repeat_n(0, silent).chain(sound).collect();
        wanted.resize(length, 0);
        let found = samples(&project, &format!("{name}.mp4"));
        assert!(found == wanted, "{name}: {} of {length}", found.len());
    }
}

#[test]
fn sounds_of_several_files_and_formats_are_heard_together() {
    if !needs("ffmpeg") {
        return;
    }
    let project = project("");
    let ffmpeg = |line: &str| {
        let made = Command::new("ffmpeg")
            .args(line.split(' '))
            .current_dir(project.path("."))
            .status();
        assert!(made.unwrap().success(), "{line}");
    };
    let tone = "-v error -f lavfi -i aevalsrc=0.3*sin(t*t*900):s=8000:d=2";
    ffmpeg(&format!("{tone} -c:a pcm_s16le tone.wav"));
    for file in ["tone.flac", "tone.aiff"] {
        ffmpeg(&format!("-v error -i tone.wav {file}"));
    }
    ffmpeg("-v error -f lavfi -i aevalsrc=0.8:s=8000:d=0.25 -c:a pcm_s16le step.wav");
    ffmpeg("-v error -f lavfi -i aevalsrc=0.1|-0.1:s=8000:d=2 -c:a pcm_s16le both.wav");
    ffmpeg("-v error -i tone.wav -ar 44100 fast.wav");
    ffmpeg("-v error -i fast.wav tone.mp3");
    ffmpeg("-v error -i fast.wav -c:a libvorbis tone.ogg");
    project.call(&["run", "--output", "frames"]).ends(0);
    let movie = |more: &str, to: &str| {
        let line = format!("movie r --fps 12 {more} --to {to}");
        let words: Vec<&str> = line.split_whitespace().collect();
        project.call(&words)
    };
    // What loses nothing is the same to the sample, from every format.
    let tone = samples(&project, "tone.wav");
    for file in ["tone.flac", "tone.aiff"] {
        let to = format!("{file}.mp4");
        movie(&format!("--audio {file} --audio-offset -0.5"), &to).ends(0);
        assert!(samples(&project, &to) == tone[4_000..8_000], "{file}");
    }
    // What loses something is there, as long as the pictures, and as loud.
    for file in ["tone.mp3", "tone.ogg"] {
        let to = format!("{file}.mp4");
        movie(&format!("--audio {file}"), &to).ends(0);
        let found = samples(&project, &to);
        assert_eq!(found.len(), 22_050, "{file}");
        let loudest = found.iter().map(|one| one.unsigned_abs()).max().unwrap();
        assert!((8_000..12_500).contains(&loudest), "{file}: {loudest}");
    }
    // Together they are the sum, each from where it begins, and no louder than fits.
    movie(
        "--audio tone.flac --audio-offset 0 --audio step.wav --audio-offset 0.125 --audio step.wav --audio-offset 0.125",
        "sum.mp4",
    )
    .ends(0);
    let step = i32::from(samples(&project, "step.wav")[0]);
    for (at, found) in samples(&project, "sum.mp4").into_iter().enumerate() {
        let more = if (1_000..3_000).contains(&at) {
            2 * step
        } else {
            0
        };
        let wanted = (i32::from(tone[at]) + more).clamp(-32_768, 32_767);
        // Two are added before the third.
        assert!(
            (i32::from(found) - wanted).abs() <= 1 || found == 32_767,
            "{at}: {found} {wanted}"
        );
    }
    // One channel is heard in both.
    movie("--audio both.wav --audio step.wav", "both.mp4").ends(0);
    let both = samples(&project, "both.mp4");
    let first = samples(&project, "both.wav")[..2].to_vec();
    assert_eq!(both[0], first[0] + step as i16);
    assert_eq!(both[1], first[1] + step as i16);
    // What does not go together is refused by name.
    for (more, why) in [
        ("--audio tone.wav --audio fast.wav", "fast.wav"),
        (
            "--audio tone.wav --audio-offset 1 --audio-offset 2",
            "2 for 1 sounds",
        ),
        ("--audio r/kiln.0001.png", "kiln.0001.png"),
        ("--audio tone.wav --audio none.wav", "none.wav"),
    ] {
        let refused = movie(more, "x.mp4").ends(2);
        assert!(refused.err.contains(why), "{more}: {}", refused.err);
        assert!(!project.path("x.mp4").exists());
    }
}

#[test]
fn the_sound_of_a_job_has_its_offset_with_either_encoder() {
    if !needs("ffmpeg") || !needs("ffprobe") {
        return;
    }
    for encoder in ["built-in", "ffmpeg"] {
        for (offset, silent) in [("0.25s", 2_000), ("-0.25s", 0)] {
            let text = job(&format!("audio-offset = \"{offset}\"\n"))
                .replace(
                    "frames = \"1-6\"\n",
                    "frames = \"1-6\"\naudio = \"tone.wav\"\n",
                )
                .replace(
                    "codec = \"h264\"",
                    &format!("codec = \"h264\", audio-codec = \"flac\", encoder = \"{encoder}\""),
                );
            let project = Project::new(&text);
            project.write("kiln.toml", &common::scene(""));
            let tone = "-v error -f lavfi -i aevalsrc=0.5:s=8000:d=2 -c:a pcm_s16le tone.wav";
            let made = Command::new("ffmpeg")
                .args(tone.split(' '))
                .current_dir(project.path("."))
                .status();
            assert!(made.unwrap().success());
            project.call(&["run"]).ends(0);
            let found = samples(&project, "r/kiln.mp4");
            let quiet = found.iter().take_while(|sample| **sample == 0).count();
            assert_eq!(quiet, silent, "{encoder} {offset}");
            assert_eq!(found.len(), 4_000, "{encoder} {offset}");
        }
    }
}

/// A sound of one loudness, and how long it is.
fn steady(project: &Project, name: &str, loudness: f32, seconds: f32) {
    let line = format!(
        "-v error -y -f lavfi -i aevalsrc={loudness}:s=8000:d={seconds} -c:a pcm_s16le {name}"
    );
    let made = Command::new("ffmpeg")
        .args(line.split(' '))
        .current_dir(project.path("."))
        .status();
    assert!(made.unwrap().success());
}

#[test]
fn several_sounds_of_a_job_are_heard_together() {
    if !needs("ffmpeg") {
        return;
    }
    let sounds = "audio = \"voice.wav\"\nmore-audio = [{ file = \"{place.job}/music.wav\", offset = \"0.125s\" }, { file = \"bell.wav\" }]\n";
    let of_encoder = |more: &str| {
        job("")
            .replace("frames = \"1-6\"\n", &format!("frames = \"1-6\"\n{sounds}"))
            .replace(
                "codec = \"h264\"",
                &format!("codec = \"h264\", audio-codec = \"flac\"{more}"),
            )
    };
    let project = Project::new(&of_encoder(""));
    project.write("kiln.toml", &common::scene(""));
    steady(&project, "voice.wav", 0.25, 2.0);
    steady(&project, "music.wav", 0.125, 2.0);
    let check = project.call(&["check"]).ends(1);
    assert!(
        check.out.contains("this sound is not there") && check.out.contains("bell.wav"),
        "{}",
        check.out
    );
    steady(&project, "bell.wav", 0.0625, 0.25);
    let paths = project.call(&["paths"]).ends(0);
    assert!(
        paths
            .out
            .contains("sound voice.wav + music.wav + bell.wav flac"),
        "{}",
        paths.out
    );
    project.call(&["run"]).ends(0);
    let heard = samples(&project, "r/kiln.mp4");
    assert_eq!(heard.len(), 4_000);
    // The voice is heard from the beginning, the music an eighth of a second later, the bell for a quarter.
    for (at, wanted) in [(500, 0.3125), (1_500, 0.4375), (3_500, 0.375)] {
        let found = f64::from(heard[at]) / 32_768.0;
        assert!((found - wanted).abs() < 0.001, "{at}: {found}");
    }
    project.call(&["audit"]).ends(0);
    // Each of them is part of what the movie is.
    steady(&project, "bell.wav", 0.03125, 0.25);
    project.call(&["audit"]).ends(1);
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    // Another encoder takes one only, and none is left out without a word.
    project.write("truepath.toml", &of_encoder(", encoder = \"ffmpeg\""));
    let check = project.call(&["check"]).ends(1);
    assert!(
        check.out.contains("ffmpeg is given a single sound"),
        "{}",
        check.out
    );
    for (wrong, words) in [
        ("more-audio = \"a.wav\"", "a list such as"),
        (
            "more-audio = [{ offset = \"1s\" }]",
            "a sound needs a `file`",
        ),
        (
            "more-audio = [{ file = \"a.wav\", offset = \"soon\" }]",
            "it takes a time",
        ),
        (
            "more-audio = [{ file = \"a.wav\", delay = \"1s\" }]",
            "`file` and `offset`",
        ),
    ] {
        project.write(
            "truepath.toml",
            &of_encoder("").replace(sounds, &format!("{wrong}\n")),
        );
        let called = project.call(&["check"]).ends(2);
        assert!(called.err.contains(words), "{wrong}: {}", called.err);
    }
}
