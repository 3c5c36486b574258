//! Profiles: what an engine is given, what is left out, and how its files are recognised.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::sync::Arc;
use truepath_core::deliverable::DeliverableId;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{ArgumentError, Invocation, arguments};
use truepath_core::deliverable::{Expansion, Selection, Surroundings, expand};
use truepath_core::frames::FrameSet;
use truepath_core::job::{no_files, read};
use truepath_core::plan::plan;
use truepath_core::profile::read_profile;
use truepath_core::source::{SourceKind, Sources};

fn profile(takes: &str, passes: &str) -> String {
    format!(
        r#"
engine = {{ name = "brass", program = "brass", frames = "{takes}", passes = "{passes}" }}
map.kind = {{ by = ["format", "bits"], "png" = "", "png 16" = "P16" }}
arguments = [
  "{{scene.file}}",
  ["-w{{width}}", "-h{{height}}"],
  "-c{{camera}}",
  "-k{{map.kind}}",
  {{ when = {{ channels = ["rgba", "graya"] }}, put = "-a" }},
  {{ each = "settings", put = ["-s", "{{key}}:{{value}}"] }},
  {{ each = "passes", put = "-p{{pass}}" }},
  "-f{{first}}-{{last}}/{{step}}",
  "-clip{{clip.first}}-{{clip.last}}",
  "-o{{target.stem}}",
  {{ put = "-t{{threads}}", changes-picture = false }},
]
output-name = "{{target.stem}}{{?-{{pass}}}}.{{frame:?}}.{{ext}}"
links = {{ "in" = "{{scene.folder}}" }}
rejects = {{ characters = "|", why = "it takes bars for pipes" }}
shortest-clip = 2
"#
    )
}

fn expansion(profile: &str, more: &str) -> Expansion {
    let mut sources = Sources::default();
    let profile = read_profile("brass.toml", profile, SourceKind::File, &mut sources).unwrap();
    let around = Surroundings::of_folder("/work", [Arc::new(profile)].into_iter().collect());
    let text =
        format!("engine = \"brass\"\npath = \"r/{{shot}}{{?_{{pass}}}}.{{frame:04}}.png\"\n{more}");
    let reading = read("truepath.toml", &text, &[], &mut no_files);
    assert!(reading.is_sound(), "{:?}", reading.findings);
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    expansion
}

fn line(more: &str, frames: &str) -> Result<String, ArgumentError> {
    let expansion = expansion(&profile("stepped", "all"), more);
    let all = AtLeastOne::new(expansion.deliverables.iter().collect()).unwrap();
    let frames: FrameSet = frames.parse().unwrap();
    let call = Invocation {
        profile: &all[0].common.engine,
        deliverables: &all,
        frames: &frames,
        staging: "/stage",
        prepared: None,
        threads: None,
    };
    arguments(&call).map(|words| words.join(" "))
}

#[test]
fn what_nobody_sets_is_not_set() {
    assert_eq!(
        line("frames = \"5\"", "5").unwrap(),
        "-f5-5/1 -clip5-6 -opicture"
    );
}

#[test]
fn what_is_set_is_said_in_the_engines_words() {
    let more = "scene = \"s/kiln.brs\"\nframes = \"1-9\"\nsize = \"hd\"\ncamera = \"top\"\nbits = 16\n\
                channels = \"rgba\"\npasses = [\"beauty\", \"depth\"]\nthreads = 4\nsettings = { z = 1.5, a = \"x y\" }";
    let whole = "/work/s/kiln.brs -w1920 -h1080 -ctop -kP16 -a -s z:1.5 -s a:x y -pbeauty -pdepth -f3-7/2 -clip1-9 -opicture";
    assert_eq!(line(more, "3-7/2").unwrap(), format!("{whole} -t4"));
}

#[test]
fn what_the_engine_cannot_take_is_refused() {
    let error = line("frames = \"1-9\"\nsettings = { a = \"x|y\" }", "1").unwrap_err();
    assert!(
        error.to_string().contains("it takes bars for pipes"),
        "{error}"
    );
}

