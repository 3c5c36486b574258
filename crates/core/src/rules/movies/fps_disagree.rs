//! Two speeds of one thing.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP410 `fps-disagree`.
pub(super) const RULE: Rule = Rule {
    code: "TP410",
    name: "fps-disagree",
    weight: Weight::Warning,
    what: "The frames a second of a movie are not those of the scene.",
    why: "Everything moves too fast or too slow.",
    breaks: r#"[project]
engine = "understudy"
fps = 30
[shot.dawn]
scene = "told.toml"
frames = "1-48"
audio = "fast.wav"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", audio-codec = "aac" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "told.toml"
frames = "1-48"
audio = "dawn.wav"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", audio-codec = "aac" }
"#,
    fix: "Say the speed of the scene.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let speeds = |one: &Deliverable| {
        one.movie()?;
        let scene = subject.scene_facts(one)?.fps?;
        let movie = one.common.fps?;
        (scene != movie).then_some((scene, movie))
    };
    subject
        .once(|one| {
            speeds(one)?;
            subject.place_of(one, Key::Fps)
        })
        .into_iter()
        .filter_map(|(one, _)| {
            let (scene, movie) = speeds(one)?;
            Some(
                rule.finding(format!(
                    "the scene has {scene} frames a second, and its movie {movie}"
                ))
                .at(&subject.place_of(one, Key::Fps)?, "")
                .so("everything would move too fast or too slow")
                .advise(format!("say fps = {scene}, or fix the scene")),
            )
        })
        .collect()
}
