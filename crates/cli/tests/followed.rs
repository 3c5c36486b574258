//! Jobs with several mistakes each, fixed by doing only what `check` says.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, scene, wav};

/// A fix that people choose: the code, a part of the advice that says so, what is replaced, by what.
type Choice = (&'static str, &'static str, &'static str, &'static str);

const HEAD: &str = "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 24\n";

fn jobs() -> Vec<(&'static str, String, Vec<Choice>)> {
    let shot = "[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-48\"\n";
    vec![
        (
            "one picture is left of all, and its format is nobody's",
            "scene = \"kiln.toml\"\nframes = \"1-12\"\nengine = \"understudy\"\npath = \"renders/{shot}\"\n".to_owned(),
            vec![("TP106", ".png", "{shot}", "{shot}.png")],
        ),
        (
            "passes and cameras over each other",
            format!("{HEAD}{shot}cameras = [\"front\", \"side\"]\npasses = [\"beauty\", \"depth\"]\n[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.exr\"\n"),
            vec![],
        ),
        (
            "a camera and a pass that are not there",
            format!("{HEAD}{shot}camera = \"frnt\"\npasses = [\"beuty\"]\n[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"),
            vec![],
        ),
        (
            "alpha in a format without, and too many bits",
            format!("{HEAD}{shot}[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\nformat = \"png\"\nchannels = \"rgba\"\nbits = \"half\"\n"),
            vec![("TP302", "`8` or `16`", "bits = \"half\"", "bits = 16")],
        ),
        (
            "the end of the names",
            format!("{HEAD}{shot}[output.frames]\npath = \"r/{{shot}}{{frame:04}}0.jpg\"\nformat = \"png\"\n"),
            vec![],
        ),
        (
            "an order that breaks, and a slip in a token",
            format!("{HEAD}[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-60\"\n[output.frames]\npath = \"r/{{shoot}}_{{camera}}.{{frame:01}}.png\"\n"),
            vec![("TP110", "let it drop", "_{camera}", "{?_{camera}}")],
        ),
        (
            "a trial over the finals",
            format!("{HEAD}preset = \"final\"\n[preset.final]\nsettings = {{ samples = 9 }}\n[preset.draft]\nsettings = {{ samples = 1 }}\n{shot}[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"),
            vec![("TP203", "subfolder = \"draft\"", "[preset.draft]\n", "[preset.draft]\nsubfolder = \"draft\"\n")],
        ),
        (
            "a movie that no player opens",
            format!("{HEAD}{shot}[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\nsize = \"47x31\"\n[output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"prores\", pixels = \"4:2:0 8\" }}\n"),
            vec![
                ("TP404", "`mov`", ".mp4", ".mov"),
                ("TP405", "even size", "47x31", "48x32"),
                ("TP406", "`h264`", "codec = \"prores\"", "codec = \"h264\""),
            ],
        ),
        (
            "a movie without speed, codec and pass",
            format!("{}{shot}passes = [\"beauty\", \"shadow\"]\n[output.frames]\npath = \"r/{{shot}}_{{pass}}.{{frame:04}}.png\"\n[output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\" }}\n", HEAD.replace("fps = 24\n", "")),
            vec![
                ("TP402", "`h264`", "from = \"frames\"", "from = \"frames\", codec = \"h264\""),
                ("TP403", "movie.pass = \"beauty\"", "from = \"frames\"", "from = \"frames\", pass = \"beauty\""),
                ("TP417", "fps = 24", "[project]\n", "[project]\nfps = 24\n"),
            ],
        ),
        (
            "sound that is not there and has no codec",
            format!("{HEAD}{shot}audio = \"kil.wav\"\n[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n[output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"h264\" }}\n"),
            vec![
                ("TP408", "fix the path", "kil.wav", "kiln.wav"),
                ("TP413", "`aac`", "codec = \"h264\"", "codec = \"h264\", audio-codec = \"aac\""),
            ],
        ),
        (
            "light that nobody knows how to show",
            format!("{HEAD}{shot}[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.exr\"\ncolor.pixels = \"linear\"\n[output.small]\npath = \"r/{{shot}}_small.{{frame:04}}.png\"\nbits = 8\ncolor.pixels = \"linear\"\n[output.review]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"h264\" }}\n"),
            vec![
                ("TP308", "color.pixels = \"display\"", "bits = 8\ncolor.pixels = \"linear\"", "bits = 8\ncolor.pixels = \"display\""),
                ("TP313", "transfer = \"srgb\"", ".exr\"\ncolor.pixels = \"linear\"", ".exr\"\ncolor = { pixels = \"linear\", transfer = \"srgb\" }"),
            ],
        ),
        (
            "measures in 8 bits",
            format!("{HEAD}{shot}passes = [\"beauty\", \"depth\"]\n[output.frames]\npath = \"r/{{shot}}_{{pass}}.{{frame:04}}.{{ext}}\"\nformat = \"png\"\nbits = 8\n"),
            vec![("TP307", "format = \"exr\" and bits = \"float\"", "[output.frames]", "[pass.depth]\nformat = \"exr\"\nbits = \"float\"\n[output.frames]")],
        ),
        (
            "numbers that were likely a slip",
            format!("{HEAD}[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-20,15-30,31-60/4\"\n[output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"),
            vec![
                ("TP204", "a slip", "1-20,15-30", "1-14,15-30"),
                ("TP205", ",60`", "31-60/4", "31-60/4,60"),
            ],
        ),
        (
            "names for people and not for systems",
            format!("{HEAD}{shot}[output.frames]\npath = \"r/{{shot}} final:{{host}}.{{frame:04}}.png\"\n"),
            vec![
                ("TP121", "`{version}`", "{host}", "v001"),
                ("TP117", "underscores", ":", "_"),
                ("TP120", "letters, digits", " final", "_final"),
            ],
        ),
        (
            "variants that nobody declared, and a part outside the picture",
            format!("{HEAD}{shot}variants = [\"day\", \"nigth\"]\ncrop = \"40x30 at 20,0\"\n[variant.day]\n[variant.night]\nsettings = {{ exposure = -2 }}\n[output.frames]\npath = \"r/{{shot}}_{{variant}}.{{frame:04}}.png\"\n"),
            vec![
                ("TP112", "did you mean `night`", "nigth", "night"),
                ("TP305", "upper left corner", "at 20,0", "at 8,0"),
            ],
        ),
    ]
}

