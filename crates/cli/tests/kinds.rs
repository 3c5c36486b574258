//! Stills, movies, layers, crops, looks, and versions of scenes: what they expand to.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Project, needs, scene};
use serde_json::Value;

const HEAD: &str = "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 12\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-8\"\n";

fn project(more: &str) -> Project {
    let project = Project::new(&format!("{HEAD}{more}"));
    project.write("kiln.toml", &scene(""));
    project
}

fn paths(project: &Project, arguments: &[&str]) -> Vec<Value> {
    let all = [&["paths", "--format", "json"], arguments].concat();
    let json = project.call(&all).ends(0).json();
    json["deliverables"].as_array().unwrap().clone()
}

#[test]
fn a_still_is_one_file_under_a_name_of_its_own() {
    let project = project(
        "still = 5\n[shot.oven]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
         [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n\
         [output.poster]\npath = \"r/{shot}_poster_{first}-{last}.png\"\nstill = 2\n",
    );
    let all = paths(&project, &[]);
    let of = |index: usize, key: &str| all[index][key].clone();
    assert_eq!(of(0, "made"), "sequence");
    assert_eq!(of(0, "files"), 8);
    assert_eq!(of(1, "made"), "still");
    // The shot's own frame beats the output's; names are those of the whole shot.
    assert_eq!(of(1, "frames"), "5");
    assert!(
        of(1, "path")
            .as_str()
            .unwrap()
            .ends_with("r/kiln_poster_1-8.png")
    );
    assert_eq!(of(3, "frames"), "2");
    project.call(&["check"]).ends(0);
    project.call(&["run"]).ends(0);
    let files = project.files("r");
    assert_eq!(files.len(), 14);
    assert!(files.contains(&"kiln_poster_1-8.png".to_owned()));
    let bytes = |name: &str| std::fs::read(project.path("r").join(name)).unwrap();
    assert_eq!(bytes("kiln_poster_1-8.png"), bytes("kiln.0005.png"));
    project.call(&["audit"]).ends(0);
}

#[test]
fn a_movie_is_assembled_from_a_whole_sequence() {
    let project = project(
        "audio = \"{place.scene}/kiln.wav\"\n\
         [output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\"]\nsize = \"24x16\"\n\
         [output.review]\npath = \"r/{shot}_{pass}_{codec}_{width}.{ext}\"\n\
         movie = { from = \"frames\", pass = \"beauty\", container = \"mkv\", codec = \"ffv1\", pixels = \"rgb 8\", audio-codec = \"flac\" }\n",
    );
    std::fs::write(project.path("kiln.wav"), common::wav(7)).unwrap();
    let all = paths(&project, &[]);
    assert_eq!(all.len(), 3);
    let movie = &all[2];
    assert_eq!(movie["made"], "movie");
    // As large as the sequence that it shows.
    assert!(
        movie["path"]
            .as_str()
            .unwrap()
            .ends_with("r/kiln_beauty_ffv1_24.mkv")
    );
    assert_eq!(movie["movie"]["frames"], "1-8");
    assert_eq!(movie["movie"]["audio_codec"], "flac");
    assert!(
        movie["movie"]["audio"]
            .as_str()
            .unwrap()
            .ends_with("/kiln.wav")
    );
    // Never from a part of the shot.
    assert_eq!(paths(&project, &["--frames", "1-4"]).len(), 2);
    assert_eq!(paths(&project, &["--preset", "trial"]).len(), 2);
    if !needs("ffmpeg") {
        return;
    }
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 17);
    project.call(&["audit"]).ends(0);
    // Of the same frames it is kept; of others it is made again, and the old one stays beside.
    let kept = project.call(&["run"]).ends(0);
    assert!(kept.out.contains("kept           17"), "{}", kept.out);
    std::fs::remove_file(project.path("r/kiln_beauty.0003.png")).unwrap();
    let lacking = project.call(&["run", "--output", "review"]).ends(1);
    assert!(
        lacking
            .out
            .contains("its sequence is not whole: frame 3 of"),
        "{}",
        lacking.out
    );
    project
        .call(&[
            "run",
            "--rerender-stale",
            "--set",
            "output.frames.settings.exposure=1",
        ])
        .ends(0);
    assert!(
        project
            .files("r")
            .iter()
            .any(|name| name.starts_with("set-aside/kiln_beauty_ffv1"))
    );
    // A movie that is cut short is found, and made again.
    let movie = project.path("r/kiln_beauty_ffv1_24.mkv");
    let whole = std::fs::read(&movie).unwrap();
    std::fs::write(&movie, &whole[..whole.len() / 2]).unwrap();
    let audit = project.call(&["audit"]).ends(1);
    assert!(
        audit
            .out
            .contains("broken   kiln · review · beauty: the movie"),
        "{}",
        audit.out
    );
}

