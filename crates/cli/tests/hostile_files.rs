//! Files of strangers that are no files, that never end, or that are small and ask for much: each costs an error in plain
//! words, within seconds and little memory, in every command.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::os::unix::fs::symlink;
use std::process::Command;

use common::{Called, Project, called, needs, picture, scene};

/// A call that may take ten seconds.
fn within_seconds(project: &Project, arguments: &[&str]) -> Called {
    let call = project.command(arguments);
    let mut limited = Command::new("timeout");
    limited.args(["-s", "KILL", "20"]).arg(call.get_program());
    limited.args(call.get_args()).current_dir(project.path(""));
    for (name, value) in call.get_envs() {
        match value {
            Some(value) => limited.env(name, value),
            None => limited.env_remove(name),
        };
    }
    called(limited)
}

/// Puts something else than a file under a name.
fn plant(project: &Project, name: &str, kind: &str) {
    let path = project.path(name);
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    let _ = fs::remove_file(&path);
    match kind {
        "pipe" => assert!(
            Command::new("mkfifo")
                .arg(&path)
                .status()
                .unwrap()
                .success()
        ),
        "endless" => symlink("/dev/zero", &path).unwrap(),
        _ => fs::create_dir_all(&path).unwrap(),
    }
}

#[test]
fn what_is_no_file_is_refused_at_once_wherever_a_file_is_read() {
    let movie = "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 24\n[shot.kiln]\nscene = \"kiln.toml\"\n\
                 frames = \"1-3\"\n[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n[output.review]\n\
                 path = \"m/{shot}.mp4\"\nmovie = { from = \"frames\" }\naudio = \"sound.wav\"\n";
    let cases: &[(&str, &[&str])] = &[
        ("truepath.toml", &["check"]),
        ("truepath.toml", &["run"]),
        ("base.toml", &["check", "based.toml"]),
        ("shots.csv", &["paths", "listed.toml"]),
        ("engines/mine.toml", &["check"]),
        ("kiln.toml", &["check"]),
        ("kiln.toml", &["run"]),
        ("kiln.toml", &["commands"]),
        ("queue.toml", &["queue", "queue.toml"]),
        ("away/bundle.json", &["gather", "away"]),
        ("away.tar.zst", &["gather", "away.tar.zst"]),
        ("list.txt", &["manifest", "--verify", "list.txt"]),
        ("lines.sh", &["adopt", "--script", "lines.sh"]),
        ("r/kiln.0002.png", &["audit"]),
        ("r/kiln.0002.png", &["status"]),
        ("r/kiln.0002.png", &["run"]),
        ("r/kiln.0002.png", &["show", "r/kiln.0002.png"]),
        ("r/kiln.0002.png", &["sheet", "r", "--to", "sheet.png"]),
        ("r/kiln.0002.png", &["report", "r", "--to", "page.html"]),
        ("r/kiln.0002.png", &["scan", "r", "--verify"]),
        ("r/kiln.0002.png", &["compare", "r", "other"]),
        ("r/kiln.0002.png", &["movie", "r", "--to", "made.mp4"]),
        ("r/kiln.0002.png", &["manifest", "r", "--to", "made.txt"]),
        ("m/kiln.mp4", &["audit"]),
        ("m/kiln.mp4", &["movie", "--verify", "m/kiln.mp4"]),
        ("sound.wav", &["check"]),
        ("sound.wav", &["run"]),
        (
            "sound.wav",
            &["movie", "other", "--audio", "sound.wav", "--to", "made.mp4"],
        ),
        ("layers.exr", &["passes", "list", "layers.exr"]),
        (
            "layers.exr",
            &["passes", "split", "layers.exr", "--to", "made/{pass}.exr"],
        ),
        (".truepath/ledger/0001.jsonl", &["status"]),
        (".truepath/ledger/0001.jsonl", &["run"]),
        (".truepath/sessions/0001", &["run"]),
        (".truepath/run-truepath.toml.json", &["status"]),
        (".truepath/format", &["run"]),
        (".truepath/line-files.json", &["run"]),
    ];
    for (name, arguments) in cases {
        for kind in ["pipe", "endless", "folder"] {
            let project = Project::new(movie);
            project.write("kiln.toml", &scene(""));
            project.write("based.toml", "base = \"base.toml\"\n");
            project.write(
                "listed.toml",
                "[project]\nengine = \"understudy\"\nshots = \"shots.csv\"\n[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n",
            );
            fs::write(project.path("sound.wav"), common::wav(10)).unwrap();
            fs::create_dir_all(project.path("other")).unwrap();
            for frame in 1..=3 {
                let name = format!("other/kiln.{frame:04}.png");
                fs::write(project.path(&name), picture(9)).unwrap();
            }
            plant(&project, name, kind);
            let call = within_seconds(&project, arguments);
            assert!(
                matches!(call.code, Some(0..=3)),
                "{kind} {name} {arguments:?}: {:?}\n{}{}",
                call.code,
                call.out,
                call.err
            );
            // A name that nobody may replace is still what it was.
            let left = fs::symlink_metadata(project.path(name)).unwrap();
            assert!(!left.is_file(), "{kind} {name} {arguments:?}");
        }
    }
}

