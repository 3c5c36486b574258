//! What the tests of the built program share: a project in a temporary folder.
#![allow(
    dead_code,
    unreachable_pub,
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic
)]

pub mod bundles;
pub mod kinds;
pub mod layers;
pub mod pictures;
pub mod windows;

use std::collections::BTreeMap;
use std::fs;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};

use rustix::process::{Pid, Signal, kill_process};
use serde_json::Value;
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, write_exr};

/// The commands that people call, in the order of the help.
pub const COMMANDS: [&str; 33] = [
    "new",
    "adopt",
    "demo",
    "overview",
    "paths",
    "tokens",
    "check",
    "rules",
    "commands",
    "run",
    "queue",
    "pack",
    "gather",
    "status",
    "audit",
    "why",
    "times",
    "clean",
    "show",
    "sheet",
    "compare",
    "report",
    "rename",
    "manifest",
    "scan",
    "match",
    "engines",
    "schema",
    "completions",
    "man",
    "movie",
    "passes",
    "understudy",
];

/// A row of numbers that looks like chance: xorshift64 (Marsaglia, 2003).
pub struct Chance(pub u64);

impl Chance {
    pub fn below(&mut self, limit: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % limit as u64) as usize
    }
}

/// A number of the environment, such as how long a storm is.
pub fn number(name: &str, otherwise: u64) -> u64 {
    std::env::var(name).map_or(otherwise, |text| text.parse().unwrap())
}

/// The built program.
pub fn program() -> &'static str {
    env!("CARGO_BIN_EXE_truepath")
}

/// Whether a program is here. One that is not must be named in `TRUEPATH_TESTS_WITHOUT`, which the
/// test script sets after it has printed so; else the test fails.
pub fn needs(name: &str) -> bool {
    truepath_runner::find_program(name, Path::new("/")).is_some() || left_out(name)
}

/// Notes that a test is left out because something is missing, which `TRUEPATH_TESTS_WITHOUT` must name. Gives false.
pub fn left_out(name: &str) -> bool {
    let without = std::env::var("TRUEPATH_TESTS_WITHOUT").unwrap_or_default();
    assert!(
        without.split_whitespace().any(|one| one == name),
        "{name} is not there; scripts/test installs it, or says what is left out without it"
    );
    // The test script counts and lists what was left out.
    if let Some(list) = std::env::var_os("TRUEPATH_TESTS_LEFT_OUT") {
        use std::io::Write;
        let test = std::thread::current().name().unwrap_or("a test").to_owned();
        let mut list = fs::File::options().append(true).open(list).unwrap();
        writeln!(list, "{test} needs {name}").unwrap();
    }
    false
}

/// A folder with a job in it.
pub struct Project {
    folder: tempfile::TempDir,
}

/// The result of a call of the program.
pub struct Called {
    pub code: Option<i32>,
    pub out: String,
    pub err: String,
}

impl Called {
    fn new(output: &Output) -> Self {
        Self {
            code: output.status.code(),
            out: String::from_utf8_lossy(&output.stdout).into_owned(),
            err: String::from_utf8_lossy(&output.stderr).into_owned(),
        }
    }

    /// Fails unless the exit code is this one.
    #[track_caller]
    pub fn ends(self, code: i32) -> Self {
        assert_eq!(self.code, Some(code), "\n{}\n{}", self.out, self.err);
        self
    }

    pub fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}: {}", self.out))
    }
}

impl Project {
    pub fn new(job: &str) -> Self {
        let project = Self::empty();
        project.write("truepath.toml", job);
        project
    }

    pub fn empty() -> Self {
        let folder = tempfile::Builder::new().prefix("tp").tempdir().unwrap();
        Self { folder }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().canonicalize().unwrap().join(name)
    }

