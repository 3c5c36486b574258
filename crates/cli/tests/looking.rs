//! Sheets, and pictures in a terminal: what they draw and say is what is there.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::pictures::{count, five_frames, read};
use common::{Project, kiln, linear};

#[test]
fn a_sheet_shows_linear_light_as_a_display_does_and_broken_pixels_in_their_colors() {
    let project = Project::empty();
    fs::create_dir(project.path("pictures")).unwrap();
    linear(&project.path("pictures/a.0001.exr"), 0.18, f32::NAN);
    linear(&project.path("pictures/a.0002.exr"), 0.18, f32::INFINITY);
    linear(&project.path("pictures/a.0004.exr"), 0.18, 0.18);
    project
        .call(&["sheet", "pictures", "--to", "sheet.png"])
        .ends(0);
    let sheet = read(&project.path("sheet.png"));
    assert_eq!((sheet.width(), sheet.height()), (1280, 800));
    // Middle gray is 118 by the curve of sRGB; the pictures are not larger than they are.
    assert_eq!(count(&sheet, [118; 3]), 3 * 64 * 64 - 2 * 16 * 16);
    assert_eq!(count(&sheet, [255, 0, 255]), 16 * 16);
    assert_eq!(count(&sheet, [0, 255, 255]), 16 * 16);
    // The frame that is missing is crossed out in red.
    assert!(count(&sheet, [235, 87, 87]) > 500);
    // A stop brighter; and nothing is replaced.
    project
        .call(&["sheet", "pictures", "--to", "bright.png", "--exposure", "1"])
        .ends(0);
    assert!(count(&read(&project.path("bright.png")), [162; 3]) > 10_000);
    let called = project
        .call(&["sheet", "pictures", "--to", "sheet.png"])
        .ends(3);
    assert!(called.err.contains("sheet.png"), "{}", called.err);
}

#[test]
fn values_are_shown_as_data_in_a_range_or_in_colors_and_texts_stand_in_corners() {
    let project = Project::empty();
    fs::create_dir(project.path("depth")).unwrap();
    linear(&project.path("depth/z.0001.exr"), 2.0, 4.0);
    linear(&project.path("depth/z.0002.exr"), 2.0, 3.0);
    let sheet = |more: &[&str], name: &str| {
        let to = format!("{name}.png");
        let call = [&["sheet", "depth", "--to", &to], more].concat();
        project.call(&call).ends(0);
        read(&project.path(&to))
    };
    let (all, middle) = (64 * 64 - 16 * 16, 16 * 16);
    // From the least to the greatest of both, with the scale beside them.
    let colored = sheet(&["--false-color"], "colored");
    let low = count(&colored, truepath_core::picture::false_color(0.0));
    assert!((2 * all..2 * all + 100).contains(&low), "{low}");
    assert_eq!(
        count(&colored, truepath_core::picture::false_color(0.5)),
        middle
    );
    // In a range that is asked for: what is beyond is as dark and as bright as its ends.
    let ranged = sheet(&["--range", "2.5,3.5"], "ranged");
    assert_eq!(count(&ranged, [128; 3]), middle);
    assert!(count(&ranged, [0; 3]) >= 2 * all);
    let refused = project.call(&["sheet", "depth", "--range", "3,3", "--to", "x.png"]);
    assert!(refused.ends(2).err.contains("the lower one first"));
    let shown = project.call(&[
        "show",
        "depth",
        "--always",
        "--false-color",
        "--width",
        "20",
    ]);
    assert!(shown.ends(0).out.contains("blue 2.000, white 4.000"));
    project
        .call(&["report", "depth", "--range", "0,8", "--to", "page.html"])
        .ends(0);
    assert!(
        project
            .read("page.html")
            .contains("black 0.000, white 8.000")
    );
    // A text stands in its corner of each picture, and nowhere else.
    let plain = sheet(&[], "plain");
    let lettered = sheet(
        &["--burn-in", "{frame:03}", "--corner", "top-right"],
        "lettered",
    );
    let changed: Vec<(u32, u32)> = plain
        .enumerate_pixels()
        .filter(|(x, y, pixel)| *pixel != lettered.get_pixel(*x, *y))
        .map(|(x, y, _)| (x, y))
        .collect();
    assert!(changed.len() > 2 * 300, "{}", changed.len());
    let (top, bottom) = (
        changed.iter().map(|(_, y)| y).min().unwrap(),
        changed.iter().map(|(_, y)| y).max().unwrap(),
    );
    assert!(bottom - top < 20, "{top} to {bottom}");
    let refused = project.call(&["sheet", "depth", "--burn-in", "{shot}", "--to", "x.png"]);
    let refused = refused.ends(2);
    assert!(
        refused.err.contains("it takes {name}, {frame} and {date}"),
        "{}",
        refused.err
    );
    // Of a job it takes the tokens of the job, and the pictures stay as they are.
    let job = kiln("1-3", "", "");
    job.call(&["run", "--quiet"]).ends(0);
    let before = fs::read(job.path("renders/kiln.0002.png")).unwrap();
    for command in ["sheet", "report"] {
        let to = format!(
            "{command}.{}",
            if command == "sheet" { "png" } else { "html" }
        );
        job.call(&[command, "--burn-in", "{shot} {frame:04}", "--to", &to])
            .ends(0);
        let refused = job.call(&[command, "--burn-in", "{shto}", "--to", "y.png"]);
        assert!(refused.ends(2).err.contains("{shto}"));
    }
    assert_eq!(fs::read(job.path("renders/kiln.0002.png")).unwrap(), before);
}

