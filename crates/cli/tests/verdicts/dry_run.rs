//! A dry run names exactly what the run then makes, replaces, sets aside and keeps.

use super::*;

/// What a dry run says of a frame of a deliverable.
fn foreseen(of: &Value, frame: i64, is_there: bool) -> &'static str {
    let is_in = |key: &str| holds(&of[key], frame);
    match any_holds(&of["not_made"], frame) {
        true if is_there => "kept",
        true => "nothing",
        false if is_in("made") => "made",
        false if is_in("replaced") => "replaced",
        false if is_in("set_aside") => "set aside",
        false if is_in("kept") || is_in("kept_not_valid") => "kept",
        false => panic!("frame {frame} is in no list: {of:#}"),
    }
}

#[test]
fn a_dry_run_names_exactly_what_the_run_then_does() {
    if !needs("cp") {
        return;
    }
    let mut chance = Chance(number("TRUEPATH_TEST_SEED", 0x5eed_0fa9));
    for round in 0..number("TRUEPATH_TEST_ROUNDS", 24) {
        let project = copy();
        let files: Vec<String> = ["r", "s", "t", "m"]
            .iter()
            .flat_map(|folder| {
                let files = project.files(folder).into_iter();
                files.map(move |file| format!("{folder}/{file}"))
            })
            .collect();
        let mut deeds = BTreeMap::new();
        for file in &files {
            // Most files stay as they are.
            let deed = DEEDS[chance.below(DEEDS.len() * 3) % DEEDS.len()];
            let deed = if chance.below(3) > 0 {
                Deed::Nothing
            } else {
                deed
            };
            do_to(&project, file, deed);
            deeds.insert(file.clone(), deed);
        }
        if chance.below(4) == 0 {
            fs::remove_dir_all(project.path(".truepath")).unwrap();
        }
        if chance.below(3) == 0 {
            project.write(
                "kiln.toml",
                &scene("").replace("radius = 0.2", "radius = 0.4"),
            );
        }
        let mut options = vec!["run"];
        let mut may = |option: &'static str| {
            let is_chosen = chance.below(3) == 0;
            options.extend(is_chosen.then_some(option));
            is_chosen
        };
        if !may("--rerender-stale") {
            may("--keep-stale");
        }
        may("--rerender-unrecorded");
        may("--verify-all");
        if chance.below(3) == 0 {
            let replacing = "[project]\nexisting = \"replace\"";
            project.write(
                "truepath.toml",
                &of_all_kinds().replacen("[project]", replacing, 1),
            );
        }
        let job = project.read("truepath.toml");
        let what = format!("round {round}: {deeds:?} {options:?} {}", &job[..40]);
        let dry = [&options[..], &["--dry-run", "--format", "json"]].concat();
        let dry = project.call(&dry).ends(0).json();
        let text = [&options[..], &["--dry-run"]].concat();
        let text = project.call(&text).ends(0).out;
        let total = format!("{} of 12 files to make", dry["to_make"]);
        assert!(text.contains(&total), "{what}\n{text}");
        let before: BTreeMap<&String, Moment> = files
            .iter()
            .map(|file| (file, moment(&project.path(file))))
            .collect();
        let run = project.call(&options);
        let mut aside = Vec::new();
        for folder in ["r", "s", "t", "m"] {
            let folder = format!("{folder}/set-aside");
            for name in project.files(&folder) {
                aside.push(fs::read(project.path(&format!("{folder}/{name}"))).unwrap());
            }
        }
        for file in &files {
            let after = moment(&project.path(file));
            let label = label_of(file);
            let frame = frame_of(file);
            let before = &before[file];
            assert_eq!(
                became(before, &after, &aside),
                foreseen(of_label(&dry, label), frame, before.is_some()),
                "{what}\n{file}\n{dry:#}\n{}\n{}",
                run.out,
                run.err
            );
        }
    }
}

/// The deliverable of a file.
fn label_of(file: &str) -> &'static str {
    match file {
        _ if file.starts_with("r/kiln_beauty") => "kiln · frames · beauty",
        _ if file.starts_with("r/") => "kiln · frames · depth",
        _ if file.starts_with("s/kiln_beauty") => "kiln · still · beauty",
        _ if file.starts_with("s/") => "kiln · still · depth",
        _ if file.starts_with("t/") => "kiln · together · all",
        _ => "kiln · review · beauty",
    }
}

/// The frame of a file.
fn frame_of(file: &str) -> i64 {
    match &file[..1] {
        "s" => 2,
        "m" => 1,
        _ => file.split('.').nth(1).unwrap().parse().unwrap(),
    }
}
