//! The understudy's pictures: the same every time, and distinguished by everything that is burnt in.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use truepath_understudy::{Request, render};

const SCENE: &str = include_str!("../../../demo/scenes/dawn.toml");

fn request(folder: &Path) -> Request {
    fs::write(folder.join("scene.toml"), SCENE).unwrap();
    Request {
        scene: folder.join("scene.toml"),
        frames: Some("1-2".parse().unwrap()),
        to: folder.join("a"),
        title: None,
        camera: None,
        views: Vec::new(),
        passes: vec!["beauty".to_owned(), "depth".to_owned(), "shadow".to_owned()],
        together: false,
        crop: None,
        pixel_aspect: 1.0,
        size: "64x64".parse().ok(),
        format: "png".to_owned(),
        bits: None,
        channels: None,
        compression: None,
        settings: Vec::new(),
        stop_samples: None,
        stop_seconds: None,
        go_on: false,
    }
}

fn pictures(change: impl Fn(&mut Request)) -> (Vec<String>, Vec<Vec<u8>>, String) {
    let folder = tempfile::tempdir().unwrap();
    let mut request = request(folder.path());
    change(&mut request);
    let mut log = Vec::new();
    let result = render(&request, &mut log);
    let mut log = String::from_utf8(log).unwrap();
    if let Err(error) = result {
        log.push_str(&error.to_string());
    }
    let mut names: Vec<String> = fs::read_dir(folder.path())
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .filter(|name| name != "scene.toml")
        .collect();
    names.sort();
    let read = |name: &String| fs::read(folder.path().join(name)).unwrap();
    let bytes = names.iter().map(read).collect();
    (names, bytes, log)
}

#[test]
fn the_same_request_gives_the_same_bytes() {
    for format in ["png", "exr"] {
        let once = pictures(|one| format.clone_into(&mut one.format));
        let twice = pictures(|one| format.clone_into(&mut one.format));
        assert!(once.1 == twice.1, "{format} differs");
        assert_eq!(once.0.len(), 6);
    }
}

#[test]
fn frames_passes_cameras_titles_and_settings_make_other_pictures() {
    let (names, plain, log) = pictures(|_| ());
    assert_eq!(names[0], "a_beauty_f000001.png");
    let wrote = log.lines().filter(|line| line.starts_with("wrote "));
    assert_eq!(wrote.count(), 6);
    let mut all: BTreeSet<Vec<u8>> = plain.into_iter().collect();
    assert_eq!(all.len(), 6);
    let changes: [fn(&mut Request); 5] = [
        |one| one.views = vec!["left".to_owned()],
        |one| one.views = vec!["right".to_owned()],
        |one| one.camera = Some("north".to_owned()),
        |one| one.title = Some("other".to_owned()),
        |one| one.settings = vec![("exposure".to_owned(), "-2".to_owned())],
    ];
    for change in changes {
        let fresh = pictures(change).1;
        assert!(all.insert(fresh[0].clone()));
    }
}

#[test]
fn what_the_scene_does_not_have_is_reported() {
    let shown = |change: fn(&mut Request)| pictures(change).2;
    let camera = shown(|one| one.camera = Some("dmoe".to_owned()));
    assert!(camera.contains("did you mean `dome`?"), "{camera}");
    let pass = shown(|one| one.passes = vec!["normals".to_owned()]);
    assert!(pass.contains("no pass `normals`"), "{pass}");
    let setting = shown(|one| one.settings = vec![("gain".to_owned(), "1".to_owned())]);
    assert!(
        setting.contains("warning: the scene has no setting `gain`"),
        "{setting}"
    );
    let format = shown(|one| one.format = "tiff".to_owned());
    assert!(format.contains("it does not write tiff"), "{format}");
    let scene = shown(|one| one.scene = "nowhere.toml".into());
    assert!(scene.contains("No such file"), "{scene}");
}

#[test]
fn without_a_pass_it_renders_the_scenes_first() {
    let (names, bytes, _) = pictures(|one| one.passes.clear());
    assert_eq!(names, ["a_f000001.png", "a_f000002.png"]);
    assert_eq!(bytes[0], pictures(|_| ()).1[0]);
}
