//! Two speeds of one thing.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP410 `fps-disagree`.
pub(super) const RULE: Rule = Rule {
    code: "TP410",
    name: "fps-disagree",
    severity: Severity::Warning,
    what: "The frames per second of a movie are not those of the scene.",
    why: "Everything moves too fast or too slow.",
    breaks: r#"[project]
engine = "understudy"
fps = 30
[shot.dawn]
scene = "answered.toml"
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
scene = "answered.toml"
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
            let (scene, movie) = speeds(one)?;
            Some((subject.place_of(one, Key::Fps)?, scene, movie))
        })
        .into_iter()
        .map(|(_, (place, scene, movie), _)| {
            rule.finding(format!(
                "the scene has {scene} frames per second, and its movie {movie}"
            ))
            .at(&place, "")
            .so("everything would move too fast or too slow")
            .advise(format!("say fps = {scene}, or fix the scene"))
        })
        .collect()
}