    pub fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).unwrap()
    }

    pub fn write(&self, name: &str, text: &str) {
        let path = self.path(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }

    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(program());
        command
            .args(arguments)
            .current_dir(self.folder.path())
            .stdin(Stdio::null())
            // Nobody's own configuration has a say.
            .env("XDG_CONFIG_HOME", self.folder.path().join("nobody"))
            .env("XDG_CACHE_HOME", env!("CARGO_TARGET_TMPDIR"))
            .env("XDG_STATE_HOME", self.folder.path().join(".user-state"))
            .env_remove("COLUMNS")
            .env_remove("TRUEPATH_CONFIG")
            .env_remove("TRUEPATH_CRASH_AT");
        command
    }

    /// Starts a run that nobody listens to.
    pub fn start(&self) -> Child {
        let mut run = self.command(&["run"]);
        run.stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    }

    pub fn call(&self, arguments: &[&str]) -> Called {
        called(self.command(arguments))
    }

    pub fn call_with(&self, arguments: &[&str], variable: (&str, &str)) -> Called {
        let mut command = self.command(arguments);
        Called::new(&command.env(variable.0, variable.1).output().unwrap())
    }

    /// What `audit` says, as JSON.
    pub fn audit(&self) -> Value {
        self.call(&["audit", "--format", "json"]).json()
    }

    /// The files below a folder, hidden ones left out, sorted.
    pub fn files(&self, folder: &str) -> Vec<String> {
        let root = self.path(folder);
        let mut found = Vec::new();
        collect(&root, &root, &mut found);
        found.sort();
        found
    }

    /// The folder's path taken out of a text.
    pub fn plain(&self, text: &str) -> String {
        let folder = self.path("").display().to_string();
        text.replace(&folder, "/show/")
            .replace(folder.trim_end_matches('/'), "/show")
    }
}

fn collect(root: &Path, folder: &Path, found: &mut Vec<String>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if entry.file_name().to_string_lossy().starts_with('.') {
            continue;
        }
        if entry.file_type().unwrap().is_dir() {
            collect(root, &path, found);
        } else {
            found.push(path.strip_prefix(root).unwrap().display().to_string());
        }
    }
}

/// Runs a command to its end.
pub fn called(mut command: Command) -> Called {
    Called::new(&command.output().unwrap())
}

/// A small scene of the understudy; `more` stands at its end.
pub fn scene(more: &str) -> String {
    format!(
        "title = \"KILN\"\nframes = \"1-60\"\nsize = \"48x32\"\npasses = [\"beauty\", \"depth\", \"shadow\"]\n\
         default-camera = \"front\"\n[camera]\nfront = {{ tilt = 0.3 }}\nside = {{ tilt = 0.8, turn = 0.25 }}\n\
         [sun]\nradius = 0.2\ncolor = [1.0, 0.7, 0.3]\n[[planet]]\nring = 0.5\nradius = 0.1\nturns = 1.0\n\
         color = [0.2, 0.4, 0.8]\n{more}"
    )
}

/// A short job for that scene.
pub fn job(frames: &str, more: &str) -> String {
    format!(
        "scene = \"kiln.toml\"\nframes = \"{frames}\"\nengine = \"understudy\"\nsize = \"48x32\"\nretries = 0\n\
         path = \"renders/{{shot}}.{{frame:04}}.png\"\n{more}"
    )
}

/// A project with the small scene and a short job.
pub fn kiln(frames: &str, more: &str, mishap: &str) -> Project {
    let project = Project::new(&job(frames, more));
    project.write("kiln.toml", &scene(mishap));
    project
}

/// Lines that the understudy wrote about finished files, over all its logs.
pub fn wrote(project: &Project) -> Vec<String> {
    let mut lines = Vec::new();
    let logs = project.path(".truepath/logs");
    for session in fs::read_dir(logs).into_iter().flatten().flatten() {
        for log in fs::read_dir(session.path()).unwrap().flatten() {
            let text = fs::read_to_string(log.path()).unwrap();
            lines.extend(
                text.lines()
                    .filter_map(|line| Some(line.split_once(' ')?.1))
                    .filter(|line| line.starts_with("wrote "))
                    .map(str::to_owned),
            );
        }
    }
    lines
}

/// A silent WAV file of so many tenths of a second: 8 bits, mono, 1000 samples a second.
pub fn wav(tenths: u32) -> Vec<u8> {
    let samples = tenths * 100;
    let mut file = b"RIFF".to_vec();
    file.extend((36 + samples).to_le_bytes());
    file.extend(b"WAVEfmt ");
    file.extend(16_u32.to_le_bytes());
    for short in [1_u16, 1] {
        file.extend(short.to_le_bytes());
    }
    for long in [1000_u32, 1000] {
        file.extend(long.to_le_bytes());
    }
    for short in [1_u16, 8] {
        file.extend(short.to_le_bytes());
    }
    file.extend(b"data");
    file.extend(samples.to_le_bytes());
    file.extend(std::iter::repeat_n(128, samples as usize));
    file
}