#[test]
fn its_files_are_recognised_by_its_own_way_of_naming() {
    let expansion = expansion(
        &profile("range", "all"),
        "scene = \"s/kiln.brs\"\nframes = \"1-9\"\npasses = [\"beauty\", \"depth\"]",
    );
    let all = AtLeastOne::new(expansion.deliverables.iter().collect()).unwrap();
    let frames = FrameSet::range(1, 9);
    let call = Invocation {
        profile: &all[0].common.engine,
        deliverables: &all,
        frames: &frames,
        staging: "/stage",
        prepared: None,
        threads: None,
    };
    let output_name = call.output_name(all[1]).unwrap().unwrap();
    assert_eq!(output_name.read("picture-depth.000004.png"), Some(Some(4)));
    assert_eq!(output_name.read("picture-beauty.4.png"), None);
    assert_eq!(
        call.links().unwrap(),
        [("in".to_owned(), "/work/s".to_owned())]
    );
}

#[test]
fn a_plan_gives_each_engine_what_it_can_take() {
    let frames = "frames = \"1-3,6,8-12/2\"\npasses = [\"beauty\", \"depth\"]";
    let pieces = |takes: &str, passes: &str| -> Vec<String> {
        let free = format!("split = \"free\"\n{}", profile(takes, passes));
        let expansion = expansion(&free, frames);
        plan(&expansion, &|index| {
            expansion.deliverables[index].common.frames.selected.clone()
        })
        .iter()
        .map(|one| format!("{}:{}", one.deliverables.len(), one.frames))
        .collect()
    };
    assert_eq!(pieces("list", "all"), ["2:1-3,6-12/2"]);
    assert_eq!(pieces("stepped", "all"), ["2:1-3", "2:6-12/2"]);
    assert_eq!(
        pieces("range", "all"),
        ["2:1-3", "2:6", "2:8", "2:10", "2:12"]
    );
    assert_eq!(pieces("one", "one").len(), 2 * 7);
    assert_eq!(pieces("list", "one"), ["1:1-3,6-12/2"; 2]);
}

#[test]
fn a_clip_of_which_nobody_says_that_it_may_be_split_is_one_process() {
    let planned = |takes: &str, split: &str, wanted: &str| -> Vec<String> {
        let text = format!("{split}{}", profile(takes, "one"));
        let expansion = expansion(&text, "frames = \"1-3,6,8-12/2\"");
        plan(&expansion, &|_| wanted.parse().unwrap())
            .iter()
            .map(|one| format!("{} and {}", one.frames, one.besides))
            .collect()
    };
    let never = "split = \"never\"\n";
    assert_eq!(planned("range", never, "6"), ["6 and 1-5,7-12"]);
    assert_eq!(planned("range", "", "6"), ["6 and 1-5,7-12"]);
    assert_eq!(planned("stepped", never, "1-3"), ["1-3 and 4-12"]);
    assert_eq!(planned("list", never, "8"), ["8 and 1-3,6,10-12/2"]);
    assert_eq!(planned("range", "split = \"free\"\n", "6"), ["6 and "]);
    assert_eq!(planned("one", never, "6,8").len(), 2);
}

#[test]
fn passes_that_miss_other_frames_are_processes_of_their_own() {
    let expansion = expansion(
        &profile("list", "all"),
        "frames = \"1-9\"\npasses = [\"a\", \"b\", \"c\"]",
    );
    let wanted = ["1-9", "4", "1-9"];
    let plan = plan(&expansion, &|index| wanted[index].parse().unwrap());
    let shown: Vec<_> = plan
        .iter()
        .map(|one| (&one.deliverables[..], one.frames.to_string()))
        .collect();
    let at = DeliverableId::at;
    assert_eq!(
        shown,
        [
            (&[at(0), at(2)][..], "1-9".to_owned()),
            (&[at(1)][..], "4".to_owned())
        ]
    );
}

#[test]
fn mistakes_in_a_profile_are_reported_all_at_once() {
    let mut sources = Sources::default();
    let text = "engine = { name = \"x\", frames = \"rang\" }\nargument = []\narguments = [3, \"{a\", { put = \"x\", eech = \"passes\" }]\nlog = [{ wraning = 'x' }]\n";
    let findings = read_profile("x.toml", text, SourceKind::File, &mut sources).unwrap_err();
    let shown: Vec<String> = findings
        .iter()
        .map(|one| {
            let (line, column) = sources.line_and_column(&one.labels[0].place);
            format!("{line}:{column} {} {}", one.code, one.advice.join(" "))
        })
        .collect();
    assert_eq!(
        shown,
        [
            "1:34 TP004 did you mean `range`?",
            "2:1 TP002 did you mean `arguments`?",
            "3:14 TP003 ",
            "3:18 TP004 a token is `{shot}` or `{frame:04}`; the brace itself is `{{`",
            "3:36 TP002 did you mean `each`?",
            "4:10 TP002 did you mean `warning`?",
        ]
    );
}