#[test]
fn a_sheet_of_a_job_draws_what_is_missing_broken_and_stale() {
    let project = kiln("1-8", "", "");
    project.call(&["run"]).ends(0);
    fs::remove_file(project.path("renders/kiln.0002.png")).unwrap();
    let whole = fs::read(project.path("renders/kiln.0005.png")).unwrap();
    fs::write(
        project.path("renders/kiln.0005.png"),
        &whole[..whole.len() / 2],
    )
    .unwrap();
    project.call(&["sheet", "--to", "sheet.jpg"]).ends(0);
    assert!(project.path("sheet.jpg").is_file());
    project.call(&["sheet", "--to", "sheet.png"]).ends(0);
    let (bad, doubtful) = ([235, 87, 87], [226, 170, 60]);
    let sheet = read(&project.path("sheet.png"));
    assert!(count(&sheet, bad) > 1000 && count(&sheet, doubtful) == 0);
    // Other settings make all others stale.
    let job = project.read("truepath.toml").replace("48x32", "48x30");
    project.write("truepath.toml", &job);
    project.call(&["sheet", "--to", "stale.png"]).ends(0);
    assert!(count(&read(&project.path("stale.png")), doubtful) > 1000);
    // More frames than fit go onto further pages, each numbered.
    let called = project
        .call(&[
            "sheet",
            "--columns",
            "1",
            "--every",
            "1",
            "--page",
            "400x300",
            "--to",
            "many.png",
        ])
        .ends(0);
    assert!(called.out.lines().count() >= 4, "{}", called.out);
    for page in called.out.lines() {
        assert_eq!(read(&project.path(page)).dimensions(), (400, 300));
    }
}

#[test]
fn sheets_that_cannot_be_are_refused() {
    let project = Project::empty();
    project.write("p/a.0001.png", "no picture");
    for (line, why) in [
        (
            &["sheet", "p", "--to", "s.gif"][..],
            "ends neither in .png nor in .jpg",
        ),
        (&["sheet", "p", "--to", "s.png"], "no pictures to show"),
        (
            &["sheet", "p", "--to", "s.png", "--page", "20x20"],
            "a page has 160 to 16384 pixels",
        ),
        (&["sheet", "nowhere", "--to", "s.png"], "nowhere"),
    ] {
        let called = project.call(line);
        assert!(
            called.code != Some(0) && called.err.contains(why),
            "{line:?}: {}",
            called.err
        );
        assert!(!project.path("s.png").exists());
    }
}

#[test]
fn pictures_are_shown_in_a_terminal_and_named_elsewhere() {
    let project = Project::empty();
    fs::create_dir(project.path("p")).unwrap();
    for frame in 1..=3 {
        linear(&project.path(&format!("p/a.{frame:04}.exr")), 0.18, 0.18);
    }
    let called = project.call(&["show", "p"]).ends(0);
    assert!(
        called.out.contains("p/a.{frame:04}.exr 2"),
        "{}",
        called.out
    );
    assert!(
        called.out.contains("exr 64x64, rgb, half") && !called.out.contains('\u{1b}'),
        "{}",
        called.out
    );
    // Every pixel is middle gray, two in a cell, at the width that was asked for.
    let called = project
        .call(&["show", "p", "--frame", "3", "--width", "20", "--always"])
        .ends(0);
    let blocks: Vec<&str> = called
        .out
        .lines()
        .filter(|line| line.contains('▀'))
        .collect();
    assert_eq!(blocks.len(), 10, "{}", called.out);
    for line in blocks {
        assert_eq!(line.matches('▀').count(), 20);
        assert!(
            line.starts_with("\u{1b}[38;2;118;118;118;48;2;118;118;118m"),
            "{line:?}"
        );
    }
    // It is never larger than it is.
    let called = project
        .call(&["show", "p", "--width", "500", "--always"])
        .ends(0);
    assert!(
        called
            .out
            .lines()
            .all(|line| line.matches('▀').count() <= 64)
    );
    fs::write(project.path("p/a.0002.exr"), "half").unwrap();
    project.call(&["show", "p", "--always"]).ends(1);
    project.call(&["show", "p", "--frame", "9"]).ends(1);
}