/// A small PNG of 8 by 8 pixels; another shade is another picture.
pub fn picture(shade: u8) -> Vec<u8> {
    picture_of(8, 8, png::ColorType::Rgb, shade)
}

/// A PNG of 8 bits a channel.
pub fn picture_of(width: u32, height: u32, color: png::ColorType, shade: u8) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(color);
    encoder.set_depth(png::BitDepth::Eight);
    let samples = width as usize * height as usize * color.samples();
    let pixels: Vec<u8> = (0..samples)
        .map(|at| (at as u8).wrapping_mul(7) ^ shade)
        .collect();
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&pixels).unwrap();
    writer.finish().unwrap();
    bytes
}

/// A line of a ledger with its checksum (CRC-32, ISO-HDLC).
pub fn ledger_line(value: &serde_json::Value) -> String {
    let text = value.to_string();
    let mut sum = !0_u32;
    for byte in text.bytes() {
        sum ^= u32::from(byte);
        for _ in 0..8 {
            sum = if sum & 1 == 1 {
                sum >> 1 ^ 0xedb8_8320
            } else {
                sum >> 1
            };
        }
    }
    format!("{{\"check\":\"{:08x}\",\"line\":{text}}}\n", !sum)
}

/// Starts a run as on a machine of this name, and waits for a line of it.
pub fn on(project: &Project, machine: &str, arguments: &[&str], line: &str) -> Child {
    let mut run = project
        .command(&[&["run", "--verbose"], arguments].concat())
        .env("TRUEPATH_MACHINE", machine)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(run.stderr.take().unwrap()).lines();
    assert!(
        lines.any(|one| one.unwrap().contains(line)),
        "no line with {line}"
    );
    // The rest is read too, so that the run never waits for it.
    std::thread::spawn(move || lines.for_each(drop));
    run
}

pub fn signal(run: &Child, signal: Signal) {
    let id = Pid::from_raw(run.id().try_into().unwrap()).unwrap();
    kill_process(id, signal).unwrap();
}

/// A job whose engine is a shell script beside it; `one.png` is a picture that it may bring.
pub fn made_up(profile: &str, script: &str, job: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"dawn.toml\"\nengine = \"made-up\"\npath = \"r/{{shot}}.{{frame:04}}.png\"\n{job}"
    ));
    project.write("dawn.toml", "a scene");
    let head = "engine = { name = \"made-up\", program = \"./made-up\", frames = \"one\"";
    project.write("engines/made-up.toml", &format!("{head}{profile}"));
    project.write("made-up", &format!("#!/bin/sh\nset -e\n{script}"));
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    fs::set_permissions(project.path("made-up"), mode).unwrap();
    let picture = picture_of(48, 32, png::ColorType::Rgb, 1);
    fs::write(project.path("one.png"), picture).unwrap();
    project
}

/// How often the ledgers in a folder say that a file was published.
pub fn published(project: &Project, ledgers: &str) -> BTreeMap<String, u32> {
    let mut times = BTreeMap::new();
    for ledger in fs::read_dir(project.path(ledgers)).unwrap().flatten() {
        let text = String::from_utf8_lossy(&fs::read(ledger.path()).unwrap()).into_owned();
        for line in text.lines() {
            let Ok(line) = serde_json::from_str::<serde_json::Value>(line) else {
                continue;
            };
            if let Some(path) = line["line"]["published"]["record"]["path"].as_str() {
                *times.entry(path.to_owned()).or_default() += 1;
            }
        }
    }
    times
}

/// An EXR of one linear color, or of a value that is no number in its middle.
pub fn linear(path: &Path, value: f32, middle: f32) {
    let size = Size {
        width: 64,
        height: 64,
    };
    let mut canvas = Canvas::new(size, Channels::Rgb);
    canvas.values.fill(value);
    for y in 24..40 {
        for x in 24..40 {
            let at = (y * 64 + x) * 3;
            canvas.values[at..at + 3].fill(middle);
        }
    }
    let file = std::io::BufWriter::new(fs::File::create(path).unwrap());
    write_exr(&[(String::new(), canvas)], file, Bits::Half, "zip", 1.0).unwrap();
}
