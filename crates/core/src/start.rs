//! Start files: a commented job for an engine and a kind of work.

use std::fmt::Write;

use crate::job::stem;
use crate::movie::Fps;
use crate::profile::Profile;
use crate::scene_facts::SceneFacts;
use crate::template::refuse_component;

/// What a start file is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Work {
    /// One picture a frame.
    Sequence,
    /// Several passes of each frame.
    Passes,
    /// A left and a right view.
    Stereo,
    /// Single pictures.
    Stills,
    /// A sequence, and a movie assembled from it.
    Movie,
    /// Several shots with variants and presets.
    Show,
}

impl Work {
    /// All kinds of work.
    pub const ALL: [Self; 6] = [
        Self::Sequence,
        Self::Passes,
        Self::Stereo,
        Self::Stills,
        Self::Movie,
        Self::Show,
    ];

    /// The word on the command line.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Sequence => "sequence",
            Self::Passes => "passes",
            Self::Stereo => "stereo",
            Self::Stills => "stills",
            Self::Movie => "movie",
            Self::Show => "show",
        }
    }
}

/// A scene that a start file is written for.
#[derive(Debug, Clone)]
pub struct StartScene {
    /// Its path relative to the job file, with `/` between components.
    pub path: String,
    /// What is known of it.
    pub facts: SceneFacts,
}

impl StartScene {
    /// What its shot is called.
    fn shot(&self) -> String {
        stem(&self.path)
            .filter(|name| refuse_component(name).is_none())
            .unwrap_or_else(|| "main".to_owned())
    }
}

/// Writes a start file; `scenes` are its shots, at least one.
#[must_use]
pub fn start(work: Work, engine: &Profile, scenes: &[StartScene]) -> String {
    let mut text = String::from(
        "# What is rendered, where it goes and what it is called. What follows a # is a remark, or a\n\
         # setting that is switched off.\n#\n\
         #   truepath paths     every path that will be written\n\
         #   truepath check     what is wrong, before anything runs\n\
         #   truepath run       renders what is missing\n\
         #   truepath run --preset trial     first, middle and last frame, small, elsewhere\n\n",
    );
    let first = scenes.first();
    project(&mut text, work, engine, scenes);
    let folder = first.and_then(|scene| scene.path.rsplit_once('/'));
    let folder = folder.map_or(".", |(folder, _)| folder);
    put(
        &mut text,
        "[place]",
        "the only folders that paths may start from",
    );
    put(
        &mut text,
        &format!("scenes  = {}", quoted(folder)),
        "relative to this file",
    );
    put(
        &mut text,
        "renders = \"renders\"",
        "or one by system: { linux = \"/srv/renders\", windows = 'R:\\renders' }",
    );
    text.push('\n');
    for scene in scenes {
        shot(&mut text, work, scene);
    }
    if work == Work::Stereo {
        put(
            &mut text,
            "[view.left]",
            "what only this eye has stands here",
        );
        put(
            &mut text,
            "env = { EYE = \"left\" }",
            "what makes its picture another: a variable, settings, a camera",
        );
        text.push_str("[view.right]\nenv = { EYE = \"right\" }\n\n");
    }
    if work == Work::Show {
        put(
            &mut text,
            "[variant.day]",
            "overrides by name; a shot lists those that it wants",
        );
        put(&mut text, "[variant.night]", "");
        put(&mut text, "inherits = \"day\"", "all that is not set here");
        put(
            &mut text,
            "env = { LIGHT = \"night\" }",
            "what makes its picture another: a variable, settings, a scene",
        );
        text.push('\n');
    }
    outputs(&mut text, work, engine);
    text
}

fn project(text: &mut String, work: Work, engine: &Profile, scenes: &[StartScene]) {
    let facts = scenes.first().map(|scene| &scene.facts);
    let name = match scenes {
        [only] => only.shot(),
        _ => "show".to_owned(),
    };
    text.push_str("[project]\n");
    put(text, &format!("name    = {}", quoted(&name)), "");
    put(text, "version = 1", "raise it when something changes: v002");
    put(text, &format!("engine  = {}", quoted(&engine.name)), "");
    let fps = facts.and_then(|facts| facts.fps).unwrap_or(Fps::whole(24));
    put(text, &format!("fps     = {fps}"), "frames per second");
    match facts.and_then(|facts| facts.size.as_deref()) {
        Some(size) => put(
            text,
            &format!("size    = {}", quoted(size)),
            "as the scene has it",
        ),
        None => put(
            text,
            "size    = \"hd\"",
            "or pixels such as \"2048x1152\"; uhd, dci-2k, dci-4k",
        ),
    }
    if work == Work::Show {
        put(text, "preset  = \"final\"", "");
        text.push_str("\n[preset.final]\n");
        put(
            text,
            "# settings = { samples = 256 }",
            "handed to the engine by name",
        );
    }
    text.push('\n');
}