#[test]
fn following_the_advice_of_check_fixes_every_job() {
    let jobs = jobs();
    assert_eq!(jobs.len(), 15);
    for (title, text, choices) in jobs {
        if text.contains("movie") && !common::needs("ffmpeg") {
            continue;
        }
        let project = Project::new(&text);
        project.write("kiln.toml", &scene(""));
        fs::write(project.path("kiln.wav"), wav(20)).unwrap();
        let mut steps = 0;
        loop {
            let shown = project
                .call(&["check", "--ask-engine", "--format", "json"])
                .json();
            let findings = shown["findings"].as_array().unwrap();
            if findings.is_empty() {
                break;
            }
            steps += 1;
            assert!(steps < 10, "{title}: {findings:#?}");
            let text = fs::read_to_string(project.path("truepath.toml")).unwrap();
            let choice = choices.iter().find_map(|(code, advice, old, new)| {
                let finding = findings.iter().find(|one| one["code"] == *code)?;
                let shown = finding["advice"].to_string().replace("\\\"", "\"");
                assert!(shown.contains(advice), "{title}: {shown}");
                text.contains(old).then(|| text.replacen(old, new, 1))
            });
            match choice {
                Some(fixed) => project.write("truepath.toml", &fixed),
                None => {
                    // It ends with 1 while another mistake is left.
                    let code = project.call(&["check", "--fix"]).code;
                    let is_left = project.call(&["check"]).code;
                    assert_eq!(code, is_left, "{title}");
                    let fixed = fs::read_to_string(project.path("truepath.toml")).unwrap();
                    assert_ne!(fixed, text, "{title}: {findings:#?}");
                }
            }
        }
        assert!(steps > 0, "{title}");
    }
}
