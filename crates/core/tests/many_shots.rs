//! A job that is large enough for several threads gives the same as its shots one by one.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::fmt::Write;
use std::sync::Arc;

use truepath_core::deliverable::{Expansion, Selection, Surroundings, expand};
use truepath_core::finding::Finding;
use truepath_core::job::{Job, no_files, read};
use truepath_core::profile::read_profile;
use truepath_core::question::Answers;
use truepath_core::rules::{Subject, check, rules};
use truepath_core::source::{SourceKind, Sources};

const SHOTS: usize = 350;

/// Three mistakes that only the whole job shows: two shots of one name but for capitals, one that
/// writes where another output writes, and a variant that no table declares, in every tenth shot.
fn job() -> Job {
    let mut text = String::from(
        "[project]\nengine = \"understudy\"\nsize = \"hd\"\nvariants = [\"day\"]\n[variant.day]\n\
         [output.frames]\npasses = [\"beauty\", \"depth\", \"shadow\"]\n\
         path = \"renders/{shot}/{pass}/{shot}_{variant}_{pass}.{frame:04}.exr\"\n\
         [output.extra]\npasses = [\"normals\"]\n\
         path = \"renders/{shot}_x/beauty/{shot}_x_{variant}_beauty.{frame:04}.exr\"\n",
    );
    for shot in 0..SHOTS {
        let name = match shot {
            300 => "S0001".to_owned(),
            340 => "s0002_x".to_owned(),
            _ => format!("s{shot:04}"),
        };
        let variants = if shot % 10 == 0 {
            "[\"day\", \"dusk\"]"
        } else {
            "[\"day\"]"
        };
        writeln!(
            text,
            "[shot.{name}]\nscene = \"s.toml\"\nframes = \"1-{}\"\nvariants = {variants}",
            20 + shot
        )
        .unwrap();
    }
    let reading = read("truepath.toml", &text, &[], &mut no_files);
    assert!(reading.is_sound(), "{:?}", reading.findings);
    reading.job
}

fn surroundings() -> Surroundings {
    let mut sources = Sources::default();
    let text = include_str!("../../../engines/understudy.toml");
    let profile = read_profile("p", text, SourceKind::BuiltIn, &mut sources).unwrap();
    Surroundings::of_folder("/work/show", [Arc::new(profile)].into_iter().collect())
}

fn paths(expansion: &Expansion) -> Vec<String> {
    let all = expansion.deliverables.iter();
    all.map(|one| one.pattern.sketch()).collect()
}

#[test]
fn shots_come_in_the_order_of_the_job() {
    let (job, around) = (job(), surroundings());
    let whole = expand(&job, &around, &Selection::default());
    let mut one_by_one = Vec::new();
    for shot in &job.shots {
        let selection = Selection {
            shots: vec![shot.name.clone()],
            ..Selection::default()
        };
        one_by_one.extend(paths(&expand(&job, &around, &selection)));
    }
    assert_eq!(one_by_one.len(), SHOTS * 4);
    assert!(paths(&whole) == one_by_one, "another order or other paths");
    let shown: u64 = whole.problems.iter().map(|one| one.deliverables).sum();
    assert_eq!(
        shown,
        SHOTS as u64 / 10 * 2,
        "a variant in every tenth shot, of two outputs"
    );
}

#[test]
fn rules_say_the_same_in_the_same_order() {
    let (job, around) = (job(), surroundings());
    let expansion = expand(&job, &around, &Selection::default());
    let answers = Answers::default();
    let subject = Subject::new(&job, &expansion, &around, &answers);
    let found = check(&subject);
    let mut one_by_one: Vec<Finding> = rules()
        .flat_map(|rule| (rule.check)(rule, &subject))
        .collect();
    one_by_one.sort_by_key(|finding| finding.severity);
    let shown = |findings: &[Finding]| format!("{findings:#?}");
    assert!(shown(&found) == shown(&one_by_one), "{}", shown(&found));
    let codes: Vec<&str> = found.iter().map(|one| one.code).collect();
    for code in ["TP102", "TP112", "TP116"] {
        assert!(codes.contains(&code), "{code} is not among {codes:?}");
    }
    let text = shown(&found);
    assert!(text.contains("S0001") && text.contains("s0002_x"), "{text}");
}
