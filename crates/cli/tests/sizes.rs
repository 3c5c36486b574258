//! Job files that are too large for anybody's good: an error with the limit, soon.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Project, scene};
use std::fmt::Write;

const HEAD: &str =
    "scene = \"kiln.toml\"\nframes = \"1-3\"\nsize = \"24x16\"\nengine = \"understudy\"\n";

fn long(more: &str) -> String {
    format!("[project]\n{HEAD}[output.f]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n{more}")
}

fn many(count: usize, one: impl Fn(usize) -> String) -> String {
    (0..count).fold(String::new(), |mut all, number| {
        write!(all, "{}", one(number)).unwrap();
        all
    })
}

#[test]
fn what_is_beyond_a_limit_is_said_with_the_limit() {
    let path = "path = \"r/{shot}.{frame:04}.png\"\n";
    let list = |count: usize, sign: &str| many(count, |number| format!("\"{sign}{number}\","));
    let table = [
        (
            "a long text",
            format!(
                "{HEAD}path = \"r/{}.{{frame:04}}.png\"\n",
                "{shot}".repeat(300_000)
            ),
            "`path` has 1 800 017 bytes, and the limit is 65 536",
        ),
        (
            "many tokens",
            format!(
                "{HEAD}{path}[token]\n{}",
                many(300_000, |number| format!("t{number} = \"x\"\n"))
            ),
            "`token` has 300 000 entries, and the limit is 1000",
        ),
        (
            "many shots",
            long(&many(200_000, |number| format!("[shot.s{number}]\n"))),
            "`shot` has 200 000 entries, and the limit is 100 000",
        ),
        (
            "a long chain",
            long(&format!(
                "[shot.kiln]\nvariants = [\"v0\"]\n{}[variant.v900]\n",
                many(900, |number| format!(
                    "[variant.v{number}]\ninherits = \"v{}\"\n",
                    number + 1
                ))
            )),
            "inherits over more than 64 steps",
        ),
        (
            "many words",
            format!("{HEAD}{path}run = [{}]\n", list(100_000, "x")),
            "`run` has 100 000 values, and the limit is 10 000",
        ),
        (
            "lists that multiply each other",
            format!(
                "{HEAD}path = \"r/{{camera}}{{pass}}.{{frame:04}}.png\"\ncameras = [{}]\npasses = [{}]\n",
                list(3_000, "c"),
                list(3_000, "p")
            ),
            "the job has more than 100 000 deliverables",
        ),
    ];
    for (what, job, error) in table {
        assert!(job.len() < 10_000_000, "{what}");
        let project = Project::new(&job);
        project.write("kiln.toml", &scene(""));
        for command in ["check", "run"] {
            let called = project.command(&[command]).output().unwrap();
            let text = [called.stdout, called.stderr].concat();
            let text = String::from_utf8_lossy(&text);
            assert!(text.contains(error), "{what}, {command}: {text:.2000}");
            assert!(
                text.len() < 100_000,
                "{what}, {command}: {} bytes",
                text.len()
            );
            assert!(!called.status.success());
        }
        assert!(!project.path("r").exists(), "{what}");
    }
}

#[test]
fn frames_without_end_and_mistakes_in_every_table_are_reported() {
    let project = Project::new(&format!(
        "{}path = \"r/{{shot}}.{{frame:04}}.png\"\n",
        HEAD.replace("1-3", "1-999999999999")
    ));
    project.write("kiln.toml", &scene(""));
    project.call(&["paths"]).ends(0);
    let project = Project::new(&long(&many(50_000, |number| {
        format!("[shot.s{number}]\nframez = \"1\"\n")
    })));
    project.write("kiln.toml", &scene(""));
    let called = project.call(&["check"]).ends(2);
    assert!(
        called.err.contains("did you mean `frames`"),
        "{}",
        called.err
    );
    assert!(
        called.err.contains("the same 999 more times"),
        "{}",
        called.err
    );
    // All of them on one path.
    let project = Project::new(
        &long(&many(20_000, |number| format!("[shot.s{number}]\n"))).replace("{shot}", "x"),
    );
    project.write("kiln.toml", &scene(""));
    let called = project.call(&["check"]).ends(1);
    assert!(called.out.contains("would be lost"), "{}", called.out);
}
