//! What a run does about the files that are there, by the policy: each cell of the table, for every kind of file.

use super::*;

/// What a cell of the guide's table says.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Cell {
    Kept,
    Reported,
    Replaced,
    SetAside,
    Refused,
}

/// What is in the way of a file.
#[derive(Debug, Clone, Copy, PartialEq)]
enum InTheWay {
    Valid,
    Stale,
    Broken,
    Changed,
    Unrecorded,
}

/// What a run with a policy does about a file of a kind.
fn cell(kind: usize, in_the_way: InTheWay, existing: &str, options: &[&str]) -> Cell {
    let (path, ..) = KINDS[kind];
    let output = ["frames", "still", "together", "review"][kind];
    let project = copy();
    match in_the_way {
        InTheWay::Valid => {}
        InTheWay::Stale => {
            project.write(
                "kiln.toml",
                &scene("").replace("radius = 0.2", "radius = 0.4"),
            );
            if kind >= LAYERED {
                let again = ["run", "--output", "frames", "--rerender-stale"];
                project.call(&again).ends(0);
            }
        }
        InTheWay::Broken => do_to(&project, path, Deed::Cut),
        InTheWay::Changed => do_to(&project, path, Deed::Swap),
        InTheWay::Unrecorded => fs::remove_dir_all(project.path(".truepath")).unwrap(),
    }
    if !existing.is_empty() {
        let job = of_all_kinds().replacen(
            "[project]",
            &format!("[project]\nexisting = \"{existing}\""),
            1,
        );
        project.write("truepath.toml", &job);
    }
    let before = moment(&project.path(path));
    let run = project.call(&[&["run", "--output", output][..], options].concat());
    let after = moment(&project.path(path));
    let folder = path.rsplit_once('/').unwrap().0;
    let aside: Vec<Vec<u8>> = project
        .files(&format!("{folder}/set-aside"))
        .iter()
        .map(|name| fs::read(project.path(&format!("{folder}/set-aside/{name}"))).unwrap())
        .collect();
    match (run.code, became(&before, &after, &aside)) {
        (Some(3), "kept") => {
            assert!(run.err.contains("existing = \"refuse\""), "{}", run.err);
            Cell::Refused
        }
        (Some(0), "kept") => Cell::Kept,
        (Some(1), "kept") => Cell::Reported,
        (Some(0), "replaced") => Cell::Replaced,
        (Some(0), "set aside") => Cell::SetAside,
        other => panic!(
            "{path}, {in_the_way:?}, {existing}: {other:?}\n{}\n{}",
            run.out, run.err
        ),
    }
}

#[test]
fn every_cell_of_the_table_of_policies_for_every_kind() {
    use Cell::{Kept, Refused, Replaced, Reported, SetAside};
    let all = [
        InTheWay::Valid,
        InTheWay::Stale,
        InTheWay::Broken,
        InTheWay::Changed,
        InTheWay::Unrecorded,
    ];
    let rows: [(&str, &[&str], [Cell; 5]); 7] = [
        ("", &[], [Kept, Reported, SetAside, Reported, Kept]),
        (
            "",
            &["--rerender-stale"],
            [Kept, Replaced, SetAside, SetAside, Kept],
        ),
        ("", &["--keep-stale"], [Kept, Kept, SetAside, Kept, Kept]),
        (
            "",
            &["--rerender-unrecorded"],
            [Kept, Reported, SetAside, Reported, SetAside],
        ),
        (
            "keep",
            &["--rerender-stale", "--rerender-unrecorded"],
            [Kept, Replaced, SetAside, SetAside, SetAside],
        ),
        (
            "replace",
            &[],
            [Replaced, Replaced, SetAside, SetAside, SetAside],
        ),
        ("refuse", &[], [Refused; 5]),
    ];
    for (kind, (path, ..)) in KINDS.into_iter().enumerate() {
        for (existing, options, cells) in rows {
            for (in_the_way, wanted) in all.into_iter().zip(cells) {
                // What is made from other files is made again when these are others.
                let is_made_again = kind >= LAYERED
                    && in_the_way == InTheWay::Stale
                    && ["", "keep"].contains(&existing);
                let wanted = if is_made_again { SetAside } else { wanted };
                let found = cell(kind, in_the_way, existing, options);
                let what = format!("{path}, {in_the_way:?}, {existing} {options:?}");
                assert_eq!(found, wanted, "{what}");
            }
        }
    }
}

#[test]
fn the_next_version_is_taken_for_movies_and_layers_too() {
    for kind in [LAYERED, MOVIE] {
        let output = ["frames", "still", "together", "review"][kind];
        let project = copy();
        let job = of_all_kinds()
            .replacen(
                "[project]",
                "[project]\nversion = 1\nexisting = \"next-version\"",
                1,
            )
            .replace("t/{shot}", "t/v{version}/{shot}")
            .replace("m/{shot}", "m/v{version}/{shot}");
        project.write("truepath.toml", &job);
        let run = ["run", "--output", output];
        project.call(&run).ends(0);
        let folder = ["r", "s", "t", "m"][kind];
        let first = project.files(&format!("{folder}/v1"));
        assert!(!first.is_empty());
        project.call(&run).ends(0);
        assert_eq!(project.files(&format!("{folder}/v2")), first);
        assert!(!project.path(&format!("{folder}/v1/set-aside")).exists());
    }
}