#[test]
fn pictures_stand_side_by_side_and_take_other_protocols() {
    let project = five_frames();
    let grid = [
        "show",
        "p/a.0001.exr",
        "p/a.0002.exr",
        "p/a.0003.exr",
        "--grid",
        "--always",
        "--width",
        "80",
    ];
    let called = project.call(&grid).ends(0);
    // Three in a row, each with 25 cells at most, and their names above.
    let lines: Vec<&str> = called.out.lines().collect();
    assert!(
        lines[0].starts_with("a.0001.exr 0") && lines[0].contains("a.0003.exr 0"),
        "{}",
        lines[0]
    );
    for line in lines.iter().filter(|line| line.contains('▀')) {
        let pictures: Vec<usize> = line
            .split("\u{1b}[0m")
            .map(|part| part.matches('▀').count())
            .collect();
        assert_eq!(
            pictures[..3].iter().filter(|count| **count > 0).count(),
            3,
            "{line:?}"
        );
        assert!(pictures.iter().all(|count| *count <= 25), "{pictures:?}");
    }
    let sixel = project
        .call(&[
            "show",
            "p",
            "--frame",
            "1",
            "--always",
            "--protocol",
            "sixel",
        ])
        .ends(0);
    assert!(
        sixel.out.contains("\u{1b}P0;1;0q\"1;1;64;64"),
        "{:?}",
        &sixel.out[..200]
    );
    let graphics = project
        .call(&[
            "show",
            "p",
            "--frame",
            "1",
            "--always",
            "--protocol",
            "graphics",
        ])
        .ends(0);
    assert!(
        graphics.out.contains("\u{1b}_Ga=T,f=100"),
        "{:?}",
        &graphics.out[..200]
    );
    // A terminal of 20 columns.
    let narrow = [
        "show",
        "p/a.0001.exr",
        "p/a.0002.exr",
        "--grid",
        "--always",
        "--width",
        "20",
    ];
    let called = project.call(&narrow).ends(0);
    assert!(
        called
            .out
            .lines()
            .all(|line| line.matches('▀').count() <= 20)
    );
    project
        .call(&["show", "p", "--frame", "4", "--grid", "--always"])
        .ends(1);
}

#[test]
fn proxies_are_kept_by_the_content_of_their_files_and_a_damaged_one_counts_as_none() {
    let project = Project::empty();
    fs::create_dir(project.path("pictures")).unwrap();
    let one = project.path("pictures/a.0001.exr");
    linear(&one, 0.18, 0.5);
    let cache = project.path("cache");
    let sheet = |to: &str| {
        let mut command = project.command(&["sheet", "pictures", "--to", to]);
        command.env("XDG_CACHE_HOME", &cache);
        common::called(command).ends(0);
        fs::read(project.path(to)).unwrap()
    };
    let kept = || {
        let folder = cache.join("truepath/proxies");
        let folders = fs::read_dir(folder).into_iter().flatten().flatten();
        let files = folders.flat_map(|one| fs::read_dir(one.path()).unwrap().flatten());
        files.map(|one| one.path()).collect::<Vec<_>>()
    };
    let first = sheet("1.png");
    assert_eq!(kept().len(), 1);
    // Under another name, with another time, it is the same picture.
    fs::rename(&one, project.path("pictures/a.0002.exr")).unwrap();
    fs::copy(project.path("pictures/a.0002.exr"), &one).unwrap();
    fs::remove_file(project.path("pictures/a.0002.exr")).unwrap();
    assert_eq!(sheet("2.png"), first);
    assert_eq!(kept().len(), 1);
    // Damage is not shown.
    let entry = kept().remove(0);
    let mut bytes = fs::read(&entry).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0xff;
    fs::write(&entry, &bytes).unwrap();
    assert_eq!(sheet("3.png"), first);
    // Another content under the same name is another picture.
    linear(&one, 0.7, 0.5);
    assert_ne!(sheet("4.png"), first);
    assert_eq!(kept().len(), 2);
    // A cache that cannot be written changes nothing.
    fs::remove_dir_all(&cache).unwrap();
    fs::write(&cache, "a file").unwrap();
    linear(&one, 0.18, 0.5);
    assert_eq!(sheet("5.png"), first);
    fs::remove_file(&cache).unwrap();
    sheet("6.png");
    let job = kiln("1-2", "", "");
    let clean = |options: &[&str]| {
        let mut command = job.command(&[&["clean"], options].concat());
        command.env("XDG_CACHE_HOME", &cache);
        common::called(command).ends(0).out
    };
    assert!(clean(&[]).contains("removed by --proxies"));
    assert_eq!(kept().len(), 1);
    clean(&["--proxies", "--apply"]);
    assert_eq!(kept().len(), 0);
}
