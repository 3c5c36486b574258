//! Templates both ways: what is written can be read back.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;

use proptest::prelude::*;
use truepath_core::template::{Candidates, Template, TokenValue, Values, expand, readings};

const NUMBERS: [&str; 2] = ["version", "frame"];

/// Without a job: numbers are numbers, places paths, all else text.
fn free(name: &str) -> Candidates {
    match name {
        name if NUMBERS.contains(&name) => Candidates::Number,
        name if name.starts_with("place.") => Candidates::Path,
        _ => Candidates::Text,
    }
}

fn written(template: &Template, values: &BTreeMap<String, String>) -> Option<String> {
    let value = |name: &str| match values.get(name) {
        None => TokenValue::Nothing,
        Some(value) if NUMBERS.contains(&name) => TokenValue::Number(value.parse().unwrap()),
        Some(value) if name.starts_with("place.") => TokenValue::Path(value.clone()),
        Some(value) => TokenValue::Text(value.clone()),
    };
    expand(template, &value).ok().map(|pattern| pattern.path(0))
}

fn read(template: &str, path: &str) -> Vec<Values> {
    readings(&template.parse().unwrap(), path, &free).unwrap()
}

fn shown(values: &Values) -> String {
    let words: Vec<String> = values
        .iter()
        .map(|(name, value)| format!("{name}={value}"))
        .collect();
    words.join(" ")
}

#[test]
fn values_are_read_back() {
    for (template, path, values) in [
        (
            "{shot}_v{version:03}.{frame:04}.exr",
            "dawn_v003.0012.exr",
            "shot=dawn version=3 frame=12",
        ),
        (
            "{shot}{?_{variant}}.{frame:04}.exr",
            "dawn.-0012.exr",
            "shot=dawn frame=-12",
        ),
        (
            "{place.out}/{shot}/{shot}.{ext}",
            "/srv/a b/dawn/dawn.png",
            "place.out=/srv/a b shot=dawn ext=png",
        ),
        (
            "{shot:upper}/{shot}.{frame}",
            "DAWN/dawn.7",
            "shot=dawn frame=7",
        ),
        (
            "{shot}/{shot:slug}.{frame}",
            "Big Dawn/big-dawn.7",
            "shot=Big Dawn frame=7",
        ),
        ("{{{shot}}}", "{dawn}", "shot=dawn"),
    ] {
        let found = read(template, path);
        assert_eq!(
            found.iter().map(shown).collect::<Vec<_>>(),
            [values],
            "{template}"
        );
    }
}

#[test]
fn every_way_is_reported_where_there_are_several() {
    let found = read("{shot}_{pass}.{frame:04}.exr", "a_b_c.0001.exr");
    assert_eq!(
        found.iter().map(shown).collect::<Vec<_>>(),
        ["shot=a_b pass=c frame=1", "shot=a pass=b_c frame=1"]
    );
    // A job's own names decide.
    let known = |name: &str| match name {
        "pass" => Candidates::Known(["c".to_owned(), "d".to_owned()].into()),
        other => free(other),
    };
    let template: Template = "{shot}_{pass}.{frame:04}.exr".parse().unwrap();
    let found = readings(&template, "a_b_c.0001.exr", &known).unwrap();
    assert_eq!(
        found.iter().map(shown).collect::<Vec<_>>(),
        ["shot=a_b pass=c frame=1"]
    );
}

#[test]
fn where_a_name_departs_is_reported() {
    let known = |name: &str| match name {
        "shot" => Candidates::Known(["dawn".to_owned(), "dusk".to_owned()].into()),
        other => free(other),
    };
    for (path, at, expected) in [
        ("down_v003.0012.exr", 0, "{shot}, one of dawn, dusk"),
        ("dawn-v003.0012.exr", 4, "`_v`"),
        (
            "dawn_v3.0012.exr",
            6,
            "{version}, a number of at least 3 digits",
        ),
        (
            "dawn_v003.12.exr",
            10,
            "{frame}, a number of at least 4 digits",
        ),
        ("dawn_v003.0012.exr.tmp", 18, "the end"),
        ("dawn_v003.0012.png", 15, "`exr`"),
        ("dawn_v003.0", 10, "{frame}, a number of at least 4 digits"),
    ] {
        let template: Template = "{shot}_v{version:03}.{frame:04}.exr".parse().unwrap();
        let departure = readings(&template, path, &known).unwrap_err();
        assert_eq!(
            (departure.at, departure.expected[0].as_str()),
            (at, expected),
            "{path}"
        );
    }
}