fn shot(text: &mut String, work: Work, scene: &StartScene) {
    let facts = &scene.facts;
    let _ = writeln!(text, "[shot.{}]", quoted_key(&scene.shot()));
    let name = scene.path.rsplit('/').next().unwrap_or(&scene.path);
    put(
        text,
        &format!("scene  = {}", quoted(&format!("{{place.scenes}}/{name}"))),
        "",
    );
    match &facts.frames {
        Some(frames) => put(
            text,
            &format!("frames = {}", quoted(frames)),
            "as the scene has them",
        ),
        None => put(
            text,
            "frames = \"1-100\"",
            "the scene does not say: fill this in",
        ),
    }
    match (&facts.camera, &facts.cameras) {
        (Some(camera), Some(cameras)) => {
            let remark = format!("the scene has {}", cameras.join(", "));
            put(text, &format!("camera = {}", quoted(camera)), &remark);
        }
        _ => put(text, "# camera = \"main\"", "unset, the scene's own"),
    }
    if work == Work::Stereo {
        text.push_str("views  = [\"left\", \"right\"]\n");
    }
    if work == Work::Show {
        put(text, "variants = [\"day\", \"night\"]", "each rendered");
    }
    text.push('\n');
}

fn outputs(text: &mut String, work: Work, engine: &Profile) {
    let exr = writes(engine, "exr");
    let (name, extra) = match work {
        Work::Passes => ("{shot}_{pass}", "{pass}/"),
        Work::Stereo => ("{shot}_{view}", "{view}/"),
        Work::Show => ("{shot}{?_{variant}}", "{?{variant}/}"),
        Work::Sequence | Work::Stills | Work::Movie => ("{shot}", ""),
    };
    if work == Work::Stills {
        text.push_str("[output.poster]\n");
        put(text, "still  = 1", "the frame; a shot can say another");
        put(
            text,
            "path   = \"{place.renders}/{shot}_v{version:03}_poster.{ext}\"",
            "",
        );
    } else {
        text.push_str("[output.frames]\n");
        let path = format!(
            "{{place.renders}}/{{shot}}/{extra}v{{version:03}}/{name}_v{{version:03}}.{{frame:04}}.{{ext}}"
        );
        put(text, &format!("path   = \"{path}\""), "");
    }
    if work == Work::Passes {
        put(
            text,
            "passes = [\"beauty\", \"depth\"]",
            "a file each; or several in one: layers = { all = [\"beauty\", \"depth\"] }",
        );
    }
    if exr && work != Work::Stills {
        text.push_str("format = \"exr\"\nbits   = \"half\"\n");
        put(
            text,
            "color  = { pixels = \"linear\", transfer = \"srgb\" }",
            "how light becomes a movie or an 8-bit picture",
        );
    } else {
        text.push_str("format = \"png\"\nbits   = 8\n");
        put(
            text,
            "color  = { pixels = \"display\" }",
            "ready to be shown",
        );
    }
    if work == Work::Movie {
        text.push_str("\n[output.review]\n");
        put(
            text,
            "path   = \"{place.renders}/{shot}/{shot}_v{version:03}.mp4\"",
            "",
        );
        put(
            text,
            "movie  = { from = \"frames\", codec = \"h264\", quality = \"good\", pixels = \"4:2:0 8\" }",
            "",
        );
        put(
            text,
            "# audio = \"{place.scenes}/sound.wav\"",
            "with movie.audio-codec = \"aac\"",
        );
    }
}

/// Whether an engine's words have a format; one without words is asked for PNG.
fn writes(engine: &Profile, format: &str) -> bool {
    engine.maps.iter().any(|table| {
        table.by.first().is_some_and(|by| by == "format")
            && table
                .rows
                .iter()
                .any(|(row, _)| row.split(' ').next() == Some(format))
    })
}

/// A line with a remark behind it.
fn put(text: &mut String, line: &str, remark: &str) {
    let _ = match remark {
        "" => writeln!(text, "{line}"),
        remark => writeln!(text, "{line:<26}  # {remark}"),
    };
}

/// A basic string of TOML.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if c.is_control() => {
                let _ = write!(out, "\\u{:04X}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// A key of TOML, bare where that can be.
fn quoted_key(text: &str) -> String {
    let bare = text
        .chars()
        .all(|c| c.is_ascii_alphanumeric() || "-_".contains(c));
    if bare && !text.is_empty() {
        text.to_owned()
    } else {
        quoted(text)
    }
}