/// A header that claims far more pixels than its file has bytes for, and nothing behind it.
fn claims() -> Vec<(&'static str, Vec<u8>)> {
    let mut bmp = b"BM".to_vec();
    for number in [54_u32, 0, 54, 40, 40_000, 40_000] {
        bmp.extend(number.to_le_bytes());
    }
    bmp.extend([1, 0, 24, 0]);
    bmp.extend([0; 24]);
    let mut tga = vec![0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0];
    tga.extend([0xff, 0xff, 0xff, 0xff, 32, 0]);
    let hdr = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 30000 +X 30000\n".to_vec();
    let mut png = picture(3);
    png[16..24].copy_from_slice(&[0, 0, 0xf0, 0, 0, 0, 0xf0, 0]);
    let crc = crc32fast::hash(&png[12..29]).to_be_bytes();
    png[29..33].copy_from_slice(&crc);
    vec![
        ("bmp", bmp),
        ("tga", tga),
        ("hdr", hdr),
        ("png", png),
        ("exr", exr()),
    ]
}

/// The header of a tiled EXR file (OpenEXR, Technical Introduction) of 30000 x 30000 floats, and no tile.
fn exr() -> Vec<u8> {
    let mut file = vec![0x76, 0x2f, 0x31, 0x01, 2, 2, 0, 0];
    let mut attribute = |name: &str, kind: &str, value: &[u8]| {
        file.extend(name.bytes().chain([0]).chain(kind.bytes()).chain([0]));
        file.extend((value.len() as u32).to_le_bytes());
        file.extend(value);
    };
    let numbers = |numbers: &[i32]| -> Vec<u8> {
        numbers
            .iter()
            .flat_map(|number| number.to_le_bytes())
            .collect()
    };
    let mut channels = Vec::new();
    for name in ["B", "G", "R"] {
        channels.extend(name.bytes().chain([0]));
        channels.extend(numbers(&[2, 0, 1, 1]));
    }
    channels.push(0);
    let window = numbers(&[0, 0, 29_999, 29_999]);
    attribute("channels", "chlist", &channels);
    attribute("compression", "compression", &[3]);
    attribute("dataWindow", "box2i", &window);
    attribute("displayWindow", "box2i", &window);
    attribute("lineOrder", "lineOrder", &[0]);
    attribute("pixelAspectRatio", "float", &1_f32.to_le_bytes());
    attribute("screenWindowCenter", "v2f", &[0; 8]);
    attribute("screenWindowWidth", "float", &1_f32.to_le_bytes());
    attribute(
        "tiles",
        "tiledesc",
        &[&numbers(&[64, 64])[..], &[0]].concat(),
    );
    file.push(0);
    file
}

#[test]
fn pictures_that_claim_more_than_they_have_cost_little_memory() {
    if !needs("python3") {
        return;
    }
    // Prints the peak memory of a command in kilobytes.
    let measure = "import resource, subprocess, sys\nsubprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=20)\n\
                   print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)\n";
    for (format, bytes) in claims() {
        let project = Project::empty();
        fs::create_dir_all(project.path("r")).unwrap();
        for frame in 1..=3 {
            fs::write(project.path(&format!("r/a.{frame:04}.{format}")), &bytes).unwrap();
        }
        let first = format!("r/a.0001.{format}");
        for arguments in [
            &["show", "--always", &first][..],
            &["sheet", "r", "--to", "sheet.png"],
            &["report", "r", "--to", "page.html"],
            &["scan", "r", "--verify"],
            &["compare", "r", "r"],
            &["movie", "r", "--to", "made.mp4"],
            &["passes", "list", &first],
            &["passes", "split", &first, "--to", "made/{pass}.exr"],
        ] {
            let call = project.command(arguments);
            let mut measured = Command::new("python3");
            measured.args(["-c", measure]).arg(call.get_program());
            measured.args(call.get_args()).current_dir(project.path(""));
            let measured = called(measured).ends(0);
            let kilobytes: u64 = measured.out.trim().parse().unwrap();
            assert!(
                kilobytes < 512 * 1024,
                "{format} {arguments:?}: {kilobytes} kB"
            );
        }
    }
}