/// Templates of the kinds that people use.
const IN_USE: [&str; 40] = [
    "{shot}.{frame:04}.exr",
    "{shot}.{frame:04}.{ext}",
    "{shot}_{frame:04}.png",
    "{shot}-{frame:05}.tif",
    "{frame:04}.png",
    "{shot}/{frame:04}.png",
    "{shot}/{pass}/{frame:04}.exr",
    "{shot}/{pass}/{shot}_{pass}.{frame:04}.exr",
    "{shot}/{camera}/{shot}_{camera}.{frame:04}.exr",
    "{shot}{?_{variant}}.{frame:04}.exr",
    "{shot}{?/{variant}}/{shot}{?_{variant}}.{frame:04}.exr",
    "{shot}{?_{view}}.{frame:04}.exr",
    "{shot}_v{version:03}.{frame:04}.exr",
    "v{version:03}/{shot}_v{version:03}.{frame:04}.exr",
    "{shot}/v{version:03}/{pass}/{shot}_{pass}_v{version:03}.{frame:04}.{ext}",
    "{project}_{shot}.{frame:04}.exr",
    "{project}/{shot}/{project}_{shot}_{pass}_v{version:03}.{frame:04}.exr",
    "{place.renders}/{shot}.{frame:04}.exr",
    "{place.renders}/{shot}/{pass}/{shot}_{pass}.{frame:04}.exr",
    "{place.renders}/{project}/{shot}/v{version:02}/{shot}.{frame:06}.exr",
    "{scene}.{frame:04}.png",
    "{scene}_{camera}.{frame:04}.png",
    "{scene}_{camera}_{pass}.{frame:04}.png",
    "{shot:upper}_{pass:lower}.{frame:04}.exr",
    "{shot:slug}/{shot:slug}.{frame:04}.exr",
    "{shot}_{width}x{height}.{frame:04}.exr",
    "{shot}_{width}x{height}/{shot}.{frame:04}.exr",
    "{shot}_{fps}fps.{frame:04}.exr",
    "{shot}.{first}-{last}.{frame:04}.exr",
    "{output}/{shot}.{frame:04}.exr",
    "{engine}/{shot}.{frame:04}.exr",
    "{preset}/{shot}.{frame:04}.exr",
    "{shot}_{preset}.{frame:04}.exr",
    "{shot}_s{settings.samples}.{frame:04}.exr",
    "{shot}/{view}/{shot}_{view}.{frame:04}.exr",
    "{shot}.{view}.{frame:04}.exr",
    "frames/{frame:04}/{shot}_{pass}.exr",
    "{shot} {pass} {frame:04}.png",
    "{shot}_poster.{ext}",
    "review/{shot}{?_{variant}}{?_{view}}_v{version:03}.{ext}",
];

fn numbers_too(name: &str) -> Candidates {
    match name {
        "width" | "height" | "first" | "last" | "frame" | "version" => Candidates::Number,
        other => free(other),
    }
}

#[test]
fn templates_that_people_use_are_read_back_by_the_jobs_own_names() {
    for text in IN_USE {
        let template: Template = text.parse().unwrap();
        let value = |name: &str| match name {
            "frame" | "first" => "12",
            "last" => "240",
            "version" => "3",
            "width" | "height" => "2048",
            "place.renders" => "/srv/renders",
            "settings.samples" => "256",
            "view" => "left",
            "variant" => "night",
            "project" => "orrery",
            "shot" => "dawn_02",
            "pass" => "beauty",
            "fps" => "23.976",
            _ => "some_thing",
        };
        let given = |name: &str| match numbers_too(name) {
            Candidates::Number => TokenValue::Number(value(name).parse().unwrap()),
            Candidates::Path => TokenValue::Path(value(name).to_owned()),
            _ => TokenValue::Text(value(name).to_owned()),
        };
        let path = expand(&template, &given).unwrap().path(12);
        let known = |name: &str| match numbers_too(name) {
            Candidates::Text | Candidates::Path => {
                Candidates::Known([value(name).to_owned()].into())
            }
            number => number,
        };
        let found = readings(&template, &path, &known).unwrap();
        assert_eq!(found.len(), 1, "{text}: {found:?}");
        for (name, read) in &found[0] {
            assert_eq!(read, value(name), "{text}");
        }
    }
}

fn part() -> impl Strategy<Value = String> {
    prop_oneof![
        2 => "[a-c._/ -]{1,3}",
        1 => Just("{shot}".to_owned()),
        1 => Just("{pass}".to_owned()),
        1 => Just("{pass:upper}".to_owned()),
        1 => Just("{?_{variant}}".to_owned()),
        1 => Just("{version:03}".to_owned()),
        1 => Just("{frame:04}".to_owned()),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]
    #[test]
    fn expanding_what_was_read_gives_the_path_again(
        parts in prop::collection::vec(part(), 1..6),
        shot in "[a-c_]{1,4}",
        pass in "[a-c]{1,3}",
        variant in prop::option::of("[ab]{1,2}"),
        version in 0i64..2000,
    ) {
        let template: Template = parts.concat().parse().unwrap();
        let mut values = BTreeMap::from([
            ("shot".to_owned(), shot),
            ("pass".to_owned(), pass),
            ("version".to_owned(), version.to_string()),
            ("frame".to_owned(), "0".to_owned()),
        ]);
        values.extend(variant.map(|variant| ("variant".to_owned(), variant)));
        let Some(path) = written(&template, &values) else { return Ok(()) };
        let found = readings(&template, &path, &free).unwrap();
        for reading in &found {
            let reading: BTreeMap<String, String> = reading.iter().cloned().collect();
            prop_assert_eq!(written(&template, &reading), Some(path.clone()), "{:?}", reading);
        }
        if let [only] = &found[..] {
            for (name, value) in only {
                let given = &values[name];
                prop_assert!(value == given || value.to_lowercase() == given.to_lowercase(), "{name}: {value} {given}");
            }
        }
    }
}