#[test]
fn what_is_wrong_with_a_movie_is_reported() {
    let sequence = "[output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\"]\n[output.review]\npath = \"r/{shot}.mp4\"\n";
    for (movie, part) in [
        ("from = \"frames\", codec = \"h264\"", "TP403"),
        (
            "from = \"frams\", codec = \"h264\", pass = \"beauty\"",
            "did you mean `frames`",
        ),
        (
            "from = \"review\", codec = \"h264\"",
            "no output of a sequence `review`",
        ),
        (
            "from = \"frames\", codec = \"h264\", pass = \"beuty\"",
            "did you mean `beauty`",
        ),
        (
            "from = \"frames\", codec = \"h266\", pass = \"beauty\"",
            "`h266` is no value for `movie.codec`",
        ),
        ("from = \"frames\", pass = \"beauty\"", "TP402"),
        ("frm = \"frames\"", "did you mean `movie.from`"),
    ] {
        let project = project(&format!("{sequence}movie = {{ {movie} }}\n"));
        let checked = project.call(&["check"]);
        assert_ne!(checked.code, Some(0), "{movie}");
        let shown = checked.out + &checked.err;
        assert!(shown.contains(part), "{movie}: {shown}");
    }
}

#[test]
fn passes_and_views_can_share_a_file() {
    let project = project(
        "views = [\"left\", \"right\"]\nviews-together = true\n[view.left]\n[view.right]\n\
         [output.frames]\npath = \"r/{shot}{?_{view}}_{pass}.{frame:04}.exr\"\nformat = \"exr\"\n\
         passes = [\"beauty\", \"depth\", \"shadow\"]\nlayers = { light = [\"beauty\", \"shadow\"] }\nframes = \"1-2\"\n",
    );
    let all = paths(&project, &["--set", "frames=1-2"]);
    assert_eq!(all.len(), 2);
    let planes = all[0]["planes"].as_array().unwrap();
    let shown: Vec<String> = planes
        .iter()
        .map(|plane| format!("{} {}", plane["view"], plane["pass"]).replace('"', ""))
        .collect();
    assert_eq!(
        shown,
        ["left beauty", "right beauty", "left shadow", "right shadow"]
    );
    assert_eq!(all[0]["pass"], "light");
    assert_eq!(all[1]["pass"], "depth");
    project.call(&["run", "--frames", "1-2"]).ends(0);
    assert_eq!(
        project.files("r"),
        [
            "kiln_depth.0001.exr",
            "kiln_depth.0002.exr",
            "kiln_light.0001.exr",
            "kiln_light.0002.exr"
        ]
    );
    // A file without one of its layers does not count.
    let other = project.path("r/kiln_depth.0001.exr");
    std::fs::copy(other, project.path("r/kiln_light.0002.exr")).unwrap();
    let audit = project.call(&["audit", "--frames", "1-2"]).ends(1);
    assert!(audit.out.contains("its set of layers is"), "{}", audit.out);
}

#[test]
fn a_crop_is_what_the_file_holds() {
    let project = project(
        "[output.frames]\npath = \"r/{shot}_{width}x{height}.{frame:04}.png\"\nframes = \"1\"\n\
         crop = \"24x16 at 10,8\"\npixel-aspect = \"64/45\"\n",
    );
    let whole = "frames=1";
    let all = paths(&project, &["--set", whole]);
    assert_eq!(all[0]["crop"], "24x16 at 10,8");
    assert_eq!(all[0]["size"], "48x32");
    project.call(&["run", "--frames", "1"]).ends(0);
    project.call(&["audit", "--frames", "1"]).ends(0);
    assert_eq!(project.files("r"), ["kiln_24x16.0001.png"]);
    let half = paths(&project, &["--set", "scale=50%"]);
    assert_eq!(half[0]["crop"], "12x8 at 5,4");
}

#[test]
fn the_version_is_read_from_the_name_of_the_scene() {
    let job = |template: &str| {
        format!(
            "[project]\nengine = \"understudy\"\nversion = \"{template}\"\n[shot.kiln]\nscene = \"kiln_v012.toml\"\n\
             frames = \"1-8\"\n[output.frames]\npath = \"r/{{shot}}_v{{version:03}}.{{frame:04}}.png\"\n"
        )
    };
    let project = Project::new(&job("{shot}_v{version:03}.toml"));
    project.write("kiln_v012.toml", &scene(""));
    let all = paths(&project, &[]);
    assert_eq!(all[0]["values"]["version"], "12");
    project.write("truepath.toml", &job("{shot}-v{version:03}.toml"));
    let called = project.call(&["check"]).ends(1);
    let shown = called.out + &called.err;
    assert!(
        shown.contains("`kiln_v012.toml` does not hold the version"),
        "{shown}"
    );
    assert!(shown.contains("`_v012.toml` should be `-v`"), "{shown}");
    // The command line wins, as everywhere.
    let all = paths(&project, &["--set", "version=3"]);
    assert_eq!(all[0]["values"]["version"], "3");
}
