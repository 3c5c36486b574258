//! The page that is handed on: every frame with its state, and a player that plays in a real browser.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln, picture, picture_of};

/// The data that the page plays.
fn data_of(page: &str) -> serde_json::Value {
    let (_, rest) = page.split_once("id=\"data\">").unwrap();
    let (data, _) = rest.split_once("</script>").unwrap();
    serde_json::from_str(data).unwrap()
}

#[test]
fn a_report_is_one_page_with_every_frame_and_its_state() {
    let project = kiln("1-6", "", "");
    project.call(&["run"]).ends(0);
    fs::remove_file(project.path("renders/kiln.0002.png")).unwrap();
    project.call(&["report", "--to", "r.html"]).ends(0);
    let page = project.read("r.html");
    let data = data_of(&page);
    let frames = data["rows"][0]["frames"].as_array().unwrap();
    let states: Vec<&str> = frames
        .iter()
        .map(|one| one["state"].as_str().unwrap())
        .collect();
    assert_eq!(
        states,
        ["valid", "missing", "valid", "valid", "valid", "valid"]
    );
    assert!(frames[1]["picture"].is_null());
    assert!(
        frames[0]["picture"]
            .as_str()
            .unwrap()
            .starts_with("data:image/jpeg;base64,")
    );
    for part in [
        "6 frames of 1 sequence:",
        "Seconds of each frame",
        "What it took",
        "Findings",
        "have nothing to say about the job",
        "Machines",
        "understudy",
        "default-src 'none'",
    ] {
        assert!(page.contains(part), "{part}");
    }
    // A finding has its place in the job.
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("{frame:04}", "{frame}"));
    project.call(&["report", "--to", "found.html"]).ends(0);
    let found = project.read("found.html");
    for part in ["TP123", "truepath.toml:"] {
        assert!(
            found.contains(part),
            "{part}: {}",
            project.call(&["check"]).out
        );
    }
    project.write("truepath.toml", &job);
    // Nothing comes from elsewhere, and no file is replaced.
    assert!(!page.contains("http://") && !page.contains("https://") && !page.contains("src=\"/"));
    project.call(&["report", "--to", "r.html"]).ends(3);
    // The same again is the same, byte for byte.
    project.call(&["report", "--to", "again.html"]).ends(0);
    assert_eq!(project.read("again.html"), page);
}

#[test]
fn names_with_markup_are_text_and_a_large_report_is_cut_to_its_size() {
    let project = Project::empty();
    let name = "<img src=x onerror=alert(1)></script>";
    let folder = format!("p/{}", name.replace('/', "_"));
    fs::create_dir_all(project.path(&folder)).unwrap();
    for frame in 1..=90 {
        let noise = picture_of(320, 320, png::ColorType::Rgb, frame);
        fs::write(project.path(&format!("{folder}/a.{frame:04}.png")), noise).unwrap();
    }
    let called = project
        .call(&["report", "p", "--to", "r.html", "--size", "1"])
        .ends(0);
    let page = project.read("r.html");
    assert!(page.len() <= 1_000_000, "{}", page.len());
    assert!(!page.contains("<img src=x") && page.contains("&lt;img src=x"));
    let data = data_of(&page);
    assert!(
        data["rows"][0]["title"]
            .as_str()
            .unwrap()
            .contains("<img src=x")
    );
    let kept = data["rows"][0]["frames"].as_array().unwrap().len();
    assert!(
        kept == 90 || called.err.contains("frames are in the page"),
        "{kept} {}",
        called.err
    );
    let called = project.call(&["report", "nowhere", "--to", "x.html"]);
    assert!(called.code != Some(0) && called.err.contains("nowhere"));
}

/// What a real browser makes of a page: its document after some time, and what it complains about.
fn browsed(project: &Project, link: &str) -> (String, String) {
    let profile = project.path("profile");
    let output = std::process::Command::new("chromium")
        .args([
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--enable-logging=stderr",
            "--virtual-time-budget=4000",
        ])
        .arg(format!("--user-data-dir={}", profile.display()))
        .arg("--dump-dom")
        .arg(format!("file://{}{link}", project.path("r.html").display()))
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    (String::from_utf8_lossy(&output.stdout).into_owned(), said)
}

#[test]
fn the_player_plays_in_a_real_browser() {
    if !common::needs("chromium") {
        return;
    }
    let project = Project::empty();
    for (row, count) in [("one", 5), ("two", 40)] {
        fs::create_dir_all(project.path(row)).unwrap();
        for frame in 1..=count {
            fs::write(
                project.path(&format!("{row}/a.{frame:04}.png")),
                picture(frame),
            )
            .unwrap();
        }
    }
    project
        .call(&["report", "one", "two", "--to", "r.html"])
        .ends(0);
    let now = |link: &str| {
        let (document, said) = browsed(&project, link);
        assert!(!said.contains("CONSOLE"), "{said}");
        let (_, rest) = document
            .split_once("id=\"now\"")
            .unwrap_or_else(|| panic!("{document} {said}"));
        let (_, rest) = rest.split_once('>').unwrap();
        rest.split_once('<').unwrap().0.to_owned()
    };
    assert_eq!(now(""), "1  valid");
    assert_eq!(now("#row=1&frame=17"), "17  valid");
    assert_eq!(now("#row=0&frame=99"), "5  valid");
    // It has gone on by itself.
    assert_ne!(now("#row=1&frame=1&play"), "1  valid");
}

#[test]
fn a_report_says_what_the_logs_warn_of_how_it_was_made_and_what_is_suspicious() {
    let project = kiln(
        "1-4",
        "settings.samples = 16\n",
        "[mishap]\nnoisy = 2\nmost-samples = 4\n",
    );
    project.call(&["run", "--jobs", "1"]).ends(0);
    project.call(&["report", "--to", "r.html"]).ends(0);
    let page = project.read("r.html");
    for part in [
        "Warnings in the logs",
        "lamp 0 of frame 1 flickers",
        "<td>8</td>",
        ".truepath/logs/0001/",
        "Command lines",
        "--setting=samples=16",
        "TP810",
        "frame 1 has 4 of 16 samples",
    ] {
        assert!(page.contains(part), "{part}");
    }
    // A frame that is another file now says nothing of what was published.
    for frame in 1..=4 {
        let path = project.path(&format!("renders/kiln.{frame:04}.png"));
        fs::write(path, picture_of(48, 32, png::ColorType::Rgba, frame as u8)).unwrap();
    }
    project.call(&["report", "--to", "later.html"]).ends(0);
    assert!(!project.read("later.html").contains("TP810"));
    // Words of an engine are words on the page.
    project.write("truepath.toml", &common::job("1-4", ""));
    let log = fs::read_dir(project.path(".truepath/logs/0001")).unwrap();
    let log = log.flatten().next().unwrap().path();
    let text = fs::read_to_string(&log).unwrap();
    fs::write(
        &log,
        format!("{text}04:05:06.000 warning: <script>alert(1)</script>\n"),
    )
    .unwrap();
    project.call(&["report", "--to", "hostile.html"]).ends(0);
    let page = project.read("hostile.html");
    assert!(page.contains("&lt;script&gt;alert(1)") && !page.contains("<script>alert"));
}
